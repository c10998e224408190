//! The state of the stage: the running order, what of it is on stage, and how each backdrop is seen.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{GLASS_WIDTH, Glass, Rect, Size};
use crate::geometry::ids::BackdropId;
use crate::sheets::refusal::Refusal;
use crate::sheets::step::SheetId;
use crate::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use crate::stage::board::MOST_PAGES;
use crate::stage::laid::{Laid, Lay};
use crate::stage::pane::{self, Beside, Pane};
use crate::stage::step::StageStep;

/// A lesson as its presenter sees it, apart from its marks.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct StageState {
    pub name: String,
    /// Width to height of the picture area; 0 to 0 while nothing is known of the lesson.
    pub aspect: (f64, f64),
    /// The running order.
    pub order: Vec<BackdropView>,
    pub current: Option<BackdropId>,
    pub beside: Option<Beside>,
    /// Participants see nothing new.
    pub paused: bool,
    /// What lies over the picture.
    pub laid: Laid,
}

/// What is on stage: the backdrops, and what lies over them.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Stage {
    pub current: Option<BackdropView>,
    /// With where the divider is.
    pub beside: Option<(BackdropView, f64)>,
    pub laid: Laid,
}

impl Stage {
    /// The backdrops on stage, the first pane's first.
    pub fn each(&self) -> impl Iterator<Item = &BackdropView> + Clone {
        let beside = self.beside.iter().map(|(b, _)| b);
        self.current.iter().chain(beside)
    }

    /// As [`Stage::each`].
    pub fn each_mut(&mut self) -> impl Iterator<Item = &mut BackdropView> {
        let beside = self.beside.iter_mut().map(|(b, _)| b);
        self.current.iter_mut().chain(beside)
    }

    /// The panes of a picture area.
    pub fn panes(&self, area: Size<Glass>) -> Vec<Pane<'_>> {
        let beside = self.beside.as_ref().map(|(b, divider)| (b, *divider));
        pane::panes(area, self.current.as_ref(), beside)
    }

    /// What becomes of it when it is `after`.
    pub fn becomes(&self, after: &Self) -> Becomes {
        if self == after {
            return Becomes::Same;
        }
        let mut seen = self.clone();
        seen.laid.clone_from(&after.laid);
        if seen == *after {
            return Becomes::LaidOtherwise;
        }
        seen.laid.clone_from(&self.laid);
        for b in seen.each_mut() {
            let then = after
                .each()
                .find(|a| a.id == b.id && a.seen.page == b.seen.page);
            if let Some(then) = then {
                b.seen = then.seen.clone();
            }
        }
        match seen == *after {
            true => Becomes::SeenOtherwise,
            false => Becomes::Other,
        }
    }

    /// As participants get to know it: see [`BackdropView::for_participants`].
    pub fn for_participants(self) -> Self {
        let beside = self.beside;
        Self {
            current: self.current.map(BackdropView::for_participants),
            beside: beside.map(|(b, divider)| (b.for_participants(), divider)),
            laid: self.laid.for_participants(),
        }
    }
}

/// What becomes of a stage for who sees it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Becomes {
    Same,
    /// The same sheets are in view, larger or elsewhere, or a film plays on.
    SeenOtherwise,
    /// Something else lies over the picture, or lies differently.
    LaidOtherwise,
    /// Other sheets are in view, or other backdrops.
    Other,
}

impl StageState {
    /// Whether nothing is known of the lesson: its log is from before the stage was in it.
    pub fn is_blank(&self) -> bool {
        self.aspect == (0.0, 0.0)
    }

    /// A backdrop of the running order.
    pub fn backdrop(&self, id: BackdropId) -> Option<&BackdropView> {
        self.order.iter().find(|b| b.id == id)
    }

    /// The same, to be changed.
    pub fn backdrop_mut(&mut self, id: BackdropId) -> Option<&mut BackdropView> {
        self.order.iter_mut().find(|b| b.id == id)
    }

    /// The backdrops on stage.
    pub fn on_stage(&self) -> Stage {
        let find = |id| self.backdrop(id).cloned();
        let beside = self.beside;
        Stage {
            current: self.current.and_then(find),
            beside: beside.and_then(|b| Some((find(b.backdrop)?, b.divider))),
            laid: self.laid.clone(),
        }
    }

