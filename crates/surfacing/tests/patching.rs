//! Patches: known surfaces that they come near to, edges that they lie on, and boundaries that nothing fits.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{FRAC_PI_2, PI, TAU};
use std::sync::Arc;

use geometry::{
    Axis, Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, closest_on_surface,
    through_points,
};
use proptest::prelude::*;
use shapes::{SCALES, frame_at, hole, landscape, near, polygon, sound};
use surfacing::{Agrees, Beside, Outside, Patch, PatchEdge, Patched, SurfacingError, Turn, patch, revolve};
use topology::{Body, MeshTolerance, join, mesh, pcurve_on};

const PLAIN: Patch<'static> = Patch { curves: &[], points: &[], tension: 0.0, name: "patch" };

fn body(profile: NurbsCurve, tolerance: &Tolerance) -> Body {
    let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let turn = Turn::Round { sweep: TAU };
    revolve(&[(profile, "side".into())], &axis, turn, false, (Outside::RightOfProfile, false), tolerance)
        .unwrap()
        .body
}

/// A part of a circle about the origin in the plane of the axis.
fn meridian(radius: f64, from: f64, sweep: f64) -> NurbsCurve {
    let frame = Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::z(), z: -Vector3::y() };
    circle_arc(&frame, radius, from, sweep).unwrap()
}

/// The free edges of a body, each with the face that it is an edge of.
fn free(body: &Body, agrees: Agrees) -> Vec<PatchEdge> {
    let shell = body.shells()[0];
    let free = topology::free_edges(shell);
    let uses = shell.faces().iter().flat_map(|f| f.loops.iter().flat_map(|l| &l.edges).map(move |e| (f, e)));
    uses.filter(|(_, e)| free.contains(&e.edge))
        .enumerate()
        .map(|(k, (face, used))| {
            let (surface, pcurve) = (Arc::clone(&face.surface), used.pcurve.clone());
            let beside = Some(Beside { surface, pcurve, left: used.forward });
            let curve = shell.edge(used.edge).curve.clone().unwrap();
            PatchEdge { curve, beside, agrees, number: k + 1 }
        })
        .collect()
}

fn plain(curves: Vec<NurbsCurve>) -> Vec<PatchEdge> {
    let edge = |(k, curve)| PatchEdge { curve, beside: None, agrees: Agrees::Position, number: k + 1 };
    curves.into_iter().enumerate().map(edge).collect()
}

/// Three quarters of great circles that bound an eighth of a sphere, away from its poles and its seam.
fn octant(radius: f64, agrees: Agrees, tolerance: &Tolerance) -> (Vec<PatchEdge>, Vector3) {
    let middle = Vector3::new(-1.0, 0.1, 0.05);
    let turn = nalgebra::Rotation3::rotation_between(&Vector3::new(1.0, 1.0, 1.0), &middle).unwrap();
    let corner = [Vector3::x(), Vector3::y(), Vector3::z()].map(|v| turn * v);
    let sphere = body(meridian(radius, -FRAC_PI_2, PI), tolerance);
    let sphere = Arc::clone(&sphere.shells()[0].faces()[0].surface);
    let edges = (0..3)
        .map(|k| {
            let frame = Frame::new(Point3::origin(), corner[k], corner[(k + 1) % 3]).unwrap();
            let curve = circle_arc(&frame, radius, 0.0, FRAC_PI_2).unwrap();
            let pcurve = pcurve_on(&curve, &sphere, tolerance).unwrap();
            let beside = Some(Beside { surface: Arc::clone(&sphere), pcurve, left: false });
            PatchEdge { curve, beside, agrees, number: k + 1 }
        })
        .collect();
    (edges, middle.normalize())
}

/// Every edge lies within the fit tolerance of the patch, and agrees as was asked: G1 within 0.1 degrees, G2 within 2 %.
fn reached(made: &Patched, tolerance: &Tolerance) {
    for edge in &made.edges {
        assert!(edge.gap <= tolerance.fit, "edge {} is off by {}", edge.number, edge.gap);
        let Some(meets) = edge.meets.filter(|_| edge.asked != Agrees::Position) else { continue };
        assert!(meets.angle.0.to_degrees() <= 0.1, "{:?}", meets.angle);
        assert!(edge.asked == Agrees::Tangent || meets.curvature_share <= 0.02, "{edge:?}");
    }
}

