//! Sweeps along one path against handbook values.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{PI, TAU};

use geometry::{
    Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, closest_on_surface,
    through_points,
};
use proptest::prelude::*;
use shapes::bent::plain_sweep;
use shapes::{circle, frame_at, near, polygon, sound, square};
use surfacing::{Carry, PathCorners, SurfacingError, Sweep, SweepSection, Swept, Winding, helix, sweep};
use topology::closure;

fn swept(sections: &[SweepSection], path: &[NurbsCurve], carry: Carry<'_>, twist: f64, scale: f64) -> Swept {
    let how = Sweep {
        carry,
        corners: PathCorners::Mitred,
        twist: Some(&|share| twist * share),
        scale: Some(&|share| 1.0 + (scale - 1.0) * share),
        close: true,
        name: "side".into(),
    };
    sweep(sections, path, &how, &Tolerance::default()).unwrap()
}

#[test]
fn round_sweeps_have_the_volumes_of_pappus() {
    let tube = [SweepSection::Round(2.0)];
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 15.0))];
    near(sound(&swept(&tube, &line, Carry::Follow, 0.0, 1.0).body, 0), PI * 4.0 * 15.0, 1e-6);
    // Pappus: area times the way of its middle, for an elbow of 90 degrees and for a whole ring.
    let elbow = [circle_arc(&frame_at(0.0), 10.0, 0.0, PI / 2.0).unwrap()];
    near(sound(&swept(&tube, &elbow, Carry::Follow, 0.0, 1.0).body, 0), PI * 4.0 * 5.0 * PI, 1e-4);
    let ring = [circle_arc(&frame_at(0.0), 10.0, 0.0, TAU).unwrap()];
    near(sound(&swept(&tube, &ring, Carry::Follow, 0.0, 1.0).body, 1), PI * 4.0 * 20.0 * PI, 1e-4);
    // A wire along a helix: square sections keep their area too, since the way of the middle counts.
    let size = Winding { start_radius: 12.0, end_radius: 12.0, height: 16.0, turns: 2.0 };
    let path = helix(&frame_at(0.0), size, &Tolerance::default()).unwrap();
    let wire = swept(&[SweepSection::Round(1.0)], std::slice::from_ref(&path.curve), Carry::Follow, 0.0, 1.0);
    assert!(wire.converged, "{}", wire.max_deviation);
    near(sound(&wire.body, 0), PI * path.curve.length(), 1e-4);
    // A cone as a round sweep that shrinks: a frustum.
    near(
        sound(&swept(&tube, &line, Carry::Follow, 0.0, 0.5).body, 0),
        PI * 15.0 / 3.0 * (4.0 + 2.0 + 1.0),
        1e-6,
    );
}

#[test]
fn the_ways_of_carrying_a_section_differ_as_their_names_say() {
    let elbow =
        [circle_arc(&Frame::new(Point3::origin(), Vector3::x(), Vector3::z()).unwrap(), 20.0, 0.0, PI / 2.0)
            .unwrap()];
    let section = [SweepSection::Drawn(
        square(1.0, 0.0).iter().map(|c| c.mapped(|p| Point3::new(20.0 + p.x, p.y, 0.0))).collect(),
    )];
    // Kept: every section stays level, so that the volume is its area times the height gained.
    near(sound(&swept(&section, &elbow, Carry::KeepDirection, 0.0, 1.0).body, 0), 4.0 * 20.0, 1e-6);
    // Along the path: area times the way of the middle.
    for carry in [Carry::Follow, Carry::AlongDirection(Vector3::y())] {
        near(sound(&swept(&section, &elbow, carry, 0.0, 1.0).body, 0), 4.0 * 10.0 * PI, 1e-4);
    }
    // A twist by a quarter turn keeps the volume, and turns the last section.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 30.0))];
    let bar = [SweepSection::Drawn(polygon(&[
        [-3.0, -1.0, 0.0],
        [3.0, -1.0, 0.0],
        [3.0, 1.0, 0.0],
        [-3.0, 1.0, 0.0],
    ]))];
    let twisted = swept(&bar, &line, Carry::Follow, PI / 2.0, 1.0);
    assert!(twisted.converged);
    // Within the fit tolerance over all of its sides.
    near(sound(&twisted.body, 0), 12.0 * 30.0, 1e-3 * 16.0 * 30.0 / 360.0);
    let (low, high) = topology::bounds(twisted.body.shells()[0]).unwrap();
    assert!(high.y > 2.99 && low.y < -2.99, "{low} {high}");
}

