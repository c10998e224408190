//! Telling presenters, participants, or all.

use bozzetto_core::sheets::change::{Change, Step};
use bozzetto_core::wire::{FromServer, encode};

use super::{Lesson, Role, Said};
use crate::live::broadcast::{Broadcast, Frame, Sort};

impl Lesson {
    pub(super) fn channel(&self, role: &Role) -> &Broadcast {
        match role {
            Role::Presenter => &self.presenters,
            Role::Participant(_) => &self.participants,
        }
    }

    pub(super) fn tell_stage(&self) {
        self.tell_presenters(&FromServer::Lesson(self.view()));
        self.tell_participants(&FromServer::OnStage(Box::new(self.on_stage())));
    }

    /// Participants are told of what happens on the sheets that they see.
    pub(super) fn tell_change(&self, seq: u64, change: &Change, kept: bool) {
        let whole = FromServer::Change {
            seq,
            change: change.clone(),
            kept,
        };
        let seen: Vec<Step> = change
            .steps
            .iter()
            .filter(|s| self.in_view(s.sheet))
            .cloned()
            .collect();
        if seen.len() == change.steps.len() {
            self.tell_everybody(&whole, false);
        } else {
            self.tell_presenters(&whole);
            if !seen.is_empty() {
                let mut change = change.clone();
                change.steps = seen;
                self.tell_participants(&FromServer::Change { seq, change, kept });
            }
        }
    }

    /// To all, encoded once.
    pub(super) fn tell_everybody(&self, message: &FromServer, presenters_only: bool) {
        let frame = frame(message);
        if !presenters_only && !self.outline.paused {
            self.participants.publish(frame.clone());
        }
        self.presenters.publish(frame);
    }

    pub(super) fn tell_presenters(&self, message: &FromServer) {
        self.presenters.publish(frame(message));
    }

    /// While the lesson is paused, participants are told nothing.
    pub(super) fn tell_participants(&self, message: &FromServer) {
        if !self.outline.paused {
            self.tell_participants_even_paused(message);
        }
    }

    pub(super) fn tell_participants_even_paused(&self, message: &FromServer) {
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
            FromServer::Wet { .. } | FromServer::WetShape(_) => Sort::Wet,
            FromServer::Chunk { .. } => Sort::Stream,
            FromServer::Still { .. } => Sort::Still,
            _ => Sort::Firm,
        },
    }
}
