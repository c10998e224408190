//! A clock's face under a hand, whichever tool it holds: moved, or made larger by its lower right corner.

use crate::clocks::{Clock, face};
use crate::geometry::frames::{Glass, Point, Rect};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// How near its corner a hand takes hold of that, in CSS pixels.
const CORNER: f64 = 28.0;

/// A face that is being moved or resized.
#[derive(Debug)]
pub struct Pulling {
    clock: Clock,
    resizes: bool,
    from: Point<Glass>,
    at: Point<Glass>,
}

/// The clock whose face lies at a place, the uppermost.
fn at_place<'a>(desk: &'a Desk, at: Point<Glass>) -> Option<&'a Clock> {
    let mut clocks = desk.laid.clocks.iter().rev();
    clocks.find(|c| !c.away && c.face.contains(at))
}

/// `None` where there is no face.
pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let place = at.at();
    let clock = at_place(desk, place)?.clone();
    let resizes = place.distance(face::corner(&clock.face)) * desk.per_unit() < CORNER;
    Some(Box::new(Pulling {
        clock,
        resizes,
        from: place,
        at: place,
    }))
}

impl Pulling {
    /// The clock with its face where it was pulled to, as it runs now: somebody may have pressed it.
    fn lay(&self, desk: &Desk) -> Option<Lay> {
        let now = desk.laid.clock(self.clock.id)?;
        let f = &self.clock.face;
        let (dx, dy) = (self.at.x - self.from.x, self.at.y - self.from.y);
        let (w, h) = (f.width(), f.height());
        let face = match self.resizes {
            true => Rect::from_size(f.x0, f.y0, (w + dx).max(1.0), (h + dy).max(1.0)),
            false => Rect::from_size(f.x0 + dx, f.y0 + dy, w, h),
        };
        let clock = Clock {
            face,
            ..now.clone()
        };
        Some(Lay::Clock(clock.settled(desk.sight.area)))
    }
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        self.at = motion.at();
        if let Some(lay) = self.lay(desk) {
            desk.want(Effect::Drag(lay));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        self.finished(desk)
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        self.finished(desk)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        if self.at != self.from
            && let Some(lay) = self.lay(desk)
        {
            desk.want(Effect::Lay(lay));
        }
        Next::Ends
    }
}