/// A closed path that leaves every plane: its frame comes back turned, and the sweep has to make up for that.
fn crown() -> NurbsCurve {
    let at = |k: usize| {
        let a = TAU * k as f64 / 24.0;
        Point3::new(20.0 * a.cos(), 16.0 * a.sin(), 5.0 * (3.0 * a).sin() + 3.0 * a.cos())
    };
    let points: Vec<Point3> = (0..=24).map(|k| at(k % 24)).collect();
    geometry::interpolate_ring(&points, &geometry::chord_parameters(&points)).unwrap()
}

#[test]
fn a_closed_path_in_space_closes_without_a_jump() {
    let path = [crown()];
    let centre = path[0].start();
    let across = Frame::square_to(centre, path[0].tangent(0.0).unwrap()).unwrap();
    let bar: Vec<NurbsCurve> =
        square(1.0, 0.0).iter().map(|c| c.mapped(|p| across.to_space(p.x, 0.6 * p.y))).collect();
    for turns in [0.0, 2.0] {
        let made = swept(&[SweepSection::Drawn(bar.clone())], &path, Carry::Follow, turns * TAU, 1.0);
        assert!(made.converged, "{}", made.max_deviation);
        near(sound(&made.body, 1), 2.4 * path[0].length(), 1e-3);
    }
    let how = Sweep {
        carry: Carry::Follow,
        corners: PathCorners::Mitred,
        twist: Some(&|s| PI * s),
        scale: None,
        close: true,
        name: "side".into(),
    };
    let half = sweep(&[SweepSection::Drawn(bar)], &path, &how, &Tolerance::default());
    assert!(matches!(half, Err(SurfacingError::NotBack { distance, .. }) if distance > 1.0));
}

#[test]
fn a_twist_is_even_along_the_way_and_sections_are_met_where_they_stand() {
    // A path whose parameter runs fast at first: a quarter turn is reached at half of its length all the same.
    let path = NurbsCurve::try_new(
        geometry::KnotVector::bezier(2),
        &[Point3::origin(), Point3::new(0.0, 0.0, 8.0), Point3::new(0.0, 0.0, 10.0)],
        None,
    )
    .unwrap();
    let spoke = vec![NurbsCurve::line(Point3::origin(), Point3::new(3.0, 0.0, 0.0))];
    let made = swept(&[SweepSection::Drawn(spoke)], std::slice::from_ref(&path), Carry::Follow, PI, 1.0);
    let surface = &made.body.shells()[0].faces()[0].surface;
    let t = path.parameter_at_share(0.5);
    near(path.point(t).z, 5.0, 1e-9);
    assert!(
        closest_on_surface(surface, &Point3::new(0.0, 3.0, 5.0))
            .distance
            .min(closest_on_surface(surface, &Point3::new(0.0, -3.0, 5.0)).distance)
            < 1e-3
    );
    // Two sections along a line, the second begun elsewhere and run the other way: both lie on the surface.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 30.0))];
    let second: Vec<NurbsCurve> = vec![circle_arc(&frame_at(30.0), 2.0, 2.0, TAU).unwrap().reversed()];
    let sections = [SweepSection::Drawn(circle(4.0, 0.0)), SweepSection::Drawn(second.clone())];
    let made = swept(&sections, &line, Carry::Follow, 0.0, 1.0);
    // Without a twist between them the radius passes through all values between, and no smaller one.
    let surface = &made.body.shells()[0].faces()[0].surface;
    let (u, v) = surface.domain();
    for k in 0..=20 {
        for j in 0..=20 {
            let p = surface.point(u.at(f64::from(k) / 20.0), v.at(f64::from(j) / 20.0));
            assert!(p.coords.xy().norm() > 2.0 - 1e-2 && p.coords.xy().norm() < 4.0 + 1e-2, "{p}");
        }
    }
    for k in 0..12 {
        let p = second[0].point(second[0].domain().at(f64::from(k) / 12.0));
        assert!(closest_on_surface(surface, &p).distance < 2e-3);
    }
}

