use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Tolerance};
use topology::{Body, Shell, capped, join, natural_shell};

use crate::{SurfacingError, chains};

/// Whether curves, together, only close: what stands on them then has ends that can be closed too.
pub(crate) fn encloses(curves: &[NurbsCurve], tolerance: &Tolerance) -> bool {
    chains(curves, tolerance)
        .iter()
        .all(|run| (run[0].start() - run[run.len() - 1].end()).norm() <= tolerance.join)
}

/// Surfaces under one name, which a number follows if there are several.
pub(crate) fn numbered(surfaces: Vec<NurbsSurface>, name: &str) -> Vec<(NurbsSurface, String)> {
    let several = surfaces.len() > 1;
    let named =
        |(k, surface)| (surface, if several { format!("{name} {}", k + 1) } else { name.to_string() });
    surfaces.into_iter().enumerate().map(named).collect()
}

/// Surfaces, each a face under its role, joined where their borders coincide; with flat faces over their planar openings
/// where they are to be closed. A body that encloses a volume is a solid.
pub(crate) fn assembled(
    surfaces: Vec<(NurbsSurface, String)>,
    close: bool,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    let shells = surfaces
        .into_iter()
        .map(|(surface, role)| natural_shell(Arc::new(surface), &role, tolerance))
        .collect::<Result<Vec<Shell>, _>>()?;
    let mut shell = join(&shells, tolerance.join)?.shell;
    if close {
        shell = capped(shell, tolerance, |k| format!("cap {k}"))?;
        if let [_, second, ..] = &shell.pieces()[..] {
            let at = second.vertices().first().map_or([0.0; 3], |v| v.point.into());
            return Err(SurfacingError::SideBySide { at });
        }
    }
    Ok(Body::from_shell(shell))
}
