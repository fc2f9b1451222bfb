//! Regions of faces lifted and sunk, against outside values.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::f64::consts::{PI, TAU};

use geometry::{Frame, NurbsCurve, Point3, Vector3, circle_arc};
use shapes::{block, near, sound, sphere, tolerance, turned};
use surfacing::{RaisedRegion, RaisedSides, SurfacingError, raised_region};
use topology::{Body, Shell, seams};

fn rectangle(width: f64, depth: f64, z: f64) -> Vec<NurbsCurve> {
    let corner = |i: usize| {
        let [x, y] = [[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]][i % 4];
        Point3::new(width * x, depth * y, z)
    };
    (0..4).map(|i| NurbsCurve::line(corner(i), corner(i + 1))).collect()
}

fn circle(radius: f64, z: f64) -> Vec<NurbsCurve> {
    let frame = Frame::new(Point3::new(0.0, 0.0, z), Vector3::x(), Vector3::y()).unwrap();
    vec![circle_arc(&frame, radius, 0.0, TAU).unwrap()]
}

fn raised(
    shell: &Shell,
    face: usize,
    outline: &[NurbsCurve],
    height: f64,
    sides: RaisedSides,
) -> Result<Shell, SurfacingError> {
    let region = RaisedRegion { outlines: &[outline.to_vec()], toward: Vector3::z(), height, sides };
    raised_region(shell, face, &region, &tolerance()).map(|m| m.0)
}

fn volume(shell: Shell) -> f64 {
    let Body::Solid(solid) = Body::from_shell(shell) else { panic!("open") };
    sound(&solid);
    solid.measure().volume
}

/// A block of 60 x 60 x 20 mm with its top at z = 0, and the number of its top.
fn base() -> (Shell, usize, f64) {
    let shell = block([-30.0, -30.0, -20.0], [60.0, 60.0, 20.0]);
    let is_top = |f: &topology::Face| f.surface.control_points().iter().all(|p| p.z.abs() < 1e-9);
    let top = shell.faces().iter().position(is_top).unwrap();
    (shell, top, 60.0 * 60.0 * 20.0)
}

#[test]
fn outlines_rise_and_sink_with_leaning_sides() {
    let (shell, top, before) = base();
    // DR-03: a drafted extrusion of 10 x 20 mm, 5 mm high, 3 deg inward.
    let drafted = 961.1519280926158;
    let lean = RaisedSides::Leaning(3.0_f64.to_radians());
    for (height, expected) in [(5.0, before + drafted), (-5.0, before - drafted)] {
        // The outline is drawn above the face, and either way round.
        for outline in [
            rectangle(10.0, 20.0, 12.0),
            rectangle(10.0, 20.0, 0.0).iter().rev().map(NurbsCurve::reversed).collect(),
        ] {
            let made = raised(&shell, top, &outline, height, lean).unwrap();
            assert_eq!(made.faces().len(), 11);
            near(volume(made), expected, 1e-12);
        }
    }
    near(
        volume(raised(&shell, top, &circle(8.0, 0.0), 4.0, RaisedSides::Leaning(0.0)).unwrap()),
        before + PI * 64.0 * 4.0,
        1e-9,
    );
    // A frustum of a cone.
    let (r, h, angle) = (8.0_f64, 4.0, 10.0_f64.to_radians());
    let s = r - h * angle.tan();
    let frustum = PI * h * (r * r + r * s + s * s) / 3.0;
    near(
        volume(raised(&shell, top, &circle(r, 0.0), h, RaisedSides::Leaning(angle)).unwrap()),
        before + frustum,
        1e-9,
    );
}

#[test]
fn a_region_on_a_sphere_keeps_its_distance() {
    // Between two spheres inside a cylinder along the axis: integrated in rings.
    let (big, h, r) = (20.0_f64, 3.0, 8.0_f64);
    let ball = turned(&sphere(big), Vector3::new(1.0, 0.0, 0.0), 1.2);
    let part = |radius: f64| TAU / 3.0 * (radius.powi(3) - (radius * radius - r * r).powf(1.5));
    let whole = 4.0 / 3.0 * PI * big.powi(3);
    let made = raised(&ball, 0, &circle(r, 40.0), h, RaisedSides::Leaning(0.0)).unwrap();
    near(volume(made), whole + part(big + h) - part(big), 1e-6);
    let sunk = raised(&ball, 0, &circle(r, 40.0), -h, RaisedSides::Leaning(0.0)).unwrap();
    near(volume(sunk), whole - part(big) + part(big - h), 1e-6);
}

