//! Networks of curves: Gordon's identities, known surfaces, and curves that do not fit.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::PI;
use std::sync::Arc;

use geometry::{
    KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_on_surface, through_points,
};
use proptest::prelude::*;
use shapes::{SCALES, edge_on, landscape, mapped, near};
use surfacing::{Agrees, Network, NetworkCurve, PatchEdge, SurfacingError, Weave, network};

fn surface_of(made: &Network) -> Arc<NurbsSurface> {
    Arc::clone(&made.body.shells()[0].faces()[0].surface)
}

fn plain(family: &[Vec<NurbsCurve>]) -> Vec<NetworkCurve> {
    let edges = |(k, pieces): (usize, &Vec<NurbsCurve>)| {
        pieces.iter().map(|c| PatchEdge::plain(c.clone(), k + 1)).collect()
    };
    family.iter().enumerate().map(edges).collect()
}

fn woven(
    first: &[Vec<NurbsCurve>],
    second: &[Vec<NurbsCurve>],
    (reach, to_ends): (f64, bool),
    tolerance: &Tolerance,
) -> Result<Network, SurfacingError> {
    network(&plain(first), &plain(second), &Weave { reach, to_ends, name: "side" }, tolerance)
}

fn made(
    first: &[Vec<NurbsCurve>],
    second: &[Vec<NurbsCurve>],
    tolerance: &Tolerance,
) -> Result<Network, SurfacingError> {
    woven(first, second, (tolerance.join, false), tolerance)
}

/// Parameter curves of a polynomial surface z = f(x, y) of low degree over the unit square, as exact Bézier curves.
fn lines(f: impl Fn(f64, f64) -> f64, places: &[f64], scale: f64) -> [Vec<Vec<NurbsCurve>>; 2] {
    let bezier = |at: &dyn Fn(f64) -> Point3| {
        // A quadratic through its ends and its middle.
        let (a, m, b) = (at(0.0), at(0.5), at(1.0));
        let c = Point3::from((m.coords * 4.0 - a.coords - b.coords) * 0.5);
        vec![NurbsCurve::try_new(KnotVector::bezier(2), &[a, c, b].map(|p| p * scale), None).unwrap()]
    };
    let along_x = places.iter().map(|&y| bezier(&|x| Point3::new(x, y, f(x, y)))).collect();
    let along_y = places.iter().map(|&x| bezier(&|y| Point3::new(x, y, f(x, y)))).collect();
    [along_x, along_y]
}

#[test]
fn a_network_of_a_known_surface_is_that_surface() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        // TF-06: Gordon's identity for z = xy and for a biquadratic, from three curves each way.
        for f in [(|x: f64, y: f64| x * y) as fn(f64, f64) -> f64, |x, y| {
            0.4 * x * x * y * y - 0.3 * x * y * y + 0.2 * x * x
        }] {
            let [first, second] = lines(f, &[0.0, 0.5, 1.0], scale);
            let made = made(&first, &second, &tolerance).unwrap();
            assert!(made.largest_gap <= 1e-9 * scale, "{}", made.largest_gap);
            let surface = surface_of(&made);
            for i in 0..=10 {
                for j in 0..=10 {
                    let (x, y) = (f64::from(i) / 10.0, f64::from(j) / 10.0);
                    let off = closest_on_surface(&surface, &(Point3::new(x, y, f(x, y)) * scale)).distance;
                    assert!(off <= 1e-3 * scale, "{off} at {x}, {y}");
                }
            }
        }
        // RU-01: the area of z = xy over the unit square.
        let [first, second] = lines(|x, y| x * y, &[0.0, 1.0], scale);
        near(surface_of_area(&first, &second, &tolerance), 1.280_789_275_273_404 * scale * scale, 1e-6);
    }
}

fn surface_of_area(first: &[Vec<NurbsCurve>], second: &[Vec<NurbsCurve>], tolerance: &Tolerance) -> f64 {
    made(first, second, tolerance).unwrap().body.measure().area
}

/// A pod-like grid: sections across and lines along, spaced unevenly.
fn pod(rows: usize, columns: usize) -> [Vec<Vec<NurbsCurve>>; 2] {
    let at = |s: f64, t: f64| {
        let a = PI * (0.1 + 0.8 * t + 0.05 * (3.0 * t).sin() * s);
        let r = 20.0 + 6.0 * (2.5 * s).sin();
        Point3::new(r * a.cos(), 80.0 * s + 2.0 * t, r * a.sin())
    };
    let share = |k: usize, n: usize| (k as f64 / (n - 1) as f64).powf(1.2);
    let curve = |f: &dyn Fn(f64) -> Point3, through: &[f64]| {
        // Through every crossing and places between, so that the families really meet.
        let mut places: Vec<f64> = through.to_vec();
        places.extend(through.windows(2).map(|w| 0.5 * (w[0] + w[1])));
        places.sort_by(f64::total_cmp);
        vec![through_points(&places.iter().map(|&s| f(s)).collect::<Vec<_>>(), 1e-6).unwrap()]
    };
    let (ss, ts): (Vec<f64>, Vec<f64>) =
        ((0..rows).map(|k| share(k, rows)).collect(), (0..columns).map(|k| share(k, columns)).collect());
    let across = ss.iter().map(|&s| curve(&|t| at(s, t), &ts)).collect();
    let along = ts.iter().map(|&t| curve(&|s| at(s, t), &ss)).collect();
    [across, along]
}

