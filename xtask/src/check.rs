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
        ("/usr/lib/python3/dist-packages/PIL", "python3-pil"),
    ])?;
    run(cargo().args(["test", "--quiet", "--workspace"]))?;
    browser()?;
    // The browser tests use the server that the tests above were built with.
    run(Command::new("npx")
        .args(["tsc", "--project", "."])
        .current_dir("e2e"))?;
    run(Command::new("npx")
        .args(["playwright", "test"])
        .current_dir("e2e"))
}
