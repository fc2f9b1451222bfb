//! Recipes read, edited and rebuilt through the crate's public face.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use part::steps::Make;
use part::steps::{StepDescription, ValueDescription, Widget};
use part::{
    Amount, Cancel, Edit, Outcome, Parameter, Quantity, Rebuilder, Rebuilt, Recipe, RecipeError, report,
};
use proptest::prelude::*;
use serde_json::{Value, json};

fn funnel() -> Recipe {
    let text =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/rain-funnel.json"));
    Recipe::from_json(&text.unwrap()).unwrap()
}

fn rebuild(rebuilder: &mut Rebuilder, recipe: &Recipe) -> Rebuilt {
    rebuilder.rebuild(recipe, &Cancel::default(), &|_| ()).unwrap()
}

fn rebuilt_steps(rebuilt: &Rebuilt) -> Vec<&str> {
    rebuilt.steps.iter().filter(|s| s.rebuilt).map(|s| s.step.as_str()).collect()
}

fn move_first(x: f64) -> Edit {
    let to = [Amount::Number(x), Amount::Number(0.0)];
    Edit::MovePoint { step: "bowl_profile".into(), curve: "curve 1".into(), index: 0, to: to.into() }
}

fn set(step: &str, field: &str, value: Value) -> Edit {
    Edit::SetField { step: step.into(), field: field.into(), value }
}

/// A tube of inner radius 10 and some height, thickened outwards.
fn tube(height: Value, thickness: Value, parameters: Value) -> Value {
    json!({"format": "kindred-shell-recipe", "version": 1, "name": "Tube", "parameters": parameters, "steps": [
        {"id": "p", "name": "Profile", "make": {"drawing": {"plane": "xz", "curves": [
            {"id": "c", "kind": "through_points", "points": [[10, 0], [10, height]]}]}}},
        {"id": "s", "name": "Tube", "make": {"revolve": {"profile": {"step": "p"}}}},
        {"id": "w", "name": "Wall", "make": {"thicken": {"surface": {"step": "s"}, "side": "outward", "thickness": thickness}}},
    ]})
}

fn volume_of(value: Value) -> f64 {
    let recipe = Recipe::from_value(value).unwrap();
    report(&recipe, &rebuild(&mut Rebuilder::new(), &recipe)).bodies[0].volume_mm3.unwrap()
}

#[test]
fn only_what_depends_on_a_change_is_rebuilt() {
    let mut rebuilder = Rebuilder::new();
    let recipe = funnel();
    assert_eq!(rebuilt_steps(&rebuild(&mut rebuilder, &recipe)), ["bowl_profile", "bowl", "wall_step"]);
    assert!(rebuilt_steps(&rebuild(&mut rebuilder, &recipe)).is_empty());
    let wall = Parameter {
        name: "wall".into(),
        quantity: Quantity::Length,
        formula: "3 mm".into(),
        note: String::new(),
    };
    let thicker = Edit::SetParameter { parameter: wall }.apply(&recipe).unwrap();
    assert_eq!(rebuilt_steps(&rebuild(&mut rebuilder, &thicker)), ["wall_step"]);
    let moved = move_first(0.3).apply(&recipe).unwrap();
    assert_eq!(rebuilt_steps(&rebuild(&mut rebuilder, &moved)), ["bowl_profile", "bowl", "wall_step"]);
    // Back to what was: everything is known already.
    assert!(rebuilt_steps(&rebuild(&mut rebuilder, &recipe)).is_empty());
}

#[test]
fn a_failed_step_leaves_the_others_and_its_descendants_wait() {
    let recipe = set("bowl", "turn", json!("0 deg")).apply(&funnel()).unwrap();
    let rebuilt = rebuild(&mut Rebuilder::new(), &recipe);
    assert!(rebuilt.steps[0].built().is_some());
    let Outcome::Failed(notice) = &rebuilt.steps[1].outcome else { panic!("a turn of 0 must fail") };
    assert_eq!(notice.input.as_deref(), Some("turn"));
    assert_eq!(rebuilt.steps[2].outcome, Outcome::Waits("bowl".into()));
    let report = report(&recipe, &rebuilt);
    assert!(!report.ready && report.headline.contains("1 thing left"), "{}", report.headline);
    let skipped = Edit::SetSkip { step: "bowl".into(), skip: true }.apply(&recipe).unwrap();
    let rebuilt = rebuild(&mut Rebuilder::new(), &skipped);
    assert_eq!(rebuilt.steps[1].outcome, Outcome::Skipped);
    assert_eq!(rebuilt.steps[2].outcome, Outcome::Waits("bowl".into()));
}

