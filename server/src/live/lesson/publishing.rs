//! Publishing to presenters, to participants, or to all.

use bozzetto_core::lesson::change::{Change, NOBODY, What};
use bozzetto_core::lesson::told;
use bozzetto_core::sheets::step::Step;
use bozzetto_core::stage::state::Becomes;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, encode};

use super::{Lesson, Role, Said};
use crate::live::broadcast::{Broadcast, Frame, Sort};

impl Lesson {
    pub(super) fn channel(&self, role: &Role) -> &Broadcast {
        match role {
            Role::Presenter | Role::Author(_) => &self.presenters,
            Role::Participant(_) => &self.participants,
        }
    }

    /// A change in its place in the order. Presenters are told all of it, participants what they see
    /// of it.
    pub(super) fn publish_change(&mut self, seq: u64, change: &Change, kept: bool) {
        let whole = FromServer::Change {
            seq,
            change: change.clone(),
            kept,
        };
        let What::Marks { deed, steps } = &change.what else {
            self.publish_to_presenters(&whole);
            self.settling.retain(|(number, ..)| *number > seq);
            return self.publish_stage(change.stage_steps());
        };
        let seen: Vec<Step> = steps
            .iter()
            .filter(|s| self.told.in_view(s.sheet))
            .cloned()
            .collect();
        let frame = frame(&whole);
        // Whoever watches and drew it waits for an answer, also when it is not told as it is.
        if self.told.paused || seen.len() < steps.len() || self.touches_covered(&seen) {
            let known = FromServer::Known { id: change.id };
            for connection in self.connections_of(change.author.0 as i64) {
                self.answer(connection, &known);
            }
        }
        if !self.told.paused && self.touches_covered(&seen) {
            self.publish_on_stage();
            return self.presenters.publish(frame);
        }
        // By the order and not by the moment: what was drawn before the pause belongs to what is held.
        if !self.told.paused && seen.len() == steps.len() {
            self.participants.publish(frame.clone());
        } else if !self.told.paused && !seen.is_empty() {
            let mut change = change.clone();
            change.what = What::Marks {
                deed: *deed,
                steps: seen,
            };
            self.publish_to_participants_even_paused(&FromServer::Change { seq, change, kept });
        }
        self.presenters.publish(frame);
    }

    /// Participants are told what becomes of the stage.
    fn publish_stage(&mut self, steps: &[StageStep]) {
        let (before, was_paused) = (self.told.on_stage(), self.told.paused);
        for step in steps {
            self.told.apply(step);
        }
        if self.told.paused != was_paused {
            return self.publish_paused();
        }
        let after = self.told.on_stage();
        match before.becomes(&after) {
            Becomes::Other => {
                self.publish_on_stage();
                self.publish_watching();
                self.want_keys();
            }
            Becomes::SeenOtherwise if told::uncovers(&before, &after) => self.publish_on_stage(),
            Becomes::SeenOtherwise => {
                // What another hand has hold of meanwhile stays in it.
                for b in self.at_this_moment(&self.told).each() {
                    self.publish_to_participants(&FromServer::See {
                        author: NOBODY,
                        backdrop: b.id,
                        seen: Box::new(b.seen.clone()),
                    });
                }
            }
            Becomes::LaidOtherwise => {
                let laid = self.at_this_moment(&self.told).laid;
                let laid = Box::new(laid.for_participants());
                self.publish_to_participants(&FromServer::Laid(laid));
            }
            Becomes::Same => {}
        }
    }

    /// To all, encoded once.
    pub(super) fn publish_to_everybody(&self, message: &FromServer, presenters_only: bool) {
        let frame = frame(message);
        if !presenters_only && !self.is_paused() {
            self.participants.publish(frame.clone());
        }
        self.presenters.publish(frame);
    }

    pub(super) fn publish_to_presenters(&self, message: &FromServer) {
        self.presenters.publish(frame(message));
    }

    /// While the lesson is paused, participants are told nothing.
    pub(super) fn publish_to_participants(&self, message: &FromServer) {
        if !self.is_paused() {
            self.publish_to_participants_even_paused(message);
        }
    }

    /// From when a presenter says so until participants have been told that it goes on.
    fn is_paused(&self) -> bool {
        self.told.paused || self.state.stage.paused
    }

    pub(super) fn publish_to_participants_even_paused(&self, message: &FromServer) {
        self.participants.publish(frame(message));
    }

    pub(super) fn answer(&self, connection: u64, message: &FromServer) {
        self.say(connection, Said::Message(encode(message).into()));
    }

    /// Says something to one browser. Whoever does not read answers does not get them.
    pub(super) fn say(&self, connection: u64, said: Said) {
        if let Some(c) = self.connections.get(&connection) {
            let _ = c.direct.try_send(said);
        }
    }
}

fn frame(message: &FromServer) -> Frame {
    Frame {
        bytes: encode(message).into(),
        sort: match message {
            FromServer::Wet { .. }
            | FromServer::WetShape(_)
            | FromServer::Point { .. }
            | FromServer::Lay { .. } => Sort::Wet,
            FromServer::Chunk { .. } => Sort::Stream,
            FromServer::Still { .. } => Sort::Still,
            _ => Sort::Firm,
        },
    }
}