fn surface_of(made: &Patched) -> Arc<NurbsSurface> {
    Arc::clone(&made.body.shells()[0].faces()[0].surface)
}

/// Largest distance of a patch's mesh from a sphere about the origin.
fn off_sphere(made: &Patched, radius: f64) -> f64 {
    let mesh = mesh(made.body.shells()[0], MeshTolerance::chord(radius / 300.0)).unwrap();
    mesh.positions.iter().map(|p| (p.coords.norm() - radius).abs()).fold(0.0, f64::max)
}

#[test]
fn an_eighth_of_a_sphere_comes_back_from_its_border() {
    // TF-10: the exact middle lies at a distance of 1 from the centre of a unit sphere, 1 - 1/sqrt 3 above the corners'.
    for scale in SCALES {
        let (tolerance, r) = (Tolerance::default().scaled(scale), 50.0 * scale);
        for (agrees, share) in [(Agrees::Tangent, 0.012), (Agrees::Curvature, 0.004)] {
            let (edges, middle) = octant(r, agrees, &tolerance);
            let made = patch(&edges, &PLAIN, &tolerance).unwrap();
            reached(&made, &tolerance);
            let off = off_sphere(&made, r);
            assert!(off <= share * r, "{agrees:?}: {off} of {r}");
            let top = closest_on_surface(&surface_of(&made), &Point3::from(middle * r)).distance;
            assert!(top <= share * r, "{top}");
        }
    }
}

#[test]
fn a_bowl_is_closed_by_a_dome_into_a_watertight_solid() {
    // The tangent planes stand upright all along the border, so that no plane shows the patch whole.
    let (tolerance, r) = (Tolerance::default(), 50.0);
    let bowl = body(meridian(r, -FRAC_PI_2, FRAC_PI_2), &tolerance);
    for (agrees, share) in [(Agrees::Tangent, 0.04), (Agrees::Curvature, 0.01)] {
        let made = patch(&free(&bowl, agrees), &PLAIN, &tolerance).unwrap();
        reached(&made, &tolerance);
        assert!(off_sphere(&made, r) <= share * r, "{}", off_sphere(&made, r));
        let parts = [bowl.shells()[0].clone(), made.body.shells()[0].clone()];
        let joined = join(&parts, tolerance.join).unwrap();
        assert_eq!(joined.pairs, 1);
        // The sphere's volume (handbook): 4/3 pi r^3.
        near(sound(&Body::from_shell(joined.shell), 0), 4.0 / 3.0 * PI * r.powi(3), 2.0 * share);
    }
}

#[test]
fn a_dome_stays_on_its_sphere_however_steep_its_rim_is() {
    // From rims that no plane shows whole to flat ones: the way in which the patch is laid out changes, and nothing shows.
    let (tolerance, r) = (Tolerance::default(), 50.0);
    for (agrees, share) in [(Agrees::Tangent, 0.035), (Agrees::Curvature, 0.02)] {
        let mut before: Option<f64> = None;
        for k in 0..=26_i32 {
            let rim = (3.0 * f64::from(k)).to_radians();
            let bowl = body(meridian(r, -FRAC_PI_2, FRAC_PI_2 + rim), &tolerance);
            let made = patch(&free(&bowl, agrees), &PLAIN, &tolerance).unwrap();
            reached(&made, &tolerance);
            let off = off_sphere(&made, r);
            assert!(off <= share * r, "{agrees:?} at {} degrees: {off}", 3 * k);
            let jumped = before.map_or(0.0, |b| (off - b).abs());
            assert!(jumped <= 0.01 * r, "{agrees:?} at {} degrees: {before:?}, then {off}", 3 * k);
            before = Some(off);
        }
    }
}

#[test]
fn four_straight_edges_of_a_saddle_give_it_back() {
    // RU-01: z = xy over the unit square has an area of sqrt 3 / 3 + 4/3 ln((1 + sqrt 3) / sqrt 2) - pi / 18.
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let s = 40.0 * scale;
        let edges = plain(polygon(&[[0.0; 3], [s, 0.0, 0.0], [s, s, s], [0.0, s, 0.0]]));
        let made = patch(&edges, &PLAIN, &tolerance).unwrap();
        reached(&made, &tolerance);
        near(topology::area(made.body.shells()[0]), 1.280_789_275_273_404 * s * s, 5e-3);
        let middle = Point3::new(0.5 * s, 0.5 * s, 0.25 * s);
        let off = closest_on_surface(&surface_of(&made), &middle).distance;
        assert!(off <= 0.025 * s, "{off} of {s}");
    }
}

