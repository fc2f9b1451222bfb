//! How the surfaces of a shell bend: curvatures at the corners of its mesh, and combs along parameter lines.

use geometry::{Tooth, Vector3, shared_work};
use rayon::prelude::*;

use crate::bounded::{Bounding, outline};
use crate::{Face, Mesh, Shell};

/// Gaussian and mean curvature, in 1/mm² and 1/mm, of every corner of a mesh, face by face as the mesh has them; the mean is
/// positive where the surface bends toward its outside, as the wall of a bowl does seen from inside. Corners at which the surface
/// has no normal take those of a place a little inside.
#[must_use]
pub fn curvatures(shell: &Shell, mesh: &Mesh) -> Vec<Vec<[f64; 2]>> {
    let of_face = |face_mesh: &crate::FaceMesh| {
        let face = shell.face(face_mesh.face);
        let (u, v) = face.surface.domain();
        let sign = if face.reversed { -1.0 } else { 1.0 };
        let at = |[a, b]: [f64; 2]| {
            let here = face.surface.derivatives(a, b).curvatures();
            let inside = || {
                let (a, b) = (a + 1e-4 * (u.at(0.5) - a), b + 1e-4 * (v.at(0.5) - b));
                face.surface.derivatives(a, b).curvatures()
            };
            let (gaussian, mean) = here.or_else(inside).unwrap_or_default();
            [gaussian, mean * sign]
        };
        face_mesh.vertices.iter().map(|corner| at(corner.uv)).collect()
    };
    mesh.faces.par_iter().map(shared_work(of_face)).collect()
}

/// Curvature combs of a face along `lines` parameter lines each way, each as long as it runs inside the face, with about so
/// many `teeth` on each: they stand against
/// the side to which the surface bends, by the normal curvature along the line in 1/mm.
#[must_use]
pub fn surface_combs(face: &Face, lines: usize, teeth: usize) -> Vec<Vec<Tooth>> {
    let (u, v) = face.surface.domain();
    let outlines: Vec<Vec<[f64; 2]>> = if face.is_whole() {
        Vec::new()
    } else {
        let bounding = |l: &crate::Loop| {
            let run: Vec<Bounding> = l
                .edges
                .iter()
                .map(|e| {
                    let pcurve = if e.forward { e.pcurve.clone() } else { e.pcurve.reversed() };
                    Bounding { curve: pcurve.clone(), pcurve }
                })
                .collect();
            outline(&run)
        };
        face.loops.iter().map(bounding).collect()
    };
    let inside = |p: [f64; 2]| {
        outlines.is_empty()
            || outlines.iter().filter(|line| geometry::polygon_holds(line, &p)).count() % 2 == 1
    };
    let mut out = Vec::new();
    for k in 0..lines {
        let share = (k as f64 + 0.5) / lines as f64;
        for along_u in [true, false] {
            let knots = if along_u { face.surface.knots_u() } else { face.surface.knots_v() };
            let mut comb: Vec<Tooth> = Vec::new();
            let spans = knots.breaks().len() - 1;
            for t in knots.sampled((teeth / spans).clamp(1, 12)) {
                let at = if along_u { [t, v.at(share)] } else { [u.at(share), t] };
                let d = face.surface.derivatives(at[0], at[1]);
                let way = if along_u { d.u } else { d.v };
                let tooth = inside(at)
                    .then(|| {
                        let way = way.try_normalize(1e-12)?;
                        let normal: Vector3 = d.area_vector().try_normalize(f64::MIN_POSITIVE)?;
                        Some(Tooth { at: d.point, out: normal * -d.normal_curvature(&way)? })
                    })
                    .flatten();
                match tooth {
                    Some(tooth) => comb.push(tooth),
                    None if comb.len() > 1 => out.push(std::mem::take(&mut comb)),
                    None => comb.clear(),
                }
            }
            if comb.len() > 1 {
                out.push(comb);
            }
        }
    }
    out
}
