//! Sheets: all marks held by one thing, and the rule by which a change moves them.
//!
//! Applying the same changes in the same order gives the same sheets, on the server and in every
//! browser: the rules use no clock, no randomness and no arithmetic but the four operations.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::{Arc, LazyLock};

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{self, Rect};
use crate::geometry::ids::{AuthorId, MarkId};
use crate::marks::mark::{Layer, Mark};
use crate::sheets::history::{Entry, Histories, Keep, only_on};
use crate::sheets::index::Index;
use crate::sheets::refusal::Refusal;
use crate::sheets::step::{Deed, Op, SheetId, Step};

/// Where a mark lies among the others: layers first, then height, then id.
pub(super) type Place = (Layer, i64, MarkId);

/// All marks held by one thing.
#[derive(Clone, Default, Debug)]
pub struct Sheet {
    marks: BTreeMap<MarkId, Held>,
    order: BTreeSet<Place>,
    index: Index,
    /// Those that fade.
    fading: BTreeSet<MarkId>,
}

/// A mark, and where it is.
#[derive(Clone, Debug)]
struct Held {
    mark: Arc<Mark>,
    bounds: Rect<frames::Held>,
}

impl Sheet {
    /// A mark of this sheet. Cost: a search by its name.
    pub fn get(&self, id: MarkId) -> Option<&Arc<Mark>> {
        self.marks.get(&id).map(|held| &held.mark)
    }

    /// The marks whose rectangles reach into `area`, in no particular order.
    pub fn near(&self, area: &Rect<frames::Held>) -> impl Iterator<Item = &Arc<Mark>> {
        let near = self.index.near(area).into_iter();
        near.map(|place| self.at(place))
    }

    /// Those of a layer, from the bottom up. Cost: that of looking them up, and of sorting them.
    pub fn layer_near(&self, layer: Layer, area: &Rect<frames::Held>) -> Vec<&Arc<Mark>> {
        let mut places = self.index.near(area);
        places.retain(|place| place.0 == layer);
        places.sort_unstable();
        places.into_iter().map(|place| self.at(place)).collect()
    }

    fn at(&self, (_, _, id): Place) -> &Arc<Mark> {
        &self.marks[&id].mark
    }

    /// A rectangle that contains the mark; empty when it is not there.
    pub fn bounds(&self, id: MarkId) -> Rect<frames::Held> {
        self.marks.get(&id).map_or(Rect::EMPTY, |held| held.bounds)
    }

    /// How many marks it has.
    pub fn len(&self) -> usize {
        self.marks.len()
    }

    pub fn is_empty(&self) -> bool {
        self.marks.is_empty()
    }

    /// The marks of a layer from the bottom up.
    pub fn layer(&self, layer: Layer) -> impl DoubleEndedIterator<Item = &Arc<Mark>> {
        self.order
            .range((layer, i64::MIN, MarkId(0))..=(layer, i64::MAX, MarkId(u64::MAX)))
            .map(|place| self.at(*place))
    }

    /// All marks from the bottom up.
    pub fn marks(&self) -> impl DoubleEndedIterator<Item = &Arc<Mark>> {
        self.order.iter().map(|place| self.at(*place))
    }

    /// The height for a mark that is to lie on top.
    pub fn top(&self) -> i64 {
        let tops = Layer::ALL
            .into_iter()
            .filter_map(|l| self.layer(l).next_back());
        tops.map(|mark| mark.z).max().unwrap_or(0).saturating_add(1)
    }

    /// The height of what lies lowest.
    pub fn bottom(&self) -> i64 {
        let lowest = Layer::ALL.into_iter().filter_map(|l| self.layer(l).next());
        lowest.map(|mark| mark.z).min().unwrap_or(0)
    }

    fn insert(&mut self, mark: Arc<Mark>) -> Option<Arc<Mark>> {
        let before = self.remove(mark.id);
        self.order.insert(place(&mark));
        if mark.fades.is_some() {
            self.fading.insert(mark.id);
        }
        let bounds = mark.bounds();
        self.index.insert(place(&mark), &bounds);
        self.marks.insert(mark.id, Held { mark, bounds });
        before
    }

