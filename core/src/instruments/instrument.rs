//! An instrument as one lays it: which it is, where it lies, and what a hand does with it.

use std::f64::consts::TAU;

use serde::{Deserialize, Serialize};

use super::compasses;
use super::guide::Guide;
use super::nearby::{self, Segment};
use super::placed::{Lies, Placed, snapped, way};
use super::protractor::{self, Protractor};
use super::ruler::{self, Calibrated};
use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Held, Map, Point, Rect, Size};

/// The kinds, in the order in which they lie on each other, from the bottom up.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Which {
    Protractor,
    Ruler,
    Compasses,
}

/// What an instrument is, with what only this kind has.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    Protractor(Protractor),
    Ruler,
    Compasses,
}

/// An instrument on the glass.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Instrument {
    pub kind: Kind,
    /// A ruler's zero, and the direction and length of its graduated edge; a protractor's centre, the direction
    /// of its baseline, and its radius; the compasses' needle, the direction of the pencil, and how far that is.
    pub placed: Placed,
    /// Millimetres to a glass unit on the presenter's display: what it reads in where there is no scale.
    pub millimetres: f64,
    pub away: bool,
    pub told: bool,
}

/// What a hand does with an instrument from where it took hold of it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Grip {
    Carry,
    /// It turns about its origin.
    Turn,
    /// A ruler becomes longer or shorter.
    Lengthen,
    /// The arm of a protractor turns.
    Arm,
    /// Compasses open and turn.
    Open,
}

/// What an instrument in a hand snaps to.
#[derive(Clone, Copy, Debug)]
pub struct Snaps<'a> {
    /// To nothing at all.
    pub free: bool,
    /// Lines on the picture, for a ruler.
    pub lines: &'a [Segment],
}

/// How near an edge a pen is led along it, in CSS pixels: beside the instrument, and on it.
const NEAR: (f64, f64) = (18.0, 9.0);

impl Which {
    /// How large it may be, in glass units.
    pub fn sizes(self) -> (f64, f64) {
        match self {
            Which::Protractor => protractor::RADII,
            Which::Ruler => ruler::LENGTHS,
            Which::Compasses => compasses::RADII,
        }
    }

    /// A new one, in the middle of a room.
    pub fn fresh(self, room: &Rect<Glass>, millimetres: f64) -> Instrument {
        let kind = match self {
            Which::Protractor => Kind::Protractor(Protractor::default()),
            Which::Ruler => Kind::Ruler,
            Which::Compasses => Kind::Compasses,
        };
        Instrument {
            kind,
            placed: self.in_the_middle(room),
            millimetres,
            away: false,
            told: true,
        }
    }

    /// As large as it is at first, or as there is room for, with the middle of it in the middle.
    pub fn in_the_middle(self, room: &Rect<Glass>) -> Placed {
        let middle = room.middle();
        let (size, most) = match self {
            Which::Protractor => (380.0, 0.4),
            Which::Ruler => (1100.0, 0.8),
            Which::Compasses => (260.0, 0.4),
        };
        let size = f64::min(size, room.width() * most);
        let at = match self {
            Which::Ruler => (middle.x - size / 2.0, middle.y),
            _ => (middle.x, middle.y + size / 2.0),
        };
        Placed {
            on: None,
            at,
            angle: 0.0,
            size,
        }
    }
}

impl Instrument {
    pub fn which(&self) -> Which {
        match self.kind {
            Kind::Protractor(_) => Which::Protractor,
            Kind::Ruler => Which::Ruler,
            Kind::Compasses => Which::Compasses,
        }
    }

    /// Turned to so many degrees above the horizontal.
    pub fn turned(&self, degrees: f64) -> Self {
        let angle = -degrees.to_radians();
        self.at(Placed {
            angle,
            ..self.placed
        })
    }

    /// The same elsewhere; what is fixed to it turns with it.
    pub fn at(&self, placed: Placed) -> Self {
        let mut kind = self.kind.clone();
        if let Kind::Protractor(protractor) = &mut kind {
            protractor.arm += placed.angle - self.placed.angle;
        }
        Self {
            kind,
            placed,
            ..self.clone()
        }
    }

    // ---- Under a hand ----

    /// What a hand takes hold of at a place; `None` beside it.
    pub fn grip(&self, lies: &Lies, at: Point<Glass>) -> Option<Grip> {
        match &self.kind {
            Kind::Protractor(protractor) => protractor.grip(lies, at),
            Kind::Ruler => ruler::grip(lies, at),
            Kind::Compasses => compasses::grip(lies, at),
        }
    }

    /// As a hand pulls it from one place to another by its `grip`. `lies` is where it lay, `snaps` what it snaps
    /// to, and `view` how what holds it is seen.
    pub fn pulled(
        &self,
        (lies, grip): (&Lies, Grip),
        (from, to): (Point<Glass>, Point<Glass>),
        snaps: &Snaps,
        view: &Map<Held, Glass>,
    ) -> Option<Self> {
        let (least, most) = self.which().sizes();
        let now = match grip {
            Grip::Carry => Lies {
                at: Point::new(lies.at.x + to.x - from.x, lies.at.y + to.y - from.y),
                ..*lies
            },
            Grip::Turn => Lies {
                angle: lies.angle + way(lies.at, to) - way(lies.at, from),
                ..*lies
            },
            Grip::Lengthen => Lies {
                size: (lies.size + lies.local(to).0 - lies.local(from).0).clamp(least, most),
                ..*lies
            },
            Grip::Open => Lies {
                angle: way(lies.at, to),
                size: (lies.size + to.distance(lies.at) - from.distance(lies.at))
                    .clamp(least, most),
                ..*lies
            },
            Grip::Arm => {
                let mut turned = self.clone();
                if let Kind::Protractor(protractor) = &mut turned.kind {
                    // It rests on whole degrees, since its lines are there.
                    let turn = way(lies.at, to) - lies.angle;
                    let whole = || turn.to_degrees().round().to_radians();
                    protractor.arm = lies.angle + if snaps.free { turn } else { whole() };
                }
                return Some(turned);
            }
        };
        let now = match grip {
            Grip::Turn => self.snapped(now, snaps, true),
            Grip::Carry => self.snapped(now, snaps, false),
            _ => now,
        };
        Some(self.at(now.placed(self.placed.on, view)?))
    }

