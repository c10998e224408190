//! Moving and enlarging what is seen: one finger moves it, two also enlarge it.

use crate::geometry::frames::{Pixels, Point};
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// Two fingers nearer together than this, in CSS pixels, enlarge nothing.
const LEAST: f64 = 10.0;

/// Fingers that have hold of what is seen, and where they are: in CSS pixels, for glass units change as it
/// grows.
#[derive(Debug)]
pub struct Mover {
    fingers: Vec<(i32, Point<Pixels>)>,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    Some(Box::new(Mover {
        fingers: vec![(at.id, desk.pixels(at.at()))],
    }))
}

impl Mover {
    fn let_go(&mut self, pointer: i32) -> Next {
        self.fingers.retain(|(id, _)| *id != pointer);
        match self.fingers.is_empty() {
            true => Next::Ends,
            false => Next::GoesOn,
        }
    }
}

impl Tool for Mover {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let is = desk.pixels(motion.at());
        let Some(finger) = self.fingers.iter_mut().find(|(id, _)| *id == motion.id) else {
            return;
        };
        let was = std::mem::replace(&mut finger.1, is);
        let (dx, dy) = (is.x - was.x, is.y - was.y);
        let other = self.fingers.iter().find(|(id, _)| *id != motion.id);
        let Some((_, other)) = other else {
            return desk.want(Effect::Move { dx, dy });
        };
        let (before, after) = (was.distance(*other), is.distance(*other));
        if before > LEAST {
            let at = Point::new((is.x + other.x) / 2.0, (is.y + other.y) / 2.0);
            let by = after / before;
            desk.want(Effect::Enlarge { by, at });
        }
        let (dx, dy) = (dx / 2.0, dy / 2.0);
        desk.want(Effect::Move { dx, dy });
    }

    fn lifted(&mut self, _desk: &mut Desk, at: &Pointer) -> Next {
        self.let_go(at.id)
    }

    fn cancelled(&mut self, _desk: &mut Desk, pointer: i32) -> Next {
        self.let_go(pointer)
    }

    /// Whatever comes on stage, the hand goes on.
    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::GoesOn
    }

    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        desk.moves(at)
    }

    fn joined(&mut self, desk: &mut Desk, at: &Pointer) {
        let finger = desk.pixels(at.at());
        self.fingers.push((at.id, finger));
    }
}
