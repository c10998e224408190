//! A lesson shown again as its participants saw it, drawn anew from its log.
//!
//! The server [tells](tell) what was seen, one thing after the other; a page [shows](Replay) it at any moment.

use std::collections::HashSet;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::edit::select;
use crate::geometry::frames::{Point, Size};
use crate::geometry::ids::{BackdropId, MarkId};
use crate::lesson::Lesson;
use crate::lesson::change::{Change, NOBODY, What};
use crate::lesson::told::{self, SheetMarks};
use crate::marks::mark::Body;
use crate::sheets::history::Keep;
use crate::sheets::refusal::Refusal;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Deed, Op, Step};
use crate::stage::backdrop::{BackdropView, Frozen, ViewState};
use crate::stage::laid::Laid;
use crate::stage::pane;
use crate::stage::state::{Becomes, Stage, StageState};

/// Something that participants got to see.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Told {
    /// Milliseconds since 1970.
    pub at: u64,
    pub what: Seen,
}

/// See [`Told::what`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Seen {
    /// This is on stage from now on. Of the sheets in view those are given that are otherwise than they were seen last.
    Stage {
        stage: Box<Stage>,
        sheets: SheetMarks,
    },
    /// Marks came, moved and went.
    Marks(Vec<Step>),
    /// The same is on stage, seen otherwise.
    Views(Vec<(BackdropId, ViewState)>),
    /// Something else lies over the picture.
    Laid(Box<Laid>),
}

/// All that was seen of a lesson.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Lived {
    /// Width to height of the picture area.
    pub aspect: (f64, f64),
    pub told: Vec<Told>,
}

/// The marks of a lesson that were wiped in the end.
///
/// # Errors
/// When a change does not follow from those before it.
pub fn wiped(log: &[Change]) -> Result<HashSet<MarkId>, Refusal> {
    let mut lesson = Lesson::new(Keep::Nobody);
    let mut wiped = HashSet::new();
    for change in log {
        for step in change.steps() {
            match &step.op {
                Op::Wipe => wiped.extend(lesson.sheets.sheet(step.sheet).marks().map(|m| m.id)),
                // Somebody took the wiping back.
                Op::Add(mark) | Op::Replace(mark) => {
                    wiped.remove(&mark.id);
                }
                _ => {}
            }
        }
        lesson.apply(change)?;
    }
    Ok(wiped)
}

/// A change without these marks.
fn without(change: &Change, marks: &HashSet<MarkId>) -> Change {
    let mut change = change.clone();
    if let What::Marks { steps, .. } = &mut change.what {
        steps.retain_mut(|step| match &mut step.op {
            Op::Add(mark) | Op::Replace(mark) => !marks.contains(&mark.id),
            Op::Remove(id) => !marks.contains(id),
            Op::Transform { marks: moved, .. } | Op::Restyle { marks: moved, .. } => {
                moved.retain(|id| !marks.contains(id));
                !moved.is_empty()
            }
            Op::Wipe => true,
        });
    }
    change
}

/// What participants saw of a lesson, from its whole log: nothing of what was done while it was paused before it went on,
/// nothing that was covered or hidden, and none of the marks `left_out`. What streamed is held at a picture that was kept of
/// it, if there is one: the last one before, or the first one after, of those that were seen in `parts`, where only those are shown.
/// Kept are those at which it was held, and the `frames` that went along with captures.
///
/// # Errors
/// When a change does not follow from those before it.
///
/// Cost: linear in the log, but for marks that are told again with each backdrop that comes back otherwise than it went.
pub fn tell(
    log: &[Change],
    left_out: &HashSet<MarkId>,
    parts: Option<&[(u64, u64)]>,
    frames: Vec<Kept>,
) -> Result<Lived, Refusal> {
    let mut telling = Telling {
        lesson: Lesson::new(Keep::Nobody),
        seen: Scene::default(),
        held: Vec::new(),
        untold: HashSet::new(),
        out: Vec::new(),
    };
    telling.held = kept(log, parts, frames);
    for change in log {
        telling.hear(&without(change, left_out))?;
    }
    let aspect = telling.lesson.stage.aspect;
    Ok(Lived {
        aspect,
        told: telling.out,
    })
}