#[test]
fn every_curve_lies_on_the_surface_whatever_their_order_and_directions() {
    let tolerance = Tolerance::default();
    let [mut across, mut along] = pod(6, 5);
    let made_tidy = made(&across, &along, &tolerance).unwrap();
    across.swap(1, 4);
    along.rotate_left(2);
    across[2] = across[2].iter().map(NurbsCurve::reversed).collect();
    along[3] = along[3].iter().map(NurbsCurve::reversed).collect();
    let made = made(&across, &along, &tolerance).unwrap();
    assert!(made.max_deviation <= tolerance.fit, "{}", made.max_deviation);
    near(made.body.measure().area, made_tidy.body.measure().area, 1e-6);
    let surface = surface_of(&made);
    for curve in across.iter().chain(&along).flatten() {
        for k in 0..=40 {
            let p = curve.point(curve.domain().at(f64::from(k) / 40.0));
            let off = closest_on_surface(&surface, &p).distance;
            assert!(off <= 2.0 * tolerance.fit, "{off} at {p}");
        }
    }
}

#[test]
fn curves_that_miss_are_named_and_small_misses_are_met_midway() {
    let tolerance = Tolerance::default();
    let [across, mut along] = pod(4, 4);
    along[2] = mapped(along[2].clone(), |p| p + Vector3::z() * 0.2);
    let refused = made(&across, &along, &tolerance).unwrap_err();
    let SurfacingError::NetworkMisses { second: 3, distance, .. } = refused else { panic!("{refused}") };
    assert!((0.05..=0.201).contains(&distance), "{distance}");
    let wide = woven(&across, &along, (0.5, false), &tolerance).unwrap();
    assert!((0.05..=0.201).contains(&wide.largest_gap));
    assert!(wide.max_deviation <= 0.6 * wide.largest_gap + tolerance.fit, "{}", wide.max_deviation);
    let [across, mut along] = pod(4, 4);
    // One that runs across the others' order: it begins at the last and ends at the first of them, crossing in between.
    along[1] = vec![NurbsCurve::line(across[0][0].start(), across[3][0].end())];
    assert!(matches!(made(&across, &along, &tolerance), Err(SurfacingError::NetworkMisses { .. })));
    let one = &across[..1];
    assert!(matches!(
        made(one, &along, &tolerance),
        Err(SurfacingError::TooFewSections { given: 1, needed: 2 })
    ));
}

/// Four curves from their control points, Bézier by Bézier, as a network of two by two.
fn four(curves: [&[[f64; 3]]; 4]) -> Network {
    let bezier = |points: &[[f64; 3]]| {
        let points: Vec<Point3> = points.iter().map(|p| Point3::from(*p)).collect();
        vec![NurbsCurve::try_new(KnotVector::bezier(points.len() - 1), &points, None).unwrap()]
    };
    let [a, b, c, d] = curves.map(bezier);
    made(&[a, b], &[c, d], &Tolerance::default()).unwrap()
}

