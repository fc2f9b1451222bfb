//! Natural faces, shells joined along their edges, planar openings closed, and bodies under maps of space.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};
use std::sync::Arc;

use geometry::{
    Frame, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc,
};
use nalgebra::{Matrix4, Rotation3};
use proptest::prelude::*;
use topology::{Body, MeshTolerance, Shell, area, capped, closure, flat_faces, join, mesh, natural_shell};

const JOIN: f64 = 1e-2;

fn tolerance() -> Tolerance {
    Tolerance::default()
}

fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

fn world(z: f64) -> Frame {
    Frame::new(Point3::new(0.0, 0.0, z), Vector3::x(), Vector3::y()).unwrap()
}

fn face(surface: NurbsSurface, role: &str) -> Shell {
    natural_shell(Arc::new(surface), role, &tolerance()).unwrap()
}

/// A profile in the xz plane turned all the way about z (The NURBS Book, section 8.5).
fn turned(profile: &NurbsCurve) -> NurbsSurface {
    let circle = circle_arc(&world(0.0), 1.0, 0.0, TAU).unwrap();
    let row = |c: &Homogeneous| {
        let of = |p: &Homogeneous| Homogeneous::new(p.x * c.x, p.x * c.y, p.z * c.w, p.w * c.w);
        profile.homogeneous().iter().map(of).collect::<Vec<_>>()
    };
    let points = circle.homogeneous().iter().flat_map(row).collect();
    NurbsSurface::from_homogeneous(circle.knots().clone(), profile.knots().clone(), points).unwrap()
}

fn upright(x: f64) -> Frame {
    Frame::new(Point3::new(x, 0.0, 0.0), Vector3::x(), Vector3::z()).unwrap()
}

fn wall(radius: f64, low: f64, high: f64) -> NurbsSurface {
    turned(&NurbsCurve::line(Point3::new(radius, 0.0, low), Point3::new(radius, 0.0, high)))
}

fn solid(shell: Shell) -> Body {
    let body = Body::from_shell(shell);
    assert!(body.is_solid(), "{:?}", closure(body.shells()[0]).free_edges.len());
    body
}

#[test]
fn surfaces_that_close_get_seams_and_poles_and_the_measures_of_the_handbooks() {
    let sphere = face(turned(&circle_arc(&upright(0.0), 3.0, -PI / 2.0, PI).unwrap()), "ball");
    let c = closure(&sphere);
    assert!(c.is_watertight());
    assert_eq!((c.euler_poincare.genus, sphere.vertices().len()), (Some(0), 2));
    near(area(&sphere), 4.0 * PI * 9.0, 1e-9);
    near(solid(sphere).measure().volume, 4.0 / 3.0 * PI * 27.0, 1e-9);
    let torus = face(turned(&circle_arc(&upright(5.0), 2.0, 0.0, TAU).unwrap()), "ring");
    let c = closure(&torus);
    // One vertex, two seams, one face.
    assert_eq!((c.euler_poincare.genus, torus.vertices().len(), torus.edges().len()), (Some(1), 1, 2));
    near(solid(torus).measure().volume, 2.0 * PI * PI * 5.0 * 4.0, 1e-9);
    let cone =
        face(turned(&NurbsCurve::line(Point3::new(3.0, 0.0, 0.0), Point3::new(0.0, 0.0, 4.0))), "cone");
    assert_eq!(closure(&cone).free_edges.len(), 1);
    near(area(&cone), PI * 3.0 * 5.0, 1e-9);
    let sheet = face(
        NurbsSurface::bilinear(
            Point3::origin(),
            Point3::new(4.0, 0.0, 0.0),
            Point3::new(0.0, 3.0, 0.0),
            Point3::new(4.0, 3.0, 0.0),
        ),
        "sheet",
    );
    assert_eq!((closure(&sheet).free_edges.len(), sheet.vertices().len()), (4, 4));
}

