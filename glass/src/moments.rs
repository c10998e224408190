//! How the stage is seen while a hand moves it: larger, scrolled, divided elsewhere. It is shown at once,
//! told at once, and remembered by the server when it has come to rest.

use std::collections::HashMap;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::lesson::change::{Change, Intent};
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::laid::{Laid, Lay};
use bozzetto_core::stage::state::{Becomes, Stage};
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::ToServer;

use crate::Glass;
use crate::events::Heard;

/// See the module's description.
#[derive(Default)]
pub(crate) struct Moments {
    seen: HashMap<BackdropId, Moment>,
    /// Where the divider is while it is in the hand.
    pub(crate) divider: Option<f64>,
    /// What lies over the picture and is in a hand: in this one, or in somebody else's.
    laying: Vec<(Lay, bool)>,
}

struct Moment {
    seen: ViewState,
    /// The hand is here. What others say meanwhile is older, or will be heard again.
    own: bool,
}

impl Glass {
    /// Whether this is a participant's page, which is told only what is on stage.
    pub(crate) fn follows(&self) -> bool {
        self.replica.stage().is_blank()
    }

    /// Changes how a backdrop on stage is seen, here at once and for everybody.
    pub(crate) fn see(&mut self, id: &str, change: impl FnOnce(&mut ViewState)) {
        let Some(known) = self.backdrop(id) else {
            return;
        };
        let Some(room) = self.room_of(known.id) else {
            return;
        };
        let mut seen = known.seen.clone();
        change(&mut seen);
        let seen = seen.settled(known, &room);
        let backdrop = known.id;
        let Some(remembered) = self.replica.stage().backdrop(backdrop) else {
            return;
        };
        if seen == known.seen {
            return;
        }
        if seen.goes_along(&remembered.seen) {
            let (seen, own) = (seen, true);
            let told = Box::new(seen.clone());
            self.take_seen(backdrop, &seen);
            self.stage
                .moments
                .seen
                .insert(backdrop, Moment { seen, own });
            if !self.stage.alone {
                self.post.send(&ToServer::See {
                    backdrop,
                    seen: told,
                });
            }
            return;
        }
        self.stage.moments.seen.remove(&backdrop);
        let seen = Box::new(seen);
        self.act(Intent::Stage(vec![StageStep::See { backdrop, seen }]));
    }

    /// Somebody else's hand is on a backdrop; `true` when it is seen otherwise for that.
    pub(crate) fn take_moment(&mut self, id: BackdropId, seen: ViewState) -> bool {
        if self.stage.alone {
            // How somebody else sees a worksheet is nothing to this page.
            return false;
        }
        if self.follows() {
            return self.take_seen(id, &seen);
        }
        let remembered = self.replica.stage().backdrop(id);
        let fits = remembered.is_some_and(|b| seen.goes_along(&b.seen));
        if !fits || self.stage.moments.seen.get(&id).is_some_and(|m| m.own) {
            return false;
        }
        let shown = self.take_seen(id, &seen);
        self.stage
            .moments
            .seen
            .insert(id, Moment { seen, own: false });
        shown
    }

    /// A change of the stage has come in its place in the order: what went along with a hand until
    /// then has come to rest, unless this hand has gone on since.
    pub(crate) fn settle_moments(&mut self, change: &Change, us: AuthorId) {
        for step in change.stage_steps() {
            if let StageStep::See { backdrop, seen } = step
                && !self.stage.alone
                && let Some(moment) = self.stage.moments.seen.get(backdrop)
                && !(moment.own && change.author == us && moment.seen != **seen)
            {
                self.stage.moments.seen.remove(backdrop);
            }
            if let StageStep::Lay(lay) = step {
                let goes_on = |(held, own): &(Lay, bool)| {
                    !held.same_thing(lay) || (*own && change.author == us && held != &**lay)
                };
                self.stage.moments.laying.retain(goes_on);
            }
        }
    }

    /// Something lies over the picture like this from now on.
    pub(crate) fn lay(&mut self, lay: Lay) {
        self.stage
            .moments
            .laying
            .retain(|(held, _)| !held.same_thing(&lay));
        self.act(Intent::Stage(vec![StageStep::Lay(Box::new(lay))]));
    }

    /// The same for the moment, while a hand has hold of it: shown and told at once.
    pub(crate) fn drag(&mut self, lay: Lay) {
        let Ok(lay) = self.replica.stage().settle_laid(&lay) else {
            return;
        };
        self.post.send(&ToServer::Lay(Box::new(lay.clone())));
        self.hold_laid(lay, true);
    }

    /// Somebody else has hold of something that lies over the picture.
    pub(crate) fn take_laying(&mut self, lay: Lay) {
        let ours = |(held, own): &(Lay, bool)| *own && held.same_thing(&lay);
        if self.follows() {
            let mut laid = self.stage.shown.laid.clone();
            laid.lay(&lay);
            self.take_laid(laid.for_participants());
        } else if !self.stage.moments.laying.iter().any(ours) {
            self.hold_laid(lay, false);
        }
    }

