//! What the project is built from, held against `deny.toml`: licences, where it comes from, and what
//! is known against it.

use std::path::Path;
use std::process::{Command, Stdio};

use crate::run::{run, tool};

pub fn deny() -> anyhow::Result<()> {
    let tool = tool("cargo-deny", "0.20.2", &[])?;
    run(Command::new(&tool).args(["check", "bans", "licenses", "sources"]))?;
    advisories(&tool)
}

/// Advisories come from a repository that not every machine reaches: those that were fetched last do
/// then, and where there never were any, that is said.
fn advisories(tool: &Path) -> anyhow::Result<()> {
    let fetched = Command::new(tool)
        .args(["fetch", "db"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()?
        .success();
    let folder = std::env::var_os("CARGO_HOME").map_or_else(
        || Path::new(&std::env::var_os("HOME").unwrap_or_default()).join(".cargo"),
        Into::into,
    );
    let known = std::fs::read_dir(folder.join("advisory-dbs"));
    let known = known.into_iter().flatten().flatten().any(|db| {
        let files = std::fs::read_dir(db.path().join("crates"));
        files.is_ok_and(|mut files| files.next().is_some())
    });
    if !fetched && !known {
        println!("NOT CHECKED: known advisories. They cannot be fetched here, and none are kept.");
        return Ok(());
    }
    let mut check = Command::new(tool);
    check.args(["check", "--disable-fetch", "advisories"]);
    run(&mut check)
}