#[test]
fn openings_are_capped_with_their_holes_whatever_side_the_walls_face() {
    for flipped in [[false, false], [true, false], [false, true], [true, true]] {
        let walls = [(4.0, flipped[0]), (2.5, flipped[1])].map(|(radius, flip)| {
            let shell = face(wall(radius, 0.0, 10.0), "wall");
            if flip { shell.flipped() } else { shell }
        });
        let both = join(&walls, JOIN).unwrap();
        assert_eq!(both.pairs, 0, "the walls do not touch");
        let tube = capped(both.shell, &tolerance(), |k| format!("cap {k}")).unwrap();
        let c = closure(&tube);
        assert!(c.is_watertight(), "{c:?}");
        assert_eq!((tube.faces().len(), c.euler_poincare.genus), (4, Some(1)));
        near(solid(tube).measure().volume, PI * (16.0 - 6.25) * 10.0, 1e-6);
    }
    // Three walls: the innermost is an island, a rod within the bore.
    let walls = [4.0, 2.5, 1.0].map(|radius| face(wall(radius, 0.0, 10.0), "wall"));
    let capped_walls =
        capped(join(&walls, JOIN).unwrap().shell, &tolerance(), |k| format!("cap {k}")).unwrap();
    assert!(closure(&capped_walls).is_watertight());
    assert_eq!(capped_walls.pieces().len(), 2);
}

#[test]
fn an_opening_that_is_not_flat_stays_open() {
    let rim = circle_arc(&world(0.0), 4.0, 0.0, TAU).unwrap();
    let saddle = rim.mapped(|p| Point3::new(p.x, p.y, 10.0 + 0.1 * p.x * p.y));
    let shell = face(NurbsSurface::ruled(&rim, &saddle).unwrap(), "wall");
    let once = capped(shell, &tolerance(), |k| format!("cap {k}")).unwrap();
    assert_eq!((once.faces().len(), closure(&once).free_edges.len()), (2, 1));
    assert_eq!(once.faces()[1].role, "cap 1");
}

#[test]
fn edges_with_other_parameters_join_and_the_mesh_has_no_crack() {
    // The same straight border, run evenly by one surface and ever faster by the other.
    let (a, b) = (Point3::new(0.0, 0.0, 0.0), Point3::new(10.0, 0.0, 0.0));
    let even = NurbsCurve::line(a, b);
    let faster =
        NurbsCurve::try_new(KnotVector::bezier(2), &[a, Point3::new(2.0, 0.0, 0.0), b], None).unwrap();
    let up = |c: &NurbsCurve, by: Vector3| NurbsSurface::ruled(c, &c.mapped(|p| p + by)).unwrap();
    let parts = [
        face(up(&even, Vector3::y() * 5.0), "floor"),
        face(up(&faster.reversed(), Vector3::z() * 5.0), "wall"),
    ];
    let joined = join(&parts, JOIN).unwrap();
    assert_eq!(joined.pairs, 1);
    assert!(joined.largest_gap < 1e-9);
    let c = closure(&joined.shell);
    assert_eq!((c.free_edges.len(), c.facing_faults), (6, 0));
    // The face's own copy of the edge keeps to it all along.
    assert!(c.largest_gap < 1e-6, "{}", c.largest_gap);
    assert!(mesh(&joined.shell, MeshTolerance::chord(0.01)).is_ok());
}

#[test]
fn flat_faces_keep_to_their_frames_side_and_refuse_nothing_that_closes() {
    let circle = |radius: f64, x: f64| {
        let frame = Frame::new(Point3::new(x, 0.0, 2.0), Vector3::x(), Vector3::y()).unwrap();
        circle_arc(&frame, radius, 0.0, TAU).unwrap()
    };
    // Run either way, an outline gives the same face.
    for back in [false, true] {
        let turn = |c: NurbsCurve| vec![if back { c.reversed() } else { c }];
        let runs = [turn(circle(5.0, 0.0)), turn(circle(2.0, 1.0)), turn(circle(1.0, 20.0))];
        let shell = flat_faces(&runs, &world(2.0), &tolerance(), |k| format!("face {k}")).unwrap();
        assert_eq!(shell.faces().iter().map(|f| f.loops.len()).collect::<Vec<_>>(), [2, 1]);
        near(area(&shell), PI * (25.0 - 4.0 + 1.0), 1e-9);
        assert!(shell.faces().iter().all(|f| f.surface.normal(0.0, 0.0).unwrap().z > 0.9 && !f.reversed));
    }
}

