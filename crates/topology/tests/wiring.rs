//! Laws of wirings and of shells that are put together by hand.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::sync::Arc;

use geometry::{KnotVector, NurbsCurve, NurbsSurface, Point3};
use proptest::prelude::*;
use topology::wiring::{Wiring, WiringError};
use topology::{
    Body, Edge, EdgeId, Face, Loop, MeshTolerance, OrientedEdge, Shell, Solid, TopologyError, Vertex,
    VertexId, closure, measure, mesh,
};

/// Corners of a box by bits: x is bit 0, y bit 1, z bit 2; each face counter-clockwise seen from outside.
const BOX_FACES: [[usize; 4]; 6] =
    [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];

fn box_shell(low: Point3, size: [f64; 3], faces: &[[usize; 4]]) -> Result<Shell, TopologyError> {
    let corner = |i: usize| {
        let bit = |k: usize| if i >> k & 1 == 1 { size[k] } else { 0.0 };
        Point3::new(low.x + bit(0), low.y + bit(1), low.z + bit(2))
    };
    let mut pairs: Vec<[usize; 2]> = Vec::new();
    let mut made = Vec::new();
    for face in faces {
        let [a, b, c, d] = face.map(corner);
        // u runs from the first corner to the second, v from the first to the last.
        let surface = Arc::new(NurbsSurface::bilinear(a, b, d, c));
        let uv = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
        let mut edges = Vec::new();
        for k in 0..4 {
            let (i, j) = (face[k], face[(k + 1) % 4]);
            let key = [i.min(j), i.max(j)];
            let edge = pairs.iter().position(|p| *p == key).unwrap_or_else(|| {
                pairs.push(key);
                pairs.len() - 1
            });
            let forward = i < j;
            let (from, to) = if forward { (uv[k], uv[(k + 1) % 4]) } else { (uv[(k + 1) % 4], uv[k]) };
            let place = |p: [f64; 2]| Point3::new(p[0], p[1], 0.0);
            let pcurve = NurbsCurve::line(place(from), place(to));
            edges.push(OrientedEdge { edge: EdgeId(edge as u32), forward, pcurve });
        }
        made.push(Face { surface, loops: vec![Loop { edges }], reversed: false, role: "side".into() });
    }
    let edges = pairs
        .iter()
        .map(|&[i, j]| Edge {
            curve: Some(NurbsCurve::line(corner(i), corner(j))),
            start: VertexId(i as u32),
            end: VertexId(j as u32),
            tolerance: 1e-9,
        })
        .collect();
    Shell::try_new((0..8).map(|i| Vertex { point: corner(i) }).collect(), edges, made)
}

#[test]
fn euler_poincare_comes_out_for_the_book_cases() {
    // TP-05 (Mäntylä, from memory): wirings built from grids of square faces wrapped both ways, one way or not.
    let box_counts = box_shell(Point3::origin(), [1.0; 3], &BOX_FACES).unwrap().wiring().euler_poincare();
    assert_eq!(
        (box_counts.vertices, box_counts.edges, box_counts.faces, box_counts.genus),
        (8, 12, 6, Some(0))
    );
    // Torus with two seams: V1 E2 F1 L1 S1 G1.
    let torus = Wiring {
        vertices: 1,
        edges: vec![[0, 0], [0, 0]],
        faces: vec![vec![vec![(0, true), (1, true), (0, false), (1, false)]]],
    };
    torus.check().unwrap();
    assert_eq!(torus.euler_poincare().genus, Some(1));
    // Cylinder with seam: V2 E3 F3 L3 S1 G0.
    let cylinder = Wiring {
        vertices: 2,
        edges: vec![[0, 0], [1, 1], [0, 1]],
        faces: vec![
            vec![vec![(0, true), (2, true), (1, false), (2, false)]],
            vec![vec![(0, false)]],
            vec![vec![(1, true)]],
        ],
    };
    cylinder.check().unwrap();
    assert_eq!(cylinder.euler_poincare().genus, Some(0));
    // Sphere with one seam: V2 E1 F1 L1 S1 G0.
    let sphere = Wiring { vertices: 2, edges: vec![[0, 1]], faces: vec![vec![vec![(0, true), (0, false)]]] };
    sphere.check().unwrap();
    assert_eq!(sphere.euler_poincare().genus, Some(0));
}

