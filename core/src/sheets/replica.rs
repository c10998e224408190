//! A browser's copy of the sheets, ahead of the server by what its own author has just done.
//!
//! Two copies are kept: what the server has confirmed, and what is shown: the confirmed sheets
//! with the pending changes on top. The server's order is the truth. When its answer differs from
//! what was shown, the shown copy is made again from the confirmed one.

use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;

use crate::geometry::ids::{AuthorId, ChangeId, MarkId};
use crate::marks::mark::Mark;
use crate::sheets::change::{Change, Deed, Intent, Op, Refusal, SheetId, Step};
use crate::sheets::history::Keep;
use crate::sheets::sheet::{Sheets, Touched};

/// A change of one's own that the server has not yet acknowledged.
#[derive(Clone, Debug, PartialEq)]
pub struct Pending {
    pub id: ChangeId,
    pub intent: Intent,
    /// What it came to here; the server may find otherwise. Empty for an undo of something that
    /// only the server remembers.
    steps: Vec<Step>,
}

/// What has to be shown anew.
#[derive(Clone, Debug, PartialEq)]
pub enum Shown {
    /// These marks.
    Marks(Vec<Touched>),
    /// Anything may have moved.
    Everything,
}

/// See the module's description.
#[derive(Debug)]
pub struct Replica {
    author: AuthorId,
    confirmed: Sheets,
    shown: Sheets,
    pending: VecDeque<Pending>,
    /// The server's clock as far as it is known here, in milliseconds since 1970; the caller sets it.
    pub now: u64,
    /// How many of the author's changes only the server can undo or redo: those from before this
    /// page was loaded.
    beyond: Beyond,
}

#[derive(Clone, Copy, Debug, Default)]
struct Beyond {
    undo: u32,
    redo: u32,
}

impl Replica {
    pub fn new(author: AuthorId) -> Self {
        Self {
            author,
            confirmed: Sheets::new(Keep::Only(author)),
            shown: Sheets::new(Keep::Only(author)),
            pending: VecDeque::new(),
            now: 0,
            beyond: Beyond::default(),
        }
    }

    pub fn author(&self) -> AuthorId {
        self.author
    }

    /// What is to be shown.
    pub fn sheets(&self) -> &Sheets {
        &self.shown
    }

    /// What the server has not acknowledged, oldest first.
    pub fn pending(&self) -> impl Iterator<Item = &Pending> {
        self.pending.iter()
    }

    pub fn can_undo(&self) -> bool {
        self.beyond.undo > 0 || self.shown.can_undo(self.author)
    }

    pub fn can_redo(&self) -> bool {
        self.beyond.redo > 0 || self.shown.can_redo(self.author)
    }

    /// Whether the author can redo something on this sheet alone.
    pub fn can_redo_on(&self, sheet: SheetId) -> bool {
        self.shown.can_redo_on(self.author, sheet)
    }

    /// Whether the author can undo something on this sheet alone.
    pub fn can_undo_on(&self, sheet: SheetId) -> bool {
        self.shown.can_undo_on(self.author, sheet)
    }

    /// Starts again from the server's word; pending changes stay pending and are shown on top.
    /// `undo` and `redo` are how far the server can go for this author.
    pub fn load(
        &mut self,
        author: AuthorId,
        sheets: impl IntoIterator<Item = (SheetId, Vec<Arc<Mark>>)>,
        (undo, redo): (u32, u32),
    ) -> Shown {
        self.author = author;
        self.confirmed = Sheets::new(Keep::Only(author));
        for (id, marks) in sheets {
            self.confirmed.load(id, marks);
        }
        self.beyond = Beyond { undo, redo };
        self.rebuild()
    }

    /// Replaces one sheet by the server's word.
    pub fn load_sheet(&mut self, id: SheetId, marks: Vec<Arc<Mark>>) -> Shown {
        self.confirmed.load(id, marks);
        self.rebuild()
    }

    /// Does what the author asks for, here and now; the server is told by the caller. An undo that
    /// only the server can work out is pending without being shown.
    pub fn act(&mut self, id: ChangeId, intent: Intent) -> Result<Shown, Refusal> {
        let (shown, steps) = match self.show(id, &intent) {
            Ok(done) => done,
            Err(Refusal::NothingToUndo) if self.beyond.undo > 0 && intent == Intent::Undo => {
                self.beyond.undo -= 1;
                (Vec::new(), Vec::new())
            }
            Err(Refusal::NothingToRedo) if self.beyond.redo > 0 && intent == Intent::Redo => {
                self.beyond.redo -= 1;
                (Vec::new(), Vec::new())
            }
            Err(refusal) => return Err(refusal),
        };
        if matches!(intent, Intent::Do(_) | Intent::More(_)) {
            self.beyond.redo = 0;
        }
        self.pending.push_back(Pending { id, intent, steps });
        Ok(Shown::Marks(shown))
    }

