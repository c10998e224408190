//! Picture streams, passed on from the presenter's browser to everybody else's.

use bozzetto_core::backdrop::BackdropView;
use bozzetto_core::ids::{AuthorId, BackdropId};
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::FromServer;

use super::{Lesson, Role};

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
            self.tell_everybody(message, false);
        } else {
            self.tell_participants(message);
        }
    }

    fn may_stream(&self, backdrop: BackdropId) -> bool {
        self.streaming().any(|b| b.id == backdrop)
    }

    /// The backdrops on stage that are streamed; a held one is not.
    fn streaming(&self) -> impl Iterator<Item = &BackdropView> {
        let on_stage = [
            self.outline.current,
            self.outline.beside.map(|b| b.backdrop),
        ];
        let order = self.outline.order.iter();
        order.filter(move |b| {
            on_stage.contains(&Some(b.id)) && b.kind.streams() && b.seen.frozen.is_none()
        })
    }

    fn presenters_here(&self) -> usize {
        let all = self.connections.values();
        all.filter(|c| matches!(c.role, Role::Presenter)).count()
    }

    /// Somebody has come who has seen nothing yet of what is streamed; a still screen sends nothing
    /// by itself.
    pub(super) fn want_keys(&self) {
        for backdrop in self.streaming() {
            self.tell_presenters(&FromServer::WantKey(backdrop.id));
        }
    }

    /// Somebody cannot go on without a key frame.
    pub(super) fn want_key(&self, backdrop: BackdropId) {
        if self.may_stream(backdrop) {
            self.tell_presenters(&FromServer::WantKey(backdrop));
        }
    }

    pub(super) fn want_stills(&mut self, connection: u64) {
        if let Some(c) = self.connections.get_mut(&connection) {
            c.stills = true;
        }
        self.tell_watching();
        self.want_keys();
    }

    /// How many there are for whom streams and stills have to be made.
    pub(super) fn tell_watching(&self) {
        let participants = self.connections.values();
        let participants = participants.filter(|c| matches!(c.role, Role::Participant(_)));
        let (stills, streams): (Vec<_>, Vec<_>) = participants.partition(|c| c.stills);
        let others = self.presenters_here().saturating_sub(1);
        self.tell_presenters(&FromServer::Watching {
            stills: stills.len() as u32,
            streams: (streams.len() + others) as u32,
        });
    }
}
