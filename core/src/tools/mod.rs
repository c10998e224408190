//! What pointers do.
//!
//! A host passes every event of every pointer to the [`Router`](router::Router), which has a session for
//! each pointer that is down and hands it to a [`Tool`]. A tool sees the stage through a [`Desk`], and
//! leaves there what it wants done; the host does it. What a tool keeps, it keeps per pointer: two
//! pupils at one board share no timer, no modifier and no measure.
//!
//! A new tool is a file here, a line in [`router`]'s list, a [`Kind`](in_hand::Kind), a key and a word
//! on the rail.

pub mod desk;
pub mod dwell;
pub mod in_hand;
pub mod palm;
pub mod router;
pub mod wheel;

mod eraser;
mod figure;
mod lasso;
mod mover;
mod pen;
mod polyline;
mod pull;
mod stamp;
mod text;

use crate::edit::select::Pull;
use crate::geometry::frames::{Glass, Point};
use crate::ink::pen::{Device, Sample};
use desk::Desk;

pub use stamp::next_number;

/// Keys that are held while a pointer does something.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Modifiers {
    /// Shift, or a second finger: straight, even, square.
    pub even: bool,
    /// Alt: from the middle.
    pub centred: bool,
}

/// A pointer that goes down or is lifted.
#[derive(Clone, Copy, Debug)]
pub struct Pointer {
    /// The browser's name for it.
    pub id: i32,
    pub device: Device,
    pub sample: Sample,
    pub modifiers: Modifiers,
    /// It is the other end of a pen, which erases.
    pub eraser_end: bool,
    /// It is moved by arrow keys, which rest between any two strokes of theirs.
    pub by_keys: bool,
    /// What of the selection's frame it went down on.
    pub grip: Option<Pull>,
}

impl Pointer {
    /// Where it is on the glass.
    pub fn at(&self) -> Point<Glass> {
        on_glass(&self.sample)
    }
}

/// What a pointer did since it was last heard of.
#[derive(Clone, Copy, Debug)]
pub struct Motion<'a> {
    pub id: i32,
    pub device: Device,
    pub modifiers: Modifiers,
    /// Where it was, the oldest first. The router drops a motion without any.
    pub samples: &'a [Sample],
    /// Where the browser expects it next.
    pub ahead: &'a [Sample],
}

impl Motion<'_> {
    /// Where it is now.
    pub fn at(&self) -> Point<Glass> {
        self.samples.last().map_or(Point::new(0.0, 0.0), on_glass)
    }
}

/// A stroke's own frame is the glass as it is while it is drawn.
fn on_glass(sample: &Sample) -> Point<Glass> {
    Point::new(sample.at.x, sample.at.y)
}

/// What becomes of a session.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Next {
    GoesOn,
    Ends,
}

/// What is shown over the glass while something is being done, on this screen only.
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
