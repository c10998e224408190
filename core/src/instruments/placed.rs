//! Where an instrument lies: held by the glass, or by a backdrop with which it moves and grows.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Glass, Held, Map, Point};
use crate::geometry::ids::BackdropId;

/// Where an instrument lies, in the units of what holds it.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Placed {
    /// The backdrop that holds it; `None` for the glass.
    pub on: Option<BackdropId>,
    /// Its origin: a ruler's zero, a protractor's centre.
    pub at: (f64, f64),
    /// How far it is turned clockwise, in radians.
    pub angle: f64,
    /// How long it is, or its radius.
    pub size: f64,
}

/// The same in glass units.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Lies {
    pub at: Point<Glass>,
    pub angle: f64,
    pub size: f64,
}

impl Placed {
    /// Where it lies on the glass, when what holds it is seen by `view`.
    pub fn lies(&self, view: &Map<Held, Glass>) -> Lies {
        Lies {
            at: view.apply(Point::new(self.at.0, self.at.1)),
            angle: self.angle,
            size: self.size * view.mean_scale(),
        }
    }
}

impl Lies {
    /// The same, as what is seen by `view` holds it; `None` for a view that shows nothing.
    pub fn placed(&self, on: Option<BackdropId>, view: &Map<Held, Glass>) -> Option<Placed> {
        let at = view.inverse()?.apply(self.at);
        Some(Placed {
            on,
            at: (at.x, at.y),
            angle: self.angle,
            size: self.size / view.mean_scale(),
        })
    }

    /// A place of the glass as it lies to the instrument: along it, and across to the right of that.
    pub fn local(&self, p: Point<Glass>) -> (f64, f64) {
        let (sin, cos) = self.angle.sin_cos();
        let (dx, dy) = (p.x - self.at.x, p.y - self.at.y);
        (dx * cos + dy * sin, dy * cos - dx * sin)
    }

    /// The way back from [`Lies::local`].
    pub fn at_local(&self, (along, across): (f64, f64)) -> Point<Glass> {
        let (sin, cos) = self.angle.sin_cos();
        Point::new(
            self.at.x + along * cos - across * sin,
            self.at.y + along * sin + across * cos,
        )
    }

    /// From the instrument's own coordinates to the glass, for drawing.
    pub fn map(&self) -> Map<Glass, Glass> {
        let (sin, cos) = self.angle.sin_cos();
        Map::from_coefficients([cos, sin, -sin, cos, self.at.x, self.at.y])
    }

    /// As two hands bring it that were at `from` and are at `to`: moved and turned with them, and `grows`
    /// with the distance between them.
    pub fn carried(&self, from: [Point<Glass>; 2], to: [Point<Glass>; 2], grows: bool) -> Self {
        let way = |[a, b]: [Point<Glass>; 2]| (b.x - a.x, b.y - a.y);
        let (was, is) = (way(from), way(to));
        let turned = is.1.atan2(is.0) - was.1.atan2(was.0);
        let (before, after) = (was.0.hypot(was.1), is.0.hypot(is.1));
        let by = match grows && before > 1.0 {
            true => after / before,
            false => 1.0,
        };
        let middle = |[a, b]: [Point<Glass>; 2]| ((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
        let (m, n) = (middle(from), middle(to));
        let (sin, cos) = turned.sin_cos();
        let (dx, dy) = ((self.at.x - m.0) * by, (self.at.y - m.1) * by);
        Self {
            at: Point::new(n.0 + dx * cos - dy * sin, n.1 + dx * sin + dy * cos),
            angle: self.angle + turned,
            size: self.size * by,
        }
    }
}

/// How far from what it snaps to an angle may be, in radians.
pub const TURN: f64 = 2.5 * std::f64::consts::PI / 180.0;

/// An angle as it snaps: to the nearest multiple of 15°, when that is nearer than [`TURN`].
pub fn snapped(angle: f64) -> f64 {
    let step = 15f64.to_radians();
    let near = (angle / step).round() * step;
    match (angle - near).abs() < TURN {
        true => near,
        false => angle,
    }
}

/// The angle of the way from one place to another, in radians clockwise from the right.
pub fn way(from: Point<Glass>, to: Point<Glass>) -> f64 {
    (to.y - from.y).atan2(to.x - from.x)
}
