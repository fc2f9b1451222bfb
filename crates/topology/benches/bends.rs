//! How long the map of curvatures takes.
#![allow(clippy::unwrap_used, missing_docs, reason = "benches")]

use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use geometry::{KnotVector, NurbsSurface, Point3, Tolerance};
use topology::{MeshTolerance, curvatures, mesh, natural_shell};

fn map(c: &mut Criterion) {
    let knots = KnotVector::clamped_uniform(3, 20).unwrap();
    let at = |k: usize| {
        let (x, y) = (5.0 * (k / 20) as f64, 5.0 * (k % 20) as f64);
        Point3::new(x, y, 6.0 * (x / 15.0).sin() * (y / 18.0).cos())
    };
    let points: Vec<Point3> = (0..400).map(at).collect();
    let surface = NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap();
    let shell = natural_shell(Arc::new(surface), "side", &Tolerance::default()).unwrap();
    c.bench_function("curvature map of 20 by 20 points meshed at 0.01 mm", |b| {
        b.iter(|| {
            let mesh = mesh(black_box(&shell), MeshTolerance::chord(0.01)).unwrap();
            curvatures(&shell, &mesh)
        });
    });
}

criterion_group!(benches, map);
criterion_main!(benches);
