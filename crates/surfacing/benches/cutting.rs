//! How long cutting takes.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic, reason = "a bench")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use geometry::{NurbsCurve, Point3, Vector3, circle_arc};
use shapes::{block, moved, sphere, tolerance, torus, turned, wavy, world};
use surfacing::{Loft, Section, loft};
use topology::{Body, Operation, Shell, Solid, combine, imprint};

fn sheets() -> Vec<Shell> {
    (0..3).flat_map(|axis| [-20.0, 20.0].map(|h| wavy(axis, h))).collect()
}

fn solid(shell: Shell) -> Solid {
    Solid::try_new(vec![shell]).unwrap()
}

/// A solid through five rounded sections of changing size.
fn lofted() -> Solid {
    let section = |k: usize| {
        let z = 12.0 * k as f64;
        let (a, b) = (14.0 + 3.0 * (k as f64).sin(), 11.0 + 2.0 * (1.7 * k as f64).cos());
        let circle: NurbsCurve = circle_arc(&world(), 1.0, 0.0, std::f64::consts::TAU).unwrap();
        let curve = circle.mapped(|p| Point3::new(a * p.x, b * p.y, z));
        Section::Curves { pieces: vec![curve], normal: Some(Vector3::z()), reversed: false, begins: None }
    };
    let sections: Vec<Section> = (0..5).map(section).collect();
    let made = loft(&sections, &Loft::default(), &tolerance()).unwrap();
    let Body::Solid(solid) = made.body else { panic!("no solid") };
    solid
}

fn cutting(c: &mut Criterion) {
    let six = sheets();
    let refs: Vec<&Shell> = six.iter().collect();
    c.bench_function("imprint six sheets", |b| b.iter(|| imprint(black_box(&refs), &tolerance()).unwrap()));
    let room = block([-49.0; 3], [98.0; 3]);
    let with: Vec<&Shell> = six.iter().chain([&room]).collect();
    c.bench_function("spaces of six sheets in a box", |b| {
        b.iter(|| {
            let made = imprint(black_box(&with), &tolerance()).unwrap();
            let cells = made.cells(&tolerance());
            made.solids(
                &cells,
                &vec![true; cells.volumes.len() + 1]
                    .iter()
                    .enumerate()
                    .map(|(k, _)| k > 0)
                    .collect::<Vec<_>>(),
            )
            .unwrap()
        });
    });
    let (body, ring) =
        (lofted(), solid(moved(&turned(&torus(16.0, 4.0), Vector3::x(), 0.2), 0.0, 0.0, 24.0)));
    c.bench_function("loft minus torus", |b| {
        b.iter(|| combine(&[black_box(&body)], &[&ring], Operation::Subtract, &tolerance()).unwrap());
    });
    let many: Vec<Solid> = (0..100)
        .map(|k| solid(moved(&sphere(4.0), 10.0 * f64::from(k % 10), 10.0 * f64::from(k / 10), 0.0)))
        .collect();
    let refs: Vec<&Solid> = many.iter().collect();
    c.bench_function("union of 100 separate solids", |b| {
        b.iter(|| combine(black_box(&refs), &[], Operation::Union, &tolerance()).unwrap());
    });
    for count in [10, 20, 40] {
        let many: Vec<Solid> = (0..count * count)
            .map(|k| solid(block([10.0 * f64::from(k % count), 10.0 * f64::from(k / count), 0.0], [4.0; 3])))
            .collect();
        let refs: Vec<&Solid> = many.iter().collect();
        c.bench_function(&format!("union of {} separate blocks", count * count), |b| {
            b.iter(|| combine(black_box(&refs), &[], Operation::Union, &tolerance()).unwrap());
        });
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(10);
    targets = cutting
}
criterion_main!(benches);
