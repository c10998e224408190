//! The ring round the pointer. Its line has a light and a dark edge, so that it is seen on anything,
//! whatever its colour.

use serde::{Deserialize, Serialize};

use super::laser::{CORE, RIM, circle};
use super::within;
use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Point, Rect};

/// How large it may be across, and how wide its line, in glass units.
pub const DIAMETERS: (f64, f64) = (24.0, 400.0);
/// See [`DIAMETERS`].
pub const WIDTHS: (f64, f64) = (2.0, 40.0);
/// How much of what is beneath it may hide.
pub const OPACITIES: (f64, f64) = (0.2, 1.0);
/// How wide either edge is, in glass units.
const EDGE: f64 = 2.0;

/// How a ring looks.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct RingLook {
    pub colour: Rgb,
    /// Across, to the middle of its line, in glass units.
    pub diameter: f64,
    /// Of its line, in glass units.
    pub width: f64,
    /// 1 hides what is beneath.
    pub opacity: f64,
    /// A disc that lets through what is beneath, within the ring.
    pub filled: bool,
}

impl Default for RingLook {
    fn default() -> Self {
        Self {
            // Okabe and Ito's yellow.
            colour: Rgb::new(0xf0, 0xe4, 0x42),
            diameter: 90.0,
            width: 8.0,
            opacity: 1.0,
            filled: false,
        }
    }
}

impl RingLook {
    /// Within what a ring may be.
    pub fn settled(self) -> Self {
        let first = Self::default();
        Self {
            diameter: within(self.diameter, DIAMETERS, first.diameter),
            width: within(self.width, WIDTHS, first.width),
            opacity: within(self.opacity, OPACITIES, first.opacity),
            ..self
        }
    }

    /// A rectangle that contains it.
    pub fn bounds(&self, at: Point<Glass>) -> Rect<Glass> {
        let reach = (self.diameter + self.width) / 2.0 + 2.0 * EDGE + 1.0;
        Rect::from_corners(at, at).inflate(reach)
    }

    /// Draws it round a place.
    pub fn paint(&self, at: Point<Glass>, list: &mut DisplayList) {
        let radius = self.diameter / 2.0;
        let opacity = self.opacity as f32;
        if self.filled {
            list.fade(
                circle(at, radius, false),
                self.colour,
                Blend::Over,
                opacity * 0.3,
            );
        }
        let line = (radius, self.width);
        in_three_tones(list, line, (self.colour, opacity), |radius, hole| {
            circle(at, radius, hole)
        });
    }
}

/// Draws a line round something, `radius` from its middle and `width` wide, with a light and a dark edge.
/// `shape` gives what lies within so far of the middle, or the hole of it.
pub(super) fn in_three_tones(
    list: &mut DisplayList,
    (radius, width): (f64, f64),
    (colour, opacity): (Rgb, f32),
    shape: impl Fn(f64, bool) -> Path,
) {
    let half = width / 2.0;
    for (half, colour) in [
        (half + 2.0 * EDGE, RIM),
        (half + EDGE, CORE),
        (half, colour),
    ] {
        let mut line = shape(radius + half, false);
        if radius > half {
            line.append(&shape(radius - half, true));
        }
        list.fade(line, colour, Blend::Over, opacity);
    }
}
