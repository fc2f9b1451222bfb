//! Demo parts with a wall whose thickness changes.
#![allow(missing_docs, clippy::unwrap_used, reason = "benches are not a public interface")]

use criterion::{Criterion, criterion_group, criterion_main};
use part::{Cancel, Rebuilder, Recipe};
use serde_json::{Value, json};

fn demo(name: &str) -> Value {
    let path = format!("{}/../../examples/{name}.json", env!("CARGO_MANIFEST_DIR"));
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn bench(c: &mut Criterion) {
    let hollow = |make: Value| json!({"id": "made", "name": "Made", "make": make});
    for (name, title, last) in [
        ("float", "hollow the float", Some(json!({"hollow": {"solid": {"step": "float_body"}}}))),
        ("sensor-pod", "sensor pod: another thickness", None),
        ("hoist-handle", "hoist handle: another thickness", None),
        ("rain-funnel", "rain funnel: another thickness", None),
        ("wind-cup", "wind cup: another thickness", None),
        ("clamp-bracket", "clamp bracket: another thickness", None),
    ] {
        let mut recipe = demo(name);
        if let Some(make) = last {
            recipe["steps"].as_array_mut().unwrap().push(hollow(make));
        }
        let kinds = ["hollow", "thicken"];
        let steps = recipe["steps"].as_array().unwrap();
        let at = steps.iter().rposition(|s| kinds.iter().any(|k| s["make"].get(k).is_some())).unwrap();
        let kind = kinds.into_iter().find(|k| steps[at]["make"].get(k).is_some()).unwrap();
        let mut rebuilder = Rebuilder::new();
        let mut thickness = if name == "wind-cup" { 0.6 } else { 1.5 };
        c.bench_function(title, |b| {
            b.iter(|| {
                thickness += 1e-5;
                recipe["steps"][at]["make"][kind]["thickness"] = json!(thickness);
                let recipe = Recipe::from_value(recipe.clone()).unwrap();
                let rebuilt = rebuilder.rebuild(&recipe, &Cancel::default(), &|_| ()).unwrap();
                assert!(rebuilt.built(at).is_some());
            });
        });
    }
}

criterion_group!(benches, bench);
criterion_main!(benches);