#[test]
fn sweeps_that_would_fold_or_jump_are_refused_with_the_place() {
    let how = |carry| Sweep {
        carry,
        corners: PathCorners::Mitred,
        twist: None,
        scale: None,
        close: true,
        name: "side".into(),
    };
    let tight = [circle_arc(&frame_at(0.0), 3.0, 0.0, PI).unwrap()];
    let err =
        sweep(&[SweepSection::Round(4.0)], &tight, &how(Carry::Follow), &Tolerance::default()).unwrap_err();
    assert!(matches!(err, SurfacingError::TooTight { radius, .. } if (radius - 3.0).abs() < 1e-6), "{err}");
    assert!(err.place().is_some());
    let straight = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0]])[..1].to_vec();
    let along = sweep(
        &[SweepSection::Round(1.0)],
        &straight,
        &how(Carry::AlongDirection(Vector3::x())),
        &Tolerance::default(),
    );
    assert!(matches!(along, Err(SurfacingError::NoWay { .. })));
}

#[test]
fn tubes_have_the_volumes_of_the_handbooks() {
    // LS-08: a circle on a circle is a torus; PP-08: a pipe along a helix.
    let ring = [circle_arc(&frame_at(0.0), 3.0, 0.0, TAU).unwrap()];
    near(
        sound(&swept(&[SweepSection::Round(0.5)], &ring, Carry::Follow, 0.0, 1.0).body, 1),
        14.804_406_601_634_04,
        2e-4,
    );
    let size = Winding { start_radius: 3.0, end_radius: 3.0, height: TAU, turns: 2.0 };
    let size = Winding { height: 2.0 * size.height, ..size };
    let path = helix(&frame_at(0.0), size, &Tolerance::default()).unwrap().curve;
    let pipe = swept(&[SweepSection::Round(0.5)], std::slice::from_ref(&path), Carry::Follow, 0.0, 1.0);
    near(sound(&pipe.body, 0), 31.210_429_512_264_4, 1e-3);
    // LS-05: twist keeps the volume, and gives the sides this area; scale from 1 to 1/2 leaves 7/12 of it.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 10.0))];
    let bar = [SweepSection::Drawn(square(1.0, 0.0))];
    let twisted = swept(&bar, &line, Carry::Follow, PI / 2.0, 1.0);
    // Within the fit tolerance all over its sides.
    near(sound(&twisted.body, 0), 40.0, 1e-3);
    near(twisted.body.measure().area, 80.327_779_802_616_05 + 8.0, 1e-3);
    near(sound(&swept(&bar, &line, Carry::Follow, 0.0, 0.5).body, 0), 70.0 / 3.0, 1e-9);
}

#[test]
fn a_line_twisted_along_its_axis_is_a_helicoid() {
    // RU-02: radius 2, one turn, pitch 2 pi.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, TAU))];
    let spoke = vec![NurbsCurve::line(Point3::origin(), Point3::new(2.0, 0.0, 0.0))];
    let made = swept(&[SweepSection::Drawn(spoke)], &line, Carry::Follow, TAU, 1.0);
    near(made.body.measure().area, 18.584_944_065_364_81, 1e-3);
    let surface = &made.body.shells()[0].faces()[0].surface;
    for k in 0..=40 {
        for r in [0.5, 1.0, 2.0] {
            let a = TAU * f64::from(k) / 40.0;
            let on = Point3::new(r * a.cos(), r * a.sin(), a);
            let off = closest_on_surface(surface, &on).distance;
            assert!(off < 1e-3, "{off} at {on}");
        }
    }
}

