//! Who this page is to the server, and how far it has heard of the lesson.

use std::collections::BTreeMap;

use bozzetto_core::clocks::server_clock::ServerClock;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, IdMaker};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::wire::Hello;

/// See the module's description.
pub(crate) struct Session {
    pub(crate) ids: IdMaker,
    pub(crate) author: Option<AuthorId>,
    /// Touches only what is their own.
    pub(crate) guest: bool,
    /// The epoch and the number of the change that was heard last.
    pub(crate) resume: Option<(u64, u64)>,
    /// Own changes that are in order, but that the server's disk did not take: to be sent again.
    pub(crate) unkept: BTreeMap<ChangeId, Intent>,
    pub(crate) clock: ServerClock,
}

impl Session {
    pub(crate) fn new(nonce: u32, author: Option<AuthorId>) -> Self {
        Self {
            ids: IdMaker::new(nonce),
            author,
            guest: false,
            resume: None,
            unkept: BTreeMap::new(),
            clock: ServerClock::default(),
        }
    }

    pub(crate) fn hello(&self) -> Hello {
        Hello {
            author: self.author,
            resume: self.resume,
        }
    }
}