    /// A ruler along a line near by, if there is one; what is `turned`, at an even angle otherwise.
    fn snapped(&self, now: Lies, snaps: &Snaps, turned: bool) -> Lies {
        let along = match self.kind {
            Kind::Ruler if !snaps.free => nearby::along(&now, snaps.lines),
            _ => None,
        };
        let even = || Lies {
            angle: snapped(now.angle),
            ..now
        };
        match turned && !snaps.free {
            true => along.unwrap_or_else(even),
            false => along.unwrap_or(now),
        }
    }

    /// As two fingers carry it that were at `from` and are at `to`. A ruler stays as long as it is.
    pub fn carried(
        &self,
        lies: &Lies,
        from: [Point<Glass>; 2],
        to: [Point<Glass>; 2],
        snaps: &Snaps,
        view: &Map<Held, Glass>,
    ) -> Option<Self> {
        let carried = lies.carried(from, to, self.kind != Kind::Ruler);
        let (least, most) = self.which().sizes();
        let now = Lies {
            size: carried.size.clamp(least, most),
            ..carried
        };
        let now = self.snapped(now, snaps, true);
        Some(self.at(now.placed(self.placed.on, view)?))
    }

    /// What a pen at a place is led along, and the middle of what has that edge; `scale` is how many CSS
    /// pixels a glass unit has.
    pub fn leads(
        &self,
        lies: &Lies,
        at: Point<Glass>,
        scale: f64,
    ) -> Option<(Guide, Point<Glass>)> {
        let near = |guide: &Guide, most: f64| guide.nearest(at).distance(at) * scale <= most;
        match &self.kind {
            Kind::Ruler => {
                let edge = ruler::edge(lies);
                let (along, across) = lies.local(at);
                let most = if across < 0.0 { NEAR.0 } else { NEAR.1 };
                let leads = near(&edge, most) && (0.0..=lies.size).contains(&along);
                let middle = lies.at_local((lies.size / 2.0, ruler::WIDTH / 2.0));
                leads.then_some((edge, middle))
            }
            Kind::Compasses => {
                let circle = compasses::guide(lies);
                let leads = near(&circle, NEAR.1 * 1.5) && compasses::grip(lies, at).is_none();
                leads.then_some((circle, lies.at))
            }
            Kind::Protractor(protractor) => {
                let [rim, arm, base] = protractor.guides(lies);
                let found = [
                    (rim, at.distance(lies.at) > lies.size && near(&rim, NEAR.0)),
                    (arm, near(&arm, NEAR.1) && !protractor.is_knob(lies, at)),
                    (base, near(&base, NEAR.1)),
                ];
                let (guide, _) = found.into_iter().find(|(_, leads)| *leads)?;
                Some((guide, lies.at))
            }
        }
    }

    // ---- Seen ----

    /// A rectangle that contains it.
    pub fn bounds(&self, lies: &Lies) -> Rect<Glass> {
        match self.kind {
            Kind::Protractor(_) => protractor::bounds(lies),
            Kind::Ruler => ruler::bounds(lies),
            Kind::Compasses => compasses::bounds(lies),
        }
    }

    /// Draws it, as it reads.
    pub fn paint(&self, lies: &Lies, reads: &Calibrated, list: &mut DisplayList) {
        match &self.kind {
            Kind::Protractor(protractor) => protractor.paint(lies, list),
            Kind::Ruler => ruler::paint(lies, reads, list),
            Kind::Compasses => compasses::paint(lies, reads, list),
        }
    }

    /// One that can be seen and reached, whatever was sent. What the glass holds lies on it; what a backdrop
    /// holds may be out of sight with that part of it.
    pub fn settled(mut self, area: Size<Glass>) -> Self {
        let sound = |v: f64, otherwise: f64| if v.is_finite() { v } else { otherwise };
        let (sizes, (w, h)) = (self.which().sizes(), (area.width, area.height));
        let placed = &mut self.placed;
        let at = (sound(placed.at.0, w / 2.0), sound(placed.at.1, h / 2.0));
        let size = sound(placed.size, sizes.0);
        (placed.at, placed.size) = match placed.on {
            None => (
                (at.0.clamp(0.0, w), at.1.clamp(0.0, h)),
                size.clamp(sizes.0, sizes.1),
            ),
            // In units of the backdrop, of which there may be few or many.
            Some(_) => (
                (at.0.clamp(-1e6, 1e6), at.1.clamp(-1e6, 1e6)),
                size.clamp(1e-3, 1e6),
            ),
        };
        placed.angle = sound(placed.angle, 0.0) % TAU;
        self.millimetres = ruler::sound_millimetres(self.millimetres);
        if let Kind::Protractor(protractor) = &mut self.kind {
            protractor.settle();
        }
        self
    }
}