    fn remove(&mut self, id: MarkId) -> Option<Arc<Mark>> {
        let Held { mark, bounds } = self.marks.remove(&id)?;
        self.index.remove(place(&mark), &bounds);
        self.order.remove(&place(&mark));
        self.fading.remove(&id);
        Some(mark)
    }
}

fn place(mark: &Mark) -> Place {
    (mark.style.layer(), mark.z, mark.id)
}

/// What a change did to one mark: how it was and how it is; `None` where it was not there.
#[derive(Clone, Debug, PartialEq)]
pub struct Touched {
    pub sheet: SheetId,
    pub before: Option<Arc<Mark>>,
    pub after: Option<Arc<Mark>>,
}

impl Touched {
    /// The step that takes this back.
    fn inverse(&self) -> Step {
        let op = match (&self.before, &self.after) {
            (Some(before), Some(_)) => Op::Replace(Mark::clone(before)),
            (Some(before), None) => Op::Add(Mark::clone(before)),
            (None, Some(after)) => Op::Remove(after.id),
            (None, None) => unreachable!("a touched mark was there before or is there after"),
        };
        Step {
            sheet: self.sheet,
            op,
        }
    }
}

/// All sheets of a lesson, with the authors' histories.
///
/// A copy shares the sheets with what it was made of: it costs a pointer for each, and the first
/// change to one of them costs a copy of that sheet (not of its marks).
#[derive(Clone, Debug)]
pub struct Sheets {
    sheets: BTreeMap<SheetId, Arc<Sheet>>,
    histories: Histories,
}

/// What [`Sheets`] consist of, in a form that can be written down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Snapshot {
    pub sheets: Vec<(SheetId, Vec<Arc<Mark>>)>,
    pub histories: Histories,
}

static NO_MARKS: LazyLock<Sheet> = LazyLock::new(Sheet::default);

impl Sheets {
    /// Sheets without marks; `keep` says whose history is kept.
    pub fn new(keep: Keep) -> Self {
        Self {
            sheets: BTreeMap::new(),
            histories: Histories::new(keep),
        }
    }

    /// The sheet; without marks if nobody has marked it yet.
    pub fn sheet(&self, id: SheetId) -> &Sheet {
        match self.sheets.get(&id) {
            Some(sheet) => sheet,
            None => &NO_MARKS,
        }
    }

    fn sheet_mut(&mut self, id: SheetId) -> &mut Sheet {
        Arc::make_mut(self.sheets.entry(id).or_default())
    }

    /// The sheets that have or had marks.
    pub fn ids(&self) -> impl Iterator<Item = SheetId> {
        self.sheets.keys().copied()
    }

    /// All marks that fade, with the sheets that hold them.
    pub fn fading(&self) -> impl Iterator<Item = (SheetId, &Arc<Mark>)> {
        self.sheets.iter().flat_map(|(id, sheet)| {
            let marks = sheet.fading.iter();
            marks.map(|mark| (*id, &sheet.marks[mark].mark))
        })
    }

    /// What each author can undo and redo.
    pub fn histories(&self) -> &Histories {
        &self.histories
    }

    /// Puts a sheet's marks in place as they are; history is not touched.
    pub fn load(&mut self, id: SheetId, marks: impl IntoIterator<Item = Arc<Mark>>) {
        let mut sheet = Sheet::default();
        for mark in marks {
            sheet.insert(mark);
        }
        self.sheets.insert(id, Arc::new(sheet));
    }

    /// The marks that are otherwise in `after` than here, there alone, or here alone. Cost: linear in the marks of both.
    pub fn difference(&self, after: &Self) -> Vec<Touched> {
        let ids: BTreeSet<SheetId> = self.ids().chain(after.ids()).collect();
        let mut touched = Vec::new();
        for id in ids {
            let (was, is) = (self.sheet(id), after.sheet(id));
            let gone = was.marks().filter(|mark| is.get(mark.id).is_none());
            let gone = gone.map(|mark| (Some(mark), None));
            let new = is.marks().map(|mark| (was.get(mark.id), Some(mark)));
            let changed = new.filter(|(before, after)| before != after);
            touched.extend(gone.chain(changed).map(|(before, after)| Touched {
                sheet: id,
                before: before.cloned(),
                after: after.cloned(),
            }));
        }
        touched
    }

