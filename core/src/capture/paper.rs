//! Captures on paper: how many to a page, and where.

use serde::{Deserialize, Serialize};

use super::send::Fit;

/// A4, in points of 1/72 inch: the shorter and the longer side. Source: ISO 216, 210 mm by 297 mm.
pub const A4: (f64, f64) = (595.28, 841.89);
/// What is left free round a page, between two captures, and below one for its words; in points.
const MARGIN: f64 = 36.0;
const GAP: f64 = 14.0;
pub const WORDS: f64 = 30.0;

/// How captures are laid on the pages of a file.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Layout {
    /// A page for each, as the capture is shaped.
    #[default]
    Own,
    /// So many to a page of A4, each with its words below.
    Paper(u32, Lies),
}

/// How a page lies.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Lies {
    /// So that captures are largest on it.
    #[default]
    Best,
    Upright,
    Across,
}

/// A place for a capture on a page, in points from the page's upper left corner; its words are below it.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Cell {
    pub x: f64,
    pub y: f64,
    pub width: f64,
    pub height: f64,
}

/// The page, and the places on it, that `number` captures of this shape (width by height) are largest on.
///
/// ```
/// use bozzetto_core::capture::paper::{A4, Lies, sheet};
/// // Four landscape pictures lie two by two on a page that lies across.
/// let (page, cells) = sheet(4, 16.0 / 9.0, Lies::Best);
/// assert_eq!(page, (A4.1, A4.0));
/// assert_eq!(cells.len(), 4);
/// assert_eq!(cells[0].y, cells[1].y);
/// assert_eq!(sheet(4, 16.0 / 9.0, Lies::Upright).0, A4);
/// ```
pub fn sheet(number: u32, shape: f64, lies: Lies) -> ((f64, f64), Vec<Cell>) {
    let number = number.clamp(1, 100);
    let shape = if shape.is_finite() {
        shape.clamp(0.05, 20.0)
    } else {
        1.0
    };
    let (short, long) = A4;
    let pages: &[(f64, f64)] = match lies {
        Lies::Best => &[(short, long), (long, short)],
        Lies::Upright => &[(short, long)],
        Lies::Across => &[(long, short)],
    };
    let arrangements = pages
        .iter()
        .copied()
        .flat_map(|page| (1..=number).map(move |columns| (page, columns)));
    let of = |((w, h), columns): ((f64, f64), u32)| {
        let rows = number.div_ceil(columns);
        let along = |length: f64, n: u32, less: f64| {
            let free = length - 2.0 * MARGIN - f64::from(n - 1) * GAP;
            free / f64::from(n) - less
        };
        (along(w, columns, 0.0), along(h, rows, WORDS))
    };
    // How wide a capture is there.
    let wide = |a: &((f64, f64), u32)| {
        let (w, h) = of(*a);
        w.min(h * shape)
    };
    let best = arrangements.max_by(|a, b| wide(a).total_cmp(&wide(b)));
    let (page, columns) = best.unwrap_or(((short, long), 1));
    let (width, height) = of((page, columns));
    let cells = (0..number).map(|n| Cell {
        x: MARGIN + f64::from(n % columns) * (width + GAP),
        y: MARGIN + f64::from(n / columns) * (height + WORDS + GAP),
        width,
        height,
    });
    (page, cells.collect())
}

impl Cell {
    /// A capture in it: as large as it can be, at the upper edge and in the middle.
    pub fn fitted(&self, width: u32, height: u32) -> Cell {
        let (w, h) = (f64::from(width.max(1)), f64::from(height.max(1)));
        let by = (self.width / w).min(self.height / h);
        Cell {
            x: self.x + (self.width - w * by) / 2.0,
            y: self.y,
            width: w * by,
            height: h * by,
        }
    }

    /// The pixels that fill it at 300 to an inch.
    pub fn pixels(&self) -> Fit {
        let pixels = |points: f64| ((points / 72.0 * 300.0).round() as u32).max(1);
        Fit::Box(pixels(self.width), pixels(self.height))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is laid on paper is on it, beside the others, and in its shape.
        #[test]
        fn captures_lie_side_by_side_on_the_page(
            n in 1..40u32, w in 1..9000u32, h in 1..9000u32,
            lies in prop_oneof![Just(Lies::Best), Just(Lies::Upright), Just(Lies::Across)],
        ) {
            let shape = f64::from(w) / f64::from(h);
            let ((pw, ph), cells) = sheet(n, shape, lies);
            // No page that lies otherwise has larger ones, but of such that are hardly more than a line.
            let is_line = !(0.05..=20.0).contains(&shape);
            let widest = |lies| sheet(n, shape, lies).1[0].fitted(w, h).width;
            prop_assert!(is_line || lies != Lies::Best || widest(Lies::Upright).max(widest(Lies::Across)) <= widest(lies) + 1e-6);
            prop_assert_eq!(cells.len(), n as usize);
            for (at, cell) in cells.iter().enumerate() {
                prop_assert!(cell.width > 0.0 && cell.height > 0.0);
                prop_assert!(cell.x >= MARGIN && cell.x + cell.width <= pw - MARGIN + 1e-6);
                prop_assert!(cell.y >= MARGIN && cell.y + cell.height + WORDS <= ph - MARGIN + 1e-6);
                for other in &cells[..at] {
                    prop_assert!(other.x + other.width < cell.x + 1e-6 || other.y + other.height + WORDS < cell.y + 1e-6
                        || cell.x + cell.width < other.x + 1e-6);
                }
                let is = cell.fitted(w, h);
                prop_assert!(is.x >= cell.x - 1e-6 && is.x + is.width <= cell.x + cell.width + 1e-6);
                prop_assert!(is.height <= cell.height + 1e-6);
                prop_assert!((is.width / is.height / (f64::from(w) / f64::from(h)) - 1.0).abs() < 1e-6);
            }
        }
    }
}
