//! `kindred-shell build` as a person or a script runs it.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn example(name: &str) -> String {
    format!("{}/../../examples/{name}.json", env!("CARGO_MANIFEST_DIR"))
}

fn folder(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

fn build(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_kindred-shell")).arg("build").args(arguments).output().unwrap()
}

fn complaint(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn the_funnel_builds_with_files_and_report() {
    let folder = folder("funnel");
    let file = |name: &str| folder.join(name).to_string_lossy().into_owned();
    let (step, stl, package, report) = (file("o.step"), file("o.stl"), file("o.3mf"), file("o.json"));
    let recipe = example("rain-funnel");
    let output =
        build(&[&recipe, "--export", &step, "--export", &stl, "--export", &package, "--report", &report]);
    assert_eq!(output.status.code(), Some(0), "{}", complaint(&output));
    let report: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(report).unwrap()).unwrap();
    assert_eq!(report["ready"], true);
    let body = &report["bodies"][0];
    assert_eq!((&body["kind"], &body["watertight"]), (&"solid".into(), &true.into()));
    let before = body["volume_mm3"].as_f64().unwrap();
    for name in [step, stl, package] {
        assert!(std::fs::metadata(name).unwrap().len() > 1000);
    }
    let report = file("thicker.json");
    let output = build(&[&recipe, "--set", "wall=2.5 mm", "--report", &report]);
    assert_eq!(output.status.code(), Some(0));
    let report: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(report).unwrap()).unwrap();
    assert!(report["bodies"][0]["volume_mm3"].as_f64().unwrap() > before * 1.1);
}

/// A flange whose hole runs within the bar's own, all on one plane: what of one face's border lies in the other's opening
/// divides nothing there.
#[test]
fn a_hollow_bar_joins_its_feet_at_any_width() {
    let recipe = format!("{}/../../examples/hoist-handle.json", env!("CARGO_MANIFEST_DIR"));
    for grip in ["29 mm", "30 mm", "31 mm", "32 mm"] {
        for wall in ["2.4 mm", "2.6 mm"] {
            let output =
                build(&[&recipe, "--set", &format!("grip={grip}"), "--set", &format!("wall={wall}")]);
            assert_eq!(output.status.code(), Some(0), "{grip} {wall}: {}", complaint(&output));
        }
    }
}

#[test]
fn every_example_builds_and_what_has_surfaces_is_watertight() {
    let mut solids = 0;
    for entry in std::fs::read_dir(format!("{}/../../examples", env!("CARGO_MANIFEST_DIR"))).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|e| e == "json") {
            let output = build(&[&path.to_string_lossy()]);
            assert_eq!(output.status.code(), Some(0), "{}", complaint(&output));
            let said = String::from_utf8_lossy(&output.stdout).into_owned();
            let solid = said.contains("A watertight solid");
            solids += usize::from(solid);
            // Some of the demo's parts are curves only so far.
            assert!(solid || said.contains("Nothing to close yet"), "{}: {said}", path.display());
        }
    }
    assert!(solids >= 4, "{solids} solids");
}

#[test]
fn a_failed_step_gives_exit_code_1_and_its_reason() {
    let output = build(&[&example("rain-funnel"), "--set", "wall=90 mm"]);
    assert_eq!(output.status.code(), Some(1));
    assert!(complaint(&output).contains("does not fit"), "{}", complaint(&output));
}

#[test]
fn the_exit_code_says_whether_all_bodies_are_as_meant() {
    let folder = folder("meant");
    let built = |name: &str, more: &str, steps: &str| {
        let path = folder.join(name);
        let head = r#"{"format":"kindred-shell-recipe","version":2,"name":"Meant","steps":["#;
        std::fs::write(&path, format!("{head}{steps}]{more}}}")).unwrap();
        build(&[&path.to_string_lossy()])
    };
    let circle = |radius: f64| {
        format!(
            r#"{{"id":"d","name":"d","make":{{"drawing":{{"plane":"xz","curves":[{{"id":"c","kind":"circle","points":[[20,0]],"values":{{"radius":{radius}}}}}]}}}}}}"#
        )
    };
    let coil = |radius| {
        let helix = r#"{"id":"h","name":"h","make":{"helix":{"axis":"z","radius":20,"pitch":4,"turns":2}}}"#;
        let sweep =
            r#"{"id":"s","name":"s","make":{"sweep":{"path":{"step":"h"},"sections":[{"step":"d"}]}}}"#;
        format!("{},{helix},{sweep}", circle(radius))
    };
    let open =
        r#"{"id":"e","name":"e","make":{"extrude":{"profile":{"step":"d"},"length":9,"ends":"open"}}}"#;
    let tube = format!("{},{open}", circle(5.0));
    let wall = r#"{"id":"t","name":"t","make":{"thicken":{"surface":{"step":"e"},"thickness":90}}}"#;
    let too_thick = format!("{tube},{wall}");
    for (name, more, steps, code) in [
        ("coil", "", coil(1.0), 0),
        // The wire is thicker than from one turn to the next.
        ("thick-coil", "", coil(5.0), 1),
        ("open-tube", "", tube, 0),
        ("failed", "", too_thick.clone(), 1),
        // Held before what fails, all is as asked.
        ("held", r#","hold":"e""#, too_thick, 0),
    ] {
        let output = built(&format!("{name}.json"), more, &steps);
        assert_eq!(output.status.code(), Some(code), "{name}: {}", complaint(&output));
        assert_eq!(complaint(&output).is_empty(), code == 0, "{name}: {}", complaint(&output));
    }
}

#[test]
fn unusable_input_gives_exit_code_2_and_its_name() {
    let folder = folder("unusable");
    let write = |name: &str, text: &str| {
        let path = folder.join(name);
        std::fs::write(&path, text).unwrap();
        path.to_string_lossy().into_owned()
    };
    let future = r#"{"format":"kindred-shell-recipe","version":4,"name":"x","steps":[]}"#;
    for (arguments, expected) in [
        (vec![write("not.json", "{")], "this is no recipe"),
        (vec![write("future.json", future)], "version 4"),
        (vec![folder.join("gone.json").to_string_lossy().into_owned()], "gone.json"),
        (vec![example("rain-funnel"), "--set".into(), "nothing=1".into()], "no parameter `nothing`"),
        (vec![example("rain-funnel"), "--set".into(), "wall".into()], "NAME=VALUE"),
        (vec![example("rain-funnel"), "--export".into(), "part.obj".into()], "no format"),
        (
            vec![
                example("rain-funnel"),
                "--export".into(),
                folder.join("a.stl").to_string_lossy().into_owned(),
                "--chord".into(),
                "0".into(),
            ],
            "chord tolerance",
        ),
    ] {
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let output = build(&arguments);
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        assert!(complaint(&output).contains(expected), "{arguments:?}: {}", complaint(&output));
    }
}
