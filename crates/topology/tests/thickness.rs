//! How thick solids are, square to their surface, against closed forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use geometry::{Point3, Vector3};
use shapes::{block, cylinder, sphere, turned};
use topology::{Body, Mesh, MeshTolerance, Shell, Solid, mesh, thicknesses};

/// Every corner of a solid's finer meshes with the outer normal there and how thick it is said to be.
fn places(shells: Vec<Shell>, chord: f64, longest: f64) -> Vec<(Point3, Vector3, f64)> {
    let body = Body::Solid(Solid::try_new(shells).unwrap());
    let made = |s: &&Shell| mesh(s, MeshTolerance::chord(chord)).unwrap().divided(s, longest);
    let shells = body.shells();
    let meshes: Vec<Mesh> = shells.iter().map(made).collect();
    let thick = thicknesses(&body, &meshes.iter().collect::<Vec<_>>());
    let mut out = Vec::new();
    for (mesh, faces) in meshes.iter().zip(thick) {
        for (face, values) in mesh.faces.iter().zip(faces) {
            for triangle in &face.triangles {
                let at = triangle.map(|k| mesh.positions[face.vertices[k as usize].position as usize]);
                assert!((0..3).all(|k| (at[k] - at[(k + 1) % 3]).norm() <= longest * (1.0 + 1e-9)));
            }
            let corner = |k: u32| {
                let v = face.vertices[k as usize];
                (mesh.positions[v.position as usize], v.normal, values[k as usize])
            };
            out.extend(face.triangles.iter().flatten().map(|k| corner(*k)));
        }
    }
    out
}

#[test]
fn a_block_is_as_thick_as_its_sides_are_apart() {
    let all = places(vec![turned(&block([1.0, 2.0, 3.0], [30.0, 20.0, 10.0]), Vector3::z(), 0.3)], 0.1, 4.0);
    assert!(all.len() > 200, "flat faces are looked at inside too");
    let ways = [(Vector3::new(0.3f64.cos(), 0.3f64.sin(), 0.0), 30.0), (Vector3::z(), 10.0)];
    for (_, normal, thick) in all {
        let expected = ways.iter().find(|(w, _)| w.dot(&normal).abs() > 0.9).map_or(20.0, |w| w.1);
        assert!((thick - expected).abs() < 1e-9, "{thick} for {expected}");
    }
}

#[test]
fn round_solids_are_as_thick_as_they_are_wide() {
    // However coarse their triangles are.
    for (_, normal, thick) in places(vec![cylinder(7.0, 12.0)], 0.5, 5.0) {
        let expected = if normal.z.abs() > 0.5 { 12.0 } else { 14.0 };
        assert!((thick - expected).abs() < 1e-6, "{thick} for {expected}");
    }
    for (at, _, thick) in places(vec![sphere(5.0)], 0.2, 3.0) {
        assert!((thick - 10.0).abs() < 1e-6, "{thick} at {at}");
    }
}

#[test]
fn a_wall_ends_at_the_room_inside() {
    let shells =
        vec![block([0.0; 3], [30.0, 20.0, 10.0]), block([3.0, 2.0, 1.0], [24.0, 16.0, 8.0]).flipped()];
    for (at, normal, thick) in places(shells, 0.1, 2.0) {
        let k = (0..3).find(|&k| normal[k].abs() > 0.5).unwrap();
        // Over the room only; beside it one looks through from side to side.
        let room = [[3.0, 27.0], [2.0, 18.0], [1.0, 9.0]];
        let over = (0..3).filter(|j| *j != k).all(|j| at[j] > room[j][0] + 0.1 && at[j] < room[j][1] - 0.1);
        let beside = (0..3).filter(|j| *j != k).any(|j| at[j] < room[j][0] - 0.1 || at[j] > room[j][1] + 0.1);
        let walls = [3.0, 2.0, 1.0];
        if over {
            assert!((thick - walls[k]).abs() < 1e-9, "{thick} at {at}");
        } else if beside {
            assert!((thick - [30.0, 20.0, 10.0][k]).abs() < 1e-9, "{thick} at {at}");
        }
    }
}

#[test]
fn what_is_open_has_no_thickness() {
    let shell = block([0.0; 3], [1.0; 3]).part(&[0, 1, 2, 3, 4]);
    let made = mesh(&shell, MeshTolerance::chord(0.1)).unwrap();
    assert!(thicknesses(&Body::Shell(shell), &[&made]).is_empty());
}
