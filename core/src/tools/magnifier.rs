//! The magnifier under a hand. In the hand it is moved by its inside, resized by its edge, and both with two
//! fingers; beside it, what it shows is fetched. Whatever tool is in the hand moves it by its knob, and reaches
//! through it what it shows.

use crate::aids::magnifier::{Held, Magnifier};
use crate::aids::region::Hold;
use crate::geometry::frames::{Glass, Ink, Map, Point};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::in_hand::Kind;
use crate::tools::light;
use crate::tools::pointer::{Finger, Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// From a hand at a place to the glass: through the lens, where there is one. What points, points at the lens,
/// and what moves the lens has hold of it.
pub fn through(desk: &Desk, at: Point<Ink>) -> Map<Ink, Glass> {
    let straight = Map::coincident();
    let in_hand = [Kind::Laser, Kind::Spotlight, Kind::Magnifier];
    if in_hand.iter().any(|kind| desk.in_hand.holds(*kind)) {
        return straight;
    }
    let hand = straight.apply(at);
    let seen = desk.laid.lens().filter(|m| {
        let on_knob = !desk.in_hand.locked && m.on_knob(hand, desk.sight.area);
        m.lens.has(hand) && !on_knob
    });
    let back = seen.and_then(|m| m.enlarges().inverse());
    back.map_or(straight, |back| straight.then(&back))
}

/// The magnifier as it is being pulled.
#[derive(Debug)]
struct Pulling {
    /// As it was when the fingers that hold it now had come.
    magnifier: Magnifier,
    held: Held,
    fingers: Vec<Finger>,
}

/// What is begun on the magnifier: on its knob with any tool, elsewhere with it in the hand.
pub fn begin_on(desk: &Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let magnifier = desk.laid.lens().filter(|_| !desk.in_hand.locked)?;
    let hand = Map::coincident().apply(at.sample.at);
    let area = desk.sight.area;
    let held = match magnifier.on_knob(hand, area) {
        true => Held::Lens(Hold::Whole),
        false if desk.in_hand.holds(Kind::Magnifier) => magnifier.hold(hand, area)?,
        false => return None,
    };
    Some(Box::new(Pulling {
        magnifier: magnifier.clone(),
        held,
        fingers: vec![Finger::new(at)],
    }))
}

/// With the magnifier in the hand, beside it: it comes to show what is under the finger.
pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let magnifier = desk.laid.lens()?.brought(at.at());
    let held = match magnifier.shows {
        Some(_) => Held::Shown,
        None => Held::Lens(Hold::Whole),
    };
    desk.want(Effect::Drag(Lay::Magnifier(magnifier.clone())));
    Some(Box::new(Pulling {
        magnifier,
        held,
        fingers: vec![Finger::new(at)],
    }))
}

impl Pulling {
    fn pulled(&self) -> Magnifier {
        match &self.fingers[..] {
            [one] => self.magnifier.pulled(self.held, one.from, one.at),
            [one, two, ..] => Magnifier {
                lens: light::pinched(&self.magnifier.lens, one, two),
                ..self.magnifier.clone()
            },
            [] => self.magnifier.clone(),
        }
    }

    /// Begins anew from where the fingers have brought it.
    fn settle(&mut self) {
        self.magnifier = self.pulled();
        for finger in &mut self.fingers {
            finger.from = finger.at;
        }
    }

    fn let_go(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        self.settle();
        self.fingers.retain(|f| f.pointer != pointer);
        if self.fingers.is_empty() {
            return self.finished(desk);
        }
        // With the finger that stays it is moved.
        self.held = Held::Lens(Hold::Whole);
        Next::GoesOn
    }
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let finger = self.fingers.iter_mut().find(|f| f.pointer == motion.id);
        if let Some(finger) = finger {
            finger.at = motion.at();
            desk.want(Effect::Drag(Lay::Magnifier(self.pulled())));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        self.let_go(desk, at.id)
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        self.let_go(desk, pointer)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        desk.want(Effect::Lay(Lay::Magnifier(self.pulled())));
        Next::Ends
    }

    fn joins(&self, desk: &Desk, _at: &Pointer) -> bool {
        desk.in_hand.holds(Kind::Magnifier) && self.fingers.len() == 1
    }

    fn joined(&mut self, _desk: &mut Desk, at: &Pointer) {
        self.settle();
        self.fingers.push(Finger::new(at));
    }
}
