//! Kindred Shell: profile curves to watertight solids, in a browser, on a Rust core.

mod assets;
mod build;
mod demo;
mod guard;
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
    /// Builds a recipe file without server or database. Exit code 0: built; 1: with failed steps; 2: unusable input.
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
        /// Chord tolerance of triangles, in millimetres.
        #[arg(long, default_value_t = 0.05)]
        chord: f64,
    },
    /// Prints the JSON Schema of recipe files.
    Schema,
}

fn main() -> ExitCode {
    match Arguments::parse().command {
        Command::Serve(arguments) => serve::run(arguments, false),
        Command::Demo(arguments) => serve::run(arguments, true),
        Command::Build { recipe, set, export, report, chord } => {
            build::run(&build::Job { recipe, set, export, report, chord })
        }
        Command::Schema => {
            println!("{:#}", part::recipe_schema());
            ExitCode::SUCCESS
        }
    }
}
