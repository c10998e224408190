//! Places on the picture that answer a question.

use std::fmt::Write;

use bozzetto_core::asking::spot::Spot;
use bozzetto_core::geometry::frames::Point;
use bozzetto_core::stage::pane;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// The place on a backdrop beneath a place of the picture area, given in shares of its width and height, as
    /// [`Spot::written`]; none where there is nothing.
    pub fn spot_at(&self, x: f64, y: f64) -> Option<String> {
        let area = self.picture.area;
        let at = Point::new(x * area.width, y * area.height);
        let in_view = self.in_view();
        let seen = pane::at(&in_view, at).filter(|seen| seen.within.contains(at))?;
        let held = seen.view.inverse()?.apply(at);
        Some(Spot::on(seen.sheet, held)?.written())
    }

    /// Where such places, with commas between them, are seen just now: a path of lines without length, in shares of
    /// the picture area.
    pub fn spots(&self, all: &str) -> String {
        let area = self.picture.area;
        let in_view = self.in_view();
        let mut path = String::new();
        for spot in all.split(',').filter_map(Spot::read) {
            let seen = in_view.iter().filter(|seen| seen.sheet == spot.sheet());
            for at in seen.filter_map(|seen| {
                let at = seen.view.apply(spot.at);
                seen.within.contains(at).then_some(at)
            }) {
                let _ = write!(
                    path,
                    "M{:.4} {:.4}h0",
                    at.x / area.width,
                    at.y / area.height
                );
            }
        }
        path
    }
}
