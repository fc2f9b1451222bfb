//! Sweeps on two rails.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{PI, TAU};
use std::sync::Arc;

use geometry::{
    Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, closest_on_surface,
    through_points,
};
use shapes::{SCALES, frame_at, mapped, near};
use surfacing::{RailHeight, RailSweep, SurfacingError, rail_sweep};
use topology::Body;

fn fitted(height: RailHeight) -> RailSweep {
    let (square, normals) = ([false; 2], Vec::new());
    RailSweep { height, clean: false, square, normals, close: true, name: "side".into() }
}

fn line(a: [f64; 3], b: [f64; 3]) -> Vec<NurbsCurve> {
    vec![NurbsCurve::line(a.into(), b.into())]
}

fn surface_of(body: &Body) -> Arc<NurbsSurface> {
    Arc::clone(&body.shells()[0].faces()[0].surface)
}

/// The upper half of a circle over two rails that come together evenly.
fn arch() -> Vec<NurbsCurve> {
    let frame = Frame::new(Point3::origin(), -Vector3::x(), Vector3::z()).unwrap();
    vec![circle_arc(&frame, 10.0, 0.0, PI).unwrap()]
}

#[test]
fn a_section_scaled_with_its_rails_is_a_cone_and_one_of_kept_height_is_not() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let rails = [line([-10.0, 0.0, 0.0], [-5.0, 40.0, 0.0]), line([10.0, 0.0, 0.0], [5.0, 40.0, 0.0])]
            .map(|r| mapped(r, |p| p * scale));
        let section = [mapped(arch(), |p| p * scale)];
        let made =
            |height| rail_sweep(&section, [&rails[0], &rails[1]], &fitted(height), &tolerance).unwrap();
        let scaled = made(RailHeight::Scaled);
        // Half of the frustum of a cone: lateral area pi (R + r) s / 2 (VO-01).
        let slant = (40.0_f64 * 40.0 + 25.0).sqrt();
        near(scaled.body.measure().area, PI * 15.0 * slant / 2.0 * scale * scale, 1e-5);
        assert!(scaled.max_deviation.unwrap() <= tolerance.fit);
        let kept = surface_of(&made(RailHeight::Kept).body);
        let top = |s: &NurbsSurface| {
            let (u, v) = s.domain();
            (0..=40).map(|k| s.point(u.at(f64::from(k) / 40.0), v.end).z).fold(0.0, f64::max)
        };
        near(top(&kept), 10.0 * scale, 1e-6);
        near(top(&surface_of(&scaled.body)), 5.0 * scale, 1e-6);
    }
}

#[test]
fn the_clean_variant_keeps_the_structure_of_its_inputs() {
    let tolerance = Tolerance::default();
    let control = |points: &[[f64; 3]]| {
        let points: Vec<Point3> = points.iter().map(|p| Point3::from(*p)).collect();
        vec![NurbsCurve::from_control_points(&points, 1e-6).unwrap()]
    };
    let first = control(&[[0.0, 0.0, 0.0], [2.0, 20.0, 3.0], [-1.0, 40.0, 5.0], [0.0, 60.0, 0.0]]);
    let second = control(&[[30.0, 0.0, 0.0], [34.0, 20.0, 4.0], [28.0, 40.0, 6.0], [26.0, 60.0, 0.0]]);
    let section = control(&[
        [0.0, 0.0, 0.0],
        [2.0, 0.0, 8.0],
        [10.0, 0.0, 14.0],
        [20.0, 0.0, 14.0],
        [28.0, 0.0, 8.0],
        [30.0, 0.0, 0.0],
    ]);
    let how = RailSweep { clean: true, ..fitted(RailHeight::Scaled) };
    let made = rail_sweep(std::slice::from_ref(&section), [&first, &second], &how, &tolerance).unwrap();
    let surface = surface_of(&made.body);
    // Rails of 4 and a section of 6 control points give a surface of 6 by 4.
    assert_eq!((surface.knots_u().point_count(), surface.knots_v().point_count()), (6, 4));
    let net = surface.control_points();
    for (j, (a, b)) in first[0].control_points().iter().zip(second[0].control_points()).enumerate() {
        assert!((net[j] - a).norm() < 1e-9 && (net[5 * 4 + j] - b).norm() < 1e-9);
    }
    for (i, p) in section[0].control_points().iter().enumerate() {
        assert!((net[i * 4] - p).norm() < 1e-9, "{} {p}", net[i * 4]);
    }
    // Its borders are the rails themselves.
    for k in 0..=20 {
        let t = f64::from(k) / 20.0;
        assert!((surface.point(0.0, t) - first[0].point(t)).norm() < 1e-9);
        assert!((surface.point(1.0, t) - second[0].point(t)).norm() < 1e-9);
    }
    let other = control(&[
        [30.0, 0.0, 0.0],
        [34.0, 20.0, 4.0],
        [30.0, 30.0, 4.0],
        [28.0, 40.0, 6.0],
        [26.0, 60.0, 0.0],
    ]);
    let refused = rail_sweep(&[section], [&first, &other], &how, &tolerance).unwrap_err();
    assert!(matches!(refused, SurfacingError::RailsDiffer { counts: [4, 5], .. }), "{refused}");
}

