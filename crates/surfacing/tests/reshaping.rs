//! Reshaping: what keeps the shape keeps it, what moves points moves just those, and ends that pinch are told.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use geometry::{EndsKept, Frame, KnotVector, NurbsSurface, Point3, Tolerance, Vector3};
use proptest::prelude::*;
use shapes::near;
use surfacing::{Along, Border, GatherAt, NetChange, NetPick, Reshape, Reshaped, SurfacingError, reshape};

/// A bicubic sheet of so many rows and columns, 10 mm from point to point, x along the rows; symmetrical in x.
fn sheet(rows: usize, columns: usize) -> NurbsSurface {
    let middle = (rows - 1) as f64 / 2.0;
    let mut points = Vec::new();
    for i in 0..rows {
        for j in 0..columns {
            let x = 10.0 * (i as f64 - middle);
            points.push(Point3::new(x, 10.0 * j as f64, 20.0 - 0.02 * x * x + (0.9 * j as f64).sin()));
        }
    }
    let knots = |n: usize| KnotVector::clamped_uniform(3, n).unwrap();
    NurbsSurface::try_new(knots(rows), knots(columns), &points, None).unwrap()
}

fn made(surface: &NurbsSurface, changes: &[NetChange]) -> Reshaped {
    reshape(surface, &Reshape { changes, frozen: &[], mirror: None }, &Tolerance::default()).unwrap()
}

fn size(surface: &NurbsSurface) -> [usize; 2] {
    [surface.knots_u().point_count(), surface.knots_v().point_count()]
}

/// Largest distance between two surfaces at equal shares of their domains.
fn apart(a: &NurbsSurface, b: &NurbsSurface) -> f64 {
    let at = |s: &NurbsSurface, i: usize, j: usize| {
        let (u, v) = s.domain();
        s.point(u.at(i as f64 / 17.0), v.at(j as f64 / 17.0))
    };
    (0..=17)
        .flat_map(|i| (0..=17).map(move |j| (i, j)))
        .map(|(i, j)| (at(a, i, j) - at(b, i, j)).norm())
        .fold(0.0, f64::max)
}

#[test]
fn rows_and_degrees_keep_the_shape() {
    // The NURBS Book, sections 5.3 and 5.5: knot insertion and degree elevation change nothing.
    let before = sheet(5, 6);
    for (change, after) in [
        (NetChange::Insert { along: Along::U, at: 0.3 }, [6, 6]),
        (NetChange::Evenly { along: Along::V, count: 3 }, [5, 9]),
        (NetChange::Evenly { along: Along::Both, count: 2 }, [7, 8]),
        (NetChange::Raise { along: Along::U, degree: 4 }, [7, 6]),
    ] {
        let made = made(&before, std::slice::from_ref(&change));
        assert_eq!(size(&made.surface), after, "{change:?}");
        assert!(apart(&before, &made.surface) <= 1e-11, "{change:?}");
    }
    // Recast to what it has already it comes back, and in one direction the other one keeps its knots.
    let recast = NetChange::Recast { along: Along::U, points: 9, degree: 3, kept: EndsKept::Tangents };
    let made = made(&before, &[recast]);
    assert_eq!(size(&made.surface), [9, 6]);
    assert_eq!(made.surface.knots_v(), before.knots_v());
    assert!(made.max_deviation.unwrap() < 0.05);
    assert!(apart(&before, &made.surface) <= made.max_deviation.unwrap() + 1e-9);
}

