//! A page that runs is longer than what is in view: its pictures, taken part by part while it is scrolled, are laid below
//! one another into one.

use crate::geometry::frames::{Held, Rect};

use super::plan::{MAX_PIXELS, MAX_SIDE};

/// How far a part may be from where the page says that it is, in its CSS pixels.
const ASIDE: f64 = 1.0;

/// By how much the next part laps over the one before, in pixels of the picture: where one ends is seldom the edge of a
/// pixel.
const LAP: f64 = 3.0;

/// The picture of a whole page.
#[derive(Clone, Copy, Debug)]
pub struct LongPage {
    x: (f64, f64),
    /// Pixels to a CSS pixel of the page.
    scale: f64,
    /// In pixels.
    height: u32,
    /// How far down there are parts of it, in CSS pixels of the page.
    reached: f64,
}

/// How a part lies in the picture, and how it goes on.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct LaidPart {
    /// Its first row, in pixels of the picture.
    pub row: u32,
    /// Where the page is to be scrolled to for the next one, in its CSS pixels; `None` when this is the last.
    pub next: Option<f64>,
    /// How much of the picture there is: 0 to 1.
    pub share: f64,
}

impl LongPage {
    /// The picture of a page that is `length` CSS pixels long by what it says, and no longer than a capture may be.
    /// `first` is what its first part shows, `across` how many pixels that is wide. `None` when nothing is seen in it.
    pub fn new(first: &Rect<Held>, across: u32, length: f64) -> Option<Self> {
        let across = f64::from(across);
        let scale = across / first.width();
        let seen = first.width() > 0.0 && first.height() > 0.0 && across >= 1.0;
        let most = MAX_SIDE.min((MAX_PIXELS / across).floor());
        // A page may say anything; what is in view is there, and by a few rows it cannot surely be scrolled.
        let longer = (length - first.y1) * scale > LAP;
        let length = if longer { length } else { first.y1 };
        seen.then(|| Self {
            x: (first.x0, first.x1),
            scale,
            height: (length * scale).round().clamp(1.0, most) as u32,
            reached: 0.0,
        })
    }

    /// In pixels.
    pub fn height(&self) -> u32 {
        self.height
    }

    /// The part of the page that it shows.
    pub fn shows(&self) -> Rect<Held> {
        let length = f64::from(self.height) / self.scale;
        Rect::from_size(self.x.0, 0.0, self.x.1 - self.x.0, length)
    }

    /// Where a part lies that shows this in `rows` rows of pixels, of a page that says it is scrolled down by `scrolled`.
    /// `None` when it shows something else (enlarged, a page's head is not where it would be), or nothing that comes after
    /// the part before.
    pub fn lay(&mut self, shows: &Rect<Held>, rows: u32, scrolled: f64) -> Option<LaidPart> {
        let is_there = (shows.y0 - scrolled).abs() <= ASIDE;
        let goes_on = shows.y1 > self.reached;
        if !is_there || !goes_on {
            return None;
        }
        self.reached = shows.y1;
        let reached = shows.y1 * self.scale;
        let height = f64::from(self.height);
        let row = (shows.y0.max(0.0) * self.scale).round() as u32;
        // Scrolled to a page's end, it stands at a pixel of the screen: the last row is the page's last.
        let last = self.height.saturating_sub(rows);
        let ends = last == 0 || row > 0 && row.abs_diff(last) <= 2;
        let next = (shows.y1 - LAP / self.scale).max(shows.y0 + 1.0);
        Some(LaidPart {
            row: if ends { last } else { row },
            next: (!ends && reached < height).then_some(next),
            share: (reached / height).clamp(0.0, 1.0),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However long a page is and however much of it is in view, each row of the picture comes from where in the
        /// page it is, to within three pixels, and there are no more parts than it takes; it is no larger than captures are.
        #[test]
        fn parts_lie_where_they_are_in_the_page(
            width in 200.0..3000.0f64, high in 100.0..2000.0f64, length in 50.0..60_000.0f64, fine in 0.4..3.0f64,
        ) {
            let length = length.round().max(high);
            let across = (width * fine).round() as u32;
            let scale = f64::from(across) / width;
            // A browser scrolls no further than to the page's end, and to pixels of its screen.
            let scrolled = |to: f64| ((to.min(length - high) * fine).round() / fine).max(0.0);
            let view = |y: f64| Rect::from_size(0.0, y, width, high);
            let mut page = LongPage::new(&view(0.0), across, length).unwrap();
            let mut rows = vec![None; page.height() as usize];
            prop_assert!(f64::from(page.height()) <= MAX_SIDE && f64::from(page.height()) * f64::from(across) <= MAX_PIXELS);
            prop_assert!(f64::from(page.height()) <= (length * scale).round());
            let (mut next, mut parts) = (Some(0.0), 0);
            while let Some(y) = next {
                let at = scrolled(y);
                let tall = (high * scale).round() as u32;
                let laid = page.lay(&view(at), tall, at).unwrap();
                for n in 0..tall as usize {
                    if let Some(row) = rows.get_mut(laid.row as usize + n) {
                        *row = Some(at + n as f64 / scale);
                    }
                }
                (next, parts) = (laid.next, parts + 1);
                prop_assert!(parts <= (f64::from(page.height()) / (high * scale - 2.0 * LAP)).ceil() as usize + 1, "{} parts", parts);
            }
            for (n, row) in rows.iter().enumerate() {
                prop_assert!(row.is_some_and(|y| (y * scale - n as f64).abs() <= 3.0), "row {n} is at {row:?}");
            }
            prop_assert!(page.lay(&view(length), 10, length + 5.0).is_none(), "not where it says");
            prop_assert!(page.lay(&view(0.0), 10, 0.0).is_none(), "it does not scroll");
        }
    }
}