    /// Everything as it is, to be written down. Cost: a pointer for each mark.
    pub fn snapshot(&self) -> Snapshot {
        Snapshot {
            sheets: self
                .sheets
                .iter()
                .filter(|(_, sheet)| !sheet.is_empty())
                .map(|(id, sheet)| (*id, sheet.marks().cloned().collect()))
                .collect(),
            histories: self.histories.clone(),
        }
    }

    /// The sheets that were written down.
    pub fn from_snapshot(snapshot: Snapshot) -> Self {
        let mut sheets = Self::new(Keep::All);
        for (id, marks) in snapshot.sheets {
            sheets.load(id, marks);
        }
        sheets.histories = snapshot.histories;
        sheets
    }

    /// Does what `author` did at the moment `at` (milliseconds since 1970), or leaves everything as it
    /// was and says why. Gives the marks that were moved.
    pub fn apply(
        &mut self,
        author: AuthorId,
        at: u64,
        deed: Deed,
        steps: &[Step],
    ) -> Result<Vec<Touched>, Refusal> {
        let mut touched = Vec::new();
        for step in steps {
            if let Err(refusal) = self.apply_step(step, at, deed, &mut touched) {
                self.roll_back(&touched);
                return Err(refusal);
            }
        }
        if self.histories.keeps(author, deed) {
            let inverse = touched.iter().rev().map(Touched::inverse).collect();
            self.histories.record(author, deed, inverse);
        }
        Ok(touched)
    }

    /// What takes back the author's newest entry of which something is left: steps that have nothing
    /// to act on any more (somebody else removed the mark) are left out, entries of which nothing is
    /// left are passed over.
    ///
    /// # Errors
    /// When nothing is left at all.
    pub fn undo(&self, author: AuthorId) -> Result<(Deed, Vec<Step>), Refusal> {
        let newest = self.newest_possible(self.histories.undo(author));
        let (entries, steps) = newest.ok_or(Refusal::NothingToUndo)?;
        Ok((Deed::Undo { entries }, steps))
    }

    /// The same for what was undone.
    pub fn redo(&self, author: AuthorId) -> Result<(Deed, Vec<Step>), Refusal> {
        let newest = self.newest_possible(self.histories.redo(author));
        let (entries, steps) = newest.ok_or(Refusal::NothingToRedo)?;
        Ok((Deed::Redo { entries }, steps))
    }

    /// As [`Sheets::undo`], but only of what concerns this sheet alone.
    pub fn undo_on(&self, author: AuthorId, sheet: SheetId) -> Result<(Deed, Vec<Step>), Refusal> {
        let newest = self.newest_on(sheet, self.histories.undo(author));
        let (back, steps) = newest.ok_or(Refusal::NothingToUndo)?;
        Ok((Deed::UndoOn { back }, steps))
    }

    /// As [`Sheets::redo`], but only of what concerns this sheet alone.
    pub fn redo_on(&self, author: AuthorId, sheet: SheetId) -> Result<(Deed, Vec<Step>), Refusal> {
        let newest = self.newest_on(sheet, self.histories.redo(author));
        let (back, steps) = newest.ok_or(Refusal::NothingToRedo)?;
        Ok((Deed::RedoOn { back }, steps))
    }

    /// What `author` asks for, with what only the server can vouch for: whose a mark is, and when it
    /// was made. A mark that is added is the author's and new; a piece of one that the same change
    /// removes is that one's.
    ///
    /// # Errors
    /// When a mark of that name is already somewhere in the lesson.
    pub fn vouched(&self, author: AuthorId, mut steps: Vec<Step>) -> Result<Vec<Step>, Refusal> {
        let mut gone: BTreeSet<MarkId> = BTreeSet::new();
        // Whose the marks that go were, and when they were made.
        let mut made: BTreeSet<(AuthorId, u64)> = BTreeSet::new();
        for step in &mut steps {
            let sheet = self.sheet(step.sheet);
            let mut go = |mark: Option<&Arc<Mark>>| {
                gone.extend(mark.map(|m| m.id));
                made.extend(mark.map(|m| (m.author, m.made_at)));
            };
            match &mut step.op {
                Op::Remove(id) => go(sheet.get(*id)),
                Op::Wipe => sheet.marks().for_each(|m| go(Some(m))),
                Op::Add(mark) => {
                    let known = self.sheets.values().any(|s| s.get(mark.id).is_some());
                    if known && !gone.contains(&mark.id) {
                        return Err(Refusal::AlreadyThere);
                    }
                    if !made.contains(&(mark.author, mark.made_at)) {
                        (mark.author, mark.made_at) = (author, 0);
                    }
                }
                // Applying it, a mark that is replaced stays whose it was.
                Op::Replace(_) | Op::Transform { .. } | Op::Restyle { .. } => {}
            }
        }
        Ok(steps)
    }

