//! Swatches and their samples.

use bozzetto_core::board::PAPER;
use bozzetto_core::frames::{Glass as GlassFrame, Map};
use bozzetto_core::swatch::SWATCHES;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// The swatches' names.
    pub fn swatches(&self) -> Vec<String> {
        SWATCHES.iter().map(|s| s.name.to_owned()).collect()
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
}