/// A picture that was kept of a backdrop, and when: in milliseconds since 1970.
pub type Kept = (u64, BackdropId, Frozen);

/// What was kept of backdrops while participants saw them, whole and within these parts; in order.
fn kept(log: &[Change], parts: Option<&[(u64, u64)]>, mut frames: Vec<Kept>) -> Vec<Kept> {
    let shown =
        |at: u64| parts.is_none_or(|p| p.iter().any(|(from, to)| (*from..*to).contains(&at)));
    let mut stage = StageState::default();
    let mut kept = Vec::new();
    frames.sort_by_key(|(at, ..)| *at);
    let mut frames = frames.into_iter().peekable();
    let sees = |stage: &StageState, (at, id, _): &Kept| {
        let whole = |b: &BackdropView| b.id == *id && b.seen.withheld().is_empty();
        !stage.paused && shown(*at) && stage.on_stage().each().any(whole)
    };
    for change in log {
        while let Some(frame) = frames.next_if(|(at, ..)| *at < change.at) {
            kept.extend(sees(&stage, &frame).then_some(frame));
        }
        for step in change.stage_steps() {
            stage.apply(step);
        }
        if change.stage_steps().is_empty() || stage.paused || !shown(change.at) {
            continue;
        }
        for b in stage.on_stage().each() {
            if let Some(frozen) = b.seen.frozen
                && b.seen.withheld().is_empty()
            {
                kept.push((change.at, b.id, frozen));
            }
        }
    }
    kept.extend(frames.filter(|frame| sees(&stage, frame)));
    kept
}

struct Telling {
    lesson: Lesson,
    /// As participants saw it last.
    seen: Scene,
    /// The pictures that were kept, in order.
    held: Vec<Kept>,
    untold: HashSet<MarkId>,
    out: Vec<Told>,
}

impl Telling {
    fn hear(&mut self, change: &Change) -> Result<(), Refusal> {
        let before = self.lesson.stage.clone();
        self.lesson.apply(change)?;
        let now = &self.lesson.stage;
        if now.paused || now.is_blank() {
            return Ok(());
        }
        let stage = self.on_stage(now, change.at);
        match &change.what {
            What::Marks { steps, .. } => {
                let in_view = steps.iter().filter(|step| now.in_view(step.sheet));
                let steps: Vec<Step> = in_view.cloned().collect();
                if told::touches_covered(&steps, &stage.panes(now.area()), &self.untold) {
                    self.tell_stage(change.at, stage);
                } else if !steps.is_empty() {
                    self.tell(change.at, Seen::Marks(steps));
                }
            }
            What::Stage(_) => match self.seen.stage.becomes(&stage) {
                // What was done while it was paused is on the same sheets.
                _ if before.paused || before.is_blank() => self.tell_stage(change.at, stage),
                Becomes::Same => {}
                Becomes::Other => self.tell_stage(change.at, stage),
                Becomes::SeenOtherwise if told::uncovers(&self.seen.stage, &stage) => {
                    self.tell_stage(change.at, stage);
                }
                Becomes::SeenOtherwise => {
                    let views = stage.each().map(|b| (b.id, b.seen.clone()));
                    self.tell(change.at, Seen::Views(views.collect()));
                }
                Becomes::LaidOtherwise => {
                    self.tell(change.at, Seen::Laid(Box::new(stage.laid.clone())));
                }
            },
        }
        Ok(())
    }

    fn on_stage(&self, state: &StageState, at: u64) -> Stage {
        let mut stage = state.on_stage().for_participants();
        for b in stage.each_mut().filter(|b| b.kind.streams()) {
            let kept = self.held.iter().filter(|(_, id, _)| *id == b.id);
            let before = kept.clone().take_while(|(then, ..)| *then <= at).last();
            let held = before.or(kept.clone().next());
            b.seen.frozen = b.seen.frozen.or(held.map(|(.., held)| *held));
        }
        stage
    }