#[test]
fn a_hole_of_any_number_of_sides_is_filled_smoothly() {
    let tolerance = Tolerance::default();
    for sides in 3..=8 {
        for (agrees, off) in [(Agrees::Position, 3.0), (Agrees::Tangent, 0.3), (Agrees::Curvature, 0.1)] {
            let made = patch(&hole(sides, 30.0, agrees), &PLAIN, &tolerance).unwrap();
            assert_eq!(made.edges.len(), sides);
            reached(&made, &tolerance);
            // The smoother it joins, the nearer it comes to what was cut out.
            let middle = landscape().point(0.0, 0.0);
            let distance = closest_on_surface(&surface_of(&made), &middle).distance;
            assert!(distance <= off, "{sides} sides, {agrees:?}: {distance}");
        }
    }
}

#[test]
fn a_run_within_another_one_stays_open() {
    let tolerance = Tolerance::default();
    let mut edges = hole(6, 40.0, Agrees::Tangent);
    edges.extend(hole(5, 15.0, Agrees::Curvature).into_iter().map(|e| {
        let beside = e.beside.map(|b| Beside { left: true, ..b });
        PatchEdge { number: e.number + 6, beside, ..e }
    }));
    let made = patch(&edges, &PLAIN, &tolerance).unwrap();
    reached(&made, &tolerance);
    assert_eq!(made.body.shells()[0].faces()[0].loops.len(), 2);
    // Areas of regular polygons (handbook) bound it from below: the surface rises over their plane.
    let polygon = |n: f64, r: f64| 0.5 * n * r * r * (TAU / n).sin();
    let flat = polygon(6.0, 40.0) - polygon(5.0, 15.0);
    let area = topology::area(made.body.shells()[0]);
    assert!(area > flat && area < 1.1 * flat, "{area} over {flat}");
}

#[test]
fn inner_points_and_curves_are_met() {
    let tolerance = Tolerance::default();
    let points = [Point3::new(5.0, 5.0, 12.0), Point3::new(-8.0, -4.0, -3.0)];
    let across: Vec<Point3> = (0..=6)
        .map(|k| f64::from(k) * 5.0 - 15.0)
        .map(|x| Point3::new(x, 0.4 * x, 6.0 + 2.0 * (0.2 * x).cos()))
        .collect();
    let curves = [through_points(&across, 1e-6).unwrap()];
    for agrees in [Agrees::Position, Agrees::Tangent] {
        for how in [Patch { points: &points, ..PLAIN }, Patch { curves: &curves, ..PLAIN }] {
            let made = patch(&hole(5, 30.0, agrees), &how, &tolerance).unwrap();
            assert!(made.inner <= tolerance.fit, "{} {agrees:?}", made.inner);
            let surface = surface_of(&made);
            let ends = curves.iter().flat_map(|c| [c.start(), c.point(c.domain().at(0.37)), c.end()]);
            let met: Vec<Point3> = if how.points.is_empty() { ends.collect() } else { points.to_vec() };
            for p in met {
                assert!(closest_on_surface(&surface, &p).distance <= 2.0 * tolerance.fit);
            }
        }
    }
    // Over a dome, whose places are found on the patch itself.
    let bowl = body(meridian(50.0, -FRAC_PI_2, FRAC_PI_2), &tolerance);
    let top = [Point3::new(4.0, 3.0, 60.0)];
    let made = patch(&free(&bowl, Agrees::Tangent), &Patch { points: &top, ..PLAIN }, &tolerance).unwrap();
    assert!(made.inner <= tolerance.fit, "{}", made.inner);
}

#[test]
fn tension_draws_it_flat() {
    let circle = || plain(vec![circle_arc(&frame_at(0.0), 20.0, 0.0, TAU).unwrap()]);
    let height = |tension: f64| {
        let points = [Point3::new(0.0, 0.0, 10.0)];
        let made = patch(&circle(), &Patch { points: &points, tension, ..PLAIN }, &Tolerance::default());
        // Halfway out, a soap skin on a thin pole has sunk farther than a plate that bends.
        surface_of(&made.unwrap()).point(10.0, 0.0).z.abs()
    };
    let heights = [0.0, 1.0, 10.0].map(height);
    assert!(heights[0] > heights[1] && heights[1] > heights[2], "{heights:?}");
}

