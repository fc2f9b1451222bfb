//! The demo funnel after one profile point moves: rebuild, mesh, report.
#![allow(missing_docs, clippy::unwrap_used, reason = "benches are not a public interface")]

use criterion::{Criterion, criterion_group, criterion_main};
use part::{Amount, Cancel, Edit, Rebuilder, Rebuilt, Recipe, report};
use topology::{MeshTolerance, mesh};

fn funnel() -> Recipe {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/rain-funnel.json");
    Recipe::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn triangles(rebuilt: &Rebuilt, chord: f64) -> usize {
    let body = &rebuilt.built(2).unwrap().shape.bodies()[0];
    let meshes = body.shells().into_iter().map(|s| mesh(s, MeshTolerance::chord(chord)).unwrap());
    meshes.map(|m| m.triangles().count()).sum()
}

fn bench(c: &mut Criterion) {
    let recipe = funnel();
    let mut rebuilder = Rebuilder::new();
    let rebuild = |rebuilder: &mut Rebuilder, recipe: &Recipe| {
        rebuilder.rebuild(recipe, &Cancel::default(), &|_| ()).unwrap()
    };
    let mut offset = 0.0;
    // Every round moves the point elsewhere, so that nothing comes from the cache.
    let mut moved = || {
        offset += 1e-4;
        let to = [Amount::Number(38.0 + offset), Amount::Number(50.0)];
        let edit =
            Edit::MovePoint { step: "bowl_profile".into(), curve: "curve 1".into(), index: 4, to: to.into() };
        edit.apply(&recipe).unwrap()
    };
    c.bench_function("funnel: move a point, rebuild", |b| {
        b.iter(|| rebuild(&mut rebuilder, &moved()).steps.len());
    });
    c.bench_function("funnel: move a point, rebuild, mesh at 0.1 mm", |b| {
        b.iter(|| triangles(&rebuild(&mut rebuilder, &moved()), 0.1));
    });
    let rebuilt = rebuild(&mut rebuilder, &recipe);
    c.bench_function("funnel: mesh at 0.1 mm", |b| b.iter(|| triangles(&rebuilt, 0.1)));
    c.bench_function("funnel: mesh at 0.01 mm", |b| b.iter(|| triangles(&rebuilt, 0.01)));
    c.bench_function("funnel: report", |b| b.iter(|| report(&recipe, &rebuilt).bodies.len()));
}

criterion_group!(benches, bench);
criterion_main!(benches);
