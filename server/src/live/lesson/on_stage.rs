//! What is on stage, for presenters and for participants.

use std::sync::Arc;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, NOBODY, What};
use bozzetto_core::lesson::told;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::sheets::step::{SheetId, Step};
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::laid::Lay;
use bozzetto_core::stage::state::{Stage, StageState};
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, OnStage};
use tokio::time::Instant;

use super::{Held, Lesson, Look, MOMENT, Shown};

impl Lesson {
    /// Something that the server does with the stage by itself.
    pub(super) fn stage_by_itself(&mut self, author: AuthorId, steps: Vec<StageStep>) {
        if steps.is_empty() {
            return;
        }
        let change = Change {
            id: ChangeId(rand::random()),
            author,
            at: crate::now() as u64,
            what: What::Stage(steps),
        };
        self.order(change).expect("steps of the stage apply");
        self.write();
    }

    /// For the moment a presenter sees a backdrop larger or scrolled.
    pub(super) fn see(&mut self, author: AuthorId, backdrop: BackdropId, seen: ViewState) {
        let room = self.state.stage.room_of(backdrop);
        let Some(known) = self.state.stage.backdrop(backdrop) else {
            return;
        };
        let seen = seen.settled(known, &room);
        // Somebody has turned the page meanwhile: it is from before.
        if !seen.goes_along(&known.seen) {
            return;
        }
        self.moments.insert(backdrop, (author, seen.clone()));
        self.rests = Some(Instant::now() + MOMENT);
        let of_participants = self.told.backdrop(backdrop);
        let theirs = self.told.is_on_stage(backdrop)
            && of_participants.is_some_and(|b| b.seen.page == seen.page);
        let message = FromServer::See {
            author,
            backdrop,
            seen: Box::new(seen),
        };
        self.publish_to_everybody(&message, !theirs);
    }

    /// For the moment a presenter has hold of something that lies over the picture.
    pub(super) fn lay(&mut self, author: AuthorId, lay: &Lay) {
        if !lay.is_in(&self.state.stage.laid) {
            return;
        }
        let Ok(lay) = self.state.stage.settle_laid(lay) else {
            return;
        };
        self.laying.retain(|(_, held)| !held.same_thing(&lay));
        self.laying.push((author, lay.clone()));
        self.rests = Some(Instant::now() + MOMENT);
        let presenters_only = !lay.told();
        let lay = Box::new(lay);
        self.publish_to_everybody(&FromServer::Lay { author, lay }, presenters_only);
    }

    /// What went along with a hand has come to rest, or the hand is gone: it is remembered.
    pub(super) fn remember_moments(&mut self, of: Option<AuthorId>) {
        let all = std::mem::take(&mut self.moments);
        let (rest, stay) = all
            .into_iter()
            .partition(|(_, (author, _))| of.is_none_or(|of| of == *author));
        self.moments = stay;
        let laying = std::mem::take(&mut self.laying);
        let (laid, held) = laying
            .into_iter()
            .partition(|(author, _)| of.is_none_or(|of| of == *author));
        self.laying = held;
        let still = !self.moments.is_empty() || !self.laying.is_empty();
        self.rests = self.rests.filter(|_| still);
        for (author, lay) in laid {
            self.stage_by_itself(author, vec![StageStep::Lay(Box::new(lay))]);
        }
        for (backdrop, (author, seen)) in rest {
            self.moments.insert(backdrop, (author, seen.clone()));
            let seen = Box::new(seen);
            self.stage_by_itself(author, vec![StageStep::See { backdrop, seen }]);
        }
    }

    /// What of a stage is to be seen at this moment.
    pub(super) fn at_this_moment(&self, state: &StageState) -> Stage {
        let mut stage = state.on_stage();
        for (_, lay) in &self.laying {
            stage.laid.lay(lay);
        }
        let settling = self.settling.iter().map(|(_, id, seen)| (id, seen));
        let moments = self.moments.iter().map(|(id, (_, seen))| (id, seen));
        for (id, seen) in settling.chain(moments) {
            let mut same = stage.each_mut().filter(|b| b.id == *id);
            if let Some(b) = same.find(|b| b.seen.page == seen.page) {
                b.seen = seen.clone();
            }
        }
        stage
    }