    /// The marks that cannot be drawn with the means there are: kept by an earlier version, which
    /// did not count what they cost.
    pub fn undrawable(&self) -> Vec<(SheetId, MarkId)> {
        let all = self.sheets.iter();
        let marks = all.flat_map(|(id, sheet)| sheet.marks.values().map(|h| (*id, &h.mark)));
        marks
            .filter(|(_, mark)| mark.check().is_err())
            .map(|(id, mark)| (id, mark.id))
            .collect()
    }

    /// Whether [`Sheets::undo`] would come to anything.
    pub fn can_undo(&self, author: AuthorId) -> bool {
        self.any_possible(self.histories.undo(author))
    }

    /// Whether [`Sheets::redo`] would come to anything.
    pub fn can_redo(&self, author: AuthorId) -> bool {
        self.any_possible(self.histories.redo(author))
    }

    /// Whether [`Sheets::undo_on`] would come to anything.
    pub fn can_undo_on(&self, author: AuthorId, sheet: SheetId) -> bool {
        let entries = self.histories.undo(author);
        self.newest_on(sheet, entries).is_some()
    }

    /// Whether [`Sheets::redo_on`] would come to anything.
    pub fn can_redo_on(&self, author: AuthorId, sheet: SheetId) -> bool {
        let entries = self.histories.redo(author);
        self.newest_on(sheet, entries).is_some()
    }

    fn newest_on(&self, sheet: SheetId, entries: &[Entry]) -> Option<(u32, Vec<Step>)> {
        let on_it = |entry: &Entry| only_on(entry, sheet);
        let newest = entries.iter().rev().zip(1..);
        newest
            .filter(|(entry, _)| on_it(entry))
            .find_map(|(entry, back)| {
                let steps = self.possible(entry);
                (!steps.is_empty()).then_some((back, steps))
            })
    }

    fn any_possible(&self, entries: &[Entry]) -> bool {
        let mut steps = entries.iter().rev().flat_map(|e| e.iter());
        steps.any(|step| self.is_possible(step))
    }

    fn newest_possible(&self, entries: &[Entry]) -> Option<(u32, Vec<Step>)> {
        entries.iter().rev().enumerate().find_map(|(i, entry)| {
            let steps = self.possible(entry);
            (!steps.is_empty()).then_some((i as u32 + 1, steps))
        })
    }

    /// The steps of an entry that have something to act on, each as the ones before it leave the
    /// sheets.
    fn possible(&self, entry: &VecDeque<Step>) -> Vec<Step> {
        let mut there: BTreeMap<(SheetId, MarkId), bool> = BTreeMap::new();
        let mut steps = Vec::new();
        for step in entry {
            let (id, needs, leaves) = match &step.op {
                Op::Add(mark) => (mark.id, false, true),
                Op::Remove(id) => (*id, true, false),
                Op::Replace(mark) => (mark.id, true, true),
                Op::Transform { .. } | Op::Restyle { .. } | Op::Wipe => {
                    unreachable!("inverses are made of add, remove and replace")
                }
            };
            let known = || self.sheet(step.sheet).get(id).is_some();
            let there = there.entry((step.sheet, id)).or_insert_with(known);
            if *there == needs {
                *there = leaves;
                steps.push(step.clone());
            }
        }
        steps
    }

