//! Pointers, as tools hear of them.

use crate::edit::select::Pull;
use crate::geometry::frames::{Glass, Point};
use crate::ink::pen::{Device, Sample};

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

/// A finger that has hold of something: where it was when those that hold it now had come, and where it is.
#[derive(Clone, Copy, Debug)]
pub(super) struct Finger {
    pub pointer: i32,
    pub from: Point<Glass>,
    pub at: Point<Glass>,
}

impl Finger {
    pub fn new(at: &Pointer) -> Self {
        Self {
            pointer: at.id,
            from: at.at(),
            at: at.at(),
        }
    }
}

/// A stroke's own frame is the glass as it is while it is drawn.
pub(super) fn on_glass(sample: &Sample) -> Point<Glass> {
    Point::new(sample.at.x, sample.at.y)
}