#[test]
fn sharp_outlines_on_a_sphere_lean_in_along_their_corners() {
    // Seen from above, the sides rise from where their feet stand by 1 / tan(angle) of the way in, up to the outer sphere:
    // integrated over a quarter of the square.
    let (big, h, half) = (20.0_f64, 3.0, 8.0_f64);
    let ball = turned(&sphere(big), Vector3::new(1.0, 0.0, 0.0), 1.2);
    let before = 4.0 / 3.0 * PI * big.powi(3);
    let sphere_at = |radius: f64, x: f64, y: f64| (radius * radius - x * x - y * y).sqrt();
    // At larger angles it counts that lines of the sides turn toward the corners.
    for angle in [1e-6_f64, 2.0, 5.0].map(f64::to_radians) {
        let count = 600;
        let step = half / f64::from(count);
        let mut added = 0.0;
        for (i, j) in (0..count).flat_map(|i| (0..count).map(move |j| (i, j))) {
            let [x, y] = [i, j].map(|k| (f64::from(k) + 0.5) * step);
            let foot = if x > y { sphere_at(big, half, y) } else { sphere_at(big, x, half) };
            let side = foot + (half - x.max(y)) / angle.tan();
            added += 4.0 * step * step * (sphere_at(big + h, x, y).min(side) - sphere_at(big, x, y));
        }
        let outline = rectangle(2.0 * half, 2.0 * half, 40.0);
        let made = raised(&ball, 0, &outline, h, RaisedSides::Leaning(angle)).unwrap();
        near(volume(made) - before, added, 1e-3);
    }
}

#[test]
fn tangent_sides_leave_no_edge() {
    let (shell, top, before) = base();
    let (r, w, h) = (12.0, 6.0, 3.0);
    for height in [h, -h] {
        let made = raised(&shell, top, &circle(r, 0.0), height, RaisedSides::Tangent(w)).unwrap();
        let smooth = seams(&made).iter().filter(|s| s.meeting.angle.0 < 0.1_f64.to_radians()).count();
        assert_eq!(smooth, 2);
        // The cubic profile turned: pi r^2 dz, by Simpson's rule.
        let profile = |s: f64| {
            let inward = 1.5 * s * (1.0 - s) * (1.0 - s) + 1.5 * s * s * (1.0 - s) + s.powi(3);
            (r - w * inward, h * (3.0 * s * s * (1.0 - s) + s.powi(3)))
        };
        let steps = 20_000;
        let ring = |k: usize| profile(k as f64 / steps as f64);
        let sum: f64 = (0..steps)
            .map(|k| {
                let (a, b) = (ring(k), ring(k + 1));
                PI * (a.0 * a.0 + a.0 * b.0 + b.0 * b.0) / 3.0 * (b.1 - a.1)
            })
            .sum();
        near(volume(made), before + height.signum() * sum, 1e-7);
    }
    let made = raised(&shell, top, &rectangle(30.0, 20.0, 0.0), h, RaisedSides::Tangent(w)).unwrap();
    assert!(volume(made) > before + 18.0 * 8.0 * h);
}

#[test]
fn what_has_no_room_is_refused_with_its_place() {
    let (shell, top, _) = base();
    let over = raised(&shell, top, &circle(31.0, 0.0), 2.0, RaisedSides::Leaning(0.0));
    assert!(matches!(over, Err(SurfacingError::OutlineOverEdge { .. })), "{over:?}");
    let aside: Vec<NurbsCurve> =
        circle(8.0, 0.0).iter().map(|c| c.mapped(|p| p + Vector3::x() * 25.0)).collect();
    assert!(matches!(
        raised(&shell, top, &aside, 2.0, RaisedSides::Leaning(0.0)),
        Err(SurfacingError::OutlineOverEdge { .. })
    ));
    let steep = raised(&shell, top, &circle(4.0, 0.0), 10.0, RaisedSides::Leaning(0.5));
    assert!(matches!(steep, Err(SurfacingError::RaisedFolds { .. })), "{steep:?}");
    let wide = raised(&shell, top, &rectangle(10.0, 20.0, 0.0), 2.0, RaisedSides::Tangent(6.0));
    assert!(matches!(wide, Err(SurfacingError::RaisedFolds { .. })), "{wide:?}");
    let open = &rectangle(10.0, 20.0, 0.0)[..3];
    assert!(matches!(
        raised(&shell, top, open, 2.0, RaisedSides::Leaning(0.0)),
        Err(SurfacingError::OpenOutline { .. })
    ));
}