    /// Takes back into the queue what an earlier page load had not got acknowledged.
    pub fn resume(&mut self, id: ChangeId, intent: Intent) -> Shown {
        if self.pending.iter().any(|p| p.id == id) {
            return Shown::Marks(Vec::new());
        }
        let (shown, steps) = self.show(id, &intent).unwrap_or_default();
        self.pending.push_back(Pending { id, intent, steps });
        Shown::Marks(shown)
    }

    /// Takes a change in the server's order, one's own included.
    pub fn hear(&mut self, change: &Change) -> Shown {
        let Ok(touched) = self.confirmed.apply(change) else {
            // The server only sends what applied there; if it does not apply here, this copy is
            // wrong in a way that only the server can put right. What can be shown is shown.
            return self.rebuild();
        };
        if let Some(at) = self.pending.iter().position(|p| p.id == change.id) {
            let own = self.pending.remove(at).expect("just found");
            return if at == 0 && own.steps == change.steps {
                // Here the marks were made a little earlier than in the log.
                self.shown.take_times(&self.confirmed, change);
                Shown::Marks(Vec::new())
            } else {
                self.rebuild()
            };
        }
        if self.meets_pending(change) || self.shown.apply(change).is_err() {
            return self.rebuild();
        }
        Shown::Marks(touched)
    }

    /// The server had this change already: it is in the sheets that were loaded.
    pub fn acknowledged(&mut self, id: ChangeId) -> Shown {
        let before = self.pending.len();
        self.pending.retain(|p| p.id != id);
        if self.pending.len() == before {
            return Shown::Marks(Vec::new());
        }
        self.rebuild()
    }

    /// The server refused a change: it is taken back.
    pub fn refused(&mut self, id: ChangeId) -> Shown {
        self.acknowledged(id)
    }

    fn show(
        &mut self,
        id: ChangeId,
        intent: &Intent,
    ) -> Result<(Vec<Touched>, Vec<Step>), Refusal> {
        let (deed, steps) = self.shown.resolve(self.author, intent)?;
        let change = change(id, self.author, self.now, deed, steps);
        Ok((self.shown.apply(&change)?, change.steps))
    }

    fn rebuild(&mut self) -> Shown {
        self.shown = self.confirmed.clone();
        let mut pending = std::mem::take(&mut self.pending);
        for p in &mut pending {
            // What no longer applies will be refused by the server as well.
            p.steps = self
                .show(p.id, &p.intent)
                .map(|(_, steps)| steps)
                .unwrap_or_default();
        }
        self.pending = pending;
        Shown::Everything
    }

    /// Whether somebody else's change and a pending one are about the same marks.
    fn meets_pending(&self, change: &Change) -> bool {
        let theirs = subjects(&change.steps);
        self.pending
            .iter()
            .any(|p| subjects(&p.steps).meets(&theirs))
    }
}

fn change(id: ChangeId, author: AuthorId, at: u64, deed: Deed, steps: Vec<Step>) -> Change {
    Change {
        id,
        author,
        at,
        deed,
        steps,
    }
}

/// The marks and whole sheets that steps are about.
#[derive(Default)]
struct Subjects {
    marks: BTreeSet<(SheetId, MarkId)>,
    wiped: BTreeSet<SheetId>,
    sheets: BTreeSet<SheetId>,
}

fn subjects(steps: &[Step]) -> Subjects {
    let mut s = Subjects::default();
    for step in steps {
        s.sheets.insert(step.sheet);
        match &step.op {
            Op::Add(mark) | Op::Replace(mark) => {
                s.marks.insert((step.sheet, mark.id));
            }
            Op::Remove(id) => {
                s.marks.insert((step.sheet, *id));
            }
            Op::Transform { marks, .. } | Op::Restyle { marks, .. } => {
                s.marks.extend(marks.iter().map(|id| (step.sheet, *id)));
            }
            Op::Wipe => {
                s.wiped.insert(step.sheet);
            }
        }
    }
    s
}

impl Subjects {
    fn meets(&self, other: &Self) -> bool {
        !self.marks.is_disjoint(&other.marks)
            || !self.wiped.is_disjoint(&other.sheets)
            || !other.wiped.is_disjoint(&self.sheets)
    }
}