#[test]
fn a_cancelled_rebuild_says_so_and_the_next_one_finishes() {
    let mut rebuilder = Rebuilder::new();
    let cancel = Cancel::default();
    cancel.cancel();
    let stopped = rebuilder.rebuild(&funnel(), &cancel, &|_| ()).unwrap();
    assert_eq!(stopped.steps[0].outcome, Outcome::Cancelled);
    assert!(report(&funnel(), &rebuild(&mut rebuilder, &funnel())).ready);
}

#[test]
fn an_end_off_the_axis_is_cured_by_the_edit_it_offers() {
    let recipe = move_first(0.34).apply(&funnel()).unwrap();
    let rebuilt = rebuild(&mut Rebuilder::new(), &recipe);
    let warnings = &rebuilt.built(1).unwrap().warnings;
    assert!(warnings[0].message.contains("0.340 mm off the axis"), "{}", warnings[0].message);
    let cured = Edit::All { edits: warnings[0].cure.clone().unwrap().edits }.apply(&recipe).unwrap();
    let rebuilt = rebuild(&mut Rebuilder::new(), &cured);
    assert!(rebuilt.built(1).unwrap().warnings.is_empty());
    assert!(report(&cured, &rebuilt).ready);
}

#[test]
fn units_and_formulas_reach_the_shape() {
    // A tube's wall, pi h (R^2 - r^2); one inch is 25.4 mm exactly (NIST Handbook 44, Appendix C).
    let ring = |h: f64, t: f64| std::f64::consts::PI * h * ((10.0 + t) * (10.0 + t) - 100.0);
    let near = |a: f64, b: f64| assert!((a / b - 1.0).abs() < 1e-12, "{a} is not {b}");
    near(volume_of(tube(json!(20), json!(2), json!([]))), ring(20.0, 2.0));
    near(volume_of(tube(json!("1 in"), json!("0.2 cm"), json!([]))), ring(25.4, 2.0));
    near(volume_of(tube(json!("0.5*(3 cm + 1 cm)"), json!("sqrt(2 mm * 2 mm)"), json!([]))), ring(20.0, 2.0));
    let parameters = json!([
        {"name": "wall", "quantity": "length", "formula": "base / 2 + 0.25 in"},
        {"name": "base", "quantity": "length", "formula": "4 mm * n"},
        {"name": "n", "quantity": "count", "formula": 2},
    ]);
    near(volume_of(tube(json!("max(20 mm, wall)"), json!("wall"), parameters)), ring(20.0, 10.35));
}

#[test]
fn figures_are_given_in_every_unit() {
    // UN-01, UN-04: a cubic inch is 16.387064 mL; 1e6 mm^3 are 1000 mL.
    let recipe = Recipe::from_value(tube(json!(20), json!(2), json!([]))).unwrap();
    let report = report(&recipe, &rebuild(&mut Rebuilder::new(), &recipe));
    let body = &report.bodies[0];
    let v = body.volume_mm3.unwrap();
    assert!((body.volume_ml.unwrap() * 1000.0 - v).abs() < 1e-9);
    assert!((body.volume_in3.unwrap() * 16387.064 - v).abs() < 1e-9);
    let [low, high] = body.bounding_box.unwrap();
    for k in 0..3 {
        assert!((high[k] - low[k] - [24.0, 24.0, 20.0][k]).abs() < 1e-9);
    }
    assert_eq!((body.kind, body.watertight, body.faces, body.free_edges.len()), ("solid", true, 4, 0));
}

