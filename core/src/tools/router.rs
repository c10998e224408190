//! The one way for every pointer: a session for each that is down, handed to a tool.
//!
//! Pointers that have to do with each other share a session: two fingers that enlarge what is seen, a
//! finger that holds another's figure even. A polyline goes on without any, until it is said to be done.

use crate::aids::pointing::Pointing;
use crate::aids::ripple::{self, Press, Ripple};
use crate::geometry::frames::{Glass, Ink, Map, Point};
use crate::ink::curve::Spot;
use crate::ink::pen::{Device, Sample};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::in_hand::Kind;
use crate::tools::palm::PalmRejection;
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};
use crate::tools::{
    cover, eraser, face, figure, hide, instrument, laser, lasso, light, magnifier, measure, mover,
    pen, polyline, pull, stamp, text,
};

/// Which tool a pointer that goes down is for, and what it begins there.
fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    if at.grip.is_some() {
        return pull::begin(desk, at);
    }
    if let Some(pulls) = magnifier::begin_on(desk, at) {
        return Some(pulls);
    }
    if !desk.in_hand.locked
        && let Some(pulls) = face::begin(desk, at)
    {
        return Some(pulls);
    }
    if let Some(along) = instrument::begin(desk, at) {
        return Some(along);
    }
    if let Some(pulls) = cover::begin(desk, at) {
        return Some(pulls);
    }
    if desk.in_hand.holds(Kind::Hide) {
        return hide::begin(desk, at);
    }
    if desk.moves(at) {
        return mover::begin(desk, at);
    }
    match desk.in_hand.tool {
        _ if at.eraser_end => eraser::begin(desk, at),
        Kind::Erase => eraser::begin(desk, at),
        Kind::Pen => pen::begin(desk, at),
        Kind::Shape if desk.in_hand.figure().by_points() => polyline::begin(desk, at),
        Kind::Shape => figure::begin(desk, at),
        Kind::Stamp => stamp::begin(desk, at),
        Kind::Select if !at.modifiers.even && pull::is_on(desk, at) => pull::begin(desk, at),
        Kind::Select => lasso::begin(desk, at),
        Kind::Text => text::begin(desk, at),
        Kind::Laser => laser::begin(desk, at),
        Kind::Spotlight => light::begin(desk, at),
        Kind::Magnifier => magnifier::begin(desk, at),
        Kind::Measure => measure::begin(desk, at),
        Kind::Hide => hide::begin(desk, at),
    }
}

/// What is being done with some pointers.
#[derive(Debug)]
struct Session {
    pointers: Vec<Down>,
    device: Device,
    /// From its first hand to the glass.
    through: Map<Ink, Glass>,
    tool: Box<dyn Tool>,
}

/// A pointer that is down.
#[derive(Clone, Copy, Debug)]
struct Down {
    id: i32,
    /// From this hand to the glass.
    through: Map<Ink, Glass>,
}

impl Session {
    fn has(&self, pointer: i32) -> bool {
        self.pointers.iter().any(|p| p.id == pointer)
    }

    /// What a hand does, as the session's first hand would have to do it: one may be on a lens, another beside.
    fn samples(&self, samples: &[Sample], through: &Map<Ink, Glass>) -> Vec<Sample> {
        match (through == &self.through, self.through.inverse()) {
            (false, Some(back)) => {
                let to_own = through.then(&back);
                let own = |s: &Sample| Sample {
                    at: to_own.apply(s.at),
                    ..*s
                };
                samples.iter().map(own).collect()
            }
            _ => samples.to_vec(),
        }
    }

    fn pointer(&self, at: &Pointer, through: &Map<Ink, Glass>) -> Pointer {
        let own = self.samples(&[at.sample], through);
        Pointer {
            sample: own.first().copied().unwrap_or(at.sample),
            through: self.through,
            ..*at
        }
    }

    fn motion<R>(
        &mut self,
        motion: &Motion,
        through: &Map<Ink, Glass>,
        hears: impl FnOnce(&mut dyn Tool, &Motion) -> R,
    ) -> R {
        let samples = self.samples(motion.samples, through);
        let ahead = self.samples(motion.ahead, through);
        let motion = Motion {
            samples: &samples,
            ahead: &ahead,
            through: self.through,
            ..*motion
        };
        hears(self.tool.as_mut(), &motion)
    }
}

/// See the module's description.
#[derive(Debug, Default)]
pub struct Router {
    palm: PalmRejection,
    sessions: Vec<Session>,
    /// Where a pointer that is not down moves about, and could erase.
    hovers: Option<Point<Glass>>,
    /// A mouse shows a laser dot, down or not.
    lit: bool,
    /// There is a ring round what points.
    ringed: bool,
    /// Where and when something was pressed last.
    pressed: Option<Sample>,
    /// Where something pointed last, while it is over the glass.
    points: Option<Point<Glass>>,
}

