//! Running other programs, and getting what is missing.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use anyhow::{Context, bail};

/// Runs a command and shows what it prints; fails when it does.
pub fn run(command: &mut Command) -> anyhow::Result<()> {
    let shown = shown(command);
    println!("\n> {shown}");
    let status = command
        .status()
        .with_context(|| format!("{shown} could not be started"))?;
    if !status.success() {
        bail!("{shown} failed");
    }
    Ok(())
}

/// A command as one would type it.
fn shown(command: &Command) -> String {
    std::iter::once(command.get_program())
        .chain(command.get_args())
        .map(|part| part.to_string_lossy().into_owned())
        .collect::<Vec<_>>()
        .join(" ")
}

/// Cargo, the one that runs this.
pub fn cargo() -> Command {
    Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()))
}

/// Where tools are kept, apart from those of whoever works here.
const TOOLS: &str = "target/tools";

/// A tool that is a crate, built if it is not there, perhaps with features; gives its path.
pub fn tool(name: &str, version: &str, features: &[&str]) -> anyhow::Result<PathBuf> {
    let tool = Path::new(TOOLS).join("bin").join(name);
    if !tool.exists() {
        println!("{name} is missing; it is built once, which takes some minutes.");
        // It runs for seconds: to optimise it would take longer than it ever saves.
        run(cargo()
            .args(["install", name, "--locked", "--version", version])
            .args(["--root", TOOLS, "--features", &features.join(",")])
            .arg("--debug")
            .env("CARGO_PROFILE_DEV_DEBUG", "0"))?;
    }
    Ok(tool)
}

/// Whether a program, or what lies at a path, can be found.
pub fn has(program: &str) -> bool {
    if program.starts_with('/') {
        return Path::new(program).exists();
    }
    Command::new("which")
        .arg(program)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|s| s.success())
}

/// Makes sure of Debian packages by the programs that they bring.
pub fn debian(needed: &[(&str, &str)]) -> anyhow::Result<()> {
    let missing: Vec<&str> = needed
        .iter()
        .filter(|(program, _)| !has(program))
        .map(|(_, package)| *package)
        .collect();
    if missing.is_empty() {
        return Ok(());
    }
    println!("Missing from this machine: {}", missing.join(", "));
    let root = Command::new("id").arg("-u").output()?.stdout == b"0\n";
    let apt = || {
        let mut c = Command::new(if root { "apt-get" } else { "sudo" });
        if !root {
            c.arg("apt-get");
        }
        c.env("DEBIAN_FRONTEND", "noninteractive");
        c
    };
    run(apt().args(["update", "-q"]))
        .and_then(|()| {
            run(apt()
                .args(["install", "-y", "-q", "--no-install-recommends"])
                .args(&missing))
        })
        .with_context(|| format!("please install {} by hand", missing.join(", ")))
}

/// Makes sure of the browser tests' npm packages and of Chromium.
pub fn browser() -> anyhow::Result<()> {
    debian(&[
        ("chromium", "chromium"),
        ("pngcheck", "pngcheck"),
        ("ffprobe", "ffmpeg"),
    ])?;
    let written = |path: &str| Path::new(path).metadata().ok()?.modified().ok();
    if written("e2e/node_modules/.package-lock.json") < written("e2e/package-lock.json") {
        let mut npm = Command::new("npm");
        npm.args(["ci", "--no-audit", "--no-fund"])
            .current_dir("e2e");
        npm.env("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1");
        run(&mut npm)?;
    }
    Ok(())
}
