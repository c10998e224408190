//! What is shown over the glass while something is being done, on this screen only.

use bozzetto_core::tools::tool::Overlay;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::script::{Given, given};

/// Lengths in CSS pixels of the picture area.
#[derive(Default, Serialize, Tsify)]
#[tsify(missing_as_null)]
#[serde(rename_all = "camelCase")]
pub struct Overlays {
    /// Where erasers are, and how far they reach.
    pub erasers: Vec<[f64; 2]>,
    pub radius: f64,
    /// Lassos, as x and y in turn.
    pub lassos: Vec<Vec<f64>>,
    /// What is being drawn measures so much, and where that is to be said.
    pub read_outs: Vec<ReadOut>,
}

#[derive(Serialize, Tsify)]
pub struct ReadOut {
    pub at: [f64; 2],
    pub words: String,
}

#[wasm_bindgen]
impl Glass {
    pub fn overlays(&mut self) -> Given<Overlays> {
        let all = self.at_desk(|router, desk| router.overlays(desk));
        let scale = self.picture.scale;
        let mut shown = Overlays {
            radius: self.eraser_radius(),
            ..Overlays::default()
        };
        for overlay in all {
            match overlay {
                Overlay::Eraser(at) => shown.erasers.push([at.x * scale, at.y * scale]),
                Overlay::Lasso(line) => {
                    let line = line.iter().flat_map(|p| [p.x * scale, p.y * scale]);
                    shown.lassos.push(line.collect());
                }
                Overlay::ReadOut { at, words } => {
                    let at = [at.x * scale, at.y * scale];
                    shown.read_outs.push(ReadOut { at, words });
                }
            }
        }
        given(shown)
    }
}
