//! The box that a shell just fits into, along the main directions.

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3};

use crate::{Face, MeshTolerance, Shell, mesh};

/// Chord tolerance in millimetres where a trimmed, curved face has to be looked at by its mesh.
const MESH_CHORD: f64 = 0.01;
const SAMPLES_PER_SPAN: usize = 4;
/// Halvings of the search step; a thousandth of a span then shrinks below a millionth of a millionth.
const HALVINGS: usize = 32;

/// Lowest and highest corner. Exact to rounding for edges and whole surfaces; a curved face that is trimmed and
/// bulges beyond its edges counts by a fine mesh. `None` for a shell without faces.
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
    if shell.faces().iter().any(|f| !f.is_whole() && bulging(&bounds, f)) {
        let positions = mesh(shell, MeshTolerance::chord(MESH_CHORD)).map(|m| m.positions);
        positions.unwrap_or_default().iter().for_each(|p| bounds.hold(p));
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
                let mut at = (us[best / vs.len()], vs[best % vs.len()]);
                let mut step = (du.length() / us.len() as f64, dv.length() / vs.len() as f64);
                for _ in 0..HALVINGS {
                    let mut around = vec![at];
                    for (i, j) in [(-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, 1), (-1, 1), (1, -1)] {
                        let moved = |d: Domain, t: f64, by: i32, step: f64| d.clamp(t + f64::from(by) * step);
                        around.push((moved(du, at.0, i, step.0), moved(dv, at.1, j, step.1)));
                    }
                    at = around[most(around.iter().map(|&(u, v)| value(&surface.point(u, v))))];
                    step = (0.5 * step.0, 0.5 * step.1);
                }
                self.hold(&surface.point(at.0, at.1));
            }
        }
    }
}

/// Index of the first largest value.
fn most(values: impl Iterator<Item = f64>) -> usize {
    values.enumerate().fold((0, f64::NEG_INFINITY), |best, now| if now.1 > best.1 { now } else { best }).0
}
