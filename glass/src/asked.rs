//! Places on the picture that answer a question. They cross the border as four numbers each: a backdrop, a page, and where
//! on its sheet.

use bozzetto_core::asking::spot::Spot;
use bozzetto_core::geometry::frames::Point;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::pane;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// The place on a backdrop beneath a place of the picture area, which is given in shares of its width and height;
    /// empty where there is none.
    pub fn spot_at(&self, x: f64, y: f64) -> Vec<f64> {
        let area = self.picture.area;
        let at = Point::new(x * area.width, y * area.height);
        let in_view = self.in_view();
        let seen = pane::at(&in_view, at).filter(|seen| seen.within.contains(at));
        let spot = seen.and_then(|seen| Spot::on(seen.sheet, seen.view.inverse()?.apply(at)));
        spot.map_or_else(Vec::new, |Spot { backdrop, page, at }| {
            vec![backdrop.0 as f64, f64::from(page), at.x, at.y]
        })
    }

    /// Where such places are seen just now, in shares of the picture area; those that are not seen are left out.
    pub fn spots(&self, all: &[f64]) -> Vec<f64> {
        let area = self.picture.area;
        let in_view = self.in_view();
        let spots = all
            .as_chunks::<4>()
            .0
            .iter()
            .map(|[backdrop, page, x, y]| Spot {
                backdrop: BackdropId(*backdrop as u64),
                page: *page as u32,
                at: Point::new(*x, *y),
            });
        let seen = spots.filter_map(|spot| {
            let seen = in_view.iter().find(|seen| seen.sheet == spot.sheet())?;
            let at = seen.view.apply(spot.at);
            let shares = [at.x / area.width, at.y / area.height];
            seen.within.contains(at).then_some(shares)
        });
        seen.flatten().collect()
    }
}
