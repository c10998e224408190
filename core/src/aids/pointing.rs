//! What people point with: told as it happens, and not kept.
//!
//! Whoever points says so again every second, also while nothing moves; so who comes late sees it, and of
//! somebody who has gone it is gone soon.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::laser::{self, Trail};
use super::ring::RingLook;
use super::ripple::{self, Ripple};
use crate::display::DisplayList;
use crate::display::colour::Rgb;
use crate::geometry::frames::{Glass, Point, Rect};
use crate::geometry::ids::AuthorId;
use crate::ink::curve::Spot;
use crate::ink::{InkPoint, Points};
use crate::marks::mark::{MarkFault, check_points};

/// How often it is said again what is pointed with, in milliseconds.
const AGAIN: f64 = 1000.0;
/// For how long one who was not heard of is still taken to point, in milliseconds.
const GONE: f64 = 3500.0;
/// The most places in one message: what a pen reports in a second.
const MOST: usize = 400;
/// The most presses of one that are shown at once.
const MOST_RIPPLES: usize = 20;

/// What somebody points with, since it was last told. Places are in glass units.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Pointing {
    /// A laser dot goes through these places; their width is the dot's.
    Laser { colour: Rgb, places: Points },
    /// There is no laser dot any more.
    NoLaser,
    /// A ring is round this place.
    Ring { look: RingLook, at: Spot },
    /// There is no ring any more.
    NoRing,
    /// Something was pressed.
    Ripple(Ripple),
}

impl Pointing {
    /// Refuses what no hand can have pointed with, and puts right what cannot be shown.
    pub fn settled(self) -> Result<Self, MarkFault> {
        match self {
            Pointing::Laser { colour, places } => {
                check_points(&places)?;
                let places = places.0.into_iter().take(MOST);
                let places = places.map(|p| InkPoint::new(p.position(), width(p)));
                Ok(Pointing::Laser {
                    colour,
                    places: Points(places.collect()),
                })
            }
            Pointing::Ring { look, at } => {
                let look = look.settled();
                check_points(&Points(vec![InkPoint::new(at.position(), look.width)]))?;
                Ok(Pointing::Ring { look, at })
            }
            Pointing::Ripple(Ripple { at, .. }) => {
                check_points(&Points(vec![InkPoint::new(at.position(), 1.0)]))?;
                Ok(self)
            }
            Pointing::NoLaser | Pointing::NoRing => Ok(self),
        }
    }
}

fn width(p: InkPoint) -> f64 {
    (p.radius() * 2.0).clamp(laser::SIZES.0, laser::SIZES.1)
}

/// What one person points with.
#[derive(Clone, Debug, Default)]
struct Pointed {
    laser: Trail,
    /// The last place of a laser dot that is lit.
    dot: Option<(Rgb, InkPoint)>,
    ring: Option<(RingLook, Spot)>,
    /// With when they were pressed; `None` for since the last tick.
    ripples: Vec<(Ripple, Option<f64>)>,
    /// When they were last heard of; `None` for since the last tick.
    heard: Option<f64>,
}

impl Pointed {
    fn bounds(&self) -> Rect<Glass> {
        let ring = self.ring.map(|(look, at)| look.bounds(on_glass(at)));
        let first = self.laser.bounds().union(&ring.unwrap_or(Rect::EMPTY));
        let ripples = self.ripples.iter().map(|(ripple, _)| ripple.bounds());
        ripples.fold(first, |all, one| all.union(&one))
    }

    /// Whether it looks the same until more is told.
    fn rests(&self) -> bool {
        self.laser.rests() && self.ripples.is_empty()
    }

    fn tick(&mut self, now: f64) {
        self.laser.tick(now);
        for (_, pressed) in &mut self.ripples {
            pressed.get_or_insert(now);
        }
        let lasts = |pressed: Option<f64>| pressed.is_none_or(|t| now - t < ripple::LASTS);
        self.ripples.retain(|(_, pressed)| lasts(*pressed));
    }

    fn is_over(&self) -> bool {
        self.laser.is_over() && self.ring.is_none() && self.ripples.is_empty()
    }
}

/// What everybody points with, and which part of the glass has to be painted again for it.
#[derive(Clone, Debug, Default)]
pub struct Pointers {
    each: BTreeMap<AuthorId, Pointed>,
    damage: Option<Rect<Glass>>,
    now: f64,
    /// Nothing is to move that need not.
    pub still: bool,
}

