//! The WebAssembly modules: built for size, bound, and laid where the pages find them.

use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::Command;
use std::thread::JoinHandle;

use anyhow::Context;
use wasm_bindgen_cli_support::Bindgen;

use crate::run::{cargo, run};

const TARGET: &str = "wasm32-unknown-unknown";
const OUT: &str = "web/static/glass";

/// What is built for the browser: the package, and what pages know it as.
const MODULES: [(&str, &str); 5] = [
    ("bozzetto-glass", "glass"),
    ("bozzetto-cut", "cut"),
    ("bozzetto-wall", "wall"),
    ("bozzetto-text", "text"),
    ("bozzetto-recorder", "recorder"),
];

pub fn build() -> anyhow::Result<()> {
    target()?;
    run(&mut compile())?;
    bind_all()
}

/// Modules that are being built while something else is.
pub struct Beside(JoinHandle<anyhow::Result<()>>);

/// Begins to build the modules beside what is built next: both have parts that keep one processor busy
/// and the other waiting. Cargo's own progress is shown for the other.
pub fn begin() -> anyhow::Result<Beside> {
    target()?;
    Ok(Beside(std::thread::spawn(|| {
        run(compile().arg("--quiet"))?;
        bind_all()
    })))
}

impl Beside {
    /// Waits for them.
    pub fn finish(self) -> anyhow::Result<()> {
        let built = self.0.join();
        built.map_err(|_| anyhow::anyhow!("the browser's part could not be built"))?
    }
}

fn compile() -> Command {
    let packages = MODULES
        .iter()
        .flat_map(|(package, _)| ["--package", package]);
    let mut compile = cargo();
    compile
        .arg("build")
        .args(packages)
        .args(["--target", TARGET, "--profile", "glass"]);
    compile
}

fn bind_all() -> anyhow::Result<()> {
    MODULES
        .iter()
        .try_for_each(|(package, name)| bind(package, name))
}

fn bind(package: &str, name: &str) -> anyhow::Result<()> {
    let file = package.replace('-', "_");
    let built = format!("target/{TARGET}/glass/{file}.wasm");
    let fresh = Path::new(OUT).join(format!("{name}_bg.wasm"));
    let newer = |a: &Path, b: &Path| -> Option<bool> {
        Some(a.metadata().ok()?.modified().ok()? > b.metadata().ok()?.modified().ok()?)
    };
    if newer(&fresh, Path::new(&built)) == Some(true) {
        return Ok(());
    }
    fs::create_dir_all(OUT)?;
    Bindgen::new()
        .input_path(&built)
        .out_name(name)
        .web(true)?
        .typescript(true)
        .remove_name_section(true)
        .remove_producers_section(true)
        .omit_default_module_path(false)
        .generate(OUT)
        .context("the bindings could not be made")?;
    let bytes = fs::read(&fresh)?;
    let packed = pack(&bytes)?;
    println!("{name}: {} bytes, packed {}", bytes.len(), packed.len());
    fs::write(fresh.with_extension("wasm.br"), packed)?;
    Ok(())
}

/// Packed once here, as small as it gets, so that no server has to do it when it starts.
fn pack(bytes: &[u8]) -> anyhow::Result<Vec<u8>> {
    let mut out = brotli::CompressorWriter::new(Vec::new(), 1 << 16, 11, 22);
    out.write_all(bytes)?;
    Ok(out.into_inner())
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