    /// The stage has been paused, or goes on: participants are told.
    pub(super) fn publish_paused(&mut self) {
        if self.told.paused {
            let mut on_stage = self.on_stage();
            self.stop_films(&mut on_stage.backdrops);
            self.held = Some(Held {
                on_stage,
                take_aways: self.take_aways.clone(),
                name: self.told.name.clone(),
            });
            self.publish_to_participants_even_paused(&FromServer::Paused(true));
        } else {
            self.held = None;
            self.publish_to_participants(&FromServer::Paused(false));
            self.publish_on_stage();
            self.publish_to_participants(&FromServer::TakeAways(self.take_aways.clone()));
            self.want_keys();
        }
    }

    /// What participants go on seeing stands still, while the presenter's own plays on.
    fn stop_films(&self, stage: &mut Stage) {
        let now = crate::now() as u64;
        for view in stage.each_mut().filter_map(|b| b.stop(now).then_some(b)) {
            self.publish_to_participants_even_paused(&FromServer::See {
                author: NOBODY,
                backdrop: view.id,
                seen: Box::new(view.seen.clone()),
            });
        }
    }

    /// What participants see: the backdrops on stage and the marks in view, and nothing of what
    /// comes later in the running order.
    pub(super) fn on_stage(&self) -> OnStage {
        let stage = self.at_this_moment(&self.told).for_participants();
        OnStage {
            seq: self.seq,
            sheets: told::marks(&stage, self.told.area(), &self.state.sheets),
            wet: self.wet_so_far(Some(&told::in_view(&stage))),
            backdrops: stage,
        }
    }

    /// Participants are told what is on stage, and which marks they do not know of is noted.
    pub(super) fn publish_on_stage(&mut self) {
        let on_stage = self.on_stage();
        self.note_covered(&on_stage);
        self.publish_to_participants(&FromServer::OnStage(Box::new(on_stage)));
    }

    pub(super) fn note_covered(&mut self, told: &OnStage) {
        self.covered = told::untold(&told.sheets, &self.state.sheets);
    }

    /// See [`told::touches_covered`].
    pub(super) fn touches_covered(&self, steps: &[Step]) -> bool {
        let stage = self.at_this_moment(&self.told);
        told::touches_covered(steps, &stage.panes(self.told.area()), &self.covered)
    }

    pub(super) fn shown_to_participants(&self) -> Shown {
        let of_marks = |sheets: &[(SheetId, Vec<Arc<Mark>>)]| -> Vec<Placement> {
            let marks = sheets.iter().flat_map(|(_, marks)| marks);
            marks.filter_map(|mark| placed(mark)).collect()
        };
        if let Some(held) = &self.held {
            return Shown {
                stage: held.on_stage.backdrops.clone(),
                placed: of_marks(&held.on_stage.sheets),
                take_aways: held.take_aways.clone(),
            };
        }
        let OnStage {
            backdrops: stage,
            sheets,
            ..
        } = self.on_stage();
        Shown {
            placed: of_marks(&sheets),
            take_aways: self.take_aways.clone(),
            stage,
        }
    }

    pub(super) fn look(&self) -> Look {
        let stage = &self.state.stage;
        Look {
            seq: self.seq,
            sheets: self.state.sheets.clone(),
            marked: self.marked,
            name: stage.name.clone(),
            aspect: stage.aspect,
            order: stage.order.clone(),
            stage: self.at_this_moment(stage),
        }
    }
}

/// The picture that a mark is, if it is one.
pub fn placed(mark: &Mark) -> Option<Placement> {
    match &mark.body {
        Body::Picture(placed) => Some(*placed),
        _ => None,
    }
}
