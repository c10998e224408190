//! Steps: the only way in which sheets move.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Held, Map};
use crate::geometry::ids::{BackdropId, MarkId};
use crate::marks::budget;
use crate::marks::mark::{Mark, MarkFault, Style};
use crate::sheets::refusal::Refusal;

/// Which sheet: every backdrop has one, and so has the glass.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum SheetId {
    Glass,
    /// The only sheet of a backdrop, or that of its first page.
    Backdrop(BackdropId),
    /// A further page of a document or a board, from 1.
    Page {
        backdrop: BackdropId,
        page: u32,
    },
}

impl SheetId {
    /// The sheet of a backdrop's page, counted from 0.
    pub fn of_page(backdrop: BackdropId, page: u32) -> Self {
        match page {
            0 => SheetId::Backdrop(backdrop),
            page => SheetId::Page { backdrop, page },
        }
    }

    /// The backdrop that it belongs to; the glass belongs to none.
    pub fn backdrop(self) -> Option<BackdropId> {
        match self {
            SheetId::Glass => None,
            SheetId::Backdrop(id) | SheetId::Page { backdrop: id, .. } => Some(id),
        }
    }
}

/// What is done to one sheet.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Op {
    Add(Mark),
    Remove(MarkId),
    /// Puts another mark in the place of the one with the same id.
    Replace(Mark),
    /// Moves marks, in the frame of what holds them.
    Transform {
        marks: Vec<MarkId>,
        by: Map<Held, Held>,
    },
    Restyle {
        marks: Vec<MarkId>,
        style: Style,
    },
    /// Clears the sheet.
    Wipe,
}

/// An operation and the sheet that it is meant for.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Step {
    pub sheet: SheetId,
    pub op: Op,
}

/// How a change came about; it decides what happens to its author's history.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Deed {
    /// Something new: can be undone.
    Do,
    /// Goes on with what the author did last: both are undone together.
    More,
    /// Takes back the author's newest entries; all but the last of these had nothing left to undo.
    Undo { entries: u32 },
    /// Does again what was undone.
    Redo { entries: u32 },
    /// Ink has faded: nobody did it, and nobody can undo it.
    Fade,
    /// Takes back an entry that only concerns one sheet: the author's `back`-th newest, from 1.
    UndoOn { back: u32 },
    /// Does again an undone entry that only concerns one sheet: the `back`-th newest, from 1.
    RedoOn { back: u32 },
}

impl Deed {
    /// Whether it takes something back or does it again.
    pub fn goes_back(self) -> bool {
        match self {
            Deed::Do | Deed::More | Deed::Fade => false,
            Deed::Undo { .. } | Deed::Redo { .. } | Deed::UndoOn { .. } | Deed::RedoOn { .. } => {
                true
            }
        }
    }
}

/// The most steps one change may have; moving or restyling counts each mark.
pub const MAX_STEPS: usize = 10_000;

/// Refuses what no sheet should be asked to apply: too many steps or marks, and marks that cannot
/// be or cost too much to draw.
pub fn check_steps(steps: &[Step]) -> Result<(), Refusal> {
    let named = |step: &Step| match &step.op {
        Op::Transform { marks, .. } | Op::Restyle { marks, .. } => marks.len(),
        Op::Add(_) | Op::Remove(_) | Op::Replace(_) | Op::Wipe => 1,
    };
    if steps.is_empty() || steps.iter().map(named).sum::<usize>() > MAX_STEPS {
        return Err(Refusal::TooLarge);
    }
    budget::check_all(steps.iter().filter_map(|step| match &step.op {
        Op::Add(mark) | Op::Replace(mark) => Some(mark),
        _ => None,
    }))?;
    for step in steps {
        match &step.op {
            Op::Transform { by, .. } => {
                if !by.is_finite() {
                    return Err(MarkFault::NotFinite.into());
                }
                if by.inverse().is_none() {
                    return Err(MarkFault::OutOfBounds.into());
                }
            }
            Op::Restyle { style, .. } => crate::marks::mark::check_style(style)?,
            Op::Add(_) | Op::Replace(_) | Op::Remove(_) | Op::Wipe => {}
        }
    }
    Ok(())
}