#[test]
fn a_mirrored_or_scaled_solid_is_one_still() {
    let tube = capped(face(wall(4.0, 0.0, 10.0), "wall"), &tolerance(), |k| format!("cap {k}")).unwrap();
    let body = solid(tube);
    let volume = body.measure().volume;
    let mirror = Matrix4::new_nonuniform_scaling(&Vector3::new(-1.0, 1.0, 1.0));
    let turn = Rotation3::from_euler_angles(0.3, 1.1, -0.7).to_homogeneous();
    for (map, factor) in [(mirror, 1.0), (turn, 1.0), (Matrix4::new_scaling(3.0), 27.0), (mirror * turn, 1.0)]
    {
        let moved = body.transformed(&map).unwrap();
        assert!(closure(moved.shells()[0]).is_watertight());
        near(moved.measure().volume, volume * factor, 1e-9);
    }
    let sheet = Body::Shell(face(wall(4.0, 0.0, 10.0), "wall"));
    let there = sheet.transformed(&mirror).unwrap();
    // Outwards stays outwards: a mirrored wall still faces away from its axis.
    let outer = |b: &Body| {
        let f = &b.shells()[0].faces()[0];
        let (p, n) = (f.surface.point(0.1, 0.5), f.surface.normal(0.1, 0.5).unwrap());
        (if f.reversed { -n } else { n }).dot(&Vector3::new(p.x, p.y, 0.0)) > 0.0
    };
    assert_eq!(outer(&sheet), outer(&there));
}

/// Corners of a box by bits: x is bit 0, y bit 1, z bit 2.
const SIDES: [[usize; 4]; 6] =
    [[0, 1, 3, 2], [4, 5, 7, 6], [0, 1, 5, 4], [2, 3, 7, 6], [0, 2, 6, 4], [1, 3, 7, 5]];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Six sheets in any order, each begun at any corner and facing either way, with borders a little apart, become the
    /// box; with borders farther apart than allowed they stay open.
    #[test]
    fn six_sheets_become_a_box(
        order in Just([0usize, 1, 2, 3, 4, 5]).prop_shuffle(),
        begin in prop::collection::vec((0usize..4, any::<bool>()), 6),
        size in prop::array::uniform3(1.0..50.0f64),
        noise in prop::collection::vec(-1.0..1.0f64, 6),
    ) {
        for (apart, joins) in [(0.2 * JOIN, true), (200.0 * JOIN, false)] {
            let corner = |i: usize| {
                let bit = |k: usize| if i >> k & 1 == 1 { size[k] } else { 0.0 };
                Point3::new(bit(0), bit(1), bit(2))
            };
            let sheets: Vec<Shell> = order
                .iter()
                .map(|&s| {
                    let (turn, back) = begin[s];
                    let mut round = SIDES[s].map(|i| corner(i) + Vector3::repeat(apart * noise[s]));
                    round.rotate_left(turn);
                    if back {
                        round.reverse();
                    }
                    let [a, b, c, d] = round;
                    face(NurbsSurface::bilinear(a, b, d, c), &format!("side {s}"))
                })
                .collect();
            let joined = join(&sheets, JOIN).unwrap();
            if joins {
                prop_assert_eq!(joined.pairs, 12);
                prop_assert!(joined.largest_gap <= JOIN);
                let c = closure(&joined.shell);
                prop_assert!(c.is_watertight());
                prop_assert_eq!(c.euler_poincare.genus, Some(0));
                let volume = Body::from_shell(joined.shell).measure().volume;
                let exact = size[0] * size[1] * size[2];
                let surface = 2.0 * (size[0] * size[1] + size[1] * size[2] + size[2] * size[0]);
                prop_assert!((volume - exact).abs() <= surface * JOIN, "{} {}", volume, exact);
            } else if noise.iter().all(|n| n.abs() > 0.1) {
                prop_assert!(joined.pairs < 12);
                prop_assert!(!closure(&joined.shell).is_watertight());
            }
        }
    }
}
