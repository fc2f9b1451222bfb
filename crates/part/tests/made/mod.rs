//! Recipes and what becomes of them, as the tests of steps make them.
#![allow(dead_code, reason = "each test file uses some of it")]
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use part::{Cancel, Notice, Outcome, Rebuilder, Rebuilt, Recipe};
use serde_json::{Value, json};
use topology::Body;

pub fn step(id: &str, kind: &str, make: Value) -> Value {
    json!({"id": id, "name": id, "make": {kind: make}})
}

pub fn recipe_with(parameters: Value, steps: Vec<Value>) -> Recipe {
    recipe_of(1, parameters, steps)
}

pub fn recipe_of(version: u32, parameters: Value, steps: Vec<Value>) -> Recipe {
    let value = json!({
        "format": "kindred-shell-recipe", "version": version, "name": "Surfaces", "parameters": parameters, "steps": steps,
    });
    Recipe::from_value(value).unwrap()
}

pub fn recipe(steps: Vec<Value>) -> Recipe {
    recipe_with(json!([]), steps)
}

pub fn rebuild(recipe: &Recipe) -> Rebuilt {
    Rebuilder::new().rebuild(recipe, &Cancel::default(), &|_| ()).unwrap()
}

pub fn bodies(rebuilt: &Rebuilt, index: usize) -> &[Body] {
    rebuilt.built(index).unwrap_or_else(|| panic!("{:?}", rebuilt.steps[index].outcome)).shape.bodies()
}

pub fn volume(rebuilt: &Rebuilt, index: usize) -> f64 {
    bodies(rebuilt, index).iter().map(|b| b.measure().volume).sum()
}

pub fn area(rebuilt: &Rebuilt, index: usize) -> f64 {
    bodies(rebuilt, index).iter().map(|b| b.measure().area).sum()
}

pub fn reached(rebuilt: &Rebuilt, index: usize, label: &str) -> f64 {
    let built = rebuilt.built(index).unwrap_or_else(|| panic!("{:?}", rebuilt.steps[index].outcome));
    built.reached.iter().find(|r| r.label == label).unwrap_or_else(|| panic!("{:?}", built.reached)).value
}

pub fn failure(rebuilt: &Rebuilt, index: usize) -> Notice {
    match &rebuilt.steps[index].outcome {
        Outcome::Failed(notice) => notice.clone(),
        other => panic!("{other:?}"),
    }
}

pub fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-12), "{a} is not {b} within {relative}");
}

pub fn drawing(id: &str, plane: &str, offset: f64, curves: Value) -> Value {
    step(id, "drawing", json!({"plane": plane, "offset": offset, "curves": curves}))
}

pub fn circle(id: &str, offset: f64, radius: f64) -> Value {
    drawing(
        id,
        "xy",
        offset,
        json!([{"id": "curve 1", "kind": "circle", "points": [[0, 0]], "values": {"radius": radius}}]),
    )
}

pub fn rectangle(id: &str, plane: &str, offset: f64, [x0, y0, x1, y1]: [f64; 4]) -> Value {
    drawing(
        id,
        plane,
        offset,
        json!([{"id": "curve 1", "kind": "rectangle", "points": [[x0, y0]], "values": {"width": x1 - x0, "height": y1 - y0}}]),
    )
}

pub fn line(id: &str, a: [f64; 3], b: [f64; 3]) -> Value {
    step(id, "space_curve", json!({"points": [a, b]}))
}

pub fn of(step: &str) -> Value {
    json!({"step": step})
}
