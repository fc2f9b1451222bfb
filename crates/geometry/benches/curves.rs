//! Fitting, closest place and recasting of long curves.
#![allow(missing_docs, clippy::unwrap_used, reason = "benches are not a public interface")]

use criterion::{Criterion, criterion_group, criterion_main};
use geometry::{
    EndsKept, Frame, NurbsCurve, Point3, Vector3, circle_arc, closest_on_curve, fit_points, recast,
    through_points,
};

fn wave(count: usize) -> Vec<Point3> {
    (0..count)
        .map(|k| {
            let s = k as f64 / (count - 1) as f64;
            Point3::new(300.0 * s, 20.0 * (11.0 * s).sin(), 8.0 * (7.0 * s).cos())
        })
        .collect()
}

fn bench(c: &mut Criterion) {
    let thousand = wave(1000);
    c.bench_function("fit 1000 points to 0.01 mm", |b| {
        b.iter(|| fit_points(&thousand, 3, 0.01, 1e-6).unwrap().curve.knots().point_count());
    });
    let long = through_points(&wave(200), 1e-6).unwrap();
    c.bench_function("curve through 200 points", |b| {
        b.iter(|| through_points(&wave(200), 1e-6).unwrap().degree())
    });
    let beside = Point3::new(143.0, 9.0, -4.0);
    c.bench_function("closest place on a 200-point curve", |b| {
        b.iter(|| closest_on_curve(&long, &beside).parameter)
    });
    let upright = Frame::square_to(Point3::origin(), Vector3::z()).unwrap();
    let bowed = NurbsCurve::from_control_points(&wave(8), 1e-6).unwrap();
    let arc = circle_arc(&upright, 30.0, 0.0, 5.0).unwrap();
    for (name, curve) in [("a bowed line", &bowed), ("an arc", &arc), ("a 200-point curve", &long)] {
        let on: Vec<Point3> = (0..100).map(|k| curve.point(curve.domain().at(f64::from(k) / 99.0))).collect();
        let off: Vec<Point3> = on.iter().map(|p| p + Vector3::new(0.3, -2.0, 1.0)).collect();
        c.bench_function(&format!("100 places on {name}"), |b| {
            b.iter(|| on.iter().map(|p| closest_on_curve(curve, p).parameter).sum::<f64>())
        });
        c.bench_function(&format!("100 places beside {name}"), |b| {
            b.iter(|| off.iter().map(|p| closest_on_curve(curve, p).parameter).sum::<f64>())
        });
    }
    c.bench_function("recast 200 points to 60", |b| {
        b.iter(|| recast(&long, 3, 60, EndsKept::Tangents).unwrap().max_deviation)
    });
}

criterion_group!(benches, bench);
criterion_main!(benches);
