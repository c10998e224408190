//! Picture streams, passed on from the presenter's browser to everybody else's.

use std::time::Duration;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId};
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::FromServer;
use tokio::time::Instant;

use super::{KeyWanted, Lesson, Role};

/// How often presenters are asked for a key frame at most.
const KEY_EVERY: Duration = Duration::from_millis(300);

impl Lesson {
    pub(super) fn chunk(&mut self, author: AuthorId, chunk: Chunk) {
        if chunk.is_sound() && self.may_stream(chunk.backdrop) {
            self.pass_on(&FromServer::Chunk { author, chunk });
        }
    }

    pub(super) fn still(&mut self, author: AuthorId, still: Still) {
        if still.is_sound() && self.may_stream(still.backdrop) {
            self.pass_on(&FromServer::Still { author, still });
        }
    }

    /// A sender gets its own stream back only when another presenter has to get it too.
    fn pass_on(&self, message: &FromServer) {
        if self.presenters_here() > 1 {
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
        self.publish_to_presenters(&FromServer::WantKey(backdrop));
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
        if matches!(c.role, Role::Participant(_)) {
            self.watching.streams = self.watching.streams.saturating_sub(1);
            self.watching.stills += 1;
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
    }
}