    fn hold_laid(&mut self, lay: Lay, own: bool) {
        let laying = &mut self.stage.moments.laying;
        laying.retain(|(held, _)| !held.same_thing(&lay));
        let mut laid = self.stage.shown.laid.clone();
        laid.lay(&lay);
        laying.push((lay, own));
        self.take_laid(laid);
    }

    /// This lies over the picture now.
    pub(crate) fn take_laid(&mut self, laid: Laid) {
        let before = &self.stage.shown.laid;
        let changed = self.seeing(|sight| before.difference(&laid, sight));
        self.picture.invalidate_laid(&changed);
        self.stage.shown.laid = laid;
        self.stale.changed = true;
    }

    /// The line is there again: others' hands are as the server says, and it is told of ours again.
    pub(crate) fn renew_moments(&mut self, theirs: Vec<(BackdropId, ViewState)>, laying: Vec<Lay>) {
        self.stage.moments.seen.retain(|_, moment| moment.own);
        for (id, seen) in theirs {
            self.take_moment(id, seen);
        }
        self.stage.moments.laying.retain(|(_, own)| *own);
        for (held, _) in &self.stage.moments.laying {
            self.post.send(&ToServer::Lay(Box::new(held.clone())));
        }
        for lay in laying {
            self.take_laying(lay);
        }
        let ours = self.stage.moments.seen.iter().filter(|(_, m)| m.own);
        let ours: Vec<_> = ours.map(|(id, m)| (*id, m.seen.clone())).collect();
        for (backdrop, seen) in ours {
            let seen = Box::new(seen);
            self.post.send(&ToServer::See { backdrop, seen });
        }
    }

    /// A backdrop on stage is seen like this from now on; `true` when it is on stage.
    pub(crate) fn take_seen(&mut self, id: BackdropId, seen: &ViewState) -> bool {
        let Some(shown) = self.stage.shown.each_mut().find(|b| b.id == id) else {
            return false;
        };
        let other_page = shown.seen.page != seen.page;
        shown.seen = seen.clone();
        if other_page {
            self.invalidate_everything();
        } else {
            self.invalidate_view();
        }
        true
    }

    /// Shows the stage as it is: what is remembered, and what goes along with a hand.
    pub(crate) fn restage(&mut self) {
        let state = self.replica.stage();
        if state.is_blank() {
            return;
        }
        let mut stage = state.on_stage();
        let moments = &mut self.stage.moments;
        let alone = self.stage.alone;
        moments.seen.retain(|id, moment| {
            let remembered = state.backdrop(*id);
            remembered.is_some_and(|b| alone || moment.seen.goes_along(&b.seen))
        });
        for b in stage.each_mut() {
            match moments.seen.get(&b.id) {
                Some(moment) => b.seen = moment.seen.clone(),
                None if alone => b.seen.zoom = Zoom::WHOLE,
                None => {}
            }
        }
        for (lay, _) in &moments.laying {
            stage.laid.lay(lay);
        }
        if let (Some((_, divider)), Some(held)) = (&mut stage.beside, moments.divider) {
            *divider = held;
        }
        let lesson = Heard::lesson(state);
        let mut news = std::mem::take(&mut self.news.events);
        if self.news.lesson.as_ref() != Some(&lesson) {
            news.push(Heard::Lesson(lesson.clone()));
            self.news.lesson = Some(lesson);
        }
        self.put_on_stage(stage, &mut news);
        self.news.events = news;
    }

    /// Puts this on stage here, and says what the page has to know of it.
    pub(crate) fn put_on_stage(&mut self, stage: Stage, events: &mut Vec<Heard>) {
        let shown = |s: &Stage| {
            let beside = s.beside.as_ref().map(|(b, _)| (b.id, b.seen.page));
            (s.current.as_ref().map(|b| (b.id, b.seen.page)), beside)
        };
        let becomes = self.stage.shown.becomes(&stage);
        let turned = shown(&self.stage.shown) != shown(&stage);
        let before = &self.stage.shown.laid;
        let changed = self.seeing(|sight| before.difference(&stage.laid, sight));
        self.picture.invalidate_laid(&changed);
        self.stale.changed = true;
        self.stage.shown = stage;
        if turned {
            self.clear_selection();
            // A stroke belongs to the backdrop that it was begun on.
            self.lift_all();
            self.invalidate_everything();
        } else if !matches!(becomes, Becomes::Same | Becomes::LaidOtherwise) {
            self.invalidate_view();
        }
        match becomes {
            Becomes::Other => events.push(Heard::Panes),
            Becomes::SeenOtherwise => {
                let all = self.stage.shown.each();
                events.extend(all.map(|b| Heard::seen(b.id)));
            }
            Becomes::LaidOtherwise | Becomes::Same => {}
        }
    }
}
