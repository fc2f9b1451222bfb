//! The box that a shell just fits into, along the main directions.

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, box_of, diagonal};

use crate::imprint::Outline;
use crate::{Face, MeshTolerance, Shell, mesh};

/// Chord, as a share of a face's size, of the triangles from which a trimmed, curved face is looked at.
const CHORD: f64 = 2e-3;
/// Share of a face's domain over which a place is looked for from such a triangle's corner.
const NEAR: f64 = 0.05;
const SAMPLES_PER_SPAN: usize = 4;
/// Halvings of the search step; a thousandth of a span then shrinks below a millionth of a millionth.
const HALVINGS: usize = 32;

/// Lowest and highest corner. Exact to rounding: edges and surfaces are searched for where they reach farthest, those of trimmed
/// faces from the corners of coarse triangles. `None` for a shell without faces.
#[must_use]
pub fn bounds(shell: &Shell) -> Option<(Point3, Point3)> {
    let first = shell.vertices().first()?.point;
    let mut bounds = Bounds { low: first, high: first };
    shell.vertices().iter().for_each(|v| bounds.hold(&v.point));
    for curve in shell.edges().iter().filter_map(|e| e.curve.as_ref()) {
        if bounds.may_grow(curve.control_points().iter()) {
            bounds.hold_curve(curve);
        }
    }
    let bulging = |bounds: &Bounds, face: &Face| {
        let net = face.surface.control_points();
        let bilinear = face.surface.knots_u().degree() == 1 && face.surface.knots_v().degree() == 1;
        !bilinear && bounds.may_grow(net.iter())
    };
    for face in shell.faces().iter().filter(|f| f.is_whole()) {
        if bulging(&bounds, face) {
            bounds.hold_surface(&face.surface);
        }
    }
    for (f, face) in shell.faces().iter().enumerate().filter(|(_, f)| !f.is_whole()) {
        if bulging(&bounds, face) {
            bounds.hold_part(&shell.part(&[f]));
        }
    }
    Some((bounds.low, bounds.high))
}

struct Bounds {
    low: Point3,
    high: Point3,
}

impl Bounds {
    fn hold(&mut self, p: &Point3) {
        (self.low, self.high) = (self.low.inf(p), self.high.sup(p));
    }

    /// Whether a shape inside the hull of these points may reach beyond the box so far.
    fn may_grow<'a>(&self, mut hull: impl Iterator<Item = &'a Point3>) -> bool {
        hull.any(|p| (0..3).any(|k| p[k] < self.low[k] || p[k] > self.high[k]))
    }

    fn hold_curve(&mut self, curve: &NurbsCurve) {
        let ts = curve.knots().sampled(SAMPLES_PER_SPAN);
        let points: Vec<Point3> = ts.iter().map(|&t| curve.point(t)).collect();
        for axis in 0..3 {
            for sign in [-1.0, 1.0] {
                let value = |p: &Point3| sign * p[axis];
                let best = most(points.iter().map(value));
                let mut t = ts[best];
                let mut step = (curve.domain().length()) / ts.len() as f64;
                for _ in 0..HALVINGS {
                    let around = [t, curve.domain().clamp(t - step), curve.domain().clamp(t + step)];
                    t = around[most(around.iter().map(|&t| value(&curve.point(t))))];
                    step *= 0.5;
                }
                self.hold(&curve.point(t));
            }
        }
    }

    fn hold_surface(&mut self, surface: &NurbsSurface) {
        let (du, dv) = surface.domain();
        let (us, vs) =
            (surface.knots_u().sampled(SAMPLES_PER_SPAN), surface.knots_v().sampled(SAMPLES_PER_SPAN));
        let grid = surface.grid(&us, &vs);
        for axis in 0..3 {
            for sign in [-1.0, 1.0] {
                let value = |p: &Point3| sign * p[axis];
                let best = most(grid.iter().map(value));
                let at = [us[best / vs.len()], vs[best % vs.len()]];
                let step = [du.length() / us.len() as f64, dv.length() / vs.len() as f64];
                let [u, v] = farthest(surface, at, step, value);
                self.hold(&surface.point(u, v));
            }
        }
    }

    /// Holds the one face of a shell, which is trimmed.
    fn hold_part(&mut self, part: &Shell) {
        let face = &part.faces()[0];
        let size = diagonal(&box_of(face.surface.control_points().iter()));
        let Ok(made) = mesh(part, MeshTolerance::chord(CHORD * size)) else { return };
        let (du, dv) = face.surface.domain();
        let outline = Outline::of(face);
        let corners = &made.faces[0].vertices;
        for axis in 0..3 {
            for sign in [-1.0, 1.0] {
                let value = |p: &Point3| sign * p[axis];
                let place = |k: usize| &made.positions[corners[k].position as usize];
                let best = most((0..corners.len()).map(|k| value(place(k))));
                let Some(corner) = corners.get(best) else { continue };
                self.hold(place(best));
                let at = farthest(&face.surface, corner.uv, [NEAR * du.length(), NEAR * dv.length()], value);
                // Where it leaves the face, the face reaches farthest at an edge.
                if outline.holds(at) {
                    self.hold(&face.surface.point(at[0], at[1]));
                }
            }
        }
    }
}

/// Where a surface reaches farthest, looked for from a place with steps that are halved.
fn farthest(
    surface: &NurbsSurface,
    mut at: [f64; 2],
    mut step: [f64; 2],
    value: impl Fn(&Point3) -> f64,
) -> [f64; 2] {
    let (du, dv) = surface.domain();
    for _ in 0..HALVINGS {
        let mut around = vec![at];
        for (i, j) in [(-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, 1), (-1, 1), (1, -1)] {
            let moved = |d: Domain, t: f64, by: i32, step: f64| d.clamp(t + f64::from(by) * step);
            around.push([moved(du, at[0], i, step[0]), moved(dv, at[1], j, step[1])]);
        }
        at = around[most(around.iter().map(|&[u, v]| value(&surface.point(u, v))))];
        step = step.map(|s| 0.5 * s);
    }
    at
}

/// Index of the first largest value.
fn most(values: impl Iterator<Item = f64>) -> usize {
    values.enumerate().fold((0, f64::NEG_INFINITY), |best, now| if now.1 > best.1 { now } else { best }).0
}
