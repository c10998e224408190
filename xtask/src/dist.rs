//! `cargo xtask dist`: a release as one archive.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::Context;

use crate::run::{cargo, run, tool};

const OUT: &str = "target/dist";

/// What lies in an archive beside what is made for it: from where, and where to.
const BESIDE: [(&str, &str); 7] = [
    ("README.md", "README.md"),
    ("LICENSE-MIT", "LICENSE-MIT"),
    ("LICENSE-APACHE", "LICENSE-APACHE"),
    ("dist/bozzetto.service", "bozzetto.service"),
    ("web/licences", "licences/web"),
    ("press/fonts/LICENSE.txt", "licences/press-fonts.txt"),
    ("docs/SECURITY.md", "docs/SECURITY.md"),
];

pub fn dist() -> anyhow::Result<()> {
    crate::glass::build()?;
    run(cargo().args(["build", "--release", "--package", "bozzetto"]))?;
    let name = format!("bozzetto-{}-{}", env!("CARGO_PKG_VERSION"), host()?);
    let folder = Path::new(OUT).join(&name);
    if folder.exists() {
        fs::remove_dir_all(&folder)?;
    }
    fs::create_dir_all(folder.join("licences"))?;
    let binary = folder.join("bozzetto");
    fs::copy("target/release/bozzetto", &binary)?;
    run(Command::new(&binary).arg("manual").arg("--to").arg(&folder))?;
    for (from, to) in BESIDE {
        copy(Path::new(from), &folder.join(to)).with_context(|| from.to_owned())?;
    }
    licences(&folder.join("licences/crates.txt"))?;
    let archive = format!("{name}.tar.gz");
    run(Command::new("tar")
        .args(["--owner=0", "--group=0", "-czf", &archive, &name])
        .current_dir(OUT))?;
    let bytes = Path::new(OUT).join(&archive).metadata()?.len();
    println!("\n{OUT}/{archive}: {bytes} bytes");
    Ok(())
}

/// Licences of all crates that are in it, gathered from them.
fn licences(to: &Path) -> anyhow::Result<()> {
    let about = tool("cargo-about", "0.9.3", &["cli"])?;
    run(Command::new(about)
        .args(["generate", "--workspace", "--offline", "--fail"])
        .args(["--config", "dist/about.toml", "--output-file"])
        .arg(to)
        .arg("dist/licences.hbs"))
}

/// What this machine is called among those that programs are built for.
fn host() -> anyhow::Result<String> {
    let said = Command::new("rustc").arg("-vV").output()?;
    let said = String::from_utf8(said.stdout)?;
    let host = said.lines().find_map(|line| line.strip_prefix("host: "));
    host.map(str::to_owned)
        .context("rustc does not say what it builds for")
}

fn copy(from: &Path, to: &PathBuf) -> anyhow::Result<()> {
    if let Some(folder) = to.parent() {
        fs::create_dir_all(folder)?;
    }
    if from.is_file() {
        fs::copy(from, to)?;
        return Ok(());
    }
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        copy(&entry.path(), &to.join(entry.file_name()))?;
    }
    Ok(())
}
