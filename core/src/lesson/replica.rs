//! A browser's copy of a lesson, ahead of the server by what its own author has just done.
//!
//! Two copies are kept: what the server has confirmed, and what is shown: the confirmed lesson
//! with the pending changes on top. The server's order is the truth. When its answer differs from
//! what was shown, the shown copy is made again from the confirmed one.

use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;

use crate::geometry::ids::{AuthorId, ChangeId, MarkId};
use crate::lesson::Lesson;
use crate::lesson::change::{Change, Intent, What};
use crate::marks::mark::Mark;
use crate::sheets::history::Keep;
use crate::sheets::refusal::Refusal;
use crate::sheets::sheet::{Sheets, Touched};
use crate::sheets::step::{Op, SheetId, Step};
use crate::stage::state::StageState;

/// A change of one's own that the server has not yet acknowledged.
#[derive(Clone, Debug, PartialEq)]
pub struct Pending {
    pub id: ChangeId,
    pub intent: Intent,
    /// What it came to here; the server may find otherwise. `None` for an undo of something that only
    /// the server remembers, and for what does not apply here any more.
    what: Option<What>,
}

/// What has to be shown anew.
#[derive(Clone, Debug, PartialEq)]
pub enum Shown {
    /// These marks.
    Marks(Vec<Touched>),
    /// What is on stage, and how it is seen.
    Stage,
    /// Anything may have moved.
    Everything,
}

/// See the module's description.
#[derive(Debug)]
pub struct Replica {
    author: AuthorId,
    confirmed: Lesson,
    shown: Lesson,
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
    /// A copy of a lesson of which nothing has been heard yet.
    pub fn new(author: AuthorId) -> Self {
        Self {
            author,
            confirmed: Lesson::new(Keep::Only(author)),
            shown: Lesson::new(Keep::Only(author)),
            pending: VecDeque::new(),
            now: 0,
            beyond: Beyond::default(),
        }
    }

    /// Whose copy it is.
    pub fn author(&self) -> AuthorId {
        self.author
    }

    /// The marks that are to be shown.
    pub fn sheets(&self) -> &Sheets {
        &self.shown.sheets
    }

    /// What is to be shown on stage.
    pub fn stage(&self) -> &StageState {
        &self.shown.stage
    }

    /// What the server has not acknowledged, oldest first.
    pub fn pending(&self) -> impl Iterator<Item = &Pending> {
        self.pending.iter()
    }

    /// Whether [`Intent::Undo`] would come to anything, here or at the server.
    pub fn can_undo(&self) -> bool {
        self.beyond.undo > 0 || self.shown.sheets.can_undo(self.author)
    }

    /// The same for [`Intent::Redo`].
    pub fn can_redo(&self) -> bool {
        self.beyond.redo > 0 || self.shown.sheets.can_redo(self.author)
    }

    /// Whether the author can redo something on this sheet alone.
    pub fn can_redo_on(&self, sheet: SheetId) -> bool {
        self.shown.sheets.can_redo_on(self.author, sheet)
    }

    /// Whether the author can undo something on this sheet alone.
    pub fn can_undo_on(&self, sheet: SheetId) -> bool {
        self.shown.sheets.can_undo_on(self.author, sheet)
    }

    /// Starts again from the server's word; pending changes stay pending and are shown on top.
    /// `undo` and `redo` are how far the server can go for this author.
    pub fn load(
        &mut self,
        author: AuthorId,
        sheets: impl IntoIterator<Item = (SheetId, Vec<Arc<Mark>>)>,
        stage: StageState,
        (undo, redo): (u32, u32),
    ) -> Shown {
        self.author = author;
        self.confirmed = Lesson::new(Keep::Only(author));
        self.confirmed.stage = stage;
        for (id, marks) in sheets {
            self.confirmed.sheets.load(id, marks);
        }
        self.beyond = Beyond { undo, redo };
        self.rebuild()
    }