    /// Whether it is in one of the panes.
    pub fn is_on_stage(&self, id: BackdropId) -> bool {
        self.current == Some(id) || self.beside.is_some_and(|b| b.backdrop == id)
    }

    /// The sheets in view; the glass always is.
    pub fn in_view(&self, sheet: SheetId) -> bool {
        let Some(id) = sheet.backdrop() else {
            return true;
        };
        let known = self.backdrop(id).filter(|_| self.is_on_stage(id));
        known.is_some_and(|b| b.sheets().any(|s| s == sheet))
    }

    /// The picture area; of a lesson of which nothing is known, larger than any, so that what is laid before
    /// stays where it was laid.
    pub fn area(&self) -> Size<Glass> {
        match self.is_blank() {
            true => Size::new(GLASS_WIDTH, GLASS_WIDTH),
            false => Size::glass(self.aspect.0, self.aspect.1),
        }
    }

    /// Something that is wanted over the picture, within what can be.
    ///
    /// # Errors
    /// As [`Laid::settled`].
    pub fn settle_laid(&self, lay: &Lay) -> Result<Lay, Refusal> {
        self.laid.settled(lay, self.area())
    }

    /// The pane that a backdrop is in, or would be.
    pub fn room_of(&self, id: BackdropId) -> Rect<Glass> {
        let area = self.area();
        if !self.is_on_stage(id) {
            return Rect::of_size(area);
        }
        let rooms = pane::rooms(area, self.beside.map(|b| b.divider));
        let second = self.beside.is_some_and(|b| b.backdrop == id);
        rooms[usize::from(second)]
    }

    /// Makes a step. What is not in the running order is left alone: the step is from when it was.
    pub fn apply(&mut self, step: &StageStep) {
        match step {
            StageStep::Arrange { current, beside } => {
                self.current = Some(*current);
                self.beside = *beside;
            }
            StageStep::Divide(divider) => {
                if let Some(beside) = &mut self.beside {
                    beside.divider = *divider;
                }
            }
            StageStep::See { backdrop, seen } => {
                if let Some(known) = self.backdrop_mut(*backdrop) {
                    known.seen = ViewState::clone(seen);
                }
            }
            StageStep::Pause(paused) => self.paused = *paused,
            StageStep::Pages { backdrop, pages } => {
                if let Some(known) = self.backdrop_mut(*backdrop)
                    && let BackdropKind::Board(board) = &mut known.kind
                {
                    board.pages = *pages;
                }
            }
            StageStep::Size {
                backdrop,
                width,
                height,
            } => {
                if let Some(known) = self.backdrop_mut(*backdrop) {
                    (known.width, known.height) = (*width, *height);
                }
            }
            StageStep::Bring { at, backdrop } => {
                self.order.retain(|b| b.id != backdrop.id);
                let at = (*at).min(self.order.len());
                self.order.insert(at, BackdropView::clone(backdrop));
            }
            StageStep::Move { backdrop, at } => {
                if let Some(from) = self.order.iter().position(|b| b.id == *backdrop) {
                    let moved = self.order.remove(from);
                    self.order.insert((*at).min(self.order.len()), moved);
                }
            }
            StageStep::Take(id) => {
                self.order.retain(|b| b.id != *id);
                self.current = self.current.filter(|c| c != id);
                self.beside = self.beside.filter(|b| b.backdrop != *id);
            }
            StageStep::Name(name) => name.clone_into(&mut self.name),
            StageStep::Aspect(width, height) => self.aspect = (*width, *height),
            StageStep::Lay(lay) => self.laid.lay(lay),
        }
    }

    /// Steps that somebody asks for, each within what can be, whatever was sent.
    ///
    /// # Errors
    /// When they are about a backdrop that is not in the running order, a board has no room for a
    /// further page, there are too many, or they are not for a person to ask for.
    pub fn settled(&self, steps: &[StageStep]) -> Result<Vec<StageStep>, Refusal> {
        if steps.is_empty() || steps.len() > MOST_STEPS {
            return Err(Refusal::TooLarge);
        }
        // Each is judged by what those before it leave.
        let mut then = self.clone();
        let settle = |step: &StageStep| {
            let step = then.settle(step)?;
            then.apply(&step);
            Ok(step)
        };
        steps.iter().map(settle).collect()
    }

