//! What each author can undo and redo.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::change::{Deed, Step};
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
        if !kept || (inverse.is_empty() && deed == Deed::Do) {
            return;
        }
        let history = self.authors.entry(author).or_default();
        match deed {
            Deed::Do => {
                push(&mut history.undo, inverse);
                history.redo.clear();
            }
            Deed::More => {
                let mut entry = inverse;
                entry.extend(history.undo.pop().unwrap_or_default());
                push(&mut history.undo, entry);
                history.redo.clear();
            }
            Deed::Undo { entries } => {
                drop_newest(&mut history.undo, entries);
                push(&mut history.redo, inverse);
            }
            Deed::Redo { entries } => {
                drop_newest(&mut history.redo, entries);
                push(&mut history.undo, inverse);
            }
        }
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