#[test]
fn corners_of_a_path_are_mitred() {
    // LS-07: V = A times the path's length, for a section with its middle on the path.
    let path = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 10.0, 0.0]])[..2].to_vec();
    let upright = |x: f64| polygon(&[[x, -1.0, -1.0], [x, 1.0, -1.0], [x, 1.0, 1.0], [x, -1.0, 1.0]]);
    let made = swept(&[SweepSection::Drawn(upright(0.0))], &path, Carry::Follow, 0.0, 1.0);
    near(sound(&made.body, 0), 80.0, 1e-9);
    // A round bar round a corner that leaves the plane, and a whole frame that closes with four mitres.
    let bent =
        polygon(&[[0.0, 0.0, 0.0], [20.0, 0.0, 0.0], [20.0, 20.0, 0.0], [20.0, 30.0, 15.0]])[..3].to_vec();
    let length: f64 = bent.iter().map(NurbsCurve::length).sum();
    let made = swept(&[SweepSection::Round(2.0)], &bent, Carry::Follow, 0.0, 1.0);
    near(sound(&made.body, 0), PI * 4.0 * length, 1e-6);
    let frame = square(15.0, 0.0);
    let section = vec![
        NurbsCurve::line(Point3::new(0.0, -16.0, -1.0), Point3::new(0.0, -14.0, -1.0)),
        NurbsCurve::line(Point3::new(0.0, -14.0, -1.0), Point3::new(0.0, -14.0, 1.0)),
        NurbsCurve::line(Point3::new(0.0, -14.0, 1.0), Point3::new(0.0, -16.0, 1.0)),
        NurbsCurve::line(Point3::new(0.0, -16.0, 1.0), Point3::new(0.0, -16.0, -1.0)),
    ];
    let made = swept(&[SweepSection::Drawn(section)], &frame, Carry::Follow, 0.0, 1.0);
    near(sound(&made.body, 1), 4.0 * 120.0, 1e-9);
    // A leg with an arc in it, straight at its ends.
    let arc =
        circle_arc(&Frame { origin: Point3::new(10.0, 8.0, 0.0), ..frame_at(0.0) }, 8.0, -PI / 2.0, PI / 2.0)
            .unwrap();
    let mixed = vec![
        NurbsCurve::line(Point3::new(0.0, 0.0, 0.0), Point3::new(10.0, 0.0, 0.0)),
        arc,
        NurbsCurve::line(Point3::new(18.0, 8.0, 0.0), Point3::new(18.0, 20.0, 0.0)),
        NurbsCurve::line(Point3::new(18.0, 20.0, 0.0), Point3::new(30.0, 20.0, 0.0)),
    ];
    let made = swept(&[SweepSection::Round(1.5)], &mixed, Carry::Follow, 0.0, 1.0);
    assert!(made.max_deviation > 0.0 && made.converged, "{}", made.max_deviation);
    near(sound(&made.body, 0), PI * 2.25 * mixed.iter().map(NurbsCurve::length).sum::<f64>(), 1e-4);
}

#[test]
fn corners_of_a_path_are_rounded_where_that_is_asked_for() {
    let path = polygon(&[[0.0, 0.0, 0.0], [30.0, 0.0, 0.0], [30.0, 20.0, 0.0]])[..2].to_vec();
    let how = |radius| Sweep {
        carry: Carry::Follow,
        corners: PathCorners::Rounded(radius),
        twist: None,
        scale: None,
        close: true,
        name: "side".into(),
    };
    let made = sweep(&[SweepSection::Round(2.0)], &path, &how(8.0), &Tolerance::default()).unwrap();
    // Two legs of 22 and 12 and a quarter circle of radius 8 (Pappus).
    near(sound(&made.body, 0), PI * 4.0 * (22.0 + 12.0 + 4.0 * PI), 1e-4);
    let too_large = sweep(&[SweepSection::Round(2.0)], &path, &how(25.0), &Tolerance::default()).unwrap_err();
    assert!(too_large.to_string().contains("19.99"), "{too_large}");
}