#[test]
fn moves_scales_turns_and_pulls_move_just_what_is_meant() {
    let before = sheet(5, 5);
    let net = |s: &NurbsSurface| s.control_points();
    let lift = Vector3::new(0.0, 0.0, 7.0);
    let moved =
        made(&before, &[NetChange::Move { picks: vec![NetPick::Row(2), NetPick::Point(0, 0)], by: lift }]);
    for (k, (a, b)) in net(&before).iter().zip(net(&moved.surface)).enumerate() {
        let meant = k / 5 == 2 || k == 0;
        near((b - a).norm() + 1.0, if meant { 8.0 } else { 1.0 }, 1e-12);
    }
    near(moved.largest_move, 7.0, 1e-12);
    // Flattened in z about its middle; turned by a quarter about x, a row along y stands upright.
    let flat = NetChange::Scale { picks: vec![NetPick::Row(0)], factors: Vector3::new(1.0, 1.0, 0.0) };
    let row = |s: &NurbsSurface, i: usize| net(s)[i * 5..(i + 1) * 5].to_vec();
    let flattened = row(&made(&before, &[flat]).surface, 0);
    assert!(flattened.iter().all(|p| (p.z - flattened[0].z).abs() < 1e-12));
    let quarter = NetChange::Turn {
        picks: vec![NetPick::Row(0)],
        axis: Vector3::x(),
        angle: std::f64::consts::FRAC_PI_2,
    };
    let upright = row(&made(&before, &[quarter]).surface, 0);
    near((upright[4].z - upright[0].z).abs(), 40.0, 1e-9);
    // A pulled border goes all the way, the rows behind follow less and less, what is behind them stays.
    let pull = NetChange::Pull { border: Border::LastRow, by: lift, turn: (Vector3::z(), 0.0), follow: 3 };
    let pulled = made(&before, &[pull]).surface;
    let lifts: Vec<f64> = (0..5).map(|i| row(&pulled, i)[1].z - row(&before, i)[1].z).collect();
    near(lifts[4], 7.0, 1e-12);
    assert!(lifts[4] > lifts[3] && lifts[3] > lifts[2] && lifts[2] > lifts[1], "{lifts:?}");
    assert!(lifts[1] > 0.0 && lifts[0] == 0.0, "{lifts:?}");
}

#[test]
fn frozen_points_stay_and_a_mirror_moves_both_sides() {
    let before = sheet(5, 4);
    let lift = Vector3::new(1.0, 2.0, 3.0);
    let changes = [NetChange::Move { picks: vec![NetPick::Row(0)], by: lift }];
    let tolerance = Tolerance::default();
    let mirror = Frame::new(Point3::origin(), Vector3::y(), Vector3::z());
    let how = Reshape { changes: &changes, frozen: &[NetPick::Point(0, 1)], mirror };
    let made = reshape(&before, &how, &tolerance).unwrap();
    assert_eq!(made.stayed, 1);
    let (old, new) = (before.control_points(), made.surface.control_points());
    assert_eq!(old[1], new[1]);
    for j in [0, 2, 3] {
        let (a, b) = (new[j], new[16 + j]);
        assert!((a - old[j] - lift).norm() < 1e-12);
        assert!((b - Point3::new(-a.x, a.y, a.z)).norm() < 1e-12, "{a} {b}");
    }
    // A row that is put in on one side comes on the other one too; a column runs across and comes once.
    let put_in = |along, at| {
        let changes = [NetChange::Insert { along, at }, changes[0].clone()];
        let how = Reshape { changes: &changes, frozen: &[], mirror };
        size(&reshape(&before, &how, &tolerance).unwrap().surface)
    };
    assert_eq!(put_in(Along::U, 0.2), [7, 4]);
    assert_eq!(put_in(Along::U, 0.5), [6, 4]);
    assert_eq!(put_in(Along::V, 0.2), [5, 5]);
    // A plane that is none of symmetry is refused, with the point that is off most.
    let aside = Frame::new(Point3::new(3.0, 0.0, 0.0), Vector3::y(), Vector3::z());
    let refused = reshape(&before, &Reshape { mirror: aside, ..how }, &tolerance).unwrap_err();
    let SurfacingError::NotSymmetric { distance, .. } = refused else { panic!("{refused}") };
    near(distance, 6.0, 1e-9);
}

