//! The text tool: a tap begins a text, opens the one that lies there, or ends typing.

use crate::geometry::frames::{Glass, Point};
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// A tap that is not lifted yet.
#[derive(Debug)]
pub struct Tap {
    at: Point<Glass>,
}

pub fn begin(_desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    Some(Box::new(Tap { at: at.at() }))
}

impl Tool for Tap {
    fn moved(&mut self, _desk: &mut Desk, _motion: &Motion) {}

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        desk.want(Effect::Text(self.at));
        Next::Ends
    }

    fn cancelled(&mut self, _desk: &mut Desk, _pointer: i32) -> Next {
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }
}