#[test]
fn corners_that_cannot_be_mitred_say_what_would_help() {
    let path = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 10.0, 0.0]])[..2].to_vec();
    let try_it = |sections: &[SweepSection], path: &[NurbsCurve], twist: f64| {
        let how = Sweep {
            carry: Carry::Follow,
            corners: PathCorners::Mitred,
            twist: Some(&|s| twist * s),
            scale: None,
            close: true,
            name: "side".into(),
        };
        sweep(sections, path, &how, &Tolerance::default()).unwrap_err()
    };
    let twisted = try_it(&[SweepSection::Round(1.0)], &path, 1.0);
    assert!(matches!(twisted, SurfacingError::CornerTurns { .. }), "{twisted}");
    let wide = try_it(&[SweepSection::Round(12.0)], &path, 0.0);
    assert!(matches!(wide, SurfacingError::CornerShort { .. }), "{wide}");
    let arc = circle_arc(
        &Frame { origin: Point3::new(0.0, 10.0, 0.0), ..frame_at(0.0) },
        10.0,
        -PI / 2.0,
        PI / 2.0,
    )
    .unwrap();
    let bent = [arc, NurbsCurve::line(Point3::new(10.0, 10.0, 0.0), Point3::new(20.0, 10.0, 0.0))];
    let refused = try_it(&[SweepSection::Round(1.0)], &bent, 0.0);
    assert!(matches!(refused, SurfacingError::CornerBent { .. }), "{refused}");
    let back = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [0.0, 0.01, 0.0]])[..2].to_vec();
    let refused = try_it(&[SweepSection::Round(1.0)], &back, 0.0);
    assert!(matches!(refused, SurfacingError::CornerBack { .. }), "{refused}");
    for e in [twisted, wide] {
        assert!(e.place().is_some());
    }
}

#[test]
fn sections_that_keep_their_direction_turn_corners_too() {
    let path = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 10.0], [30.0, 0.0, 15.0]])[..2].to_vec();
    let made = swept(&[SweepSection::Drawn(square(2.0, 0.0))], &path, Carry::KeepDirection, 0.0, 1.0);
    // Level sections all the way: area times the height gained (Cavalieri).
    near(sound(&made.body, 0), 16.0 * 15.0, 1e-6);
}

#[test]
fn a_straight_line_stands_at_its_angle_to_a_surface() {
    // On a plane, along a circle: flat it is a ring, upright a cylinder, at 45 degrees a cone.
    let plane = NurbsSurface::bilinear(
        Point3::new(-50.0, -50.0, 0.0),
        Point3::new(50.0, -50.0, 0.0),
        Point3::new(-50.0, 50.0, 0.0),
        Point3::new(50.0, 50.0, 0.0),
    );
    let path = [circle_arc(&frame_at(0.0), 10.0, 0.0, TAU).unwrap()];
    let made = |degrees: f64| {
        swept(&[SweepSection::Straight(4.0)], &path, Carry::AlongSurface(&plane), degrees.to_radians(), 1.0)
    };
    // The twist rises from 0 to its value by the share of the way; a constant is given by a law of its own.
    let constant = |degrees: f64| {
        let how = Sweep {
            carry: Carry::AlongSurface(&plane),
            corners: PathCorners::Mitred,
            twist: Some(&|_| degrees.to_radians()),
            scale: None,
            close: true,
            name: "side".into(),
        };
        sweep(&[SweepSection::Straight(4.0)], &path, &how, &Tolerance::default()).unwrap().body.measure().area
    };
    near(constant(90.0), TAU * 10.0 * 4.0, 1e-5);
    let flat = constant(0.0);
    let inwards = PI * (100.0 - 36.0);
    let outwards = PI * (196.0 - 100.0);
    assert!((flat - inwards).abs() < 1e-2 || (flat - outwards).abs() < 1e-2, "{flat}");
    let mean = if (flat - inwards).abs() < 1e-2 { 10.0 - 2.0_f64.sqrt() } else { 10.0 + 2.0_f64.sqrt() };
    near(constant(45.0), TAU * mean * 4.0, 1e-5);
    assert!(made(360.0).converged);
}

