//! What a lesson remembers, and the one rule by which a change moves it.

use crate::geometry::ids::AuthorId;
use crate::lesson::change::{Change, Intent, What};
use crate::sheets::history::Keep;
use crate::sheets::refusal::Refusal;
use crate::sheets::sheet::{Sheets, Touched};
use crate::sheets::step::Deed;
use crate::stage::state::StageState;

/// A lesson's sheets and its stage. The same changes in the same order give the same lesson, on the
/// server and in every browser.
#[derive(Clone, PartialEq, Debug)]
pub struct Lesson {
    /// All marks, with what their authors can undo.
    pub sheets: Sheets,
    /// What is on stage.
    pub stage: StageState,
}

impl Lesson {
    /// A lesson of which nothing is known yet.
    pub fn new(keep: Keep) -> Self {
        Self {
            sheets: Sheets::new(keep),
            stage: StageState::default(),
        }
    }

    /// Makes the change, or leaves everything as it was and says why. Gives the marks that it moved.
    ///
    /// # Errors
    /// When one of its marks is not as it has to be. Steps of the stage always apply.
    pub fn apply(&mut self, change: &Change) -> Result<Vec<Touched>, Refusal> {
        match &change.what {
            What::Marks { deed, steps } => {
                self.sheets.apply(change.author, change.at, *deed, steps)
            }
            What::Stage(steps) => {
                for step in steps {
                    self.stage.apply(step);
                }
                Ok(Vec::new())
            }
        }
    }

    /// What `author` asks for, as what it comes to here.
    ///
    /// # Errors
    /// When there is nothing to undo, or the stage cannot be like that.
    pub fn resolve(&self, author: AuthorId, intent: &Intent) -> Result<What, Refusal> {
        let (deed, steps) = match intent {
            Intent::Do(steps) => (Deed::Do, steps.clone()),
            Intent::More(steps) => (Deed::More, steps.clone()),
            Intent::Undo => self.sheets.undo(author)?,
            Intent::Redo => self.sheets.redo(author)?,
            Intent::UndoOn(sheet) => self.sheets.undo_on(author, *sheet)?,
            Intent::RedoOn(sheet) => self.sheets.redo_on(author, *sheet)?,
            Intent::Stage(steps) => return self.stage.settled(steps).map(What::Stage),
        };
        Ok(What::Marks { deed, steps })
    }
}
