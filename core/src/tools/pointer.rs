//! Pointers, as tools hear of them.

use crate::edit::select::Pull;
use crate::geometry::frames::{Glass, Ink, Map, Point};
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
    /// As the hand is: through a lens, where that is.
    pub sample: Sample,
    /// From the hand to the glass.
    pub through: Map<Ink, Glass>,
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
        self.through.apply(self.sample.at)
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
    /// From the hand to the glass.
    pub through: Map<Ink, Glass>,
    /// Where the browser expects it next.
    pub ahead: &'a [Sample],
}

impl Motion<'_> {
    /// Where it is now.
    pub fn at(&self) -> Point<Glass> {
        self.places().next_back().unwrap_or(Point::new(0.0, 0.0))
    }

    /// Where it was on the glass, the oldest first.
    pub fn places(&self) -> impl DoubleEndedIterator<Item = Point<Glass>> {
        self.samples.iter().map(|s| self.through.apply(s.at))
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
