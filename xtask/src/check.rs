//! `cargo xtask check`.

use std::process::Command;

use crate::run::{browser, cargo, debian, run};

pub fn check() -> anyhow::Result<()> {
    // First, since the server carries it inside.
    crate::glass::build()?;
    run(cargo().args(["fmt", "--all", "--check"]))?;
    crate::deny::deny()?;
    run(cargo()
        .args(["clippy", "--quiet", "--workspace", "--all-targets"])
        .args(["--", "--deny", "warnings"]))?;
    debian(&[
        ("pngcheck", "pngcheck"),
        ("pdftoppm", "poppler-utils"),
        ("qpdf", "qpdf"),
        ("xmllint", "libxml2-utils"),
        ("hb-shape", "libharfbuzz-bin"),
        ("fribidi", "libfribidi-bin"),
        ("/usr/lib/python3/dist-packages/PIL", "python3-pil"),
    ])?;
    run(cargo().args(["test", "--quiet", "--workspace"]))?;
    browser()?;
    // Scripts and styles: their form, what is known to be a mistake, and their types.
    // The browser tests use the server that the tests above were built with.
    let npx = |args: &[&str]| run(Command::new("npx").args(args).current_dir("e2e"));
    npx(&["biome", "ci", ".."])?;
    npx(&["tsc", "--project", "."])?;
    npx(&["playwright", "test"])
}
