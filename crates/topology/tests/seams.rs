//! How faces meet, against plane joints whose measures are known, and a capsule.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};
use std::sync::Arc;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Skin, Tolerance, Vector3, circle_arc, skin};
use topology::{Continuity, Meeting, Shell, join, natural_shell, seams};

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

/// Plane curves raised by 10 into walls, joined where they meet.
fn walls(curves: &[NurbsCurve], scale: f64, join_at: f64) -> Shell {
    let tolerance = Tolerance::default().scaled(scale);
    let wall = |c: &NurbsCurve| {
        let low = c.mapped(|p| p * scale);
        let high = low.mapped(|p| p + Vector3::z() * (10.0 * scale));
        let surface = skin(&[low, high], &Skin::Straight).unwrap();
        natural_shell(Arc::new(surface), "wall", &tolerance).unwrap()
    };
    join(&curves.iter().map(wall).collect::<Vec<_>>(), join_at * scale).unwrap().shell
}

fn only(shell: &Shell) -> Meeting {
    let found = seams(shell);
    let [seam] = found[..] else { panic!("{found:?}") };
    seam.meeting
}

/// An arc about a place of the plane, from one angle by another, in radians.
fn arc(x: f64, y: f64, radius: f64, from: f64, sweep: f64) -> NurbsCurve {
    let frame = Frame { origin: Point3::new(x, y, 0.0), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
    circle_arc(&frame, radius, from, sweep).unwrap()
}

fn line(a: [f64; 2], b: [f64; 2]) -> NurbsCurve {
    NurbsCurve::line(Point3::new(a[0], a[1], 0.0), Point3::new(b[0], b[1], 0.0))
}

#[test]
fn joints_have_the_measures_of_their_plane_curves() {
    // An arc of radius 5 that ends at the origin heading along x.
    let first = arc(0.0, 5.0, 5.0, PI, PI / 2.0);
    for scale in SCALES {
        let measured = |next: NurbsCurve| only(&walls(&[first.clone(), next], scale, 1e-2));
        // CO-01: then a line: tangent, with a jump of curvature of 1/5.
        let seam = measured(line([0.0, 0.0], [10.0, 0.0]));
        assert_eq!(seam.meets, Continuity::G1);
        near(seam.gap.0, 0.0, 1e-9 * scale);
        near(seam.angle.0, 0.0, 1e-9);
        near(seam.curvature.0 * scale, 0.2, 1e-9);
        near(seam.curvature_share, 1.0, 1e-9);
        // Then an arc of radius 10 bending the same way: 1/5 - 1/10; the other way (CO-02): 1/5 + 1/10.
        let seam = measured(arc(0.0, 10.0, 10.0, -PI / 2.0, 0.6));
        near(seam.curvature.0 * scale, 0.1, 1e-9);
        let seam = measured(arc(0.0, -10.0, 10.0, PI / 2.0, -0.6));
        near(seam.curvature.0 * scale, 0.3, 1e-9);
        // On with the same arc: nothing changes.
        let seam = measured(arc(0.0, 5.0, 5.0, -PI / 2.0, 0.6));
        assert_eq!(seam.meets, Continuity::G2);
        near(seam.curvature.0 * scale, 0.0, 1e-9);
    }
}

#[test]
fn kinks_and_gaps_are_measured() {
    // CO-02: two lines at 10 degrees, and lines with an offset of (0.003, 0.004).
    let (sin, cos) = 10.0_f64.to_radians().sin_cos();
    let first = line([-10.0, 0.0], [0.0, 0.0]);
    let kink = only(&walls(&[first.clone(), line([0.0, 0.0], [10.0 * cos, 10.0 * sin])], 1.0, 1e-2));
    assert_eq!(kink.meets, Continuity::G0);
    near(kink.angle.0, 0.174_532_925_199_433, 1e-12);
    let gap = only(&walls(&[first, line([0.003, 0.004], [10.0, 0.004])], 1.0, 1e-2));
    near(gap.gap.0, 0.005, 1e-9);
    near(gap.gap.1.coords.xy().norm(), 0.0025, 1e-9);
}

#[test]
fn a_capsule_is_tangent_and_not_curvature_continuous() {
    // CO-08: a hemisphere on a cylinder of its radius, 3: across the seam 1/3 against 0.
    let tolerance = Tolerance::default();
    let turned = |profile: &NurbsCurve| {
        let circle = arc(0.0, 0.0, 1.0, 0.0, TAU);
        let net = circle.homogeneous().iter().flat_map(|c| {
            let of = |p: &geometry::Homogeneous| {
                geometry::Homogeneous::new(p.x * c.x, p.x * c.y, p.z * c.w, p.w * c.w)
            };
            profile.homogeneous().iter().map(of).collect::<Vec<_>>()
        });
        let surface =
            NurbsSurface::from_homogeneous(circle.knots().clone(), profile.knots().clone(), net.collect());
        natural_shell(Arc::new(surface.unwrap()), "side", &tolerance).unwrap()
    };
    let wall = turned(&NurbsCurve::line(Point3::new(3.0, 0.0, 0.0), Point3::new(3.0, 0.0, 6.0)));
    let frame = Frame::new(Point3::new(0.0, 0.0, 6.0), Vector3::x(), Vector3::z()).unwrap();
    let dome = turned(&circle_arc(&frame, 3.0, 0.0, PI / 2.0).unwrap());
    let seam = only(&join(&[wall, dome], 1e-2).unwrap().shell);
    assert_eq!(seam.meets, Continuity::G1);
    near(seam.angle.0, 0.0, 1e-9);
    near(seam.curvature.0, 1.0 / 3.0, 1e-9);
}

#[test]
fn a_box_has_twelve_square_seams() {
    let corners = [[0.0, 0.0], [4.0, 0.0], [4.0, 3.0], [0.0, 3.0]];
    let sides: Vec<NurbsCurve> = (0..4).map(|k| line(corners[k], corners[(k + 1) % 4])).collect();
    let solid =
        topology::capped(walls(&sides, 1.0, 1e-2), &Tolerance::default(), |k| format!("cap {k}")).unwrap();
    let found = seams(&solid);
    assert_eq!(found.len(), 12);
    for seam in found {
        assert_eq!(seam.meeting.meets, Continuity::G0);
        near(seam.meeting.angle.0, PI / 2.0, 1e-9);
    }
}