#[test]
fn two_by_two_curves_make_the_patch_of_coons() {
    // TF-01: c0 = (u, 0, u - u^2), c1 = (u, 1, u^2), d0 = (0, v, v - v^2), d1 = (1, v, v^3).
    let t = 1.0 / 3.0;
    let made = four([
        &[[0.0, 0.0, 0.0], [0.5, 0.0, 0.5], [1.0, 0.0, 0.0]],
        &[[0.0, 1.0, 0.0], [0.5, 1.0, 0.0], [1.0, 1.0, 1.0]],
        &[[0.0, 0.0, 0.0], [0.0, 0.5, 0.5], [0.0, 1.0, 0.0]],
        &[[1.0, 0.0, 0.0], [1.0, t, 0.0], [1.0, 2.0 * t, 0.0], [1.0, 1.0, 1.0]],
    ]);
    let surface = surface_of(&made);
    for (u, v, z) in [(0.5, 0.5, 0.1875), (0.25, 0.75, 0.152_343_75)] {
        assert!((surface.point(u, v) - Point3::new(u, v, z)).norm() <= 1e-12, "{}", surface.point(u, v));
    }
    // TF-02: what it makes of the borders of x^2 + y^2, x^2 y, x^2 y^2 at the middle.
    for (k, middle) in [0.5, 0.125, 0.0].into_iter().enumerate() {
        let f = |x: f64, y: f64| match k {
            0 => x * x + y * y,
            1 => x * x * y,
            _ => x * x * y * y,
        };
        let curve = |at: &dyn Fn(f64) -> [f64; 3]| {
            let [a, m, b] = [0.0, 0.5, 1.0].map(at);
            [a, [0, 1, 2].map(|i| 2.0 * m[i] - 0.5 * (a[i] + b[i])), b]
        };
        let [a, b] = [0.0, 1.0].map(|y| curve(&|x| [x, y, f(x, y)]));
        let [c, d] = [0.0, 1.0].map(|x| curve(&|y| [x, y, f(x, y)]));
        let z = surface_of(&four([&a, &b, &c, &d])).point(0.5, 0.5).z;
        assert!((z - middle).abs() <= 1e-12, "{z} for {middle}");
    }
    // TF-03: two pairs of curves that are each other's translates give the surface that translates one along the other.
    let a = |w: f64, z: f64| [[0.0, w, z], [0.5, w, z], [1.0, 1.0 + w, z]];
    let b = |x: f64, y: f64| [[x, y, 0.0], [x, y + t, 0.0], [x, y + 2.0 * t, 0.0], [x, y + 1.0, 1.0]];
    let made = four([&a(0.0, 0.0), &a(1.0, 1.0), &b(0.0, 0.0), &b(1.0, 1.0)]);
    let p = surface_of(&made).point(1.0 / 3.0, 0.4);
    let known = Point3::new(0.333_333_333_333_333_3, 0.511_111_111_111_111_1, 0.064);
    assert!((p - known).norm() <= 1e-12, "{p}");
}

#[test]
fn sides_take_over_the_faces_beside_them() {
    // A hole with four sides in a freeform surface, filled by nothing but its edges, then with curves inside too.
    let around = landscape();
    let tolerance = Tolerance::default();
    let edge = |a: [f64; 2], b: [f64; 2], agrees: Agrees, left: bool| {
        let edge = edge_on(&around, [a, b], agrees, left, 1);
        let beside = edge.beside.filter(|_| agrees != Agrees::Position);
        vec![PatchEdge { beside, ..edge }]
    };
    let how = Weave { reach: tolerance.join, to_ends: false, name: "side" };
    for agrees in [Agrees::Tangent, Agrees::Curvature] {
        for lines in [&[-20.0, 20.0][..], &[-20.0, -5.0, 10.0, 20.0]] {
            let family = |turned: bool| -> Vec<NetworkCurve> {
                let outer = |y: f64| y.abs() >= 20.0;
                let one = |&y: &f64| {
                    let (a, b) = if turned { ([y, -20.0], [y, 20.0]) } else { ([-20.0, y], [20.0, y]) };
                    edge(a, b, if outer(y) { agrees } else { Agrees::Position }, (y < 0.0) == turned)
                };
                lines.iter().map(one).collect()
            };
            let made = network(&family(false), &family(true), &how, &tolerance).unwrap();
            assert!(made.max_deviation <= tolerance.fit, "{}", made.max_deviation);
            assert_eq!(made.sides.each_ref().map(Vec::len), [2, 2]);
            for side in made.sides.iter().flatten() {
                let meets = side.meets.unwrap();
                assert!(side.gap <= tolerance.fit, "{}", side.gap);
                assert!(meets.angle.0.to_degrees() <= 0.1, "{agrees:?} {lines:?} {:?}", meets.angle);
                assert!(agrees == Agrees::Tangent || meets.curvature_share <= 0.02, "{lines:?} {meets:?}");
            }
            let off = closest_on_surface(&surface_of(&made), &around.point(1.0, 2.0)).distance;
            assert!(off <= 0.3, "{off}");
        }
    }
    // A curve inside has no side.
    let mut first: Vec<NetworkCurve> = Vec::new();
    for y in [-20.0, 0.0, 20.0] {
        first.push(edge([-20.0, y], [20.0, y], Agrees::Tangent, true));
    }
    let second = [-20.0, 20.0].map(|x| edge([x, -20.0], [x, 20.0], Agrees::Position, true));
    let refused = network(&first, &second, &how, &tolerance).unwrap_err();
    assert!(matches!(refused, SurfacingError::NetworkInside { family: 1, .. }), "{refused}");
}