#[test]
fn a_gathered_end_that_would_pinch_is_told_and_one_on_a_plane_is_not() {
    let before = sheet(5, 5);
    let gather = NetChange::Gather { picks: vec![NetPick::Column(4)], at: GatherAt::Midway([0, 4], [4, 4]) };
    let made_tip = made(&before, std::slice::from_ref(&gather));
    let tip = made_tip.surface.control_points()[4];
    assert!((tip - Point3::new(0.0, 40.0, 12.0 + 3.6_f64.sin())).norm() < 1e-12, "{tip}");
    let [pinch] = made_tip.pinches[..] else { panic!("{:?}", made_tip.pinches) };
    assert_eq!(pinch.border, Border::LastColumn);
    assert!(pinch.off > 1.0);
    let flat = NetChange::Gather { picks: vec![NetPick::Column(3), NetPick::Column(4)], at: GatherAt::Plane };
    let level = made(&before, &[gather.clone(), flat]);
    assert!(level.pinches.is_empty(), "{:?}", level.pinches);
    // The end is one point still, and the surface has one tangent plane there, as a rounded end has.
    let normals: Vec<Vector3> =
        (0..=8).map(|k| level.surface.normal(f64::from(k) / 4.0, 2.0).unwrap()).collect();
    assert!(normals.iter().all(|n| n.cross(&normals[0]).norm() < 1e-6), "{normals:?}");
    let line = made(&before, &[NetChange::Gather { picks: vec![NetPick::Row(2)], at: GatherAt::Line }]);
    let points = &line.surface.control_points()[10..15];
    let along = (points[4] - points[0]).normalize();
    assert!(points.iter().all(|p| (p - points[0]).cross(&along).norm() < 1e-9));
}

#[test]
fn closed_surfaces_stay_closed_and_wrong_picks_are_refused() {
    // A square tube, its first and last row being one.
    let corners = [[1.0, 0.0], [0.0, 1.0], [-1.0, 0.0], [0.0, -1.0], [1.0, 0.0]];
    let points: Vec<Point3> =
        corners.iter().flat_map(|c| [0.0, 10.0].map(|z| Point3::new(5.0 * c[0], 5.0 * c[1], z))).collect();
    let tube = NurbsSurface::try_new(
        KnotVector::clamped_uniform(1, 5).unwrap(),
        KnotVector::bezier(1),
        &points,
        None,
    )
    .unwrap();
    let by = Vector3::new(1.0, 2.0, 0.5);
    let pulled = made(&tube, &[NetChange::Move { picks: vec![NetPick::Point(4, 0)], by }]).surface;
    assert_eq!(pulled.closes(1e-9), [true, false]);
    assert_eq!(pulled.control_points()[0], points[0] + by);
    let how = |changes| Reshape { changes, frozen: &[], mirror: None };
    let beyond = [NetChange::Move { picks: vec![NetPick::Row(7)], by }];
    let refused = reshape(&tube, &how(&beyond), &Tolerance::default()).unwrap_err();
    assert!(matches!(refused, SurfacingError::NoSuchPoint { change: 1, rows: 5, columns: 2 }), "{refused}");
    let many = [NetChange::Evenly { along: Along::U, count: 5000 }];
    assert!(matches!(
        reshape(&tube, &how(&many), &Tolerance::default()),
        Err(SurfacingError::TooManyPoints { .. })
    ));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever rows are put in and degrees raised, in any order, the shape stays.
    #[test]
    fn the_shape_survives_any_rows_and_degrees(
        steps in prop::collection::vec((0usize..3, any::<bool>(), 0.01..0.99f64, 1usize..4), 1..6),
    ) {
        let before = sheet(5, 4);
        let changes: Vec<NetChange> = steps.into_iter().map(|(kind, is_u, at, count)| {
            let along = if is_u { Along::U } else { Along::V };
            match kind {
                0 => NetChange::Insert { along, at },
                1 => NetChange::Evenly { along, count },
                _ => NetChange::Raise { along, degree: 3 + count },
            }
        }).collect();
        let made = made(&before, &changes);
        prop_assert!(apart(&before, &made.surface) <= 1e-9);
    }
}
