//! The lasso: goes round what is to be selected, or taps it.

use crate::edit::select::{self, Picked};
use crate::geometry::frames::{Glass, Point};
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// How near a tap must come to a mark, in CSS pixels.
pub(super) const REACH: f64 = 10.0;
/// Shorter lassos, in CSS pixels, are taps.
const TAP: f64 = 8.0;

/// A lasso on its way.
#[derive(Debug)]
pub struct Lasso {
    line: Vec<Point<Glass>>,
}

pub fn begin(_desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    Some(Box::new(Lasso {
        line: vec![at.at()],
    }))
}

/// What lies where a pointer taps, as it changes what is selected: instead of that, or with `add` joining
/// it, or leaving it when it was there.
pub(super) fn tap(desk: &Desk, at: Point<Glass>, add: bool) -> Picked {
    let found = select::at(desk.sheets, desk.in_view, at, REACH / desk.per_unit());
    if !add {
        return found.into_iter().collect();
    }
    let mut picked = desk.selection.picked.clone();
    if let Some(one) = found {
        match picked.iter().position(|p| *p == one) {
            Some(there) => {
                picked.remove(there);
            }
            None => picked.push(one),
        }
    }
    picked
}

impl Tool for Lasso {
    fn moved(&mut self, _desk: &mut Desk, motion: &Motion) {
        self.line.extend(motion.places());
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        let first = self.line[0];
        let far = self
            .line
            .iter()
            .map(|p| p.distance(first))
            .fold(0.0, f64::max);
        let add = at.modifiers.even;
        let picked = if far * desk.per_unit() < TAP {
            tap(desk, first, add)
        } else {
            let found = select::lasso(desk.sheets, desk.in_view, &self.line);
            let mut picked = match add {
                true => desk.selection.picked.clone(),
                false => Picked::new(),
            };
            for one in found {
                if !picked.contains(&one) {
                    picked.push(one);
                }
            }
            picked
        };
        desk.want(Effect::Select(picked));
        Next::Ends
    }

    fn cancelled(&mut self, _desk: &mut Desk, _pointer: i32) -> Next {
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }

    fn overlay(&self, desk: &Desk) -> Option<Overlay> {
        let line = self.line.iter().map(|at| desk.hand_at(*at));
        (self.line.len() > 1).then(|| Overlay::Lasso(line.collect()))
    }
}
