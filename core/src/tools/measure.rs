//! Measuring: each tap is a place; it can be pushed to where it belongs before the finger is lifted.

use crate::geometry::frames::{Glass, Point};
use crate::instruments::measure::Measuring;
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// How near the first place the last must come to close the path, in CSS pixels.
const CLOSES: f64 = 14.0;

/// A place that is not lifted yet.
#[derive(Debug)]
pub struct Placing {
    before: Measuring,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let (backdrop, _) = desk.sight.beneath(at.at())?;
    let known = desk.laid.measuring.clone().filter(|m| !m.away);
    // On another backdrop it begins anew.
    let before = known.filter(|m| m.on == Some(backdrop.id));
    let before = before.unwrap_or(Measuring {
        on: Some(backdrop.id),
        pixel: desk.sight.pixel(backdrop.id, desk.scale),
        told: desk.laid.measuring.as_ref().is_none_or(|m| m.told),
        ..Measuring::default()
    });
    let placing = Placing { before };
    if let Some(lay) = placing.with(desk, at.at()) {
        desk.want(Effect::Drag(lay));
    }
    Some(Box::new(placing))
}

impl Placing {
    fn with(&self, desk: &Desk, at: Point<Glass>) -> Option<Lay> {
        let view = desk.sight.view(self.before.on)?;
        let place = view.inverse()?.apply(at);
        let reach = CLOSES / desk.scale / view.mean_scale();
        Some(Lay::Measuring(self.before.with((place.x, place.y), reach)))
    }
}

impl Tool for Placing {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        if let Some(lay) = self.with(desk, motion.at()) {
            desk.want(Effect::Drag(lay));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        if let Some(lay) = self.with(desk, at.at()) {
            desk.want(Effect::Lay(lay));
        }
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Lay(Lay::Measuring(self.before.clone())));
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }
}