#[test]
fn formulas_that_cannot_be_read_are_refused_with_the_place_and_the_cure() {
    let deep = "(".repeat(900);
    for (formula, expected) in [
        ("2 mm +", "its end"),
        ("2 mm + 3", "give every number of the sum its unit"),
        ("2 mm * 3 mm", "an area"),
        ("90 deg", "an angle"),
        ("gone", "no parameter `gone`"),
        ("1 mm / 0", "no finite value"),
        ("sqrt(2 mm)", "sqrt cannot take that"),
        ("(((((", "cannot be read"),
        ("2 mm }", "`}`"),
        ("", "its end"),
        (&deep, "nested more than 60 deep"),
    ] {
        let recipe = Recipe::from_value(tube(json!(20), json!(formula), json!([]))).unwrap();
        let rebuilt = rebuild(&mut Rebuilder::new(), &recipe);
        let Outcome::Failed(notice) = &rebuilt.steps[2].outcome else { panic!("{formula} must fail") };
        assert!(notice.message.contains(expected), "{formula}: {}", notice.message);
        assert_eq!(notice.input.as_deref(), Some("thickness"));
    }
}

#[test]
fn edits_that_do_not_fit_change_nothing_and_say_why() {
    let recipe = funnel();
    let (step, curve) = ("bowl_profile".to_string(), "curve 1".to_string());
    assert!(Edit::RemovePoint { step, curve, index: 99 }.apply(&recipe).is_err());
    let field = |name: &str, value| set("bowl", name, value).apply(&recipe);
    assert!(matches!(field("nonsense", json!(1)), Err(RecipeError::Field { .. })));
    assert!(matches!(field("axis", json!("w")), Err(RecipeError::Field { .. })));
    assert!(matches!(field("profile", json!({"step": "bowl"})), Err(RecipeError::Itself(_))));
    assert!(matches!(field("profile", json!({"step": "wall_step"})), Err(RecipeError::Later { .. })));
    let name = Edit::RenameStep { step: "bowl".into(), name: "  ".into() }.apply(&recipe);
    assert!(matches!(name, Err(RecipeError::Name { .. })));
    let gone = Edit::RemoveStep { step: "gone".into() }.apply(&recipe);
    assert!(matches!(gone, Err(RecipeError::NoTarget { what: "step", .. })));
}

#[test]
fn removing_a_step_takes_what_was_made_from_it_along() {
    let recipe = Edit::RemoveStep { step: "bowl".into() }.apply(&funnel()).unwrap();
    assert_eq!(recipe.steps.iter().map(|s| s.id.as_str()).collect::<Vec<_>>(), ["bowl_profile"]);
}

#[test]
fn a_point_is_added_where_it_was_pointed_at() {
    let (step, curve) = ("bowl_profile".to_string(), "curve 1".to_string());
    let recipe = Edit::AddPoint { step, curve, at: [25.0, 41.0] }.apply(&funnel()).unwrap();
    let Make::Drawing(drawing) = &recipe.steps[0].make else { panic!("the first step is a drawing") };
    assert_eq!(drawing.curves[0].points.len(), 8);
    assert_eq!(drawing.curves[0].points[4], [Amount::Number(25.0), Amount::Number(41.0)].into());
}

/// A step of a kind with every slot filled, by typed coordinates where it takes them; `amount` gives its values.
fn filled(description: &StepDescription, amount: impl Fn(&ValueDescription) -> Value) -> Value {
    let mut fields = serde_json::Map::new();
    for value in &description.values {
        fields.insert(value.name.into(), amount(value));
    }
    for slot in &description.slots {
        let one = match slot.typed {
            3 => json!(["a_length", 0, 0]),
            2 => json!(["a_ratio", 0]),
            _ if slot.takes == ["piece"] => json!("a piece"),
            _ => json!({"step": "p"}),
        };
        fields.insert(slot.name.into(), if slot.list { json!([one]) } else { one });
    }
    if description.kind == "drawing" {
        fields.insert("plane".into(), json!("xz"));
    }
    json!({description.kind: fields})
}