    /// Does what the author asks for, here and now; the server is told by the caller. An undo that
    /// only the server can work out is pending without being shown.
    pub fn act(&mut self, id: ChangeId, intent: Intent) -> Result<Shown, Refusal> {
        let (shown, what) = match self.show(id, &intent) {
            Ok((shown, what)) => (shown, Some(what)),
            Err(Refusal::NothingToUndo) if self.beyond.undo > 0 && intent == Intent::Undo => {
                self.beyond.undo -= 1;
                (Shown::Marks(Vec::new()), None)
            }
            Err(Refusal::NothingToRedo) if self.beyond.redo > 0 && intent == Intent::Redo => {
                self.beyond.redo -= 1;
                (Shown::Marks(Vec::new()), None)
            }
            Err(refusal) => return Err(refusal),
        };
        if matches!(intent, Intent::Do(_) | Intent::More(_)) {
            self.beyond.redo = 0;
        }
        self.pending.push_back(Pending { id, intent, what });
        Ok(shown)
    }

    /// Takes back into the queue what an earlier page load had not got acknowledged.
    pub fn resume(&mut self, id: ChangeId, intent: Intent) -> Shown {
        if self.pending.iter().any(|p| p.id == id) {
            return Shown::Marks(Vec::new());
        }
        let (shown, what) = match self.show(id, &intent) {
            Ok((shown, what)) => (shown, Some(what)),
            Err(_) => (Shown::Marks(Vec::new()), None),
        };
        self.pending.push_back(Pending { id, intent, what });
        shown
    }

    /// Takes a change in the server's order, one's own included.
    pub fn hear(&mut self, change: &Change) -> Shown {
        let Ok(touched) = self.confirmed.apply(change) else {
            // The server only sends what applied there; if it does not apply here, this copy is
            // wrong in a way that only the server can put right. What can be shown is shown.
            return self.rebuild();
        };
        let own = self.pending.iter().position(|p| p.id == change.id);
        let own = own.and_then(|at| Some((at, self.pending.remove(at)?)));
        let What::Marks { deed, steps } = &change.what else {
            return self.restage();
        };
        if let Some((at, own)) = own {
            let as_shown = matches!(&own.what, Some(What::Marks { steps: s, .. }) if s == steps);
            if at > 0 || !as_shown {
                return self.rebuild();
            }
            // Here the marks were made a little earlier than in the log.
            self.shown.sheets.take_times(&self.confirmed.sheets, steps);
            return Shown::Marks(Vec::new());
        }
        let shown = &mut self.shown.sheets;
        if meets(&self.pending, steps)
            || shown.apply(change.author, change.at, *deed, steps).is_err()
        {
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

    fn show(&mut self, id: ChangeId, intent: &Intent) -> Result<(Shown, What), Refusal> {
        let what = self.shown.resolve(self.author, intent)?;
        let (author, at) = (self.author, self.now);
        let change = Change {
            id,
            author,
            at,
            what,
        };
        let touched = self.shown.apply(&change)?;
        let shown = match &change.what {
            What::Marks { .. } => Shown::Marks(touched),
            What::Stage(_) => Shown::Stage,
        };
        Ok((shown, change.what))
    }

    /// The shown stage is made again: steps of the stage are few, and independent of marks.
    fn restage(&mut self) -> Shown {
        self.shown.stage = self.confirmed.stage.clone();
        for p in &mut self.pending {
            if let Intent::Stage(steps) = &p.intent {
                // What no longer applies will be refused by the server as well.
                let settled = self.shown.stage.settled(steps).ok();
                settled
                    .iter()
                    .flatten()
                    .for_each(|s| self.shown.stage.apply(s));
                p.what = settled.map(What::Stage);
            }
        }
        Shown::Stage
    }

    fn rebuild(&mut self) -> Shown {
        self.shown = self.confirmed.clone();
        let mut pending = std::mem::take(&mut self.pending);
        for p in &mut pending {
            p.what = self.show(p.id, &p.intent).map(|(_, what)| what).ok();
        }
        self.pending = pending;
        Shown::Everything
    }
}

/// Whether somebody else's steps and pending ones are about the same marks.
fn meets(pending: &VecDeque<Pending>, theirs: &[Step]) -> bool {
    let theirs = subjects(theirs);
    let marked = pending.iter().filter_map(|p| match &p.what {
        Some(What::Marks { steps, .. }) => Some(subjects(steps)),
        _ => None,
    });
    marked.into_iter().any(|ours| ours.meets(&theirs))
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
