//! `cargo xtask`: everything that is done with this project, on a machine that has rustup, Node and
//! Debian's packages.

mod bench;
mod check;
mod demo;
mod deny;
mod dist;
mod glass;
mod run;
mod shots;

use clap::{Parser, Subcommand};

/// Tasks of the Bozzetto project.
#[derive(Parser)]
struct Cli {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Build everything, fill a demo data folder, serve it and print the addresses.
    Demo {
        /// The port to serve on; without it 7070, or the next free one.
        #[arg(long)]
        port: Option<u16>,
        /// Start from fresh demo data.
        #[arg(long)]
        fresh: bool,
    },
    /// Format, clippy, all Rust tests, type check of the scripts, browser tests.
    Check,
    /// Build the WebAssembly module and its bindings into web/static/glass.
    Glass,
    /// Measure; print a line each and write target/bench.json.
    Bench {
        /// Only these; all without.
        names: Vec<String>,
    },
    /// Build a release archive into target/dist.
    Dist,
    /// Take the pictures in docs/screenshots again.
    Shots,
}

fn main() -> anyhow::Result<()> {
    std::env::set_current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/.."))?;
    match Cli::parse().task {
        Task::Demo { port, fresh } => demo::demo(port, fresh),
        Task::Check => check::check(),
        Task::Glass => glass::build(),
        Task::Bench { names } => bench::bench(&names),
        Task::Dist => dist::dist(),
        Task::Shots => shots::shots(),
    }
}