    fn tell_stage(&mut self, at: u64, stage: Stage) {
        let area = self.lesson.stage.area();
        let marks = told::marks(&stage, area, &self.lesson.sheets);
        self.untold = told::untold(&marks, &self.lesson.sheets);
        let sheets = marks
            .into_iter()
            .filter(|(sheet, marks)| !self.seen.sheets.sheet(*sheet).marks().eq(marks))
            .collect();
        let stage = Box::new(stage);
        self.tell(at, Seen::Stage { stage, sheets });
    }

    fn tell(&mut self, at: u64, what: Seen) {
        // A clock that was set back does not turn the lesson round.
        let at = self.out.last().map_or(at, |last| at.max(last.at));
        self.seen.apply(&what, at);
        self.out.push(Told { at, what });
    }
}

/// What was to be seen at a moment. Cost of a copy: a pointer for each sheet.
#[derive(Clone, Debug)]
pub struct Scene {
    pub stage: Stage,
    /// Also those that are not in view.
    pub sheets: Sheets,
}

impl Default for Scene {
    fn default() -> Self {
        Self {
            stage: Stage::default(),
            sheets: Sheets::new(Keep::Nobody),
        }
    }
}

impl Scene {
    fn apply(&mut self, what: &Seen, at: u64) {
        match what {
            Seen::Stage { stage, sheets } => {
                self.stage = Stage::clone(stage);
                for (sheet, marks) in sheets {
                    self.sheets.load(*sheet, marks.iter().map(Arc::clone));
                }
            }
            // They were told only what they can follow.
            Seen::Marks(steps) => {
                let _ = self.sheets.apply(NOBODY, at, Deed::Do, steps);
            }
            Seen::Views(views) => {
                for b in self.stage.each_mut() {
                    if let Some((_, seen)) = views.iter().find(|(id, _)| *id == b.id) {
                        b.seen = seen.clone();
                    }
                }
            }
            Seen::Laid(laid) => self.stage.laid = Laid::clone(laid),
        }
    }

    /// It becomes as another one is, as far as that is in view; gives what is told for that.
    fn catches_up(&mut self, other: &Self, at: u64) -> Told {
        let stage = Box::new(other.stage.clone());
        let mut sheets = other.marks();
        sheets.retain(|(sheet, marks)| !self.sheets.sheet(*sheet).marks().eq(marks));
        let what = Seen::Stage { stage, sheets };
        self.apply(&what, at);
        Told { at, what }
    }

    fn marks(&self) -> SheetMarks {
        let marks = |sheet| (sheet, self.sheets.sheet(sheet).marks().cloned().collect());
        told::in_view(&self.stage).into_iter().map(marks).collect()
    }
}

impl Lived {
    /// The same, of these parts alone, in order, in milliseconds since 1970: each begins with what was to be seen then.
    pub fn within(&self, parts: &[(u64, u64)]) -> Self {
        let mut told = Vec::new();
        // All that was seen, and what those see who have the parts.
        let (mut all, mut own) = (Scene::default(), Scene::default());
        let mut rest = self.told.iter().peekable();
        for (from, to) in parts {
            while let Some(before) = rest.next_if(|t| t.at <= *from) {
                all.apply(&before.what, before.at);
            }
            if all.stage.current.is_some() {
                told.push(own.catches_up(&all, *from));
            }
            while let Some(inside) = rest.next_if(|t| t.at < *to) {
                all.apply(&inside.what, inside.at);
                if let Seen::Stage { .. } = inside.what {
                    told.push(own.catches_up(&all, inside.at));
                } else {
                    own.apply(&inside.what, inside.at);
                    told.push(inside.clone());
                }
            }
        }
        Self {
            aspect: self.aspect,
            told,
        }
    }

    /// Each scene that was to be seen. Cost: a copy of it for each thing that was told.
    pub fn scenes(&self) -> impl Iterator<Item = Scene> {
        let mut scene = Scene::default();
        self.told.iter().map(move |told| {
            scene.apply(&told.what, told.at);
            scene.clone()
        })
    }
}

/// After so many things a scene is kept, so that any moment is soon found.
const KEPT_EACH: usize = 200;

/// A lesson that is shown again.
pub struct Replay {
    lived: Lived,
    /// The scene before every so manieth thing.
    kept: Vec<Scene>,
    /// How many things have been shown.
    shown: usize,
}

