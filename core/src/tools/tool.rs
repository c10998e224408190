//! What every tool is.

use crate::geometry::frames::{Glass, Point};
use crate::tools::desk::Desk;
use crate::tools::pointer::{Motion, Pointer};

/// What becomes of a session.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Next {
    GoesOn,
    Ends,
}

/// What is shown over the glass while something is being done, on this screen only, where the hand is.
#[derive(Clone, PartialEq, Debug)]
pub enum Overlay {
    /// The eraser is here.
    Eraser(Point<Glass>),
    /// A lasso goes round something.
    Lasso(Vec<Point<Glass>>),
    /// What is being drawn measures so much.
    ReadOut { at: Point<Glass>, words: String },
}

/// What one pointer does from going down to being lifted, or several together.
///
/// A tool begins with a function of its own, which its file has, and which may find that there is
/// nothing to begin.
pub trait Tool: std::fmt::Debug {
    /// A pointer of this has moved.
    fn moved(&mut self, desk: &mut Desk, motion: &Motion);

    /// A pointer of this is lifted.
    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next;

    /// A pointer was not meant: the browser took it away, or it was a palm. What it has done leaves no
    /// trace, unless it was done and told already, as erasing is.
    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next;

    /// What this is about leaves the stage, or the hand takes something else: what was done until now
    /// is kept. A tool that has nothing to do with what is on stage goes on.
    fn finished(&mut self, desk: &mut Desk) -> Next;

    /// Whether a further pointer that goes down meanwhile has to do with this.
    fn joins(&self, _desk: &Desk, _at: &Pointer) -> bool {
        false
    }

    /// A further pointer has gone down for this.
    fn joined(&mut self, _desk: &mut Desk, _at: &Pointer) {}

    /// A pointer that is not down moves about, while this goes on without one.
    fn hovered(&mut self, _desk: &mut Desk, _motion: &Motion) {}

    /// Takes back the last step of what goes on without a pointer.
    fn back(&mut self, _desk: &mut Desk) -> Next {
        Next::GoesOn
    }

    /// When this wants to be woken, on the clock of the samples.
    fn wakes_at(&self) -> Option<f64> {
        None
    }

    /// It is the time that was asked for, or later.
    fn woken(&mut self, _desk: &mut Desk, _now: f64) {}

    /// What is shown of this over the glass.
    fn overlay(&self, _desk: &Desk) -> Option<Overlay> {
        None
    }

    /// Whether a hand that rests on the glass does the same without meaning it.
    fn by_accident(&self) -> bool {
        false
    }
}