impl Pointers {
    /// Somebody points.
    pub fn take(&mut self, author: AuthorId, pointing: &Pointing) {
        let one = self.each.entry(author).or_default();
        let before = one.bounds();
        one.heard = None;
        match pointing {
            Pointing::Laser { colour, places } => {
                let again = |last: InkPoint| places.0 == [last];
                // One that is said again has not moved.
                if !one.dot.is_some_and(|(_, last)| again(last)) {
                    one.laser.extend(*colour, places);
                }
                let last = places.0.last().copied();
                one.dot = last.map(|last| (*colour, last)).or(one.dot);
            }
            Pointing::NoLaser => {
                one.laser.put_out();
                one.dot = None;
            }
            Pointing::Ring { look, at } => one.ring = Some((*look, *at)),
            Pointing::NoRing => one.ring = None,
            Pointing::Ripple(ripple) if one.ripples.len() < MOST_RIPPLES => {
                one.ripples.push((*ripple, None));
            }
            Pointing::Ripple(_) => {}
        }
        let after = one.bounds();
        self.invalidate(before.union(&after));
    }

    /// It is the moment `now`, in milliseconds on any clock. Gives for how long everything looks the same,
    /// if nothing is told: 0 while something fades, `None` for ever. `own` says so itself when it is gone.
    pub fn tick(&mut self, now: f64, own: AuthorId) -> Option<f64> {
        self.now = now;
        let mut damage = Rect::EMPTY;
        let mut wait = None;
        for (author, one) in &mut self.each {
            let before = one.bounds();
            let heard = *one.heard.get_or_insert(now);
            if *author != own && now - heard > GONE {
                one.laser.put_out();
                (one.dot, one.ring) = (None, None);
            }
            let rested = one.rests();
            one.tick(now);
            if !rested {
                wait = Some(0.0);
            } else if !one.is_over() && wait.is_none() {
                wait = Some(AGAIN);
            }
            if !rested || before != one.bounds() {
                damage = damage.union(&before).union(&one.bounds());
            }
        }
        self.each.retain(|_, one| !one.is_over());
        if !damage.is_empty() {
            self.invalidate(damage);
        }
        wait
    }

    /// What `own` points with and has not said for a second, to be said again.
    pub fn again(&mut self, own: AuthorId) -> Vec<Pointing> {
        let now = self.now;
        let Some(one) = self.each.get_mut(&own) else {
            return Vec::new();
        };
        if one.heard.is_none_or(|heard| now - heard < AGAIN) {
            return Vec::new();
        }
        one.heard = Some(now);
        let laser = one.dot.map(|(colour, last)| Pointing::Laser {
            colour,
            places: Points(vec![last]),
        });
        let ring = one.ring.map(|(look, at)| Pointing::Ring { look, at });
        [laser, ring].into_iter().flatten().collect()
    }

    /// Which part of the glass is out of date; asking clears it.
    pub fn take_damage(&mut self) -> Rect<Glass> {
        self.damage.take().unwrap_or(Rect::EMPTY)
    }

    /// Whether nobody points.
    pub fn is_clear(&self) -> bool {
        self.each.is_empty()
    }

    /// All of it is out of date.
    pub fn invalidate_everything(&mut self) {
        let all = self.each.values().map(Pointed::bounds);
        let all = all.fold(Rect::EMPTY, |all, one| all.union(&one));
        self.invalidate(all);
    }

    /// Draws what everybody points with, dots over rings.
    pub fn paint(&self, list: &mut DisplayList) {
        for (look, at) in self.each.values().filter_map(|one| one.ring) {
            look.paint(on_glass(at), list);
        }
        for one in self.each.values() {
            for (ripple, pressed) in &one.ripples {
                ripple.paint(self.now - pressed.unwrap_or(self.now), self.still, list);
            }
            one.laser.paint(self.now, list);
        }
    }

    fn invalidate(&mut self, part: Rect<Glass>) {
        self.damage = Some(self.damage.unwrap_or(Rect::EMPTY).union(&part));
    }
}

fn on_glass(p: Spot) -> Point<Glass> {
    let p = p.position();
    Point::new(p.x, p.y)
}
