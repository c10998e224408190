//! The eraser: what it passes over is gone at once, and one sweep is one undo.

use crate::edit::erase;
use crate::geometry::frames::{Glass, Point};
use crate::geometry::ids::MarkId;
use crate::lesson::change::Intent;
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// A sweep of the eraser.
#[derive(Debug)]
pub struct Eraser {
    at: Point<Glass>,
    /// Whether something has been erased already: the rest of the sweep is undone with it.
    begun: bool,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let mut eraser = Eraser {
        at: at.at(),
        begun: false,
    };
    eraser.sweep(desk, &[at.at(), at.at()]);
    Some(Box::new(eraser))
}

impl Eraser {
    fn sweep(&mut self, desk: &mut Desk, way: &[Point<Glass>]) {
        let ids = &mut *desk.ids;
        let new_id = || MarkId(ids.next_id());
        let radius = desk.settings.eraser * desk.through.mean_scale();
        let steps = erase::sweep(desk.sheets, desk.in_view, way, radius, new_id);
        if let Some(at) = way.last() {
            self.at = *at;
        }
        if steps.is_empty() {
            return;
        }
        desk.want(Effect::Act(match self.begun {
            true => Intent::More(steps),
            false => Intent::Do(steps),
        }));
        self.begun = true;
    }
}

impl Tool for Eraser {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let passed = motion.places();
        let way: Vec<Point<Glass>> = std::iter::once(self.at).chain(passed).collect();
        self.sweep(desk, &way);
    }

    fn lifted(&mut self, _desk: &mut Desk, _at: &Pointer) -> Next {
        Next::Ends
    }

    fn cancelled(&mut self, _desk: &mut Desk, _pointer: i32) -> Next {
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }

    fn overlay(&self, desk: &Desk) -> Option<Overlay> {
        Some(Overlay::Eraser(desk.hand_at(self.at)))
    }
}
