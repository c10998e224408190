//! The WebAssembly module: built for size, bound, and laid where the pages find it.

use std::fs;
use std::path::Path;
use std::process::Command;

use anyhow::Context;
use wasm_bindgen_cli_support::Bindgen;

use crate::run::{cargo, run};

const TARGET: &str = "wasm32-unknown-unknown";
const OUT: &str = "web/static/glass";

pub fn build() -> anyhow::Result<()> {
    target()?;
    run(cargo()
        .args(["build", "--quiet", "--package", "bozzetto-glass"])
        .args(["--target", TARGET, "--profile", "glass"]))?;
    let built = format!("target/{TARGET}/glass/bozzetto_glass.wasm");
    let fresh = Path::new(OUT).join("glass_bg.wasm");
    let newer = |a: &Path, b: &Path| -> Option<bool> {
        Some(a.metadata().ok()?.modified().ok()? > b.metadata().ok()?.modified().ok()?)
    };
    if newer(&fresh, Path::new(&built)) == Some(true) {
        return Ok(());
    }
    fs::create_dir_all(OUT)?;
    Bindgen::new()
        .input_path(&built)
        .out_name("glass")
        .web(true)?
        .typescript(true)
        .remove_name_section(true)
        .remove_producers_section(true)
        .omit_default_module_path(false)
        .generate(OUT)
        .context("the bindings could not be made")?;
    println!("glass: {} bytes", fresh.metadata()?.len());
    Ok(())
}

/// Rust's standard library for WebAssembly.
fn target() -> anyhow::Result<()> {
    let sysroot = Command::new("rustc")
        .args(["--print", "sysroot"])
        .output()?;
    let sysroot = String::from_utf8(sysroot.stdout)?;
    let there = Path::new(sysroot.trim()).join("lib/rustlib").join(TARGET);
    if there.join("lib").exists() {
        return Ok(());
    }
    println!("Rust's library for {TARGET} is missing; rustup adds it.");
    run(Command::new("rustup").args(["target", "add", TARGET])).with_context(|| {
        format!(
            "the browser's part cannot be built without it. Please add it by hand:\n  \
             rustup target add {TARGET}"
        )
    })
}
