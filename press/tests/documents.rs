//! Documents, held against Poppler (`pdftoppm`) and qpdf, both from Debian.

use std::path::{Path, PathBuf};
use std::process::Command;

use bozzetto_press::Pixmap;
use bozzetto_press::document::{Document, DocumentFault, Part, looks_like};

fn notices() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/Notices to mariners.pdf")
}

fn run(program: &str, args: &[&str]) {
    let out = Command::new(program).args(args).output();
    let out = out.unwrap_or_else(|e| panic!("{program} could not be started: {e}"));
    assert!(
        out.status.success(),
        "{program}: {}",
        String::from_utf8_lossy(&out.stderr)
    );
}

fn whole(document: &Document, page: usize, width: u32) -> Pixmap {
    let (w, h) = document.pages()[page];
    let scale = f64::from(width) / f64::from(w);
    let height = (f64::from(h) * scale).round() as u32;
    let part = Part {
        scale,
        x: 0.0,
        y: 0.0,
        width,
        height,
    };
    document.print(page, &part).unwrap()
}

/// Every page looks as Poppler prints it: on the mean, a pixel differs by less than 1.5 of 255, which
/// is what two ways of smoothing edges come to.
#[test]
fn pages_look_as_poppler_prints_them() {
    let document = Document::open(std::fs::read(notices()).unwrap()).unwrap();
    assert_eq!(document.pages().len(), 4);
    // A4: 210 by 297 mm (ISO 216), in points of 1/72 inch.
    let (w, h) = document.pages()[0];
    assert!((w - 595.28).abs() < 0.1 && (h - 841.89).abs() < 0.1);
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("page");
    run(
        "pdftoppm",
        &[
            "-png",
            "-scale-to-x",
            "1000",
            "-scale-to-y",
            "1414",
            &notices().to_string_lossy(),
            &out.to_string_lossy(),
        ],
    );
    for page in 0..4 {
        let theirs = std::fs::read(folder.path().join(format!("page-{}.png", page + 1))).unwrap();
        let theirs = Pixmap::decode_png(&theirs).unwrap();
        let ours = whole(&document, page, 1000);
        assert_eq!(
            (ours.width(), ours.height()),
            (theirs.width(), theirs.height())
        );
        let off: u64 = ours
            .data()
            .iter()
            .zip(theirs.data())
            .map(|(a, b)| u64::from(a.abs_diff(*b)))
            .sum();
        let mean = off as f64 / ours.data().len() as f64;
        assert!(mean < 1.5, "page {page}: {mean}");
    }
}

/// A part of an enlarged page is exactly the same pixels as the whole page at that size has there: an
/// enlarged picture on the stage and a capture of it agree.
#[test]
fn a_part_is_the_same_as_in_the_whole() {
    let document = Document::open(std::fs::read(notices()).unwrap()).unwrap();
    let page = whole(&document, 1, 2400);
    let scale = 2400.0 / f64::from(document.pages()[1].0);
    let part = Part {
        scale,
        x: 700.0,
        y: 300.0,
        width: 800,
        height: 500,
    };
    let cut = document.print(1, &part).unwrap();
    let mut off = 0;
    for y in 0..500 {
        for x in 0..800 {
            let (a, b) = (
                cut.pixel(x, y).unwrap(),
                page.pixel(x + 700, y + 300).unwrap(),
            );
            off = off
                .max(a.red().abs_diff(b.red()))
                .max(a.blue().abs_diff(b.blue()));
        }
    }
    assert!(off <= 3, "{off}");
}

/// What cannot be opened says why: locked, cut off, none at all.
#[test]
fn what_cannot_be_opened_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let locked = folder.path().join("locked.pdf");
    run(
        "qpdf",
        &[
            "--encrypt",
            "secret",
            "owner",
            "256",
            "--",
            &notices().to_string_lossy(),
            &locked.to_string_lossy(),
        ],
    );
    let bytes = std::fs::read(&locked).unwrap();
    assert!(looks_like(&bytes));
    assert_eq!(Document::open(bytes).err(), Some(DocumentFault::Locked));
    // An owner's password only restricts what may be done with it: it opens.
    run(
        "qpdf",
        &[
            "--encrypt",
            "",
            "owner",
            "256",
            "--",
            &notices().to_string_lossy(),
            &locked.to_string_lossy(),
        ],
    );
    assert_eq!(
        Document::open(std::fs::read(&locked).unwrap())
            .unwrap()
            .pages()
            .len(),
        4
    );
    let whole = std::fs::read(notices()).unwrap();
    assert_eq!(
        Document::open(whole[..300].to_vec()).err(),
        Some(DocumentFault::Damaged)
    );
    assert_eq!(
        Document::open(b"%PDF-1.7 and no more".to_vec()).err(),
        Some(DocumentFault::Damaged)
    );
    assert!(!looks_like(b"<!doctype html>"));
}
