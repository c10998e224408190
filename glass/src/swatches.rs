//! Swatches and their samples.

use bozzetto_core::board::PAPER;
use bozzetto_core::frames::{Glass as GlassFrame, Map};
use bozzetto_core::mark::{Layer, Tip};
use bozzetto_core::swatch::SWATCHES;
use serde::Serialize;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[derive(Serialize)]
struct SwatchView {
    name: &'static str,
    colour: String,
    /// In glass units.
    width: f32,
    highlighter: bool,
}

#[wasm_bindgen]
impl Glass {
    /// The swatches, as JSON.
    pub fn swatches(&self) -> String {
        let views: Vec<SwatchView> = SWATCHES
            .iter()
            .map(|s| SwatchView {
                name: s.name,
                colour: s.style.colour.css(),
                width: s.style.width,
                highlighter: s.style.layer() == Layer::Highlighter,
            })
            .collect();
        serde_json::to_string(&views).unwrap_or_default()
    }

    /// Fills the display list with a swatch's sample on a card of this many CSS pixels: drawn by
    /// the engine that draws marks, as wide as it will be on the stage.
    pub fn paint_swatch(&mut self, index: usize, css_width: f64, css_height: f64) {
        let mut list = bozzetto_core::display::DisplayList::default();
        if let Some(swatch) = SWATCHES.get(index) {
            let sample = swatch.sample(css_width / self.scale, css_height / self.scale);
            let view = Map::<_, GlassFrame>::scale_then_move(self.scale, 0.0, 0.0);
            let path = sample.outline().mapped(&sample.transform.then(&view));
            list.fill(path, sample.style.colour, sample.style.blend());
        }
        self.list.set(&list);
    }

    /// The colour of an empty board, for cards that stand on one.
    pub fn paper(&self) -> String {
        PAPER.css()
    }

    /// Whether a swatch draws on the highlighter layer.
    pub fn is_highlighter(&self, index: usize) -> bool {
        SWATCHES
            .get(index)
            .is_some_and(|s| s.style.tip == Tip::Flat)
    }
}
