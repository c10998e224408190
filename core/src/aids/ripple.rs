//! Ripples: each press shows something that spreads and is gone in half a second. What kind of press it was
//! is told by the shape: a ring, a square for the other button, two rings for a double press.

use serde::{Deserialize, Serialize};

use super::laser::circle;
use super::ring::in_three_tones;
use crate::display::colour::Rgb;
use crate::display::{DisplayList, Path};
use crate::geometry::frames::{Glass, Point, Rect};
use crate::ink::curve::Spot;

/// How long one lasts, in milliseconds.
pub const LASTS: f64 = 450.0;
/// How large it is at first and at the end, from its middle, in glass units.
const SPREADS: (f64, f64) = (14.0, 64.0);
/// How wide its line is, in glass units.
const WIDTH: f64 = 5.0;
/// Two presses within so many milliseconds and glass units are a double press.
pub const DOUBLE: (f64, f64) = (400.0, 24.0);

/// What kind of press it was.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Press {
    /// A finger, a pen, a mouse's first button.
    First,
    /// A mouse's other button.
    Second,
    /// The second of two in quick succession.
    Double,
}

/// A press, and where it was.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Ripple {
    pub press: Press,
    pub at: Spot,
    pub colour: Rgb,
}

impl Ripple {
    /// A rectangle that contains it as long as it lasts.
    pub fn bounds(&self) -> Rect<Glass> {
        let at = self.middle();
        Rect::from_corners(at, at).inflate(SPREADS.1 + 2.0 * WIDTH)
    }

    /// Draws it as it is so many milliseconds after the press; `still` for those who want no motion.
    pub fn paint(&self, age: f64, still: bool, list: &mut DisplayList) {
        let t = (age / LASTS).clamp(0.0, 1.0);
        let spread = if still {
            0.5
        } else {
            1.0 - (1.0 - t) * (1.0 - t)
        };
        let radius = SPREADS.0 + (SPREADS.1 - SPREADS.0) * spread;
        let opacity = if still { 1.0 } else { (1.0 - t * t) as f32 };
        let mut spreads = |radius: f64, shape: fn(Point<Glass>, f64, bool) -> Path| {
            let shape = |radius, hole| shape(self.middle(), radius, hole);
            in_three_tones(list, (radius, WIDTH), (self.colour, opacity), shape);
        };
        match self.press {
            Press::First => spreads(radius, circle),
            Press::Second => spreads(radius * 0.9, square),
            Press::Double => {
                spreads(radius, circle);
                spreads(radius * 0.5, circle);
            }
        }
    }

    fn middle(&self) -> Point<Glass> {
        let p = self.at.position();
        Point::new(p.x, p.y)
    }
}

/// An upright square, or what a square is wound the other way for.
fn square(centre: Point<Glass>, half: f64, hole: bool) -> Path {
    let corner = |x: f64, y: f64| (centre.x + x * half, centre.y + y * half);
    let mut corners = [
        corner(-1.0, -1.0),
        corner(1.0, -1.0),
        corner(1.0, 1.0),
        corner(-1.0, 1.0),
    ];
    if hole {
        corners.reverse();
    }
    let mut path = Path::default();
    path.polygon(corners);
    path
}
