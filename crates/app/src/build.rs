//! `kindred-shell build`: a recipe file in, reports and exchange files out.

use std::fmt::Display;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use exchange::{Export, Format, NamedBody};
use geometry::Work;
use part::{
    Amount, Budget, Cancel, MOST_BYTES, Rebuilder, Rebuilt, Recipe, RecipeError, Report, report, told,
};
use topology::Body;

const UNUSABLE: u8 = 2;

/// Tells the user; a reader that has heard enough is no failure of the build.
fn complain(message: impl Display) {
    drop(writeln!(std::io::stderr(), "{message}"));
}

pub struct Job {
    pub recipe: PathBuf,
    pub set: Vec<String>,
    pub export: Vec<PathBuf>,
    pub report: Option<PathBuf>,
    pub topology: Option<PathBuf>,
    pub chord: f64,
    pub budget: Budget,
}

pub fn run(job: &Job) -> ExitCode {
    match try_run(job) {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(1),
        Err(message) => {
            complain(message);
            ExitCode::from(UNUSABLE)
        }
    }
}

fn about(path: &Path, error: &dyn Display) -> String {
    format!("{}: {error}", path.display())
}

fn read(path: &Path) -> Result<Recipe, String> {
    let size = std::fs::metadata(path).map_err(|e| about(path, &e))?.len();
    if size > MOST_BYTES as u64 {
        return Err(about(path, &format!("{size} bytes are too many for a recipe; at most {MOST_BYTES}")));
    }
    let text = std::fs::read_to_string(path).map_err(|e| about(path, &e))?;
    Recipe::from_json(&text).map_err(|e| about(path, &e))
}

/// Sets a parameter as told by `NAME=VALUE`.
///
/// # Errors
/// `Field` without `=`, `NoTarget` for a name that no parameter has.
pub fn set_parameter(recipe: &mut Recipe, assignment: &str) -> Result<(), RecipeError> {
    let (name, value) = assignment
        .split_once('=')
        .ok_or_else(|| RecipeError::Field { field: told(assignment), reason: "write NAME=VALUE".into() })?;
    let at = recipe.parameter(name.trim())?;
    let parameter = &mut recipe.parameters[at];
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

/// Whether every step was built that was to be and every body is as meant; `Err` for unusable input.
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
        set_parameter(&mut recipe, assignment).map_err(|e| format!("--set: {e}"))?;
    }
    let cancel = Cancel::default();
    let rebuilt = Rebuilder::new()
        .with_budget(job.budget.clone())
        .rebuild(&recipe, &cancel, &|_| ())
        .map_err(|e| about(&job.recipe, &e))?;
    let within = |what: &str, halt: geometry::Halt| about(&job.recipe, &format!("the {what}: {halt}"));
    let report = Work::new(&cancel, &job.budget)
        .run(|| report(&recipe, &rebuilt))
        .map_err(|halt| within("report", halt))?;
    for step in &report.steps {
        if let Some(error) = &step.error {
            complain(format_args!("{}: {}", step.name, error.message));
        }
        for warning in &step.warnings {
            complain(format_args!("{}: warning: {}", step.name, warning.message));
        }
    }
    if let Some(path) = &job.report {
        let text = serde_json::to_string_pretty(&report).map_err(|e| about(path, &e))?;
        std::fs::write(path, text + "\n").map_err(|e| about(path, &e))?;
    }
    if let Some(path) = &job.topology {
        let named = Work::new(&cancel, &job.budget)
            .run(|| part::named_shapes(&recipe, &rebuilt, None))
            .map_err(|halt| within("names", halt))?;
        let text = serde_json::to_string_pretty(&named.unwrap_or_default()).map_err(|e| about(path, &e))?;
        std::fs::write(path, text + "\n").map_err(|e| about(path, &e))?;
    }
    let bodies = result_bodies(&recipe, &rebuilt);
    let export = Export { part: &recipe.name, bodies, chord: job.chord };
    for (path, format) in formats {
        let bytes = Work::new(&cancel, &job.budget)
            .run(|| export.write(format))
            .map_err(|halt| within("file", halt))?
            .map_err(|e| about(path, &e))?;
        std::fs::write(path, bytes).map_err(|e| about(path, &e))?;
    }
    // A reader that has heard enough, such as `head`, is no failure of the build.
    let _ = tell(&mut std::io::stdout().lock(), &recipe.name, &report);
    for body in report.bodies.iter().filter(|b| !b.as_meant) {
        let what = match body.kind {
            _ if let Some(unknown) = body.unknown => format!("took too long to find out {unknown}"),
            "solid" => "passes through itself, or has edges of more than two faces".to_string(),
            kind => {
                format!("is an {kind} where its step is to make a solid").replace("an closed", "a closed")
            }
        };
        complain(format_args!("{}: {} {what}", recipe.name, body.name));
    }
    let built = report.steps.iter().all(|s| matches!(s.state, "built" | "skipped" | "held"));
    Ok(built && report.bodies.iter().all(|b| b.as_meant))
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