#[test]
fn without_outer_curves_it_can_go_on_to_the_ends() {
    // RU-01 again, from inner lines of z = xy alone; up to the outermost of them it has the area of that part.
    let tolerance = Tolerance::default();
    let line = |a: [f64; 2], b: [f64; 2]| {
        vec![NurbsCurve::line(Point3::new(a[0], a[1], a[0] * a[1]), Point3::new(b[0], b[1], b[0] * b[1]))]
    };
    let places = [0.2, 0.45, 0.8];
    let first: Vec<_> = places.iter().map(|&y| line([0.0, y], [1.0, y])).collect();
    let second: Vec<_> = places.iter().map(|&x| line([x, 0.0], [x, 1.0])).collect();
    let area =
        |to_ends: bool| woven(&first, &second, (1e-6, to_ends), &tolerance).unwrap().body.measure().area;
    near(area(true), 1.280_789_275_273_404, 1e-3);
    assert!(area(false) < 0.6 * 0.6 * 1.5);
}

#[test]
fn curves_that_cross_twice_are_refused() {
    let bow = through_points(&[[0.0, -1.0, 0.0], [5.0, 3.0, 0.0], [10.0, -1.0, 0.0]].map(Point3::from), 1e-6);
    let line = |a: [f64; 3], b: [f64; 3]| vec![NurbsCurve::line(Point3::from(a), Point3::from(b))];
    let first = [line([0.0, 0.0, 0.0], [10.0, 0.0, 0.0]), line([0.0, 8.0, 0.0], [10.0, 8.0, 0.0])];
    let second = [vec![bow.unwrap()], line([5.0, -1.0, 0.0], [5.0, 9.0, 0.0])];
    let refused = made(&first, &second, &Tolerance::default()).unwrap_err();
    let SurfacingError::NetworkTwice { first: 1, second: 1, at, also } = refused else { panic!("{refused}") };
    assert!((at[0] - 10.0 + also[0]).abs() < 0.1, "{at:?} {also:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Curves drawn on any smooth height field give back a surface through all of them.
    #[test]
    fn a_grid_on_a_height_field_is_passed_through(
        heights in prop::collection::vec(-4.0..4.0f64, 16),
        rows in 2usize..6,
        columns in 2usize..6,
    ) {
        let points: Vec<Point3> = heights.iter().enumerate().map(|(k, &z)| Point3::new(10.0 * (k / 4) as f64, 10.0 * (k % 4) as f64, z)).collect();
        let field = NurbsSurface::try_new(KnotVector::bezier(3), KnotVector::bezier(3), &points, None).unwrap();
        let share = |k: usize, n: usize| k as f64 / (n - 1) as f64;
        let first: Vec<Vec<NurbsCurve>> = (0..rows).map(|k| vec![field.curve_at_u(share(k, rows))]).collect();
        let second: Vec<Vec<NurbsCurve>> = (0..columns).map(|k| vec![field.curve_at_v(share(k, columns))]).collect();
        let tolerance = Tolerance::default();
        let made = made(&first, &second, &tolerance).unwrap();
        prop_assert!(made.max_deviation <= tolerance.fit, "{}", made.max_deviation);
        let surface = surface_of(&made);
        for curve in first.iter().chain(&second).flatten() {
            for k in 0..=10 {
                let p = curve.point(f64::from(k) / 10.0);
                prop_assert!(closest_on_surface(&surface, &p).distance <= 2.0 * tolerance.fit);
            }
        }
    }
}

#[test]
fn curves_that_end_in_one_point_make_a_pole() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let on_sphere = |longitude: f64, latitude: f64| {
            let (a, b) = (longitude.to_radians(), latitude.to_radians());
            Point3::new(a.cos() * b.cos(), a.sin() * b.cos(), b.sin()) * (20.0 * scale)
        };
        let through = |at: &dyn Fn(f64) -> Point3| {
            let points: Vec<Point3> = (0..=24).map(|k| at(f64::from(k) * 3.75)).collect();
            vec![through_points(&points, 1e-12).unwrap()]
        };
        // Meridians of an eighth of a sphere, which all end at its pole, and parallels.
        let first: Vec<Vec<NurbsCurve>> =
            [0.0, 30.0, 60.0, 90.0].map(|a| through(&|t| on_sphere(a, t))).to_vec();
        let second: Vec<Vec<NurbsCurve>> =
            [0.0, 25.0, 50.0, 70.0].map(|b| through(&|t| on_sphere(t, b))).to_vec();
        let made = woven(&first, &second, (tolerance.join, true), &tolerance).unwrap();
        let surface = surface_of(&made);
        for i in 0..=20 {
            for j in 0..=20 {
                let p = surface.point(f64::from(i) / 20.0, f64::from(j) / 20.0);
                assert!((p.coords.norm() / (20.0 * scale) - 1.0).abs() < 5e-3, "{i} {j} {}", p.coords.norm());
            }
        }
        near(made.body.measure().area, PI * 400.0 / 2.0 * scale * scale, 5e-3);
        let shells = made.body.shells();
        assert_eq!(topology::free_edges(shells[0]).len(), 3);
    }
}