#[test]
fn broken_wirings_are_refused_by_place() {
    let mut w =
        Wiring { vertices: 2, edges: vec![[0, 1], [1, 0]], faces: vec![vec![vec![(0, true), (1, true)]]] };
    w.check().unwrap();
    w.faces[0][0][1].1 = false;
    assert_eq!(w.check(), Err(WiringError::BrokenLoop { face: 0, in_face: 0, after: 0 }));
    w.faces[0][0][1] = (7, true);
    assert_eq!(w.check(), Err(WiringError::Missing { what: "edge", index: 7 }));
    w.faces[0] = vec![];
    assert_eq!(w.check(), Err(WiringError::EmptyBoundary(0)));
    w.edges[0] = [0, 9];
    assert_eq!(w.check(), Err(WiringError::Missing { what: "vertex", index: 9 }));
}

#[test]
fn a_box_has_its_handbook_measures_wherever_it_stands() {
    // VO-15: 2 x 3 x 4 centred at (10, -7, 5); VO-13: moments of inertia per unit mass.
    for scale in [1e-3, 1.0, 1e3] {
        let size = [2.0 * scale, 3.0 * scale, 4.0 * scale];
        let low = Point3::new(9.0 * scale, -8.5 * scale, 3.0 * scale);
        let Body::Solid(solid) = Body::from_shell(box_shell(low, size, &BOX_FACES).unwrap()) else {
            panic!("a closed box is a solid")
        };
        let m = solid.measure();
        assert!((m.volume / scale.powi(3) - 24.0).abs() < 1e-11);
        assert!((m.area / scale.powi(2) - 52.0).abs() < 1e-11);
        let c = m.centroid().unwrap();
        assert!((c - Point3::new(10.0 * scale, -7.0 * scale, 5.0 * scale)).norm() < 1e-10 * scale);
        let inertia = m.inertia().unwrap() / m.volume / scale.powi(2);
        for (k, expected) in [2.083333333333333, 1.666666666666667, 1.083333333333333].into_iter().enumerate()
        {
            assert!((inertia[(k, k)] - expected).abs() < 1e-9, "{inertia}");
        }
    }
}

#[test]
fn what_is_missing_or_turned_is_told() {
    let open = box_shell(Point3::origin(), [1.0; 3], &BOX_FACES[..5]).unwrap();
    let c = closure(&open);
    assert_eq!((c.free_edges.len(), c.facing_faults, c.is_watertight()), (4, 0, false));
    assert!(c.free_edges.iter().all(|e| (e.length - 1.0).abs() < 1e-12));
    assert!(matches!(Solid::try_new(vec![open.clone()]), Err(TopologyError::Open(4))));
    assert!(!Body::from_shell(open).is_solid());
    let mut turned = BOX_FACES;
    turned[2].reverse();
    let shell = box_shell(Point3::origin(), [1.0; 3], &turned).unwrap();
    assert_eq!(closure(&shell).facing_faults, 4);
    assert!(matches!(Solid::try_new(vec![shell]), Err(TopologyError::Facing(4))));
    assert!(matches!(Solid::try_new(vec![]), Err(TopologyError::NoVolume)));
}

#[test]
fn an_inside_out_box_becomes_a_solid_that_faces_outwards_and_a_void_faces_in() {
    let outer = box_shell(Point3::origin(), [4.0; 3], &BOX_FACES).unwrap().flipped();
    let inner = box_shell(Point3::new(1.0, 1.0, 1.0), [2.0; 3], &BOX_FACES).unwrap();
    let solid = Solid::try_new(vec![inner, outer]).unwrap();
    assert!((measure(solid.outer()).volume - 64.0).abs() < 1e-12);
    assert!((measure(&solid.voids()[0]).volume + 8.0).abs() < 1e-12);
    assert!((solid.measure().volume - 56.0).abs() < 1e-12);
}

