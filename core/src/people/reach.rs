//! A hand that the presenter has passed to a participant: it reaches into a web page on stage.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Held, Point};
use crate::geometry::ids::BackdropId;

/// What the hand does in a page.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Reach {
    pub backdrop: BackdropId,
    pub does: Does,
}

/// Where, in the page's own CSS pixels from its beginning, however it is scrolled.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Does {
    /// It presses.
    Down(Point<Held>),
    /// It moves, pressing or not.
    Move(Point<Held>),
    /// It lets go.
    Up(Point<Held>),
    /// A wheel is turned there by so many CSS pixels.
    Wheel { at: Point<Held>, by: (f64, f64) },
    /// A key is pressed shortly; named as browsers name it (W3C UI Events, `KeyboardEvent.key`).
    Key(String),
}

/// No page is longer, in CSS pixels.
const FARTHEST: f64 = 1e6;
/// No wheel is turned farther at once, in CSS pixels.
const MOST_TURNED: f64 = 2000.0;
/// No key has a longer name, in bytes.
const LONGEST_KEY: usize = 32;

impl Reach {
    /// Within what can be, whatever was sent; `None` for what is nowhere, and for no key.
    pub fn settled(self) -> Option<Self> {
        let within = |at: Point<Held>| at.x.abs() <= FARTHEST && at.y.abs() <= FARTHEST;
        let turned = |by: f64| by.clamp(-MOST_TURNED, MOST_TURNED);
        let does = match self.does {
            Does::Down(at) | Does::Move(at) | Does::Up(at) if !within(at) => return None,
            Does::Wheel { at, by: (dx, dy) } => {
                if !within(at) || !dx.is_finite() || !dy.is_finite() {
                    return None;
                }
                let by = (turned(dx), turned(dy));
                Does::Wheel { at, by }
            }
            Does::Key(key) => {
                let printed = !key.is_empty() && !key.chars().any(char::is_control);
                if !printed || key.len() > LONGEST_KEY {
                    return None;
                }
                Does::Key(key)
            }
            does => does,
        };
        Some(Self { does, ..self })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is sent, what is passed on is within a page, and settled once and for all.
        #[test]
        fn what_is_passed_on_is_within_a_page(
            x in any::<f64>(), y in any::<f64>(), dx in any::<f64>(), dy in any::<f64>(), key in ".{0,40}", which in 0..5,
        ) {
            let at = Point::new(x, y);
            let does = match which {
                0 => Does::Down(at),
                1 => Does::Move(at),
                2 => Does::Up(at),
                3 => Does::Wheel { at, by: (dx, dy) },
                _ => Does::Key(key),
            };
            if let Some(reach) = (Reach { backdrop: BackdropId(1), does }).settled() {
                match &reach.does {
                    Does::Down(at) | Does::Move(at) | Does::Up(at) => {
                        prop_assert!(at.x.abs() <= 1e6 && at.y.abs() <= 1e6);
                    }
                    Does::Wheel { by, .. } => prop_assert!(by.0.abs() <= 2000.0 && by.1.abs() <= 2000.0),
                    Does::Key(key) => prop_assert!(!key.is_empty() && key.len() <= 32),
                }
                prop_assert_eq!(reach.clone().settled(), Some(reach));
            }
        }
    }
}
