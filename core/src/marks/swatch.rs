//! Swatches: ready pens.

use serde::{Deserialize, Serialize};

use crate::display::colour::{BLACK, OKABE_ITO, Rgb};
use crate::geometry::frames::{Held, Ink, Map, Point};
use crate::geometry::ids::{AuthorId, MarkId};
use crate::ink::InkPoint;
use crate::ink::fit::fit;
use crate::ink::pen::WidthRule;
use crate::ink::tip::Tip;
use crate::marks::fading::STAYS;
use crate::marks::mark::{Body, Mark, Style};

/// What carries a mark.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Hold {
    /// The backdrop: the mark scrolls, zooms and comes back with it.
    #[default]
    Backdrop,
    /// The glass: the mark stays put over whatever follows.
    Glass,
}

/// A ready pen.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Swatch {
    pub tip: Tip,
    pub colour: Rgb,
    /// In glass units.
    pub width: f32,
    pub rule: WidthRule,
    #[serde(default)]
    pub hold: Hold,
    /// Seconds that its ink stays before it fades; lasting ink has none.
    #[serde(default)]
    pub stay: Option<u8>,
}

/// The widths that a swatch may have, in glass units.
pub const WIDTHS: std::ops::RangeInclusive<f32> = 1.0..=80.0;

/// How many swatches there may be.
pub const MOST: usize = 8;

/// The swatches that everybody starts with: one to write, one to point, one to correct, one to
/// highlight, one more colour, and one whose ink fades. Colours are Okabe and Ito's, so that nobody
/// confuses them. All pens have a rim, and are seen on anything.
pub const ORIGINALS: [Swatch; 6] = [
    rimmed(BLACK, 5.0),
    rimmed(OKABE_ITO[6].1, 12.0),
    rimmed(OKABE_ITO[5].1, 7.0),
    Swatch {
        tip: Tip::Flat,
        rule: WidthRule::Even,
        ..pen(OKABE_ITO[4].1, 36.0)
    },
    rimmed(OKABE_ITO[3].1, 7.0),
    Swatch {
        stay: Some(crate::marks::fading::STAY),
        ..rimmed(OKABE_ITO[7].1, 9.0)
    },
];

const fn pen(colour: Rgb, width: f32) -> Swatch {
    Swatch {
        tip: Tip::Round,
        colour,
        width,
        rule: WidthRule::Lively,
        hold: Hold::Backdrop,
        stay: None,
    }
}

const fn rimmed(colour: Rgb, width: f32) -> Swatch {
    Swatch {
        tip: Tip::Rimmed,
        ..pen(colour, width)
    }
}

impl Swatch {
    /// As wide as it has to be on a screen on which a picture area is `across` CSS pixels wide: on a phone the width of the
    /// area is that of a hand, and a pen that is right on a display would be a hair.
    #[must_use]
    pub fn for_screen(mut self, across: f64) -> Self {
        /// From this width on swatches are as they are; and the most that they are widened.
        const LARGE: f64 = 1280.0;
        const MOST: f64 = 4.0;
        self.width *= (LARGE / across.max(1.0)).clamp(1.0, MOST) as f32;
        self
    }

    /// What it is, in a few words.
    ///
    /// ```
    /// use bozzetto_core::marks::swatch::ORIGINALS;
    /// let names: Vec<String> = ORIGINALS.iter().map(|s| s.name()).collect();
    /// assert_eq!(names[1], "Vermilion thick pen");
    /// assert_eq!(names[5], "Reddish purple pen, fades after 4 s");
    /// ```
    pub fn name(&self) -> String {
        let kind = match (self.tip, self.width) {
            (Tip::Flat, _) => "highlighter",
            (_, w) if w < 6.5 => "writing pen",
            (_, w) if w >= 10.0 => "thick pen",
            _ => "pen",
        };
        let mut name = format!("{} {kind}", self.colour.name());
        if let Some(first) = name.get_mut(..1) {
            first.make_ascii_uppercase();
        }
        if let Some(stay) = self.stay {
            name += &format!(", fades after {stay} s");
        }
        if self.hold == Hold::Glass {
            name += ", held by the glass";
        }
        name
    }

    /// What its marks look like.
    pub fn style(&self) -> Style {
        Style::new(self.tip, self.colour, self.width)
    }

    /// Within what a swatch may be: whatever was sent, this can be kept.
    pub fn settled(self) -> Self {
        let width = match self.width.is_finite() {
            true => self.width.clamp(*WIDTHS.start(), *WIDTHS.end()),
            false => 5.0,
        };
        let stay = self.stay.map(|s| s.clamp(*STAYS.start(), *STAYS.end()));
        Self {
            width,
            stay,
            ..self
        }
    }

    /// A stroke that shows what the swatch's ink looks like, in its true width, within a card of
    /// `width` by `height` units.
    pub fn sample(&self, width: f64, height: f64) -> Mark {
        let wave = |i: u32| {
            let t = f64::from(i) / 24.0;
            let x = width * (0.16 + 0.68 * t);
            let y = match self.tip {
                Tip::Flat => height * 0.5,
                Tip::Round | Tip::Rimmed => {
                    // Two and a half swings that grow, as a hand makes to try a pen.
                    let swing = (t * 2.5 * std::f64::consts::TAU).sin();
                    height * (0.5 - swing * (0.12 + 0.16 * t))
                }
            };
            InkPoint::new(Point::<Ink>::new(x, y), f64::from(self.width))
        };
        let points: Vec<InkPoint> = (0..=24).map(wave).collect();
        let body = Body::Stroke(fit(&points).expect("there are points"));
        let (id, author) = (MarkId(0), AuthorId(0));
        let whole = Map::<Ink, Held>::coincident();
        Mark::new(id, author, self.style(), body, whole, 0)
    }
}
