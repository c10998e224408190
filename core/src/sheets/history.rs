//! What each author can undo and redo.
//!
//! Entries are shared between copies of a lesson, so that a copy costs a pointer for each. What is
//! kept is bounded: so many entries and steps for each author, and so many authors.

use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::geometry::ids::{AuthorId, MarkId};
use crate::sheets::step::{Deed, Op, SheetId, Step};

/// How many steps back an author can go.
pub const DEPTH: usize = 1000;
/// How many steps the entries of an author have together; the newest entry stays, however large.
const MOST_STEPS: usize = 50_000;
/// How many authors' histories are kept. Who has done nothing for longest is forgotten first.
const MOST_AUTHORS: usize = 64;

/// The steps that take one change back, in the order in which they are made.
pub type Entry = Arc<VecDeque<Step>>;

/// Whose history is kept: the server keeps all, a presenter's browser its own, a follower's none.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Keep {
    All,
    Only(AuthorId),
    Nobody,
}

/// One author's history.
#[derive(Clone, Default, PartialEq, Debug, Serialize, Deserialize)]
struct History {
    undo: Vec<Entry>,
    redo: Vec<Entry>,
}

/// The histories of all authors.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Histories {
    keep: Keep,
    /// Whoever did something last comes last.
    authors: Vec<(AuthorId, Arc<History>)>,
}

impl Histories {
    /// Nothing has been done yet.
    pub fn new(keep: Keep) -> Self {
        Self {
            keep,
            authors: Vec::new(),
        }
    }

    /// The author's entries that can be undone, newest last.
    pub fn undo(&self, author: AuthorId) -> &[Entry] {
        self.of(author).map_or(&[], |h| &h.undo)
    }

    /// The author's entries that can be done again, newest last.
    pub fn redo(&self, author: AuthorId) -> &[Entry] {
        self.of(author).map_or(&[], |h| &h.redo)
    }

    fn of(&self, author: AuthorId) -> Option<&History> {
        let mut all = self.authors.iter().rev();
        all.find(|(a, _)| *a == author).map(|(_, h)| &**h)
    }

    /// The author's history, which is now the one used last.
    fn of_mut(&mut self, author: AuthorId) -> &mut History {
        let at = self.authors.iter().rposition(|(a, _)| *a == author);
        match at {
            Some(at) => self.authors[at..].rotate_left(1),
            None => self.authors.push((author, Arc::default())),
        }
        let first = self.authors.len().saturating_sub(MOST_AUTHORS);
        self.authors.drain(..first);
        let (_, history) = self.authors.last_mut().expect("just put there");
        Arc::make_mut(history)
    }

    /// Whether anything is noted of what an author does in this way.
    pub(crate) fn keeps(&self, author: AuthorId, deed: Deed) -> bool {
        let known = match self.keep {
            Keep::All => true,
            Keep::Only(only) => only == author,
            Keep::Nobody => false,
        };
        known && deed != Deed::Fade
    }

    /// Takes note of a change of `author`'s that has been applied and of the steps that undo it.
    pub(crate) fn record(&mut self, author: AuthorId, deed: Deed, inverse: VecDeque<Step>) {
        if !self.keeps(author, deed) || (inverse.is_empty() && deed == Deed::Do) {
            return;
        }
        let history = self.of_mut(author);
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
                    Some(at) => go_on(Arc::make_mut(&mut history.undo[at]), inverse),
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

/// A gesture goes on: what it made and took away again in the meantime is nothing to bring back.
///
/// Cost: the new steps, and those of the entry only if one of them may be about the same mark.
fn go_on(entry: &mut VecDeque<Step>, mut inverse: VecDeque<Step>) {
    let about = |s: &Step| match &s.op {
        Op::Add(mark) | Op::Replace(mark) => Some((s.sheet, mark.id)),
        Op::Remove(id) => Some((s.sheet, *id)),
        _ => None,
    };
    // Gone in the end: the first thing that undo would do with it is to bring it back.
    let mut seen: BTreeSet<(SheetId, MarkId)> = BTreeSet::new();
    let mut gone: BTreeSet<(SheetId, MarkId)> = BTreeSet::new();
    for step in &inverse {
        if let Some(mark) = about(step).filter(|mark| seen.insert(*mark))
            && matches!(step.op, Op::Add(_))
        {
            gone.insert(mark);
        }
    }
    if !gone.is_empty() {
        let makes = entry.iter().filter(|s| matches!(s.op, Op::Remove(_)));
        let made: BTreeSet<_> = makes.filter_map(about).collect();
        gone.retain(|mark| made.contains(mark));
    }
    if !gone.is_empty() {
        let only_meanwhile = |s: &Step| about(s).is_some_and(|mark| gone.contains(&mark));
        inverse.retain(|s| !only_meanwhile(s));
        entry.retain(|s| !only_meanwhile(s));
    }
    for step in inverse.into_iter().rev() {
        entry.push_front(step);
    }
}

/// Whether an entry concerns this sheet and no other.
pub(crate) fn only_on(entry: &VecDeque<Step>, sheet: SheetId) -> bool {
    entry.iter().all(|step| step.sheet == sheet)
}

/// Whether two entries are about different pages or halves of one backdrop: what two people at a
/// board do, each for themselves.
fn apart(a: &VecDeque<Step>, b: &VecDeque<Step>) -> bool {
    let Some(backdrop) = a.front().and_then(|s| s.sheet.backdrop()) else {
        return false;
    };
    let within =
        |steps: &VecDeque<Step>| steps.iter().all(|s| s.sheet.backdrop() == Some(backdrop));
    let meet = a.iter().any(|a| b.iter().any(|b| a.sheet == b.sheet));
    within(a) && within(b) && !meet
}

/// Something new was done: what was undone cannot be done again, but by somebody else at the same
/// board.
fn forget(redo: &mut Vec<Entry>, done: &VecDeque<Step>) {
    redo.retain(|entry| apart(entry, done));
}

/// Takes out the `back`-th newest, counted from 1.
fn take_out(stack: &mut Vec<Entry>, back: u32) {
    let at = stack.len().checked_sub(back as usize);
    if let Some(at) = at.filter(|at| *at < stack.len()) {
        stack.remove(at);
    }
}

fn push(stack: &mut Vec<Entry>, entry: VecDeque<Step>) {
    if entry.is_empty() {
        return;
    }
    let mut room = MOST_STEPS.saturating_sub(entry.len());
    let newest = stack.iter().rev().take(DEPTH - 1);
    let fits = |e: &&Entry| match room.checked_sub(e.len()) {
        Some(left) => {
            room = left;
            true
        }
        None => false,
    };
    let stay = newest.take_while(fits).count();
    stack.drain(..stack.len() - stay);
    stack.push(Arc::new(entry));
}

fn drop_newest(stack: &mut Vec<Entry>, entries: u32) {
    stack.truncate(stack.len().saturating_sub(entries as usize));
}
