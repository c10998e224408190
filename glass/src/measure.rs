//! For benchmarks: a stroke from raw samples to its outline, in one call.

use bozzetto_core::geometry::frames::Point;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::outline::outline_of;
use bozzetto_core::ink::pen::{Device, Pen, Sample, WidthRule};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{centreline, curve};
use wasm_bindgen::prelude::*;

/// The steps of the outline of a pen's stroke: x, y, pressure and milliseconds for each sample, in
/// units. `fitted` as a finished stroke is; otherwise as wet ink is.
#[wasm_bindgen]
pub fn outline_steps(samples: &[f64], width: f64, fitted: bool) -> usize {
    let mut pen = Pen::new(Device::Pen, WidthRule::Lively, width);
    for s in samples.chunks_exact(4) {
        pen.push(Sample {
            at: Point::new(s[0], s[1]),
            pressure: s[2],
            t: s[3],
        });
    }
    let points = pen.lift().0;
    let nodes = match fitted {
        true => fit(&points)
            .as_ref()
            .map(|c: &curve::Curve| c.flatten(0.08))
            .unwrap_or_default(),
        false => centreline::flatten(&points),
    };
    outline_of(&nodes, Tip::Round).verbs.len()
}
