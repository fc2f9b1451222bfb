//! A bow and a slanted spline, each through ten points, as the two views of a space curve.
#![allow(missing_docs, clippy::unwrap_used, reason = "benches are not a public interface")]

use criterion::{Criterion, criterion_group, criterion_main};
use geometry::{Frame, Point3, Tolerance, Vector3, through_points};
use surfacing::{View, crossed_projection};

fn bench(c: &mut Criterion) {
    let view = |x: Vector3, across: fn(f64) -> f64| {
        let frame = Frame::new(Point3::origin(), x, Vector3::z()).unwrap();
        let place = |k: i32| frame.to_space(across(f64::from(k) / 9.0), 130.0 * f64::from(k) / 9.0);
        View { frame, curves: vec![through_points(&(0..10).map(place).collect::<Vec<_>>(), 1e-6).unwrap()] }
    };
    let first = view(Vector3::x(), |s| 46.0 * (3.0 * s).sin());
    let second = view(Vector3::y(), |s| 28.0 * s * s);
    c.bench_function("crossed projection of two ten-point views", |b| {
        b.iter(|| crossed_projection(&first, &second, &Tolerance::default()).unwrap().pieces.len());
    });
}

criterion_group!(benches, bench);
criterion_main!(benches);
