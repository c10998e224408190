//! What each author can undo and redo.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::change::{Deed, SheetId, Step};
use crate::ids::AuthorId;

/// How many steps back an author can go.
pub const DEPTH: usize = 1000;

/// Whose history is kept: the server keeps all, a presenter's browser its own, a follower's none.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Keep {
    All,
    Only(AuthorId),
    Nobody,
}

/// One author's history; an entry is the steps that take a change back.
#[derive(Clone, Default, PartialEq, Debug, Serialize, Deserialize)]
struct History {
    undo: Vec<Vec<Step>>,
    redo: Vec<Vec<Step>>,
}

/// The histories of all authors.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Histories {
    keep: Keep,
    authors: BTreeMap<AuthorId, History>,
}

impl Histories {
    pub fn new(keep: Keep) -> Self {
        Self {
            keep,
            authors: BTreeMap::new(),
        }
    }

    /// The author's entries that can be undone, newest last.
    pub fn undo(&self, author: AuthorId) -> &[Vec<Step>] {
        self.authors.get(&author).map_or(&[], |h| &h.undo)
    }

    /// The author's entries that can be done again, newest last.
    pub fn redo(&self, author: AuthorId) -> &[Vec<Step>] {
        self.authors.get(&author).map_or(&[], |h| &h.redo)
    }

    /// Takes note of a change of `author`'s that has been applied and of the steps that undo it.
    pub(crate) fn record(&mut self, author: AuthorId, deed: Deed, inverse: Vec<Step>) {
        let kept = match self.keep {
            Keep::All => true,
            Keep::Only(only) => only == author,
            Keep::Nobody => false,
        };
        if !kept || deed == Deed::Fade || (inverse.is_empty() && deed == Deed::Do) {
            return;
        }
        let history = self.authors.entry(author).or_default();
        match deed {
            Deed::Do => {
                forget(&mut history.redo, &inverse);
                push(&mut history.undo, inverse);
            }
            Deed::More => {
                // Two people at one board are at two gestures: this one goes on where it was.
                let begun = history.undo.iter().rposition(|e| !apart(e, &inverse));
                forget(&mut history.redo, &inverse);
                match begun {
                    Some(at) => {
                        history.undo[at].splice(0..0, inverse);
                    }
                    None => push(&mut history.undo, inverse),
                }
            }
            Deed::Fade => {}
            Deed::Undo { entries } => {
                drop_newest(&mut history.undo, entries);
                push(&mut history.redo, inverse);
            }
            Deed::Redo { entries } => {
                drop_newest(&mut history.redo, entries);
                push(&mut history.undo, inverse);
            }
            Deed::UndoOn { back } => {
                take_out(&mut history.undo, back);
                push(&mut history.redo, inverse);
            }
            Deed::RedoOn { back } => {
                take_out(&mut history.redo, back);
                push(&mut history.undo, inverse);
            }
        }
    }
}

/// Whether an entry concerns this sheet and no other.
pub(crate) fn only_on(entry: &[Step], sheet: SheetId) -> bool {
    entry.iter().all(|step| step.sheet == sheet)
}

/// Whether two entries are about different pages or halves of one backdrop: what two people at a
/// board do, each for themselves.
fn apart(a: &[Step], b: &[Step]) -> bool {
    let Some(backdrop) = a.first().and_then(|s| s.sheet.backdrop()) else {
        return false;
    };
    let within = |steps: &[Step]| steps.iter().all(|s| s.sheet.backdrop() == Some(backdrop));
    let meet = a.iter().any(|a| b.iter().any(|b| a.sheet == b.sheet));
    within(a) && within(b) && !meet
}

/// Something new was done: what was undone cannot be done again, but by somebody else at the same
/// board.
fn forget(redo: &mut Vec<Vec<Step>>, done: &[Step]) {
    redo.retain(|entry| apart(entry, done));
}

/// Takes out the `back`-th newest, counted from 1.
fn take_out(stack: &mut Vec<Vec<Step>>, back: u32) {
    let at = stack.len().checked_sub(back as usize);
    if let Some(at) = at.filter(|at| *at < stack.len()) {
        stack.remove(at);
    }
}

fn push(stack: &mut Vec<Vec<Step>>, entry: Vec<Step>) {
    if entry.is_empty() {
        return;
    }
    if stack.len() == DEPTH {
        stack.remove(0);
    }
    stack.push(entry);
}

fn drop_newest(stack: &mut Vec<Vec<Step>>, entries: u32) {
    stack.truncate(stack.len().saturating_sub(entries as usize));
}
