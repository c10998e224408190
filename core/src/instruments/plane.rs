//! A tilted plane: four corners of a known rectangle in a picture say how large everything on its plane is, in
//! spite of perspective.
//!
//! The map from picture to plane is a homography.

use serde::{Deserialize, Serialize};

use crate::geometry::homography::Homography;

use super::reading::{Place, Reading};
use super::scale::{LENGTHS, Scale, ScaleFault};
use super::units::Unit;

/// A known rectangle on a backdrop.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Plane {
    /// Its corners, one after another round it, in units of the backdrop.
    pub corners: [Place; 4],
    /// How long it is from the first corner to the second, and from the second to the third.
    pub sides: (f64, f64),
    pub unit: Unit,
    /// The standard uncertainty of either coordinate of a corner, in units of the backdrop.
    pub off: f64,
}

/// Why there is no plane, in words for the person.
#[derive(Clone, PartialEq, Debug, thiserror::Error)]
pub enum PlaneFault {
    #[error(
        "Tap the corners one after another round the rectangle: these four do not go round one, or lie nearly on a line."
    )]
    Corners,
    #[error(transparent)]
    Scale(#[from] ScaleFault),
}

/// The smallest area of the four corners, in square units of the backdrop.
const SMALLEST: f64 = 400.0;

/// Where a place of the picture lies on the plane, in its unit, from the first corner; `None` for corners on a
/// line.
fn on_plane(corners: [Place; 4], (long, wide): (f64, f64), places: &[Place]) -> Option<Vec<Place>> {
    let back = Homography::from_square(corners)?.inverse();
    let scaled = |p: &Place| {
        let (x, y) = back.apply(*p);
        (x * long, y * wide)
    };
    Some(places.iter().map(scaled).collect())
}

impl Plane {
    /// A plane that can be used.
    ///
    /// # Errors
    /// For corners that do not go round a rectangle, and what is wrong with lengths and units as
    /// [`Scale::checked`] says it.
    pub fn checked(self) -> Result<Self, PlaneFault> {
        let c = self.corners;
        let turn = |i: usize| {
            let (a, b, d) = (c[i], c[(i + 1) % 4], c[(i + 2) % 4]);
            (b.0 - a.0) * (d.1 - b.1) - (b.1 - a.1) * (d.0 - b.0)
        };
        let turns = [0, 1, 2, 3].map(turn);
        let one_way = turns.iter().all(|t| *t > 0.0) || turns.iter().all(|t| *t < 0.0);
        let area = Reading::area(&c, 0.0).value;
        let narrow = turns.iter().any(|t| t.abs() < SMALLEST / 4.0);
        if !one_way || narrow || !area.is_finite() || area < SMALLEST {
            return Err(PlaneFault::Corners);
        }
        let (long, wide) = self.sides;
        let sound = |v: f64| v.is_finite() && (LENGTHS.0..=LENGTHS.1).contains(&v);
        if !sound(long) || !sound(wide) {
            return Err(ScaleFault::Length.into());
        }
        // As a scale would be: its unit is judged by the same rule.
        Scale {
            length: long,
            unit: self.unit.clone(),
            on_backdrop: area.sqrt(),
            off: self.off,
        }
        .checked()?;
        Ok(self)
    }

    /// A place of the picture as it lies on the plane, in its unit, from the first corner.
    pub fn place(&self, place: Place) -> Place {
        let places = on_plane(self.corners, self.sides, &[place]);
        places.map_or((0.0, 0.0), |p| p[0])
    }

    /// What `reads` finds of places on the plane, with its uncertainty from theirs, each known to `off`, and
    /// from that of the corners: by finite differences (JCGM 100:2008, 5.1.3, note 2).
    pub fn reading(&self, places: &[Place], off: f64, reads: impl Fn(&[Place]) -> f64) -> Reading {
        let all: Vec<Place> = self.corners.iter().chain(places).copied().collect();
        let value = |all: &[Place]| {
            let corners = [all[0], all[1], all[2], all[3]];
            let places = on_plane(corners, self.sides, &all[4..]);
            places.map_or(0.0, |places| reads(&places))
        };
        let mut squares = 0.0;
        for i in 0..all.len() {
            let step = if i < 4 { self.off } else { off };
            for across in [false, true] {
                let moved = |by: f64| {
                    let mut moved = all.clone();
                    match across {
                        false => moved[i].0 += by,
                        true => moved[i].1 += by,
                    }
                    value(&moved)
                };
                squares += ((moved(step) - moved(-step)) / 2.0).powi(2);
            }
        }
        Reading {
            value: value(&all),
            off: squares.sqrt(),
        }
    }
}