    fn settle(&self, step: &StageStep) -> Result<StageStep, Refusal> {
        let known = |id: BackdropId| self.backdrop(id).ok_or(Refusal::NoSuchBackdrop);
        Ok(match step {
            StageStep::Arrange { current, beside } => {
                known(*current)?;
                let beside = beside.filter(|b| b.backdrop != *current && known(b.backdrop).is_ok());
                StageStep::Arrange {
                    current: *current,
                    beside: beside.map(Beside::settled),
                }
            }
            StageStep::Divide(divider) => {
                let (backdrop, divider) = (BackdropId(0), *divider);
                StageStep::Divide(Beside { backdrop, divider }.settled().divider)
            }
            StageStep::See { backdrop, seen } => {
                let room = self.room_of(*backdrop);
                let seen = ViewState::clone(seen).settled(known(*backdrop)?, &room);
                StageStep::See {
                    backdrop: *backdrop,
                    seen: Box::new(seen),
                }
            }
            StageStep::Pause(_) => step.clone(),
            StageStep::Pages { backdrop, pages } => match &known(*backdrop)?.kind {
                BackdropKind::Board(_) if *pages > MOST_PAGES => return Err(Refusal::NoMorePages),
                BackdropKind::Board(board) => StageStep::Pages {
                    backdrop: *backdrop,
                    // Two who begin a page at once have begun the same one; none is ever taken back.
                    pages: board.pages.max(*pages),
                },
                _ => return Err(Refusal::NotAllowed),
            },
            StageStep::Size {
                backdrop,
                width,
                height,
            } => {
                let sound = [width, height].into_iter().all(|v| SIZES.contains(v));
                if !sound || !known(*backdrop)?.kind.streams() {
                    return Err(Refusal::NotAllowed);
                }
                step.clone()
            }
            StageStep::Lay(lay) => StageStep::Lay(Box::new(self.settle_laid(lay)?)),
            StageStep::Bring { .. }
            | StageStep::Move { .. }
            | StageStep::Take(_)
            | StageStep::Name(_)
            | StageStep::Aspect(..) => return Err(Refusal::NotAllowed),
        })
    }

    /// The steps by which this becomes what `tables` say: running order and name. What happens on
    /// stage is this state's own to say, as far as it knows of it; a lesson whose log is from before
    /// takes everything over. Nothing to do gives no step.
    ///
    /// Cost: the square of the length of the running order.
    pub fn follow(&self, tables: &StageState) -> Vec<StageStep> {
        let mut now = self.clone();
        let mut steps = Vec::new();
        let mut make = |now: &mut Self, step: StageStep| {
            now.apply(&step);
            steps.push(step);
        };
        if self.name != tables.name {
            make(&mut now, StageStep::Name(tables.name.clone()));
        }
        if self.aspect != tables.aspect {
            make(
                &mut now,
                StageStep::Aspect(tables.aspect.0, tables.aspect.1),
            );
        }
        for gone in self
            .order
            .iter()
            .filter(|b| tables.backdrop(b.id).is_none())
        {
            make(&mut now, StageStep::Take(gone.id));
        }
        for (at, theirs) in tables.order.iter().enumerate() {
            let is = now.order.iter().position(|b| b.id == theirs.id);
            let wanted = match is {
                Some(is) => now.order[is].renewed(theirs),
                None => theirs.clone(),
            };
            if is.is_none_or(|is| now.order[is] != wanted) {
                let backdrop = Box::new(wanted);
                make(&mut now, StageStep::Bring { at, backdrop });
            } else if is != Some(at) {
                let backdrop = theirs.id;
                make(&mut now, StageStep::Move { backdrop, at });
            }
        }
        let other = if self.is_blank() { tables } else { &now };
        let current = now.current.or(tables.current);
        let beside = other.beside.filter(|b| Some(b.backdrop) != current);
        if let Some(current) = current
            && (now.current, now.beside) != (Some(current), beside)
        {
            make(&mut now, StageStep::Arrange { current, beside });
        }
        if self.is_blank() && tables.paused {
            make(&mut now, StageStep::Pause(true));
        }
        steps
    }
}

/// The most steps that somebody may ask for at once.
const MOST_STEPS: usize = 8;

/// How large a shared screen or a camera can be, in backdrop units.
const SIZES: std::ops::RangeInclusive<f64> = 16.0..=16_384.0;