impl Router {
    /// A pen hovers or touches at `t` milliseconds: what hands rest on the glass was not meant.
    fn pen_seen(&mut self, desk: &mut Desk, t: f64) {
        self.palm.pen_seen(t);
        let palms = self.sessions.iter();
        let palms = palms.filter(|s| s.device == Device::Finger && s.tool.by_accident());
        let palms: Vec<i32> = palms.flat_map(|s| &s.pointers).map(|p| p.id).collect();
        palms.into_iter().for_each(|id| self.cancel(desk, id));
    }

    /// Whether a pointer that goes down at `t` milliseconds may do something; a palm may not.
    pub fn admits(&self, device: Device, t: f64) -> bool {
        self.palm.admits(device, t)
    }

    /// A pointer goes down.
    pub fn down(&mut self, desk: &mut Desk, at: &Pointer) {
        self.cancel(desk, at.id);
        if at.device == Device::Pen {
            self.pen_seen(desk, at.sample.t);
        }
        if !self.admits(at.device, at.sample.t) {
            return;
        }
        self.points(desk, at.sample, Some(Press::First));
        let through = match at.grip {
            Some(_) => Map::coincident(),
            None => magnifier::through(desk, at.sample.at),
        };
        let down = Down { id: at.id, through };
        for session in &mut self.sessions {
            let at = session.pointer(at, &through);
            desk.through = session.through;
            if session.tool.joins(desk, &at) {
                session.pointers.push(down);
                return session.tool.joined(desk, &at);
            }
        }
        desk.through = through;
        if let Some(tool) = begin(desk, &Pointer { through, ..*at }) {
            self.sessions.push(Session {
                pointers: vec![down],
                device: at.device,
                through,
                tool,
            });
        }
    }

