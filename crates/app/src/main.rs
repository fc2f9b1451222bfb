//! Kindred Shell: profile curves to watertight solids, in a browser, on a Rust core.

mod asked;
mod assets;
mod budget;
mod build;
mod demo;
mod guard;
mod kept;
mod live;
mod picture;
mod rejection;
mod routes;
mod serve;
mod state;
mod view;
mod workshop;

use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Parser, Subcommand};

#[derive(Parser)]
#[command(name = "kindred-shell", version, about = "Profile curves to watertight, makeable solids")]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Starts the server on 127.0.0.1.
    Serve(serve::ServeArguments),
    /// Starts the server, with the demo's parts where the database has none.
    Demo(serve::ServeArguments),
    /// Builds a recipe file without server or database. Exit code 0: all bodies as meant; 1: a step failed, or a body that
    /// should be a solid is none; 2: unusable input.
    Build {
        /// The recipe file.
        recipe: PathBuf,
        /// Sets a parameter, for example `--set wall="2.5 mm"`.
        #[arg(long = "set", value_name = "NAME=VALUE")]
        set: Vec<String>,
        /// Writes a file; the ending says the format: step, stl, 3mf, glb.
        #[arg(long = "export", value_name = "FILE")]
        export: Vec<PathBuf>,
        /// Writes the closure report as JSON.
        #[arg(long, value_name = "FILE")]
        report: Option<PathBuf>,
        /// Writes the names of faces, edges, vertices and pieces, with their places, as JSON.
        #[arg(long, value_name = "FILE")]
        topology: Option<PathBuf>,
        /// Chord tolerance of triangles, in millimetres.
        #[arg(long, default_value_t = 0.05)]
        chord: f64,
        #[command(flatten)]
        budget: budget::BudgetArguments,
    },
    /// Prints the JSON Schema of recipe files.
    Schema,
}

fn main() -> ExitCode {
    match Arguments::parse().command {
        Command::Serve(arguments) => serve::run(arguments, false),
        Command::Demo(arguments) => serve::run(arguments, true),
        Command::Build { recipe, set, export, report, topology, chord, budget } => {
            build::run(&build::Job { recipe, set, export, report, topology, chord, budget: budget.budget() })
        }
        Command::Schema => {
            println!("{:#}", part::recipe_schema());
            ExitCode::SUCCESS
        }
    }
}