#[test]
fn every_kind_of_step_is_described_with_defaults_that_it_takes() {
    for description in Make::descriptions() {
        let make: Make = serde_json::from_value(filled(&description, |v| v.default.clone())).unwrap();
        assert_eq!(make.describe().kind, description.kind);
    }
}

#[test]
fn a_renamed_parameter_is_carried_through_every_value_of_every_kind_of_step() {
    let parameters: Vec<Value> = ["length", "angle", "ratio", "count"]
        .map(|q| json!({"name": format!("a_{q}"), "quantity": q, "formula": 1}))
        .to_vec();
    let mut steps = vec![json!({"id": "p", "name": "p", "make": {"point": {}}})];
    for description in Make::descriptions() {
        let make = filled(&description, |value| match &value.widget {
            Widget::Amount { quantity, .. } => json!(format!("a_{}", json!(quantity).as_str().unwrap())),
            _ => value.default.clone(),
        });
        steps.push(json!({"id": description.kind, "name": description.kind, "make": make}));
    }
    let value = json!({"format": "kindred-shell-recipe", "version": 1, "name": "All", "parameters": parameters, "steps": steps});
    let mut recipe = Recipe::from_value(value).unwrap();
    for quantity in ["length", "angle", "ratio", "count"] {
        let (name, to) = (format!("a_{quantity}"), format!("b_{quantity}"));
        recipe = Edit::RenameParameter { name, to }.apply(&recipe).unwrap();
    }
    let text = serde_json::to_string(&recipe.steps).unwrap();
    assert!(
        text.contains("b_length")
            && text.contains("b_angle")
            && text.contains("b_ratio")
            && text.contains("b_count")
    );
    assert!(!text.contains("\"a_"), "{text}");
}

#[test]
fn the_schema_in_the_docs_is_the_one_of_the_types() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/recipe.schema.json");
    let kept: Value = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    assert_eq!(kept, part::recipe_schema(), "write it anew: kindred-shell schema > docs/recipe.schema.json");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Any edits in any order: each is refused or gives a recipe that can be used, and nothing panics.
    #[test]
    fn random_edits_never_break_a_recipe(
        edits in prop::collection::vec((0usize..9, 0usize..8, -80.0..80.0f64, -80.0..80.0f64), 1..10),
    ) {
        let mut recipe = funnel();
        let mut rebuilder = Rebuilder::new();
        for (kind, index, x, y) in edits {
            let (step, curve) = ("bowl_profile".to_string(), "curve 1".to_string());
            let edit = match kind {
                0 => Edit::MovePoint { step, curve, index, to: [Amount::Number(x), Amount::Number(y)].into() },
                1 => Edit::RemovePoint { step, curve, index },
                2 => Edit::AddPoint { step, curve, at: [x, y] },
                3 => Edit::ReverseCurve { step, curve },
                4 => set("bowl", "turn", json!(format!("{} deg", x * 5.0))),
                5 => set("bowl", "sides", json!(if x > 0.0 { "flat" } else { "round" })),
                6 => set("wall_step", "thickness", json!(x / 10.0)),
                7 => set("wall_step", "side", json!(["inward", "outward", "both"][index % 3])),
                _ => Edit::SetFacing { step: "bowl".into(), flip: x > 0.0 },
            };
            if let Ok(changed) = edit.apply(&recipe) {
                recipe = changed;
            }
            let report = report(&recipe, &rebuild(&mut rebuilder, &recipe));
            for body in &report.bodies {
                prop_assert_eq!(body.kind == "solid", body.watertight);
                prop_assert!(body.volume_mm3.is_none_or(|v| v > 0.0));
            }
            prop_assert_eq!(&Recipe::from_json(&serde_json::to_string(&recipe).unwrap()).unwrap(), &recipe);
        }
    }

    #[test]
    fn no_text_makes_the_reader_panic(text in "\\PC{0,60}") {
        let recipe = Recipe::from_value(tube(json!(20), json!(text), json!([]))).unwrap();
        rebuild(&mut Rebuilder::new(), &recipe);
        let _ = Recipe::from_json(&text);
    }
}
