//! `cargo xtask bench`: rows from the Rust benchmarks and from the browser, gathered.

use std::process::{Command, Stdio};

use anyhow::{Context, ensure};
use serde_json::Value;

use crate::run::{browser, cargo, run};

const OUT: &str = "target/bench.json";

pub fn bench(names: &[String]) -> anyhow::Result<()> {
    crate::glass::build()?;
    run(cargo().args(["build", "--quiet", "--release", "--package", "bozzetto"]))?;
    browser()?;
    let mut rows = Vec::new();
    for (package, bench) in [("bozzetto-core", "ink"), ("bozzetto", "numbers")] {
        let mut rust = cargo();
        rust.args([
            "bench",
            "--quiet",
            "--package",
            package,
            "--bench",
            bench,
            "--",
        ]);
        gather(rust.args(names), &mut rows)?;
    }
    let mut node = Command::new("node");
    node.arg("bench.js").current_dir("e2e");
    gather(node.args(names), &mut rows)?;
    std::fs::write(OUT, serde_json::to_string_pretty(&rows)?)?;
    println!("\n{} rows in {OUT}", rows.len());
    Ok(())
}

/// A benchmark prints one JSON object to a line for each row, and whatever else it likes.
fn gather(command: &mut Command, rows: &mut Vec<Value>) -> anyhow::Result<()> {
    let output = command
        .stderr(Stdio::inherit())
        .output()
        .context("a benchmark could not be started")?;
    for line in String::from_utf8_lossy(&output.stdout).lines() {
        match serde_json::from_str::<Value>(line) {
            Ok(row) if row.get("name").is_some() => {
                print_row(&row);
                rows.push(row);
            }
            _ => println!("{line}"),
        }
    }
    ensure!(output.status.success(), "a benchmark failed");
    Ok(())
}

fn print_row(row: &Value) {
    let text = |key: &str| row[key].as_str().unwrap_or("").to_owned();
    let number = |key: &str| row[key].as_f64();
    let ratio = number("ratio").map_or(String::new(), |r| format!("  ratio {r:.2}"));
    println!(
        "{:24} {:>12.3} {}{ratio}  {}",
        text("name"),
        number("value").unwrap_or(f64::NAN),
        text("unit"),
        text("note")
    );
}
