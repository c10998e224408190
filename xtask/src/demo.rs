//! `cargo xtask demo`.

use std::fs::File;
use std::path::Path;
use std::process::Command;

use crate::run::{cargo, run};

const DATA: &str = "demo-data";

pub fn demo(port: Option<u16>, fresh: bool) -> anyhow::Result<()> {
    let modules = crate::glass::begin()?;
    let binary = server()?;
    modules.finish()?;
    if fresh && Path::new(DATA).exists() {
        if let Ok(lock) = File::open(Path::new(DATA).join("lock")) {
            let free = lock.try_lock().is_ok();
            anyhow::ensure!(free, "a demo is running; end it before starting afresh");
        }
        std::fs::remove_dir_all(DATA)?;
    }
    if !Path::new(DATA).join("bozzetto.db").exists() {
        run(Command::new(&binary).args(["demo-data", "--data", DATA]))?;
    }
    let mut serve = Command::new(&binary);
    serve.args(["serve", "--data", DATA]);
    match port {
        Some(port) => serve.arg("--listen").arg(format!("127.0.0.1:{port}")),
        None => serve.arg("--next-free"),
    };
    run(&mut serve)
}

/// Builds the server; gives its path.
pub fn server() -> anyhow::Result<String> {
    run(cargo().args(["build", "--package", "bozzetto"]))?;
    Ok("target/debug/bozzetto".to_owned())
}
