//! Figures of ink that need no browser: how far the filter lags behind the hand, and how well and
//! with how little strokes are fitted. Prints a JSON object to a line for each.

mod rows;

use std::path::Path;

use bozzetto_core::geometry::frames::{Ink, Point};
use bozzetto_core::ink::centreline::flatten;
use bozzetto_core::ink::fit::{deviation, fit};
use bozzetto_core::ink::pen::{Device, Pen, Sample, WidthRule};
use rows::{row, runs};

/// The speed of a writing hand, in units per second: a third of the stage.
const SPEED: f64 = 600.0;

fn main() {
    if runs("ink.lag") {
        for rate in [60.0, 120.0, 240.0] {
            let note =
                format!("1-euro filter, a hand at a steady {SPEED} units/s (a third of the stage)");
            row(&format!("ink.lag.{rate}"), lag(rate), "ms", None, &note);
        }
    }
    if runs("ink.fit") {
        fitted();
    }
}

/// How long after the hand the ink is where the hand was, once it has settled: the group delay for
/// slow changes.
fn lag(rate: f64) -> f64 {
    let mut pen = Pen::new(Device::Pen, WidthRule::Even, 5.0);
    let n = (rate * 2.0) as u32;
    let at = |i: u32| SPEED * f64::from(i) / rate;
    for i in 0..=n {
        pen.push(sample(at(i), 0.0, f64::from(i) * 1000.0 / rate));
    }
    let last = pen.points().last().expect("it has moved").position();
    (at(n) - last.x) / SPEED * 1000.0
}

fn sample(x: f64, y: f64, t: f64) -> Sample {
    Sample {
        at: Point::<Ink>::new(x, y),
        pressure: 0.5,
        t,
    }
}

/// Strokes that people have drawn, as a pen would report them at 120 samples a second.
fn fitted() {
    let folder = Path::new(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../e2e/node_modules/hanzi-writer-data"
    ));
    let Ok(files) = std::fs::read_dir(folder) else {
        println!("ink.fit: the npm packages of e2e are missing");
        return;
    };
    let mut names: Vec<_> = files
        .flatten()
        .map(|f| f.path())
        .filter(|p| p.extension().is_some_and(|e| e == "json"))
        .collect();
    names.sort();
    let (mut worst, mut segments, mut lines, mut strokes) = (Vec::new(), 0usize, 0usize, 0usize);
    for name in names.iter().step_by(9).take(500) {
        let text = std::fs::read_to_string(name).unwrap_or_default();
        let json: serde_json::Value = serde_json::from_str(&text).unwrap_or_default();
        for median in json["medians"].as_array().into_iter().flatten() {
            let corner = |p: &serde_json::Value| Some((p[0].as_f64()?, p[1].as_f64()?));
            let corners: Vec<_> = median
                .as_array()
                .into_iter()
                .flatten()
                .filter_map(corner)
                .collect();
            let mut pen = Pen::new(Device::Pen, WidthRule::Even, 5.0);
            let mut t = 0.0;
            for pair in corners.windows(2) {
                let ((ax, ay), (bx, by)) = (pair[0], pair[1]);
                let steps = ((bx - ax).hypot(by - ay) / (SPEED / 120.0)).ceil().max(1.0) as u32;
                for i in 0..steps {
                    let s = f64::from(i) / f64::from(steps);
                    pen.push(sample(ax + (bx - ax) * s, ay + (by - ay) * s, t));
                    t += 1000.0 / 120.0;
                }
            }
            let points = pen.lift().0;
            let Some(curve) = fit(&points) else { continue };
            worst.push(deviation(&curve, &flatten(&points)));
            segments += curve.pieces.len();
            lines += points.len().saturating_sub(1);
            strokes += 1;
        }
    }
    worst.sort_by(f64::total_cmp);
    let Some(most) = worst.last().copied() else {
        return;
    };
    let p95 = worst[(worst.len() - 1) * 95 / 100];
    let of = format!(
        "{strokes} strokes of characters drawn by people (npm hanzi-writer-data), sampled as by a pen"
    );
    row(
        "ink.fit.deviation",
        most,
        "units",
        None,
        &format!("largest of all; p95 {p95:.3}; tolerance 0.25; {of}"),
    );
    let each = |n: usize| n as f64 / strokes as f64;
    row(
        "ink.fit.segments",
        each(segments),
        "a stroke",
        Some(each(lines)),
        &format!("against lines of the plain polyline; {of}"),
    );
}
