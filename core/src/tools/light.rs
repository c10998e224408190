//! The spotlight in the hand: a light is moved by its inside, resized by its edge, and both with two
//! fingers; it comes to where the dark is pressed. A tap on what a mark encloses gives it that form.

use crate::aids::region::{Hold, Region};
use crate::aids::spotlight::Spotlight;
use crate::edit::enclose;
use crate::geometry::frames::{Glass, Point};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::lasso::REACH;
use crate::tools::pointer::{Finger, Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// What is pulled less than this, in CSS pixels, is tapped.
const TAP: f64 = 6.0;
/// Two fingers nearer together than this, in glass units, resize nothing.
const LEAST: f64 = 12.0;

/// A light that is being pulled.
#[derive(Debug)]
pub struct Pulling {
    spotlight: Spotlight,
    /// The light as it was when the fingers that hold it now had come.
    light: Region,
    hold: Hold,
    /// Where fingers came down, and where they are.
    fingers: Vec<Finger>,
    went: bool,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let mut spotlight = desk.laid.spotlight.clone().filter(|s| !s.away)?;
    let place = at.at();
    let hold = spotlight.taken(place).unwrap_or(Hold::Whole);
    let light = spotlight.last()?.clone();
    Some(Box::new(Pulling {
        spotlight,
        light,
        hold,
        fingers: vec![Finger::new(at)],
        went: false,
    }))
}

/// A region as two fingers have it that took hold of it.
pub(super) fn pinched(region: &Region, one: &Finger, two: &Finger) -> Region {
    let apart = one.from.distance(two.from);
    let by = match apart > LEAST {
        true => one.at.distance(two.at) / apart,
        false => 1.0,
    };
    let middle = |a: Point<Glass>, b: Point<Glass>| ((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
    let (from, to) = (middle(one.from, two.from), middle(one.at, two.at));
    let at = Point::new(
        to.0 + (region.at.x - from.0) * by,
        to.1 + (region.at.y - from.1) * by,
    );
    Region {
        at,
        ..region.grown(by)
    }
}

impl Pulling {
    /// The light as the fingers have it now.
    fn pulled(&self) -> Region {
        match &self.fingers[..] {
            [one] if self.light.hold(one.from).is_some() => {
                self.light.pulled(self.hold, one.from, one.at)
            }
            // What was in the dark is under the finger that pressed there.
            [one] => Region {
                at: one.at,
                ..self.light.clone()
            },
            [one, two, ..] => pinched(&self.light, one, two),
            [] => self.light.clone(),
        }
    }

    fn lay(&self, light: Region) -> Lay {
        Lay::Spotlight(self.spotlight.with_last(light))
    }

    /// Begins anew from where the fingers have brought it.
    fn settle(&mut self) {
        self.light = self.pulled();
        for finger in &mut self.fingers {
            finger.from = finger.at;
        }
    }
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let Some(finger) = self.fingers.iter_mut().find(|f| f.pointer == motion.id) else {
            return;
        };
        finger.at = motion.at();
        self.went |= finger.at.distance(finger.from) * desk.per_unit() > TAP;
        if self.went {
            desk.want(Effect::Drag(self.lay(self.pulled())));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        if self.went {
            self.settle();
            self.fingers.retain(|f| f.pointer != at.id);
            if !self.fingers.is_empty() {
                // With the finger that stays it is moved.
                self.hold = Hold::Whole;
                return Next::GoesOn;
            }
            return self.finished(desk);
        }
        self.fingers.retain(|f| f.pointer != at.id);
        if !self.fingers.is_empty() {
            return Next::GoesOn;
        }
        let place = at.at();
        let enclosed = enclose::light(desk.sheets, desk.in_view, place, REACH / desk.per_unit());
        let light = enclosed.or_else(|| {
            let dark = self.light.hold(place).is_none();
            dark.then(|| Region {
                at: place,
                ..self.light.clone()
            })
        });
        if let Some(light) = light {
            desk.want(Effect::Lay(self.lay(light)));
        }
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        self.fingers.retain(|f| f.pointer != pointer);
        if !self.fingers.is_empty() {
            return Next::GoesOn;
        }
        self.finished(desk)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        if self.went {
            desk.want(Effect::Lay(self.lay(self.pulled())));
        }
        Next::Ends
    }

    fn joins(&self, _desk: &Desk, _at: &Pointer) -> bool {
        self.fingers.len() == 1
    }

    fn joined(&mut self, _desk: &mut Desk, at: &Pointer) {
        self.settle();
        self.fingers.push(Finger::new(at));
    }
}
