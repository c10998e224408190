//! Swatches: ready pens.

use crate::colour::{BLACK, OKABE_ITO, Rgb};
use crate::frames::{Held, Ink, Map, Point};
use crate::ids::{AuthorId, MarkId};
use crate::ink::pen::WidthRule;
use crate::ink::{InkPoint, Points};
use crate::mark::{Body, Mark, Style, Tip};

/// A ready pen.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Swatch {
    /// What it is for, in two or three words.
    pub name: &'static str,
    pub style: Style,
    pub rule: WidthRule,
}

/// The swatches that everybody starts with: one to write, one to point, one to correct, one to
/// highlight, one more colour. Colours are Okabe and Ito's, so that nobody confuses them.
pub const SWATCHES: [Swatch; 5] = [
    swatch("Black writing pen", Tip::Round, BLACK, 5.0),
    swatch("Vermilion thick pen", Tip::Round, OKABE_ITO[6].1, 12.0),
    swatch("Blue pen", Tip::Round, OKABE_ITO[5].1, 7.0),
    swatch("Yellow highlighter", Tip::Flat, OKABE_ITO[4].1, 36.0),
    swatch("Green pen", Tip::Round, OKABE_ITO[3].1, 7.0),
];

const fn swatch(name: &'static str, tip: Tip, colour: Rgb, width: f32) -> Swatch {
    let rule = match tip {
        Tip::Round => WidthRule::Lively,
        Tip::Flat => WidthRule::Even,
    };
    Swatch {
        name,
        style: Style { tip, colour, width },
        rule,
    }
}

impl Swatch {
    /// A stroke that shows what the swatch's ink looks like, in its true width, within a card of
    /// `width` by `height` units.
    pub fn sample(&self, width: f64, height: f64) -> Mark {
        let wave = |i: u32| {
            let t = f64::from(i) / 24.0;
            let x = width * (0.16 + 0.68 * t);
            let y = match self.style.tip {
                Tip::Flat => height * 0.5,
                Tip::Round => {
                    // Two and a half swings that grow, as a hand makes to try a pen.
                    let swing = (t * 2.5 * std::f64::consts::TAU).sin();
                    height * (0.5 - swing * (0.12 + 0.16 * t))
                }
            };
            InkPoint::new(Point::<Ink>::new(x, y), f64::from(self.style.width))
        };
        Mark {
            id: MarkId(0),
            author: AuthorId(0),
            style: self.style,
            body: Body::Stroke(Points((0..=24).map(wave).collect())),
            transform: Map::<Ink, Held>::coincident(),
            z: 0,
        }
    }
}
