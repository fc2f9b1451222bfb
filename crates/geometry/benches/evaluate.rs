//! How long one surface evaluation takes: scattered, on a grid, with all second derivatives; and a whole offset.
#![allow(missing_docs, clippy::unwrap_used, reason = "benches are not a public interface")]

use std::hint::black_box;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use geometry::{KnotVector, NurbsSurface, Point3, Tolerance, offset_surface};

/// A wavy bicubic surface of 20 x 20 points.
fn surface() -> NurbsSurface {
    let knots = KnotVector::clamped_uniform(3, 20).unwrap();
    let mut points = Vec::new();
    for i in 0..20 {
        for j in 0..20 {
            let (x, y) = (f64::from(i), f64::from(j));
            points.push(Point3::new(10.0 * x, 10.0 * y, 5.0 * (x * 0.7).sin() * (y * 0.5).cos()));
        }
    }
    NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap()
}

fn evaluate(c: &mut Criterion) {
    let surface = surface();
    const COUNT: usize = 1000;
    // A low-discrepancy scatter over the domain.
    let places: Vec<(f64, f64)> = (0..COUNT)
        .map(|k| (17.0 * (k as f64 * 0.754_877_666_2).fract(), 17.0 * (k as f64 * 0.569_840_290_9).fract()))
        .collect();
    let lines: Vec<f64> = (0..200).map(|k| 17.0 * f64::from(k) / 199.0).collect();
    let mut group = c.benchmark_group("bicubic");
    group.throughput(Throughput::Elements(COUNT as u64));
    group.bench_function("1000 scattered points", |b| {
        b.iter(|| places.iter().map(|&(u, v)| surface.point(u, v).z).sum::<f64>());
    });
    group.bench_function("1000 times all second derivatives", |b| {
        b.iter(|| places.iter().map(|&(u, v)| black_box(surface.derivatives(u, v)).uv.z).sum::<f64>());
    });
    group.throughput(Throughput::Elements(40_000));
    group.bench_function("grid of 200 x 200 points", |b| b.iter(|| surface.grid(&lines, &lines).len()));
    group.finish();
    // Made anew each time, so that its pieces are worked out each time too.
    let tolerance = Tolerance::default();
    c.bench_function("offset of 20 x 20 points to 0.001 mm", |b| {
        b.iter(|| offset_surface(&surface, 2.0, surface.domain().into(), &tolerance).unwrap().max_deviation);
    });
}

criterion_group!(benches, evaluate);
criterion_main!(benches);
