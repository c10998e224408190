//! Changes: what a lesson remembers, each in its place in one order.

use serde::{Deserialize, Serialize};

use crate::geometry::ids::{AuthorId, ChangeId};
use crate::sheets::step::{Deed, SheetId, Step};
use crate::stage::step::StageStep;

/// What somebody did at one moment: all of it applies, or nothing.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Change {
    pub id: ChangeId,
    /// 0 for what nobody did: see [`NOBODY`].
    pub author: AuthorId,
    /// Milliseconds since 1970, by the server's clock.
    pub at: u64,
    pub what: What,
}

/// The author of what the server does by itself.
pub const NOBODY: AuthorId = AuthorId(0);

/// See [`Change::what`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum What {
    /// On sheets.
    Marks { deed: Deed, steps: Vec<Step> },
    /// With the stage.
    Stage(Vec<StageStep>),
}

impl Change {
    /// The steps on sheets; none when it is about the stage.
    pub fn steps(&self) -> &[Step] {
        match &self.what {
            What::Marks { steps, .. } => steps,
            What::Stage(_) => &[],
        }
    }

    /// The steps of the stage; none when it is about marks.
    pub fn stage_steps(&self) -> &[StageStep] {
        match &self.what {
            What::Stage(steps) => steps,
            What::Marks { .. } => &[],
        }
    }
}

/// What an author asks for. Undo and redo are worked out by whoever holds the history.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Intent {
    Do(Vec<Step>),
    /// More of the gesture that the author's last change began.
    More(Vec<Step>),
    Undo,
    Redo,
    /// As undo, but only of what concerns this sheet alone: for two people who share a board.
    UndoOn(SheetId),
    RedoOn(SheetId),
    /// The stage is to be otherwise.
    Stage(Vec<StageStep>),
}