#[test]
fn sections_are_brought_to_the_path_by_their_own_plane() {
    // Drawn far away about a carry point of their own, they come to stand square to the path.
    let path = [circle_arc(&frame_at(0.0), 20.0, 0.0, PI / 2.0).unwrap()];
    let plane = Frame { origin: Point3::new(500.0, 500.0, 0.0), ..frame_at(0.0) };
    let far: Vec<NurbsCurve> =
        square(1.5, 0.0).iter().map(|c| c.mapped(|p| p + Vector3::new(500.0, 500.0, 0.0))).collect();
    let section = |at: f64| SweepSection::Brought { pieces: far.clone(), plane, at };
    let made = swept(&[section(0.0)], &path, Carry::Follow, 0.0, 1.0);
    near(sound(&made.body, 0), 9.0 * 10.0 * PI, 1e-4);
    // Carried by a corner instead, the middle of the section rides on another radius (Pappus).
    let corner = Frame { origin: Point3::new(498.5, 498.5, 0.0), ..frame_at(0.0) };
    let section = SweepSection::Brought { pieces: far.clone(), plane: corner, at: 0.0 };
    let made = swept(&[section], &path, Carry::Follow, 0.0, 1.0);
    let volume = sound(&made.body, 0);
    let by_radius = |r: f64| 9.0 * r * PI / 2.0;
    assert!([18.5, 21.5].iter().any(|r| (volume - by_radius(*r)).abs() < 1e-3 * volume), "{volume}");
    assert_eq!(closure(made.body.shells()[0]).free_edges.len(), 0);
}

#[test]
fn two_sections_at_one_place_are_refused() {
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 30.0))];
    let sections = [SweepSection::Drawn(circle(2.0, 5.0)), SweepSection::Drawn(circle(3.0, 5.0))];
    let refused = sweep(&sections, &line, &plain_sweep(), &Tolerance::default());
    assert!(matches!(refused, Err(SurfacingError::SamePlace { .. })));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// A round sweep along any smooth path has the volume that Pappus gives, or says where it is too tight.
    #[test]
    fn round_sweeps_keep_to_pappus(points in prop::collection::vec((-30.0..30.0f64, -30.0..30.0f64, -30.0..30.0f64), 2..6)) {
        let points: Vec<Point3> = points.iter().map(|p| Point3::new(p.0, p.1, p.2)).collect();
        let Ok(path) = through_points(&points, 1e-3) else { return Ok(()) };
        let how = Sweep { carry: Carry::Follow, corners: PathCorners::Mitred, twist: None, scale: None, close: true, name: "side".into() };
        match sweep(&[SweepSection::Round(0.5)], std::slice::from_ref(&path), &how, &Tolerance::default()) {
            Ok(made) => {
                prop_assert!(made.body.is_solid());
                let expected = PI * 0.25 * path.length();
                let volume = made.body.measure().volume;
                prop_assert!((volume - expected).abs() <= 1e-2 * expected, "{volume} {expected}");
            }
            Err(e) => prop_assert!(matches!(e, SurfacingError::TooTight { .. }), "{e}"),
        }
    }

    /// A bar along any polyline is a solid as long as its legs, or says which corner keeps it from being one.
    #[test]
    fn mitred_bars_keep_their_volume_or_are_refused(points in prop::collection::vec((-30.0..30.0f64, -30.0..30.0f64, -30.0..30.0f64), 3..6)) {
        let p: Vec<[f64; 3]> = points.iter().map(|p| [p.0, p.1, p.2]).collect();
        let path = polygon(&p)[..p.len() - 1].to_vec();
        let how = Sweep { carry: Carry::Follow, corners: PathCorners::Mitred, twist: None, scale: None, close: true, name: "side".into() };
        match sweep(&[SweepSection::Round(0.5)], &path, &how, &Tolerance::default()) {
            Ok(made) => {
                prop_assert!(made.body.is_solid());
                let expected = PI * 0.25 * path.iter().map(NurbsCurve::length).sum::<f64>();
                let volume = made.body.measure().volume;
                prop_assert!((volume - expected).abs() <= 1e-6 * expected, "{volume} {expected}");
            }
            Err(e) => prop_assert!(e.place().is_some(), "{e}"),
        }
    }
}