#[test]
fn sections_are_met_where_they_stand_and_rails_are_followed() {
    let tolerance = Tolerance::default();
    let rail = |x: f64, bow: f64| {
        let points: Vec<Point3> = (0..=6)
            .map(|k| {
                let s = f64::from(k) / 6.0;
                Point3::new(x + bow * (PI * s).sin(), 60.0 * s, 5.0 * (PI * s).sin())
            })
            .collect();
        vec![through_points(&points, 1e-6).unwrap()]
    };
    let rails = [rail(-10.0, -6.0), rail(10.0, 3.0)];
    let across = |s: f64, height: f64| {
        let [a, b] = [0, 1].map(|k| rails[k][0].point(rails[k][0].parameter_at_share(s)));
        let middle = a + (b - a) * 0.5 + Vector3::z() * height;
        vec![
            through_points(
                &[a, a + (middle - a) * 0.5 + Vector3::z(), middle, b + (middle - b) * 0.5 + Vector3::z(), b],
                1e-6,
            )
            .unwrap(),
        ]
    };
    // The last one is drawn from the second rail to the first.
    let last: Vec<NurbsCurve> = across(1.0, 3.0).iter().map(NurbsCurve::reversed).collect();
    let sections = [across(0.0, 4.0), across(0.5, 9.0), last];
    let made =
        rail_sweep(&sections, [&rails[0], &rails[1]], &fitted(RailHeight::Scaled), &tolerance).unwrap();
    let surface = surface_of(&made.body);
    for curve in sections.iter().chain(&rails).flatten() {
        for k in 0..=24 {
            let p = curve.point(curve.domain().at(f64::from(k) / 24.0));
            let off = closest_on_surface(&surface, &p).distance;
            assert!(off <= 3.0 * tolerance.fit, "{off} at {p}");
        }
    }
}

#[test]
fn rails_and_sections_that_do_not_fit_are_named() {
    let tolerance = Tolerance::default();
    let (first, second) =
        (line([-10.0, 0.0, 0.0], [-5.0, 40.0, 0.0]), line([10.0, 0.0, 0.0], [5.0, 40.0, 0.0]));
    let try_it = |section: Vec<NurbsCurve>, second: &[NurbsCurve]| {
        rail_sweep(&[section], [&first, second], &fitted(RailHeight::Scaled), &tolerance).unwrap_err()
    };
    let backwards: Vec<NurbsCurve> = second.iter().map(NurbsCurve::reversed).collect();
    assert!(matches!(try_it(arch(), &backwards), SurfacingError::RailsOpposite { .. }));
    let short = try_it(mapped(arch(), |p| Point3::new(p.x * 0.9, p.y, p.z)), &second);
    assert!(
        matches!(short, SurfacingError::SectionOffRail { section: 1, distance, .. } if (0.9..1.01).contains(&distance)),
        "{short}"
    );
    // Rails may end in one point, but not touch on their way.
    let meeting =
        [line([10.0, 0.0, 0.0], [-7.5, 20.0, 0.0]), line([-7.5, 20.0, 0.0], [10.0, 40.0, 0.0])].concat();
    assert!(matches!(try_it(arch(), &meeting), SurfacingError::RailsMeet { .. }));
    let round = vec![circle_arc(&frame_at(0.0), 3.0, 0.0, TAU).unwrap()];
    let mixed = rail_sweep(&[arch(), round], [&first, &second], &fitted(RailHeight::Scaled), &tolerance);
    assert!(matches!(mixed, Err(SurfacingError::MixedSections { section: 2, .. })));
}

#[test]
fn rails_that_end_in_one_point_make_a_pole() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let rails = [line([-10.0, 0.0, 0.0], [0.0, 40.0, 0.0]), line([10.0, 0.0, 0.0], [0.0, 40.0, 0.0])]
            .map(|r| mapped(r, |p| p * scale));
        let section = [mapped(arch(), |p| p * scale)];
        let sweep = |how: &RailSweep| rail_sweep(&section, [&rails[0], &rails[1]], how, &tolerance);
        let made = sweep(&fitted(RailHeight::Scaled)).unwrap();
        // Half of a cone: lateral area pi r s / 2 (VO-01), and one point at its tip.
        let slant = (40.0_f64 * 40.0 + 100.0).sqrt();
        near(made.body.measure().area, PI * 10.0 * slant / 2.0 * scale * scale, 1e-5);
        let surface = surface_of(&made.body);
        let (u, v) = surface.domain();
        for k in 0..=8 {
            let tip = Point3::new(0.0, 40.0, 0.0) * scale;
            assert!((surface.point(u.at(f64::from(k) / 8.0), v.end) - tip).norm() < 1e-9 * scale);
        }
        // A height that stays leaves no point there.
        let kept = sweep(&fitted(RailHeight::Kept));
        assert!(matches!(kept, Err(SurfacingError::RailsMeet { .. })), "{kept:?}");
    }
}
