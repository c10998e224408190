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
    asked: bool,
}

impl Dwell {
    /// The pen is at `at` at `t` milliseconds.
    pub fn new(at: Point<Ink>, t: f64) -> Self {
        let asked = false;
        Self {
            at,
            since: t,
            asked,
        }
    }

    /// Takes note of where the pen is now; `true` when it has moved on.
    pub fn moved(&mut self, at: Point<Ink>, t: f64) -> bool {
        let on = at.distance(self.at) > TREMBLE;
        if on {
            *self = Self::new(at, t);
        }
        on
    }

    /// When it will have been held still for [`HOLD`]; `None` once that was asked.
    pub fn asks_at(&self) -> Option<f64> {
        (!self.asked).then_some(self.since + HOLD)
    }

    /// Whether it has been held still for [`HOLD`]: `true` once, until it moves on.
    pub fn ask(&mut self, t: f64) -> bool {
        let now = self.asks_at().is_some_and(|at| t >= at);
        self.asked |= now;
        now
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A pen that reports without pause and trembles where it rests is held still from when it came
        /// there, and asks once; one that creeps on is not, however slowly it goes.
        #[test]
        fn trembling_is_resting_and_creeping_is_not(
            tremble in prop::collection::vec((-2.5..2.5f64, -2.5..2.5f64), 40..80), step in 0.2..3.0f64,
        ) {
            let mut rests = Dwell::new(Point::new(100.0, 100.0), 0.0);
            let mut creeps = rests;
            let (mut asked, mut crept) = (0, 0);
            for (i, (dx, dy)) in tremble.iter().enumerate() {
                let t = (i + 1) as f64 * 16.0;
                prop_assert!(!rests.moved(Point::new(100.0 + dx, 100.0 + dy), t));
                creeps.moved(Point::new(100.0 + step * i as f64, 100.0), t);
                asked += u32::from(rests.ask(t));
                crept += u32::from(creeps.ask(t));
                prop_assert_eq!(asked, u32::from(t >= HOLD));
            }
            prop_assert!(step * 31.0 < TREMBLE * 2.0 || crept == 0);
        }
    }
}
