//! The shape of a pen's end.

use serde::{Deserialize, Serialize};

/// The shape of a pen's end.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Tip {
    /// A pen: covers what is beneath.
    Round,
    /// A highlighter: multiplies with what is beneath, which stays readable.
    Flat,
    /// A pen whose ink has a thin rim, light or dark: seen on anything.
    Rimmed,
}

impl Tip {
    /// Whether it is a pen, and no highlighter.
    pub fn is_pen(self) -> bool {
        self != Tip::Flat
    }
}

/// How wide a rim is at the least, against the ink.
const RIM: f64 = 0.2;

/// How wide the rim is on each side of ink of a width, in the same units: thin against the ink, and yet seen
/// from the last seat of a usual classroom.
pub fn rim(width: f64) -> f64 {
    (RIM * width).max(2.4)
}

/// The least width of ink that has a rim so wide.
pub fn width_of_rim(wide: f64) -> f64 {
    wide / RIM
}
