//! How long walls and rounded edges take.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic, reason = "a bench")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::f64::consts::TAU;

use criterion::{Criterion, criterion_group, criterion_main};
use geometry::{NurbsCurve, Point3, Vector3};
use shapes::{block, tolerance};
use surfacing::{
    Change, EdgeShape, Loft, Round, Rounding, Section, Size, Slant, loft, offset_shell, round_edges,
    thick_shell,
};
use topology::{Body, Shell, seams};

/// A shell of five faces that meet at an angle, through five five-sided sections of changing size.
fn five_faces() -> Shell {
    let section = |k: usize| {
        let z = 15.0 * k as f64;
        let size = 20.0 + 3.0 * (1.3 * k as f64).sin();
        let corner = |i: usize| {
            let angle = TAU * i as f64 / 5.0;
            Point3::new(size * angle.cos(), size * angle.sin(), z)
        };
        let pieces = (0..5).map(|i| NurbsCurve::line(corner(i), corner(i + 1))).collect();
        Section::Curves { pieces, normal: Some(Vector3::z()), reversed: false, begins: None }
    };
    let sections: Vec<Section> = (0..5).map(section).collect();
    let made = loft(&sections, &Loft { close: false, ..Loft::default() }, &tolerance()).unwrap();
    let Body::Shell(shell) = made.body else { panic!("no shell") };
    assert_eq!(shell.faces().len(), 5);
    shell
}

fn walls(c: &mut Criterion) {
    let shell = five_faces();
    let reach = vec![[0.0, 2.0]; shell.faces().len()];
    c.bench_function("thicken a five-face lofted shell", |b| {
        b.iter(|| thick_shell(&shell, &reach, Change::Step, &tolerance()).unwrap().max_deviation);
    });
    let cube = block([0.0; 3], [20.0; 3]);
    c.bench_function("offset a block", |b| {
        b.iter(|| offset_shell(&cube, &[1.0; 6], &tolerance()).unwrap().max_deviation);
    });
}

fn rounding(c: &mut Criterion) {
    let cube = block([0.0; 3], [20.0; 3]);
    let all = seams(&cube).into_iter().map(|s| (s.edge, 0)).collect();
    for (shape, name) in
        [(EdgeShape::Fillet(Round::Arc), "round"), (EdgeShape::Chamfer(Slant::EVEN), "cut off")]
    {
        let how = Rounding { shape, sizes: &[Size { at: &|_| 2.0, even: true }], flat_ends: true };
        c.bench_function(&format!("{name} all twelve edges of a box"), |b| {
            b.iter(|| round_edges(&cube, &all, &how, &tolerance()).unwrap().shell);
        });
    }
}

criterion_group!(benches, walls, rounding);
criterion_main!(benches);
