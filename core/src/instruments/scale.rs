//! Scale: what a length on a backdrop is in the world.

use serde::{Deserialize, Serialize};

use super::units::Unit;
use crate::display::lettering;

/// The least and the most that a length can be said to be, in its unit.
pub const LENGTHS: (f64, f64) = (1e-6, 1e9);
/// The shortest line that a scale can be taken from, in units of the backdrop.
pub const SHORTEST: f64 = 4.0;
/// The longest name of a unit, in letters.
const LONGEST_NAME: usize = 16;

/// A known length on a backdrop.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Scale {
    /// How long it is in the world.
    pub length: f64,
    pub unit: Unit,
    /// How long it is on the backdrop, in units of that.
    pub on_backdrop: f64,
    /// The standard uncertainty of that, in units of the backdrop; 0 for what was typed.
    pub off: f64,
}

/// Why a scale cannot be had, in words for the person.
#[derive(Clone, PartialEq, Debug, thiserror::Error)]
pub enum ScaleFault {
    #[error("A length is a number above 0, up to a thousand million.")]
    Length,
    #[error("Draw over a longer part: from two points that are nearly one no scale can be taken.")]
    TooShort,
    #[error(
        "A unit is called by 1 to {LONGEST_NAME} letters, figures or signs that the ruler can show."
    )]
    Unit,
}

impl Scale {
    /// How much of its unit one unit of the backdrop is.
    pub fn per_unit(&self) -> f64 {
        self.length / self.on_backdrop
    }

    /// The relative standard uncertainty of that.
    pub fn relative(&self) -> f64 {
        self.off / self.on_backdrop
    }

    /// A scale that can be used.
    ///
    /// # Errors
    /// For a length that is none, a line that is a point, a unit that cannot be written.
    pub fn checked(self) -> Result<Self, ScaleFault> {
        let sound =
            |v: f64, (least, most): (f64, f64)| v.is_finite() && (least..=most).contains(&v);
        if !sound(self.length, LENGTHS) {
            return Err(ScaleFault::Length);
        }
        if !sound(self.on_backdrop, (SHORTEST, 1e6)) || !sound(self.off, (0.0, self.on_backdrop)) {
            return Err(ScaleFault::TooShort);
        }
        if let Unit::Own(name) = &self.unit {
            let count = name.chars().count();
            let blank = name.trim().is_empty() || name.trim() != name;
            if blank || count > LONGEST_NAME || !lettering::can_letter(name) {
                return Err(ScaleFault::Unit);
            }
        }
        Ok(self)
    }
}
