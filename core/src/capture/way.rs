//! How a capture is taken: a box, an outline drawn by hand, one pane, all of the stage, the whole of a backdrop.

use serde::{Deserialize, Serialize};

use crate::display::Path;
use crate::geometry::frames::{Glass, Point, Rect};

/// How a capture is taken.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Way {
    #[default]
    Box,
    Outline(Outline),
    Pane,
    Stage,
    /// All of a backdrop, also what is not in view.
    Whole,
}

impl Way {
    /// Its name, as it is stored.
    pub fn word(&self) -> &'static str {
        match self {
            Way::Box => "box",
            Way::Outline(_) => "outline",
            Way::Pane => "pane",
            Way::Stage => "stage",
            Way::Whole => "whole",
        }
    }
}

/// The most places that an outline is kept by, and how far apart they are at the least, in glass units.
pub const MOST_PLACES: usize = 4000;
const APART: f64 = 1.5;
/// How softly a soft edge ends: the standard deviation of its blur, in glass units.
const SOFTNESS: f64 = 6.0;

/// How far at least an outline goes to one side of the way to its farthest place: in glass units, and as a part of that
/// way's length. Common practice, no source.
const LEAST: f64 = 2.0;
const STRAIGHT: f64 = 0.005;

/// A closed line; what lies outside is not in the capture.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Outline {
    places: Vec<Point<Glass>>,
    /// It ends softly.
    pub soft: bool,
}

impl Outline {
    /// The line that a hand has drawn: closed from its end to its beginning. Of a hand that trembled in one
    /// place little is kept; of a line that is longer than [`MOST_PLACES`], every so many'th place.
    pub fn drawn(by_hand: impl IntoIterator<Item = Point<Glass>>, soft: bool) -> Self {
        let mut places: Vec<Point<Glass>> = Vec::new();
        for place in by_hand.into_iter().filter(|p| p.is_finite()) {
            if places
                .last()
                .is_none_or(|last| last.distance(place) >= APART)
            {
                places.push(place);
            }
        }
        let by = places.len().div_ceil(MOST_PLACES).max(1);
        let places = places.into_iter().step_by(by).collect();
        Self { places, soft }
    }

    /// As it has come from elsewhere: `None` when it is not one that a hand can have drawn, or encloses nothing.
    pub fn settled(self) -> Option<Self> {
        let drawn = Self::drawn(self.places.into_iter().take(MOST_PLACES), self.soft);
        drawn.encloses().then_some(drawn)
    }

    /// Whether something is inside: a line that goes one way and back, if unsteadily, encloses nothing.
    fn encloses(&self) -> bool {
        let Some(first) = self.places.first() else {
            return false;
        };
        let by = |a: &&Point<Glass>, b: &&Point<Glass>| {
            first.distance(**a).total_cmp(&first.distance(**b))
        };
        let Some(far) = self.places.iter().max_by(by) else {
            return false;
        };
        let long = first.distance(*far);
        let (x, y) = ((far.x - first.x) / long, (far.y - first.y) / long);
        let aside = |p: &Point<Glass>| ((p.x - first.x) * y - (p.y - first.y) * x).abs();
        let most = self.places.iter().map(aside).fold(0.0, f64::max);
        most > LEAST.max(STRAIGHT * long)
    }

    /// The box that contains it.
    pub fn bounds(&self) -> Rect<Glass> {
        let around = if self.soft { 2.0 * SOFTNESS } else { 0.0 };
        let all = self.places.iter();
        let bounds = all.fold(Rect::EMPTY, |r, p| r.include(*p));
        if bounds.is_empty() {
            bounds
        } else {
            bounds.inflate(around)
        }
    }

    /// How softly it ends: the standard deviation of a Gaussian blur, in glass units.
    pub fn softness(&self) -> f64 {
        if self.soft { SOFTNESS } else { 0.0 }
    }

    /// The line, smooth from the middle of one stretch to that of the next, and closed.
    pub fn path(&self) -> Path {
        let mut path = Path::default();
        let middle = |a: Point<Glass>, b: Point<Glass>| ((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
        let (Some(first), Some(last)) = (self.places.first(), self.places.last()) else {
            return path;
        };
        let (x, y) = middle(*last, *first);
        path.move_to(x, y);
        for (n, place) in self.places.iter().enumerate() {
            let next = self.places[(n + 1) % self.places.len()];
            path.quad_to((place.x, place.y), middle(*place, next));
        }
        path.close();
        path
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What is drawn round something encloses it, however flat; a line drawn by an unsteady hand, there and perhaps
        /// back, does not.
        #[test]
        fn what_encloses_something_is_told_from_a_line(
            turn in 0.0..7.0f64, long in 40.0..900.0f64, flat in 0.02..1.0f64, trembles in 0.0..1.0f64, back in any::<bool>(),
        ) {
            let turned = |x: f64, y: f64| {
                Point::new(900.0 + x * turn.cos() - y * turn.sin(), 500.0 + x * turn.sin() + y * turn.cos())
            };
            let oval = (0..60).map(|n| {
                let a = f64::from(n) / 10.0;
                turned(long / 2.0 * a.cos(), (long / 2.0 * flat).max(4.0) * a.sin())
            });
            prop_assert!(Outline::drawn(oval, false).settled().is_some());
            let way = 0..if back { 120 } else { 60 };
            let line = way.map(|n| {
                let along = if n < 60 { n } else { 119 - n };
                let aside = if n % 2 == 0 { trembles } else { -trembles } * long / 1000.0;
                turned(f64::from(along) / 60.0 * long, aside)
            });
            prop_assert!(Outline::drawn(line, false).settled().is_none());
        }
    }
}