#[test]
fn a_stored_shell_is_checked_when_it_is_read() {
    let shell = box_shell(Point3::origin(), [1.0; 3], &BOX_FACES).unwrap();
    let text = serde_json::to_string(&shell).unwrap();
    assert_eq!(serde_json::from_str::<Shell>(&text).unwrap(), shell);
    assert!(serde_json::from_str::<Shell>(&text.replacen("\"edge\":3", "\"edge\":300", 1)).is_err());
    assert!(
        serde_json::from_str::<Shell>(&text.replacen(
            "\"point\":[0.0,0.0,0.0]",
            "\"point\":[0.5,0.0,0.0]",
            1
        ))
        .is_err()
    );
}

#[test]
fn an_edge_that_ends_elsewhere_is_refused_with_its_distance() {
    let vertices = vec![Vertex { point: Point3::origin() }, Vertex { point: Point3::new(1.0, 0.0, 0.0) }];
    let curve = NurbsCurve::line(Point3::origin(), Point3::new(1.0, 0.5, 0.0));
    let edge = Edge { curve: Some(curve), start: VertexId(0), end: VertexId(1), tolerance: 1e-6 };
    let refused = Shell::try_new(vertices, vec![edge], vec![]);
    assert!(
        matches!(refused, Err(TopologyError::EdgeOffVertex { edge: 0, distance, .. }) if distance == 0.5)
    );
}

proptest! {
    #[test]
    fn every_box_meshes_watertight_with_its_volume(
        low in prop::array::uniform3(-100.0..100.0f64), size in prop::array::uniform3(0.01..50.0f64),
    ) {
        let shell = box_shell(Point3::from(low), size, &BOX_FACES).unwrap();
        let m = mesh(&shell, MeshTolerance::chord(0.1)).unwrap();
        prop_assert!(m.converged);
        let mut balance = std::collections::HashMap::new();
        for [a, b, c] in m.triangles() {
            for (i, j) in [(a, b), (b, c), (c, a)] {
                *balance.entry((i.min(j), i.max(j))).or_insert(0) += if i < j { 1 } else { -1 };
            }
        }
        prop_assert!(balance.values().all(|&n| n == 0));
        let volume = size.iter().product::<f64>();
        prop_assert!((measure(&shell).volume / volume - 1.0).abs() < 1e-9);
    }
}

#[test]
fn a_curved_face_is_meshed_within_its_tolerance() {
    // A bicubic bump over a square: the mesh's own measure of its deviation must hold at every tolerance.
    let knots = KnotVector::bezier(3);
    let mut points = Vec::new();
    for i in 0..4 {
        for j in 0..4 {
            let inner = (1..3).contains(&i) && (1..3).contains(&j);
            points.push(Point3::new(
                10.0 * f64::from(i),
                10.0 * f64::from(j),
                if inner { 25.0 } else { 0.0 },
            ));
        }
    }
    let surface = Arc::new(NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap());
    let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
    let at = |k: usize| surface.point(corners[k % 4].0, corners[k % 4].1);
    let uv = |k: usize| Point3::new(corners[k % 4].0, corners[k % 4].1, 0.0);
    let edges: Vec<Edge> = (0..4)
        .map(|k| Edge {
            curve: Some(NurbsCurve::line(at(k), at(k + 1))),
            start: VertexId(k as u32),
            end: VertexId((k as u32 + 1) % 4),
            tolerance: 1e-9,
        })
        .collect();
    let uses = (0..4u32)
        .map(|k| OrientedEdge {
            edge: EdgeId(k),
            forward: true,
            pcurve: NurbsCurve::line(uv(k as usize), uv(k as usize + 1)),
        })
        .collect();
    let face = Face {
        surface: Arc::clone(&surface),
        loops: vec![Loop { edges: uses }],
        reversed: false,
        role: "bump".into(),
    };
    let shell = Shell::try_new((0..4).map(|k| Vertex { point: at(k) }).collect(), edges, vec![face]).unwrap();
    let mut counts = Vec::new();
    for chord in [0.5, 0.05, 0.005] {
        let m = mesh(&shell, MeshTolerance::chord(chord)).unwrap();
        assert!(m.converged && m.max_deviation <= chord, "{} above {chord}", m.max_deviation);
        counts.push(m.triangles().count());
    }
    assert!(counts[0] < counts[1] && counts[1] < counts[2], "{counts:?}");
}
