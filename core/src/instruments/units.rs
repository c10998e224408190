//! Units of length.

use serde::{Deserialize, Serialize};

/// A unit of length.
///
/// Sources: SI Brochure, 9th edition (metre; nautical mile of 1852 m); international yard and pound
/// agreement, 1959 (a yard is 0.9144 m, a foot a third and an inch a thirty-sixth of it). A cable is a
/// tenth of a nautical mile (common practice in pilotage).
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    Millimetre,
    Centimetre,
    Metre,
    Kilometre,
    Inch,
    Foot,
    Yard,
    NauticalMile,
    Cable,
    /// One of the presenter's own, which is no known length.
    Own(String),
}

impl Unit {
    /// Those that are known lengths.
    pub const KNOWN: [Unit; 9] = [
        Unit::Millimetre,
        Unit::Centimetre,
        Unit::Metre,
        Unit::Kilometre,
        Unit::Inch,
        Unit::Foot,
        Unit::Yard,
        Unit::NauticalMile,
        Unit::Cable,
    ];

    /// How many metres it has; `None` for one of the presenter's own.
    pub fn metres(&self) -> Option<f64> {
        Some(match self {
            Unit::Millimetre => 0.001,
            Unit::Centimetre => 0.01,
            Unit::Metre => 1.0,
            Unit::Kilometre => 1000.0,
            Unit::Inch => 0.0254,
            Unit::Foot => 0.3048,
            Unit::Yard => 0.9144,
            Unit::NauticalMile => 1852.0,
            Unit::Cable => 185.2,
            Unit::Own(_) => return None,
        })
    }

    /// As it is written after a number.
    pub fn sign(&self) -> &str {
        match self {
            Unit::Millimetre => "mm",
            Unit::Centimetre => "cm",
            Unit::Metre => "m",
            Unit::Kilometre => "km",
            Unit::Inch => "in",
            Unit::Foot => "ft",
            Unit::Yard => "yd",
            Unit::NauticalMile => "M",
            Unit::Cable => "cables",
            Unit::Own(name) => name,
        }
    }

    /// As it is called in lists.
    pub fn word(&self) -> &str {
        match self {
            Unit::Millimetre => "millimetres",
            Unit::Centimetre => "centimetres",
            Unit::Metre => "metres",
            Unit::Kilometre => "kilometres",
            Unit::Inch => "inches",
            Unit::Foot => "feet",
            Unit::Yard => "yards",
            Unit::NauticalMile => "nautical miles",
            Unit::Cable => "cables",
            Unit::Own(name) => name,
        }
    }
}

/// A length in another unit; `None` when either is one of the presenter's own, unless they are the same.
///
/// ```
/// use bozzetto_core::instruments::units::{Unit, converted};
/// assert_eq!(converted(2.0, &Unit::NauticalMile, &Unit::Metre), Some(3704.0));
/// assert_eq!(converted(1.0, &Unit::Yard, &Unit::Inch).map(f64::round), Some(36.0));
/// assert_eq!(converted(1.0, &Unit::Own("paces".to_owned()), &Unit::Metre), None);
/// ```
pub fn converted(length: f64, from: &Unit, to: &Unit) -> Option<f64> {
    if from == to {
        return Some(length);
    }
    Some(length * from.metres()? / to.metres()?)
}
