//! The picture of a page that is longer than what is in view. Parts are x0, y0, x1, y1 in the page's CSS pixels.

use bozzetto_core::capture::long_page;
use bozzetto_core::geometry::frames::{Held, Point, Rect};
use wasm_bindgen::prelude::*;

#[wasm_bindgen]
pub struct LongPage(long_page::LongPage);

#[wasm_bindgen]
impl LongPage {
    /// Of a page `length` CSS pixels long, of which the first part is `across` pixels wide.
    pub fn begin(first: &[f64], across: u32, length: f64) -> Option<LongPage> {
        long_page::LongPage::new(&part(first)?, across, length).map(Self)
    }

    /// In pixels.
    #[wasm_bindgen(getter)]
    pub fn height(&self) -> u32 {
        self.0.height()
    }

    /// The part of the page that it shows.
    pub fn shows(&self) -> Vec<f64> {
        let Rect { x0, y0, x1, y1, .. } = self.0.shows();
        vec![x0, y0, x1, y1]
    }

    /// Where a part of so many rows of pixels lies: its first row, where to scroll for the next (less than nothing after the last), and how much there is
    /// of it all; empty when it shows something else.
    pub fn lay(&mut self, shows: &[f64], rows: u32, scrolled: f64) -> Vec<f64> {
        let laid = part(shows).and_then(|shows| self.0.lay(&shows, rows, scrolled));
        laid.map_or(Vec::new(), |laid| {
            vec![laid.row.into(), laid.next.unwrap_or(-1.0), laid.share]
        })
    }
}

fn part(shows: &[f64]) -> Option<Rect<Held>> {
    let &[x0, y0, x1, y1] = shows else {
        return None;
    };
    Some(Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1)))
}
