//! `kindred-shell build`: a recipe file in, reports and exchange files out.

use std::fmt::Display;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use exchange::{Export, Format, NamedBody};
use part::{Amount, Cancel, Rebuilder, Rebuilt, Recipe, Report, report};
use topology::Body;

/// Larger files are no recipes.
const MOST_BYTES: u64 = 16 << 20;
const UNUSABLE: u8 = 2;

pub struct Job {
    pub recipe: PathBuf,
    pub set: Vec<String>,
    pub export: Vec<PathBuf>,
    pub report: Option<PathBuf>,
    pub chord: f64,
}

pub fn run(job: &Job) -> ExitCode {
    match try_run(job) {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(1),
        Err(message) => {
            eprintln!("{message}");
            ExitCode::from(UNUSABLE)
        }
    }
}

fn about(path: &Path, error: &dyn Display) -> String {
    format!("{}: {error}", path.display())
}

fn read(path: &Path) -> Result<Recipe, String> {
    let size = std::fs::metadata(path).map_err(|e| about(path, &e))?.len();
    if size > MOST_BYTES {
        return Err(about(path, &format!("{size} bytes are too many for a recipe; at most {MOST_BYTES}")));
    }
    let text = std::fs::read_to_string(path).map_err(|e| about(path, &e))?;
    Recipe::from_json(&text).map_err(|e| about(path, &e))
}

fn set(recipe: &mut Recipe, assignment: &str) -> Result<(), String> {
    let (name, value) =
        assignment.split_once('=').ok_or_else(|| format!("--set {assignment}: write NAME=VALUE"))?;
    let parameter = recipe
        .parameters
        .iter_mut()
        .find(|p| p.name == name.trim())
        .ok_or_else(|| format!("--set {assignment}: the recipe has no parameter `{}`", name.trim()))?;
    let value = value.trim();
    parameter.formula = value.parse().map_or_else(|_| Amount::Formula(value.into()), Amount::Number);
    Ok(())
}

/// What a part comes to, each body under its step's name: what is sent, from the page and from here.
pub fn result_bodies<'a>(recipe: &'a Recipe, rebuilt: &Rebuilt) -> Vec<NamedBody<'a>> {
    let named = |i: usize| {
        let bodies = rebuilt.built(i).map_or(&[][..], |b| b.shape.bodies());
        let spoken = |body: &Body| body.clone().with_roles(&|role| recipe.spoken(role));
        bodies.iter().map(move |body| NamedBody { name: &recipe.steps[i].name, body: spoken(body) })
    };
    rebuilt.results().flat_map(named).collect()
}

/// Whether every step was built; `Err` for unusable input.
fn try_run(job: &Job) -> Result<bool, String> {
    let formats = job
        .export
        .iter()
        .map(|path| {
            let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
            Format::from_ending(ending).map(|format| (path, format)).map_err(|e| about(path, &e))
        })
        .collect::<Result<Vec<_>, _>>()?;
    let mut recipe = read(&job.recipe)?;
    for assignment in &job.set {
        set(&mut recipe, assignment)?;
    }
    let rebuilt =
        Rebuilder::new().rebuild(&recipe, &Cancel::default(), &|_| ()).map_err(|e| about(&job.recipe, &e))?;
    let report = report(&recipe, &rebuilt);
    for step in &report.steps {
        if let Some(error) = &step.error {
            eprintln!("{}: {}", step.name, error.message);
        }
        for warning in &step.warnings {
            eprintln!("{}: warning: {}", step.name, warning.message);
        }
    }
    if let Some(path) = &job.report {
        let text = serde_json::to_string_pretty(&report).map_err(|e| about(path, &e))?;
        std::fs::write(path, text + "\n").map_err(|e| about(path, &e))?;
    }
    let bodies = result_bodies(&recipe, &rebuilt);
    let export = Export { part: &recipe.name, bodies, chord: job.chord };
    for (path, format) in formats {
        let bytes = export.write(format).map_err(|e| about(path, &e))?;
        std::fs::write(path, bytes).map_err(|e| about(path, &e))?;
    }
    // A reader that has heard enough, such as `head`, is no failure of the build.
    let _ = tell(&mut std::io::stdout().lock(), &recipe.name, &report);
    Ok(report.steps.iter().all(|s| s.state == "built" || s.state == "skipped"))
}

/// What the part came to, a line for each body.
fn tell(out: &mut impl Write, name: &str, report: &Report) -> std::io::Result<()> {
    writeln!(out, "{name}: {}", report.headline)?;
    for body in &report.bodies {
        let volume = body.volume_ml.map_or(String::new(), |v| format!(", {v:.3} mL"));
        writeln!(
            out,
            "  {}: {}, {} faces, {:.2} mm²{volume}",
            body.name, body.kind, body.faces, body.area_mm2
        )?;
    }
    Ok(())
}
