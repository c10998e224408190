//! The laser: a dot with a short trail that fades.
//!
//! The dot has a bright core and a dark rim, so that it stands apart from whatever is beneath: on what is
//! dark by its core, on what is light by its rim.

use std::collections::VecDeque;

use kurbo::Shape as _;
use serde::{Deserialize, Serialize};

use super::within;
use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Ink, Point, Rect};
use crate::ink::outline::outline;
use crate::ink::tip::Tip;
use crate::ink::{InkPoint, Points};

/// How long the trail lasts, in milliseconds.
pub const LASTS: f64 = 320.0;
/// How large the dot may be across, in glass units.
pub const SIZES: (f64, f64) = (8.0, 60.0);
/// What makes the dot visible on what is light.
pub const RIM: Rgb = Rgb::new(0x14, 0x18, 0x1d);
/// What makes it visible on what is dark.
pub const CORE: Rgb = Rgb::new(0xff, 0xff, 0xff);
/// The most places of a trail: what the quickest pens report while it lasts.
const MOST: usize = 400;
/// How wide the rim is, and how wide the core, as fractions of the dot's width.
const RIM_SHARE: f64 = 0.14;
const CORE_SHARE: f64 = 0.4;
/// How wide the trail is where it leaves the dot, as a fraction of the dot's width.
const TRAIL_SHARE: f64 = 0.6;

/// The colour of the dot, and how large it is.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct LaserLook {
    pub colour: Rgb,
    /// Across, in glass units; see [`SIZES`].
    pub size: f64,
}

impl Default for LaserLook {
    fn default() -> Self {
        Self {
            // Okabe and Ito's vermilion.
            colour: Rgb::new(0xd5, 0x5e, 0x00),
            size: 20.0,
        }
    }
}

impl LaserLook {
    /// Within what a laser may be.
    pub fn settled(self) -> Self {
        let size = within(self.size, SIZES, Self::default().size);
        Self { size, ..self }
    }
}

/// A laser dot on its way: where it was in the last third of a second.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Trail {
    look: LaserLook,
    /// The oldest first, with when it was seen; that of what has come since the last tick is not known yet.
    spots: VecDeque<(InkPoint, Option<f64>)>,
    /// The dot is there; otherwise just the rest of its trail.
    lit: bool,
}

impl Trail {
    /// The dot goes on through `points`, of which each is as wide as the dot.
    pub fn extend(&mut self, colour: Rgb, points: &Points) {
        if !self.lit {
            // Between one time and the next there is no line.
            self.spots.clear();
        }
        self.look.colour = colour;
        self.lit = true;
        self.spots.extend(points.0.iter().map(|p| (*p, None)));
        // A page that nobody looks at shows no frame in which they would fade.
        self.spots.drain(..self.spots.len().saturating_sub(MOST));
    }

    /// The dot is put out; the trail fades.
    pub fn put_out(&mut self) {
        self.lit = false;
    }

    /// It is the moment `now`, in milliseconds: what came since is of this moment, and what is too old is
    /// gone. The dot itself stays as long as it is lit.
    pub fn tick(&mut self, now: f64) {
        for (_, seen) in self.spots.iter_mut().rev().take_while(|(_, t)| t.is_none()) {
            *seen = Some(now);
        }
        let keep = usize::from(self.lit);
        while self.spots.len() > keep && age(&self.spots[0], now) >= LASTS {
            self.spots.pop_front();
        }
    }

    /// Whether it looks the same until more comes.
    pub fn rests(&self) -> bool {
        self.spots.len() <= usize::from(self.lit)
    }

    /// Whether nothing is to be seen.
    pub fn is_over(&self) -> bool {
        self.spots.is_empty()
    }

    /// A rectangle that contains what is to be seen.
    pub fn bounds(&self) -> Rect<Glass> {
        let around = self.spots.iter().map(|(p, _)| {
            let at = on_glass(p);
            Rect::from_corners(at, at).inflate(p.radius() * (1.0 + 2.0 * RIM_SHARE) + 1.0)
        });
        around.fold(Rect::EMPTY, |all, spot| all.union(&spot))
    }

    /// Draws it as it is at the moment `now`.
    pub fn paint(&self, now: f64, list: &mut DisplayList) {
        let Some((head, _)) = self.spots.back() else {
            return;
        };
        let rim = 2.0 * head.radius() * RIM_SHARE;
        let line = |wider: f64| {
            let points: Vec<InkPoint> = self
                .spots
                .iter()
                .map(|spot| {
                    let left = 1.0 - (age(spot, now) / LASTS).clamp(0.0, 1.0);
                    let width = 2.0 * spot.0.radius() * TRAIL_SHARE * left;
                    InkPoint::new(spot.0.position(), width + wider * left)
                })
                .collect();
            outline(&points, Tip::Round)
        };
        if self.spots.len() > 1 {
            list.fill(line(2.0 * rim), RIM, Blend::Over);
            list.fill(line(0.0), self.look.colour, Blend::Over);
        }
        if self.lit {
            let radius = head.radius();
            for (radius, colour) in [
                (radius + rim, RIM),
                (radius, self.look.colour),
                (radius * CORE_SHARE, CORE),
            ] {
                list.fill(circle(on_glass(head), radius, false), colour, Blend::Over);
            }
        }
    }
}

fn age((_, seen): &(InkPoint, Option<f64>), now: f64) -> f64 {
    seen.map_or(0.0, |t| now - t)
}

fn on_glass(p: &InkPoint) -> Point<Glass> {
    let p: Point<Ink> = p.position();
    Point::new(p.x, p.y)
}

/// A disc, or what a disc is wound the other way for: a hole.
pub(super) fn circle(centre: Point<Glass>, radius: f64, hole: bool) -> Path {
    /// How far the curves may be off, in units.
    const TOLERANCE: f64 = 0.05;
    let circle = kurbo::Circle::new((centre.x, centre.y), radius).to_path(TOLERANCE);
    match hole {
        false => Path::from(&circle),
        true => Path::from(&circle.reverse_subpaths()),
    }
}
