//! Dwell: a pen that is held still at the end of its line asks for the shape that it meant.

use crate::geometry::frames::{Ink, Point};

/// How long, in milliseconds, a pen held still at the end of a line asks for the shape.
pub const HOLD: f64 = 500.0;

/// How far, in units, a pen that is held still may tremble.
const TREMBLE: f64 = 4.0;

/// Watches for a pen being held still.
#[derive(Clone, Copy, Debug)]
pub struct Dwell {
    at: Point<Ink>,
    since: f64,
}

impl Dwell {
    /// The pen is at `at` at `t` milliseconds.
    pub fn new(at: Point<Ink>, t: f64) -> Self {
        Self { at, since: t }
    }

    /// Takes note of where the pen is now; `true` when it has moved on.
    pub fn moved(&mut self, at: Point<Ink>, t: f64) -> bool {
        let on = at.distance(self.at) > TREMBLE;
        if on {
            *self = Self::new(at, t);
        }
        on
    }

    /// Whether it has been held still for [`HOLD`].
    pub fn long_enough(&self, t: f64) -> bool {
        t - self.since >= HOLD
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A pen that reports without pause and trembles where it rests is held still from when it came
        /// there; one that creeps on is not, however slowly it goes.
        #[test]
        fn trembling_is_resting_and_creeping_is_not(
            tremble in prop::collection::vec((-2.5..2.5f64, -2.5..2.5f64), 40..80), step in 0.2..3.0f64,
        ) {
            let mut rests = Dwell::new(Point::new(100.0, 100.0), 0.0);
            let mut creeps = rests;
            for (i, (dx, dy)) in tremble.iter().enumerate() {
                let t = (i + 1) as f64 * 16.0;
                prop_assert!(!rests.moved(Point::new(100.0 + dx, 100.0 + dy), t));
                creeps.moved(Point::new(100.0 + step * i as f64, 100.0), t);
                prop_assert_eq!(rests.long_enough(t), t >= HOLD);
            }
            let crept = step * 31.0;
            prop_assert!(crept < TREMBLE * 2.0 || !creeps.long_enough(tremble.len() as f64 * 16.0));
        }
    }
}
