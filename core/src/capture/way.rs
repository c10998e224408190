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

    /// As it has come from elsewhere: `None` when it is not one that a hand can have drawn.
    pub fn settled(self) -> Option<Self> {
        let drawn = Self::drawn(self.places.into_iter().take(MOST_PLACES), self.soft);
        (drawn.places.len() > 2 && !drawn.bounds().is_empty()).then_some(drawn)
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