/// What was found by words.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Found {
    pub at: u64,
    pub words: String,
}

impl Replay {
    /// Cost: linear in what was seen.
    pub fn new(lived: Lived) -> Self {
        let mut scene = Scene::default();
        let mut kept = Vec::new();
        for (n, told) in lived.told.iter().enumerate() {
            if n % KEPT_EACH == 0 {
                kept.push(scene.clone());
            }
            scene.apply(&told.what, told.at);
        }
        Self {
            lived,
            kept,
            shown: 0,
        }
    }

    pub fn lived(&self) -> &Lived {
        &self.lived
    }

    /// What was to be seen at this time, and how many things had been seen.
    fn scene(&self, at: u64) -> (Scene, usize) {
        let count = self.by(at);
        let from = (count / KEPT_EACH).min(self.kept.len().saturating_sub(1));
        let mut scene = self.kept.get(from).cloned().unwrap_or_default();
        let count = count.min(self.lived.told.len());
        for told in &self.lived.told[from * KEPT_EACH..count] {
            scene.apply(&told.what, told.at);
        }
        (scene, count)
    }

    /// When the mark was made that is to be seen at this time at a place, as shares of the picture's width and height; `None`
    /// where there is none. Milliseconds since 1970.
    pub fn made_at(&self, at: u64, x: f64, y: f64) -> Option<u64> {
        /// How near a mark has to be, in glass units: a finger is not exact.
        const NEAR: f64 = 24.0;
        let (scene, _) = self.scene(at);
        let (width, height) = self.lived.aspect;
        let area = Size::glass(width, height);
        let place = Point::new(x * area.width, y * area.height);
        let in_view = pane::in_view(area, &scene.stage.panes(area));
        let (sheet, id) = select::at(&scene.sheets, &in_view, place, NEAR)?;
        let mark = scene.sheets.sheet(sheet).get(id)?;
        Some(mark.made_at)
    }

    /// How many things had been seen at this time; it begins with the first one.
    fn by(&self, at: u64) -> usize {
        self.lived.told.partition_point(|told| told.at <= at).max(1)
    }

    /// What was to be seen at this time, milliseconds since 1970, with all sheets in view; what comes next is told from there.
    ///
    /// Cost: that of some hundred changes, and the marks in view.
    pub fn seek(&mut self, at: u64) -> (Stage, SheetMarks) {
        let (scene, count) = self.scene(at);
        self.shown = count;
        let sheets = scene.marks();
        (scene.stage, sheets)
    }

    /// What is told next, if it was seen by this time. Another stage comes with all sheets in view.
    pub fn next(&mut self, at: u64) -> Option<Told> {
        let told = self.lived.told.get(self.shown).filter(|t| t.at <= at)?;
        if let Seen::Stage { .. } = told.what {
            let at = told.at;
            let (stage, sheets) = self.seek(at);
            let stage = Box::new(stage);
            let what = Seen::Stage { stage, sheets };
            return Some(Told { at, what });
        }
        self.shown += 1;
        Some(told.clone())
    }

    /// Typed text and backdrops with these words in them, in order; letters are compared without regard to their case.
    pub fn search(&self, words: &str) -> Vec<Found> {
        let words = words.trim().to_lowercase();
        if words.is_empty() {
            return Vec::new();
        }
        let mut found: Vec<Found> = Vec::new();
        let mut take = |at: u64, text: &str| {
            let again = found.last().is_some_and(|last| last.words == text);
            if !again && text.to_lowercase().contains(&words) {
                let words = text.to_owned();
                found.push(Found { at, words });
            }
        };
        for told in &self.lived.told {
            match &told.what {
                Seen::Stage { stage, .. } => stage.each().for_each(|b| take(told.at, &b.name)),
                Seen::Marks(steps) => {
                    for step in steps {
                        if let Op::Add(mark) | Op::Replace(mark) = &step.op
                            && let Body::Text(text) = &mark.body
                        {
                            take(told.at, &text.content);
                        }
                    }
                }
                Seen::Views(_) | Seen::Laid(_) => {}
            }
        }
        found
    }
}
