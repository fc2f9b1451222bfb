use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Tolerance};
use topology::{Body, Shell, capped, faced, join, natural_shell};

use crate::{SurfacingError, chains, closes};

/// Whether curves, together, only close: what stands on them then has ends that can be closed too.
pub(crate) fn encloses(curves: &[NurbsCurve], tolerance: &Tolerance) -> bool {
    chains(curves, tolerance).iter().all(|run| closes(run, tolerance))
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
    assembled_on(surfaces, None, close, tolerance)
}

/// The same, first closed where its openings lie on a given surface, by faces called `end`.
pub(crate) fn assembled_on(
    surfaces: Vec<(NurbsSurface, String)>,
    end: Option<&Arc<NurbsSurface>>,
    close: bool,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    let shells = surfaces
        .into_iter()
        .map(|(surface, role)| natural_shell(Arc::new(surface), &role, tolerance))
        .collect::<Result<Vec<Shell>, _>>()?;
    let mut shell = join(&shells, tolerance.join)?.shell;
    if close {
        if let Some(end) = end {
            let role = |k| if k == 1 { "end".into() } else { format!("end {k}") };
            shell = faced(shell, end, tolerance, role)?;
        }
        shell = capped(shell, tolerance, |k| format!("cap {k}"))?;
        if let [_, second, ..] = &shell.pieces()[..] {
            let at = second.vertices().first().map_or([0.0; 3], |v| v.point.into());
            return Err(SurfacingError::SideBySide { at });
        }
    }
    Ok(Body::from_shell(shell))
}