#[test]
fn what_nothing_fits_is_refused_with_its_place() {
    let tolerance = Tolerance::default();
    // A side that is missing: its length is the gap.
    let mut edges = hole(5, 30.0, Agrees::Tangent);
    let gone = edges.remove(2);
    let length = (gone.curve.start() - gone.curve.end()).norm();
    let Err(SurfacingError::PatchGap { gap, at }) = patch(&edges, &PLAIN, &tolerance) else { panic!() };
    near(gap, length, 1e-9);
    assert!(
        (Point3::from(at) - gone.curve.start()).norm() < 1e-9
            || (Point3::from(at) - gone.curve.end()).norm() < 1e-9
    );
    // Two walls that meet at 90 degrees, both to be tangent: 90 degrees at their common corner.
    let wall = |a: Point3, b: Point3, number: usize| {
        let up = Vector3::z() * 10.0;
        let surface = NurbsSurface::bilinear(a, b, a - up, b - up);
        let pcurve = NurbsCurve::line(Point3::new(0.0, 0.0, 0.0), Point3::new(1.0, 0.0, 0.0));
        let beside = Some(Beside { surface: Arc::new(surface), pcurve, left: true });
        PatchEdge { curve: NurbsCurve::line(a, b), beside, agrees: Agrees::Tangent, number }
    };
    let at = [[0.0; 3], [20.0, 0.0, 0.0], [20.0, 20.0, 0.0], [0.0, 20.0, 0.0]].map(Point3::from);
    let walls: Vec<PatchEdge> = (0..4).map(|k| wall(at[k], at[(k + 1) % 4], k + 1)).collect();
    let Err(SurfacingError::CornerDisagrees { edges, degrees, .. }) = patch(&walls, &PLAIN, &tolerance)
    else {
        panic!()
    };
    near(degrees, 90.0, 1e-9);
    assert_eq!(edges, [1, 2]);
    // One wall alone: it can be met, but not right up to its corners, which is said.
    let mut one = walls.clone();
    one[1..].iter_mut().for_each(|e| e.agrees = Agrees::Position);
    let made = patch(&one, &PLAIN, &tolerance).unwrap();
    assert_eq!(made.loose.len(), 2);
    near(made.loose[0].angle, FRAC_PI_2, 1e-9);
    assert!(made.edges.iter().all(|e| e.gap <= tolerance.join), "{:?}", made.edges);
    // Points beside the edges, and far above them.
    let edges = hole(5, 30.0, Agrees::Tangent);
    for (x, z, far) in [(45.0, 0.0, false), (0.0, 500.0, true)] {
        let points = [Point3::new(x, 0.0, z)];
        let refused = patch(&edges, &Patch { points: &points, ..PLAIN }, &tolerance).unwrap_err();
        assert_eq!(matches!(refused, SurfacingError::PatchPointFar { .. }), far, "{refused}");
        assert!(far || matches!(refused, SurfacingError::PatchPointOutside { .. }), "{refused}");
    }
    assert!(matches!(patch(&[], &PLAIN, &tolerance), Err(SurfacingError::Empty)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Edges are sorted and turned by themselves: any order and direction gives the same surface.
    #[test]
    fn order_and_direction_of_edges_do_not_matter(
        order in Just((0..5).collect::<Vec<usize>>()).prop_shuffle(),
        turned in prop::collection::vec(any::<bool>(), 5),
    ) {
        let tolerance = Tolerance::default();
        let edges = hole(5, 30.0, Agrees::Tangent);
        let known = surface_of(&patch(&edges, &PLAIN, &tolerance).unwrap());
        let mixed: Vec<PatchEdge> = order.iter().map(|&k| {
            let edge = edges[k].clone();
            if !turned[k] { return edge; }
            let beside = edge.beside.map(|b| Beside { pcurve: b.pcurve.reversed(), left: !b.left, ..b });
            PatchEdge { curve: edge.curve.reversed(), beside, ..edge }
        }).collect();
        let made = patch(&mixed, &PLAIN, &tolerance).unwrap();
        reached(&made, &tolerance);
        for k in 0..6 {
            let a = f64::from(k);
            let p = known.point(12.0 * a.cos(), 12.0 * a.sin());
            prop_assert!(closest_on_surface(&surface_of(&made), &p).distance <= 0.05);
        }
    }
}

#[test]
fn a_nose_between_an_arch_and_an_outline() {
    let tolerance = Tolerance::default();
    let (w, h, nose) = (24.0, 30.0, 30.0);
    let spline = |points: &[[f64; 3]]| {
        NurbsCurve::from_control_points(&points.iter().map(|p| Point3::from(*p)).collect::<Vec<_>>(), 1e-6)
            .unwrap()
    };
    let line = |f: &dyn Fn(f64, f64) -> [f64; 3]| {
        let points =
            [(-w, 0.0), (-w, 0.55), (-0.55 * w, 1.0), (0.0, 1.0), (0.55 * w, 1.0), (w, 0.55), (w, 0.0)];
        spline(&points.map(|(x, share)| f(x, share)))
    };
    let arch = line(&|x, share| [x, 0.0, h * share]);
    let floor = line(&|x, share| [x, -nose * share, 0.0]);
    // The body behind the arch goes straight back.
    let back = arch.mapped(|p| p + Vector3::y() * 60.0);
    let surface = Arc::new(NurbsSurface::ruled(&arch, &back).unwrap());
    let d = arch.domain();
    let pcurve = topology::straight_pcurve(d, [0.0, d.start], [0.0, d.end]).unwrap();
    for agrees in [Agrees::Tangent, Agrees::Curvature] {
        // The face lies beyond, at higher u: to the right of a curve that runs along v.
        let beside = Some(Beside { surface: Arc::clone(&surface), pcurve: pcurve.clone(), left: false });
        let edges = [
            PatchEdge { curve: arch.clone(), beside, agrees, number: 1 },
            PatchEdge::plain(floor.clone(), 2),
        ];
        let made = patch(&edges, &PLAIN, &tolerance).unwrap();
        reached(&made, &tolerance);
        // It bulges: its middle lies outside the quarter of an ellipsoid's chord, and nowhere below the floor.
        let mesh = mesh(made.body.shells()[0], MeshTolerance::chord(0.1)).unwrap();
        assert!(mesh.positions.iter().all(|p| p.z >= -tolerance.join && p.y <= tolerance.join));
        let out = |p: &Point3| (p.x / w).powi(2) + (p.y / nose).powi(2) + (p.z / h).powi(2);
        let middle = mesh.positions.iter().filter(|p| p.x.abs() < 2.0 && p.y < -10.0 && p.z > 10.0).map(out);
        let least = middle.fold(f64::MAX, f64::min);
        assert!(least > 0.6, "{least}");
    }
}

/// A boundary round a circle of radius 30, in pieces that each begin and end on the crest of a wave.
fn waves(count: u32, height: f64, tolerance: &Tolerance) -> Patched {
    let at = |a: f64| Point3::new(30.0 * a.cos(), 30.0 * a.sin(), height * (f64::from(count) * a).cos());
    let edge = |k: u32| {
        let place = |i: u32| at(2.0 * PI * (f64::from(k) + f64::from(i) / 8.0) / f64::from(count));
        PatchEdge::plain(
            through_points(&(0..=8).map(place).collect::<Vec<_>>(), 1e-9).unwrap(),
            k as usize + 1,
        )
    };
    patch(&(0..count).map(edge).collect::<Vec<_>>(), &PLAIN, tolerance).unwrap()
}

#[test]
fn a_patch_keeps_near_a_wavy_boundary() {
    // Where two pieces meet, their slopes differ though their plan goes straight on: the surface of least bending alone
    // swells to 50 mm below waves of 8 mm.
    let tolerance = Tolerance::default();
    for count in [3, 4] {
        let mut last: Option<f64> = None;
        for height in [4.0, 5.0, 5.5, 6.0, 6.5, 7.0, 8.0] {
            let made = waves(count, height, &tolerance);
            let mesh = mesh(made.body.shells()[0], MeshTolerance::chord(0.1)).unwrap();
            let lowest = mesh.positions.iter().map(|p| p.z).fold(f64::MAX, f64::min);
            assert!(lowest > -height - 4.5, "{count} {height}: {lowest}");
            assert!(made.edges.iter().all(|e| e.gap <= tolerance.join), "{count} {height}");
            // A little more wave changes it a little.
            assert!(last.is_none_or(|l| (l - lowest).abs() < 6.0), "{count} {height}: {last:?} {lowest}");
            last = Some(lowest);
        }
    }
}