    /// A pointer moves, down or not.
    pub fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let Some(last) = motion.samples.last() else {
            return;
        };
        if motion.device == Device::Pen {
            self.pen_seen(desk, last.t);
        }
        self.hovers = None;
        // A palm that rests on the glass moves too.
        let meant = |s: &Session| s.has(motion.id);
        if motion.device != Device::Finger || self.sessions.iter().any(meant) {
            self.points(desk, *last, None);
        }
        for session in &mut self.sessions {
            if let Some(down) = session.pointers.iter().find(|p| p.id == motion.id).copied() {
                desk.through = session.through;
                return session.motion(motion, &down.through, |tool, m| tool.moved(desk, m));
            }
        }
        if desk.in_hand.holds(Kind::Erase) && motion.device != Device::Finger {
            self.hovers = Some(Point::new(last.at.x, last.at.y));
        }
        if desk.in_hand.holds(Kind::Laser) && motion.device == Device::Mouse {
            self.lit = true;
            laser::point(desk, motion.samples);
        }
        let through = magnifier::through(desk, last.at);
        for session in self.sessions.iter_mut().filter(|s| s.pointers.is_empty()) {
            desk.through = session.through;
            session.motion(motion, &through, |tool, m| tool.hovered(desk, m));
        }
    }

    /// A pointer is lifted.
    pub fn up(&mut self, desk: &mut Desk, at: &Pointer) {
        self.lit |= desk.in_hand.holds(Kind::Laser) && at.device == Device::Mouse;
        self.end(desk, at.id, |session, desk, down| {
            let at = session.pointer(at, &down.through);
            session.tool.lifted(desk, &at)
        });
        if at.device == Device::Finger {
            self.unring(desk);
        }
    }

    /// A pointer was not meant.
    pub fn cancel(&mut self, desk: &mut Desk, pointer: i32) {
        self.end(desk, pointer, |session, desk, _| {
            session.tool.cancelled(desk, pointer)
        });
    }

    /// No pointer moves about over the glass any more.
    pub fn left(&mut self, desk: &mut Desk) {
        self.hovers = None;
        self.points = None;
        self.put_out(desk);
        self.unring(desk);
    }

    /// A pointer is here, and perhaps presses something; also where no tool hears of it: on a page that
    /// hands reach, or with a mouse's other button. The ring goes along, and the press spreads, if they are
    /// to.
    pub fn points(&mut self, desk: &mut Desk, sample: Sample, press: Option<Press>) {
        self.points = Some(Point::new(sample.at.x, sample.at.y));
        if let Some(press) = press
            && desk.in_hand.ripples
        {
            let before = self.pressed.replace(sample);
            let double = press == Press::First
                && before.is_some_and(|before| {
                    sample.t - before.t < ripple::DOUBLE.0
                        && sample.at.distance(before.at) < ripple::DOUBLE.1
                });
            desk.want(Effect::Point(Pointing::Ripple(Ripple {
                press: if double { Press::Double } else { press },
                at: Spot::new(sample.at),
                colour: desk.settings.aids.ring.colour,
            })));
        }
        let at = Point::new(sample.at.x, sample.at.y);
        match desk.in_hand.follows {
            Some(Kind::Spotlight) => {
                if let Some(spotlight) = &desk.laid.spotlight {
                    desk.want(Effect::Drag(Lay::Spotlight(spotlight.brought(at))));
                }
            }
            Some(Kind::Magnifier) => {
                if let Some(magnifier) = &desk.laid.magnifier {
                    desk.want(Effect::Drag(Lay::Magnifier(magnifier.brought(at))));
                }
            }
            _ => {}
        }
        if desk.in_hand.ring {
            self.ringed = true;
            let look = desk.settings.aids.ring;
            let at = Spot::new(sample.at);
            desk.want(Effect::Point(Pointing::Ring { look, at }));
        }
    }

    /// Where something points, if it is over the glass.
    pub fn points_at(&self) -> Option<Point<Glass>> {
        self.points
    }

    fn unring(&mut self, desk: &mut Desk) {
        if std::mem::take(&mut self.ringed) {
            desk.want(Effect::Point(Pointing::NoRing));
        }
    }

    /// A laser dot that a mouse shows is gone.
    fn put_out(&mut self, desk: &mut Desk) {
        if std::mem::take(&mut self.lit) {
            desk.want(Effect::Point(Pointing::NoLaser));
        }
    }

    /// What is being done ends here, and is kept.
    pub fn finish(&mut self, desk: &mut Desk) {
        self.put_out(desk);
        self.unring(desk);
        self.keep(|session| {
            desk.through = session.through;
            session.tool.finished(desk)
        });
    }

    /// The same for what goes on without a pointer.
    pub fn finish_unheld(&mut self, desk: &mut Desk) {
        self.hovers = None;
        self.put_out(desk);
        self.unring(desk);
        self.keep(|session| match session.pointers.is_empty() {
            true => {
                desk.through = session.through;
                session.tool.finished(desk)
            }
            false => Next::GoesOn,
        });
    }

    /// Takes back the last step of what goes on without a pointer, of the one that was begun last; `false`
    /// when nothing does.
    pub fn back(&mut self, desk: &mut Desk) -> bool {
        let Some(n) = self.sessions.iter().rposition(|s| s.pointers.is_empty()) else {
            return false;
        };
        desk.through = self.sessions[n].through;
        if self.sessions[n].tool.back(desk) == Next::Ends {
            self.sessions.remove(n);
        }
        true
    }

    /// Whether something goes on without a pointer.
    pub fn goes_on(&self) -> bool {
        self.sessions.iter().any(|s| s.pointers.is_empty())
    }

    /// How many things are being done.
    pub fn sessions(&self) -> usize {
        self.sessions.len()
    }

    /// When a tool wants to be woken, on the clock of the samples.
    pub fn wakes_at(&self) -> Option<f64> {
        let wanted = self.sessions.iter().filter_map(|s| s.tool.wakes_at());
        wanted.min_by(f64::total_cmp)
    }

    /// Wakes the tools that want to be woken by now.
    pub fn wake(&mut self, desk: &mut Desk, now: f64) {
        for session in &mut self.sessions {
            if session.tool.wakes_at().is_some_and(|at| at <= now) {
                desk.through = session.through;
                session.tool.woken(desk, now);
            }
        }
    }

    /// What is shown over the glass of all that is being done.
    pub fn overlays(&self, desk: &mut Desk) -> Vec<Overlay> {
        let of_tools = self.sessions.iter().filter_map(|session| {
            desk.through = session.through;
            session.tool.overlay(desk)
        });
        of_tools.chain(self.hovers.map(Overlay::Eraser)).collect()
    }

    fn end(
        &mut self,
        desk: &mut Desk,
        pointer: i32,
        how: impl FnOnce(&mut Session, &mut Desk, Down) -> Next,
    ) {
        let Some(n) = self.sessions.iter().position(|s| s.has(pointer)) else {
            return;
        };
        let session = &mut self.sessions[n];
        let Some(place) = session.pointers.iter().position(|p| p.id == pointer) else {
            return;
        };
        let down = session.pointers.remove(place);
        desk.through = session.through;
        if how(session, desk, down) == Next::Ends {
            self.sessions.remove(n);
        }
    }

    fn keep(&mut self, mut next: impl FnMut(&mut Session) -> Next) {
        self.sessions
            .retain_mut(|session| next(session) == Next::GoesOn);
    }
}
