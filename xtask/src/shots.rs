//! `cargo xtask shots`.

use std::process::Command;

use crate::run::{browser, run};

pub fn shots() -> anyhow::Result<()> {
    crate::glass::build()?;
    crate::demo::server()?;
    browser()?;
    run(Command::new("node").arg("shots.js").current_dir("e2e"))
}
