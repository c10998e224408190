//! Pulling at the selection: moved by its inside, resized by its handles, turned by its knob, and all of
//! that with two fingers.

use crate::edit::select::{self, Pull};
use crate::edit::selection::Pulled;
use crate::geometry::frames::{Glass, Map, Point};
use crate::lesson::change::Intent;
use crate::sheets::step::{Op, Step};
use crate::tools::desk::{Desk, Effect};
use crate::tools::lasso::{REACH, tap};
use crate::tools::pointer::{Modifiers, Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// What is pulled less than this, in CSS pixels, is tapped.
const TAP: f64 = 3.0;

/// A selection that is being pulled.
#[derive(Debug)]
pub struct Pulling {
    pulled: Pulled,
    pointer: i32,
    from: Point<Glass>,
    at: Point<Glass>,
    modifiers: Modifiers,
    second: Option<Second>,
    went: bool,
}

/// A second finger, where the first was when it came, and where it was itself and is.
#[derive(Debug)]
struct Second {
    pointer: i32,
    first: Point<Glass>,
    was: Point<Glass>,
    is: Point<Glass>,
}

/// Whether a pointer goes down on the selection.
pub(super) fn is_on(desk: &Desk, at: &Pointer) -> bool {
    let selection = desk.selection;
    let margin = REACH / desk.per_unit();
    let area = selection.area(desk.sheets, desk.in_view);
    !area.is_empty() && area.inflate(margin).contains(at.at())
}

/// `None` while it is in somebody else's hand.
pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    if desk.selection.pulled.is_some() {
        return None;
    }
    let pulled = Pulled {
        pull: at.grip.unwrap_or(Pull::Inside),
        area: desk.selection.area(desk.sheets, desk.in_view),
        map: Map::coincident(),
    };
    desk.want(Effect::Pull(Some(pulled)));
    Some(Box::new(Pulling {
        pulled,
        pointer: at.id,
        from: at.at(),
        at: at.at(),
        modifiers: at.modifiers,
        second: None,
        went: false,
    }))
}

impl Pulling {
    fn by_inside(&self) -> bool {
        matches!(self.pulled.pull, Pull::Inside)
    }
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let to = motion.at();
        match &mut self.second {
            Some(second) if second.pointer == motion.id => second.is = to,
            _ => self.at = to,
        }
        self.went |= self.from.distance(self.at) * desk.per_unit() > TAP;
        if let Some(second) = &self.second {
            let (was, is) = ([second.first, second.was], [self.at, second.is]);
            if let Some(map) = select::pinched(was, is) {
                self.pulled.map = map;
            }
        } else if self.went {
            let even = motion.modifiers.even || desk.selection.crops;
            let Pulled { area, pull, .. } = self.pulled;
            self.pulled.map = select::pulled(&area, pull, self.from, to, even);
        } else {
            return;
        }
        desk.want(Effect::Pull(Some(self.pulled)));
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        if at.id != self.pointer {
            // Where it was lifted it goes on counting: what was grown stays.
            return Next::GoesOn;
        }
        let (sheets, in_view) = (desk.sheets, desk.in_view);
        let moved = self.pulled.map != Map::coincident();
        let cropped = desk.selection.cropped(sheets, in_view, &self.pulled);
        desk.want(Effect::Pull(None));
        if !self.went && self.second.is_none() {
            // A tap on the selection selects what lies there.
            if self.by_inside() {
                desk.want(Effect::Select(tap(desk, self.from, self.modifiers.even)));
            }
            return Next::Ends;
        }
        let steps = match cropped {
            Some((sheet, mark)) => vec![Step {
                sheet,
                op: Op::Replace(mark),
            }],
            None => select::moved(in_view, &desk.selection.picked, &self.pulled.map),
        };
        if moved && !steps.is_empty() {
            desk.want(Effect::Act(Intent::Do(steps)));
        }
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        if pointer != self.pointer {
            return Next::GoesOn;
        }
        self.finished(desk)
    }

    /// What was only shown goes back.
    fn finished(&mut self, desk: &mut Desk) -> Next {
        desk.want(Effect::Pull(None));
        Next::Ends
    }

    /// A second finger in the same pane, and on the same half of a board.
    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        self.second.is_none() && self.by_inside() && desk.ground(at.at()) == desk.ground(self.from)
    }

    fn joined(&mut self, _desk: &mut Desk, at: &Pointer) {
        self.second = Some(Second {
            pointer: at.id,
            first: self.at,
            was: at.at(),
            is: at.at(),
        });
    }
}