    fn is_possible(&self, step: &Step) -> bool {
        let sheet = self.sheet(step.sheet);
        match &step.op {
            Op::Add(mark) => sheet.get(mark.id).is_none(),
            Op::Remove(id) => sheet.get(*id).is_some(),
            Op::Replace(mark) => sheet.get(mark.id).is_some(),
            Op::Transform { .. } | Op::Restyle { .. } | Op::Wipe => {
                unreachable!("inverses are made of add, remove and replace")
            }
        }
    }

    fn apply_step(
        &mut self,
        step: &Step,
        at: u64,
        deed: Deed,
        touched: &mut Vec<Touched>,
    ) -> Result<(), Refusal> {
        let sheet = self.sheet_mut(step.sheet);
        let mut touch = |before, after| {
            touched.push(Touched {
                sheet: step.sheet,
                before,
                after,
            });
        };
        match &step.op {
            Op::Add(mark) => {
                if sheet.get(mark.id).is_some() {
                    return Err(Refusal::AlreadyThere);
                }
                let mut mark = mark.clone();
                // Fading ink that comes back by undo has its whole time before it again.
                let again = deed.goes_back();
                if mark.made_at == 0 || (again && mark.fades.is_some()) {
                    mark.made_at = at;
                }
                let mark = Arc::new(mark);
                sheet.insert(mark.clone());
                touch(None, Some(mark));
            }
            Op::Remove(id) => {
                let before = sheet.remove(*id).ok_or(Refusal::Gone)?;
                touch(Some(before), None);
            }
            Op::Replace(mark) => {
                let before = sheet.get(mark.id).ok_or(Refusal::Gone)?;
                let mut mark = mark.clone();
                // Whose it is and when it was made stay, also when it is made as it once was: fading
                // ink that had come back since would be as faint as if it had not.
                (mark.author, mark.made_at) = (before.author, before.made_at);
                let mark = Arc::new(mark);
                touch(sheet.insert(mark.clone()), Some(mark));
            }
            Op::Transform { marks, by } => {
                for id in marks {
                    let mut mark = Mark::clone(sheet.get(*id).ok_or(Refusal::Gone)?);
                    mark.transform = mark.transform.then(by);
                    mark.check()?;
                    let mark = Arc::new(mark);
                    touch(sheet.insert(mark.clone()), Some(mark));
                }
            }
            Op::Restyle { marks, style } => {
                for id in marks {
                    let mut mark = Mark::clone(sheet.get(*id).ok_or(Refusal::Gone)?);
                    mark.style = *style;
                    mark.check()?;
                    let mark = Arc::new(mark);
                    touch(sheet.insert(mark.clone()), Some(mark));
                }
            }
            Op::Wipe => {
                let sheet = std::mem::take(sheet);
                for mark in sheet.marks() {
                    touch(Some(mark.clone()), None);
                }
            }
        }
        Ok(())
    }

    /// Takes over when the marks that these steps added were made, from sheets that know better.
    pub(crate) fn take_times(&mut self, from: &Sheets, steps: &[Step]) {
        for step in steps {
            let Op::Add(added) = &step.op else { continue };
            let theirs = from.sheet(step.sheet).get(added.id).map(|m| m.made_at);
            let ours = self.sheet(step.sheet).get(added.id).cloned();
            if let Some((made_at, ours)) = theirs.zip(ours)
                && ours.made_at != made_at
            {
                let mut mark = Mark::clone(&ours);
                mark.made_at = made_at;
                self.sheet_mut(step.sheet).insert(Arc::new(mark));
            }
        }
    }

    fn roll_back(&mut self, touched: &[Touched]) {
        for t in touched.iter().rev() {
            let sheet = self.sheet_mut(t.sheet);
            match (&t.before, &t.after) {
                (Some(before), _) => {
                    sheet.insert(before.clone());
                }
                (None, Some(after)) => {
                    sheet.remove(after.id);
                }
                (None, None) => {}
            }
        }
    }
}

/// Equal when all sheets hold the same marks; a sheet without marks is as good as none, and
/// histories do not count.
impl PartialEq for Sheets {
    fn eq(&self, other: &Self) -> bool {
        let marked = |s: &Self| s.snapshot().sheets;
        marked(self) == marked(other)
    }
}
