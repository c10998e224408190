//! Picture streams, passed on from the presenter's browser to everybody else's.

use std::time::Duration;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId, PersonId};
use bozzetto_core::people::rights;
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::{FromServer, Sees};
use tokio::time::Instant;

use super::{KeyWanted, Lesson, Role};

/// How often presenters are asked for a key frame at most.
const KEY_EVERY: Duration = Duration::from_millis(300);

impl Lesson {
    pub(super) fn chunk(&mut self, author: AuthorId, chunk: Chunk) {
        let backdrop = chunk.backdrop;
        if chunk.is_sound() && self.may_stream(backdrop) {
            self.pass_on(backdrop, &FromServer::Chunk { author, chunk });
        }
    }

    pub(super) fn still(&mut self, author: AuthorId, still: Still) {
        let backdrop = still.backdrop;
        if still.is_sound() && self.may_stream(backdrop) {
            self.pass_on(backdrop, &FromServer::Still { author, still });
        }
    }

    /// Whether pictures of a backdrop are taken from somebody: presenters send none of a participant's screen.
    pub(super) fn sends_pictures(&self, role: rights::Role, of: BackdropId) -> bool {
        role.is_guest() || self.pens.whose_screen(of).is_none()
    }

    /// A sender gets its own stream back only when a presenter has to get it too.
    fn pass_on(&self, backdrop: BackdropId, message: &FromServer) {
        if self.presenters_here() > 1 || self.pens.whose_screen(backdrop).is_some() {
            self.publish_to_everybody(message, false);
        } else {
            self.publish_to_participants(message);
        }
    }

    fn may_stream(&self, backdrop: BackdropId) -> bool {
        self.streaming().any(|b| b.id == backdrop)
    }

    /// The backdrops on stage that are streamed; a held one is not.
    fn streaming(&self) -> impl Iterator<Item = &BackdropView> {
        let stage = &self.state.stage;
        let streams = |b: &&BackdropView| {
            stage.is_on_stage(b.id) && b.kind.streams() && b.seen.frozen.is_none()
        };
        stage.order.iter().filter(streams)
    }

    fn presenters_here(&self) -> usize {
        let participants = self.watching.streams + self.watching.stills;
        self.connections.len().saturating_sub(participants as usize)
    }

    /// Somebody has come who has seen nothing yet of what is streamed; a still screen sends nothing
    /// by itself.
    pub(super) fn want_keys(&mut self) {
        let streaming: Vec<BackdropId> = self.streaming().map(|b| b.id).collect();
        for backdrop in streaming {
            self.want_key(backdrop);
        }
    }

    /// Somebody cannot go on without a key frame. Presenters are told at once, and then no more often
    /// than every [`KEY_EVERY`]: one key frame serves all who wait.
    pub(super) fn want_key(&mut self, backdrop: BackdropId) {
        if !self.may_stream(backdrop) {
            self.keys.remove(&backdrop);
            return;
        }
        match self.keys.get_mut(&backdrop) {
            Some(wanted) if wanted.told.elapsed() < KEY_EVERY => wanted.again = true,
            _ => self.tell_key(backdrop),
        }
    }

    fn tell_key(&mut self, backdrop: BackdropId) {
        let told = Instant::now();
        self.keys.insert(backdrop, KeyWanted { told, again: false });
        match self.pens.whose_screen(backdrop) {
            Some(person) => self.tell_all_of(person, &FromServer::WantKey(backdrop)),
            None => self.publish_to_presenters(&FromServer::WantKey(backdrop)),
        }
    }

    pub(super) fn tell_all_of(&self, person: PersonId, message: &FromServer) {
        for connection in self.connections_of(person.0 as i64) {
            self.answer(connection, message);
        }
    }

    /// When presenters are to be told next.
    pub(super) fn key_due(&self) -> Option<Instant> {
        let waiting = self.keys.values().filter(|k| k.again);
        waiting.map(|k| k.told + KEY_EVERY).min()
    }

    /// Tells presenters of what was asked for meanwhile.
    pub(super) fn tell_keys(&mut self) {
        let due = |k: &KeyWanted| k.again && k.told.elapsed() >= KEY_EVERY;
        let all = self.keys.iter().filter(|(_, k)| due(k));
        let due: Vec<BackdropId> = all.map(|(id, _)| *id).collect();
        for backdrop in due {
            self.keys.remove(&backdrop);
            self.want_key(backdrop);
        }
    }

    /// A participant's browser cannot decode streams; it says so once.
    pub(super) fn want_stills(&mut self, connection: u64) {
        let Some(c) = self.connections.get_mut(&connection) else {
            return;
        };
        if std::mem::replace(&mut c.stills, true) {
            return;
        }
        if let Role::Participant(p) = &c.role {
            let (id, name) = (p.id, p.name.clone());
            let person = self.person(id, &name, Sees::Stills);
            self.watching.streams = self.watching.streams.saturating_sub(1);
            self.watching.stills += 1;
            self.publish_to_presenters(&FromServer::Came(person));
        }
        self.publish_watching();
        self.want_keys();
    }

    /// How many there are for whom streams and stills have to be made.
    pub(super) fn publish_watching(&self) {
        let others = self.presenters_here().saturating_sub(1) as u32;
        self.publish_to_presenters(&FromServer::Watching {
            stills: self.watching.stills,
            streams: self.watching.streams + others,
        });
        // Whose screen is on stage sends to presenters, too, and to nobody while it is not.
        let presenters = self.presenters_here() as u32;
        for (backdrop, person) in self.pens.screens() {
            let (stills, streams) = match self.may_stream(backdrop) {
                true => (self.watching.stills, self.watching.streams + presenters),
                false => (0, 0),
            };
            self.tell_all_of(person, &FromServer::Watching { stills, streams });
        }
    }
}
