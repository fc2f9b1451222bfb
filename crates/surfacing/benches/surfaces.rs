//! How long surfaces take, and how that grows with their sections.
#![allow(clippy::unwrap_used, missing_docs, reason = "benches")]

#[path = "../tests/shapes/mod.rs"]
mod shapes;

use std::f64::consts::{PI, TAU};
use std::hint::black_box;
use std::sync::Arc;

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use geometry::{NurbsCurve, Point3, Tolerance, through_points};
use shapes::hole;
use surfacing::{
    Agrees, Carry, Loft, LoftEnd, Patch, PatchEdge, PathCorners, RailHeight, RailSweep, Section, Sweep,
    SweepSection, Way, Weave, loft, network, patch, rail_sweep, sweep,
};

/// Sections of 12 points, 10 mm apart.
fn sections(count: usize) -> Vec<Section> {
    let section = |k: usize| {
        let points: Vec<Point3> = (0..12)
            .map(|i| {
                let a = PI * i as f64 / 11.0;
                let r = 20.0 + 4.0 * (0.7 * k as f64).sin();
                Point3::new(r * a.cos(), r * a.sin() * (1.0 + 0.1 * (k as f64).cos()), 10.0 * k as f64)
            })
            .collect();
        let pieces = vec![through_points(&points, 1e-6).unwrap()];
        Section::Curves { pieces, normal: None, reversed: false, begins: None }
    };
    (0..count).map(section).collect()
}

fn lofts(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let mut group = c.benchmark_group("loft of sections of 12 points");
    for count in [8, 30, 60] {
        let sections = sections(count);
        group.bench_with_input(BenchmarkId::from_parameter(count), &sections, |b, s| {
            b.iter(|| loft(black_box(s), &Loft::default(), &tolerance).unwrap());
        });
    }
    group.finish();
}

fn rails(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let rail = |x: f64, bow: f64| {
        let at = |k: usize| {
            let s = k as f64 / 8.0;
            Point3::new(x + bow * (PI * s).sin(), 200.0 * s, 15.0 * (PI * s).sin())
        };
        vec![through_points(&(0..=8).map(at).collect::<Vec<_>>(), 1e-6).unwrap()]
    };
    let rails = [rail(-40.0, -10.0), rail(40.0, 5.0)];
    let section = |y: f64, height: f64| {
        let across = |k: i32| {
            let x = -40.0 + 10.0 * f64::from(k);
            Point3::new(x, y, height * (1.0 - (x / 40.0).powi(2)))
        };
        vec![through_points(&(0..=8).map(across).collect::<Vec<_>>(), 1e-6).unwrap()]
    };
    let sections = [section(0.0, 20.0), section(200.0, 12.0)];
    let how = RailSweep {
        height: RailHeight::Scaled,
        clean: false,
        square: [false; 2],
        normals: Vec::new(),
        close: true,
        name: "side".into(),
    };
    c.bench_function("sweep on two rails", |b| {
        b.iter(|| rail_sweep(black_box(&sections), [&rails[0], &rails[1]], &how, &tolerance).unwrap());
    });
}

fn wound(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let points = [[0.0, 0.0, 0.0], [40.0, 10.0, 30.0], [90.0, -10.0, 50.0], [140.0, 0.0, 40.0]];
    let path = through_points(&points.map(Point3::from), 1e-6).unwrap();
    let spoke = vec![NurbsCurve::line(Point3::origin(), Point3::new(0.0, 6.0, 0.0))];
    let how = |twist: Option<surfacing::Law<'static>>| Sweep {
        carry: Carry::Follow,
        corners: PathCorners::Mitred,
        twist,
        scale: None,
        close: true,
        name: "side".into(),
    };
    c.bench_function("20 turns twisted, and a wire on its edge", |b| {
        b.iter(|| {
            let sections = [SweepSection::Drawn(black_box(&spoke).clone())];
            let ribbon =
                sweep(&sections, std::slice::from_ref(&path), &how(Some(&|s| 20.0 * TAU * s)), &tolerance)
                    .unwrap();
            let surface = &ribbon.body.shells()[0].faces()[0].surface;
            let edge = surface.curve_at_u(surface.domain().0.end);
            sweep(&[SweepSection::Round(1.0)], &[edge], &how(None), &tolerance).unwrap()
        });
    });
}

/// A dome over a square as `count` by `count` curves, or as many as are wanted each way.
fn networks(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let at = |x: f64, y: f64| Point3::new(x, y, 12.0 * (PI * x / 100.0).sin() * (PI * y / 100.0).sin());
    let places: Vec<f64> = (0..19).map(|k| 100.0 * k as f64 / 18.0).collect();
    let curve = |f: &dyn Fn(f64) -> Point3| {
        let through = through_points(&places.iter().map(|&t| f(t)).collect::<Vec<_>>(), 1e-6).unwrap();
        vec![PatchEdge::plain(through, 1)]
    };
    let how = Weave { reach: 1e-2, to_ends: false, name: "side" };
    let lines: Vec<f64> = places.iter().copied().step_by(2).collect();
    let first: Vec<_> = lines.iter().map(|&y| curve(&|x| at(x, y))).collect();
    let second: Vec<_> = lines.iter().map(|&x| curve(&|y| at(x, y))).collect();
    c.bench_function("network of 10 by 10 curves", |b| {
        b.iter(|| network(black_box(&first), &second, &how, &tolerance).unwrap());
    });
}

fn patches(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let how = Patch { curves: &[], points: &[], tension: 0.0, name: "patch" };
    for (name, sides, agrees) in [
        ("five-sided patch, tangent", 5, Agrees::Tangent),
        ("six-sided patch in agreement with curvature", 6, Agrees::Curvature),
    ] {
        let edges = hole(sides, 30.0, agrees);
        c.bench_function(name, |b| b.iter(|| patch(black_box(&edges), &how, &tolerance).unwrap()));
    }
}

fn bridges(c: &mut Criterion) {
    let tolerance = Tolerance::default();
    let edge = hole(6, 30.0, Agrees::Position);
    let beside = |k: usize| LoftEnd::Neighbour {
        surfaces: vec![Arc::clone(&edge[k].beside.as_ref().unwrap().surface)],
        curvature: true,
        pull: 1.0,
        way: Way::Toward,
        turn: 0.0,
        side: None,
    };
    let section = |k: usize| {
        let pieces = vec![edge[k].curve.clone()];
        Section::Curves { pieces, normal: None, reversed: false, begins: None }
    };
    let sections = [section(0), section(3)];
    let how = Loft { ends: [beside(0), beside(3)], close: false, ..Loft::default() };
    c.bench_function("bridge in agreement with curvature", |b| {
        b.iter(|| loft(black_box(&sections), &how, &tolerance).unwrap());
    });
}

criterion_group!(benches, lofts, rails, wound, networks, patches, bridges);
criterion_main!(benches);
