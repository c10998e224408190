//! How long a document's page takes.

use crate::rows::row;
use crate::{TARGET, milliseconds};
use bozzetto_press::document::{Document, Part};
use std::time::Instant;

/// A page of a document 1920 pixels wide: the document opened and printed, and printed again.
pub fn pdf_page() {
    let pdf = include_bytes!("../../../demo/Notices to mariners.pdf");
    let page = |document: &Document| {
        let (width, height) = document.pages()[0];
        let scale = 1920.0 / f64::from(width);
        let part = Part {
            scale,
            x: 0.0,
            y: 0.0,
            width: 1920,
            height: (f64::from(height) * scale) as u32,
        };
        let pixmap = document.print(0, &part).expect("a page");
        std::hint::black_box(bozzetto_press::png::encode(&pixmap, 1.0));
    };
    let median = |mut took: Vec<f64>| {
        took.sort_by(f64::total_cmp);
        took[took.len() / 2]
    };
    let mut cold = Vec::new();
    let mut warm = Vec::new();
    let mut theirs = Vec::new();
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let file = folder.path().join("notices.pdf");
    std::fs::write(&file, pdf).expect("a file");
    for _ in 0..9 {
        let begun = Instant::now();
        let document = Document::open(pdf.to_vec()).expect("a document");
        page(&document);
        cold.push(milliseconds(begun.elapsed()));
        let begun = Instant::now();
        page(&document);
        warm.push(milliseconds(begun.elapsed()));
        let begun = Instant::now();
        let done = std::process::Command::new("pdftoppm")
            .args([
                "-png",
                "-f",
                "1",
                "-l",
                "1",
                "-scale-to-x",
                "1920",
                "-scale-to-y",
                "-1",
            ])
            .arg(&file)
            .arg(folder.path().join("page"))
            .status();
        if done.is_ok_and(|s| s.success()) {
            theirs.push(milliseconds(begun.elapsed()));
        }
    }
    let baseline = (!theirs.is_empty()).then(|| median(theirs));
    let note =
        "A4, 1920 pixels wide, as PNG; median of 9; baseline: pdftoppm (a process of its own)";
    row("pdf.page.cold", median(cold), "ms", baseline, note);
    row("pdf.page.warm", median(warm), "ms", baseline, note);
}
