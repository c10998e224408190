//! Who this page is to the server, and how far it has heard of the lesson.

use std::collections::BTreeMap;

use bozzetto_core::geometry::ids::{AuthorId, ChangeId, IdMaker};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::wire::Hello;

/// See the module's description.
pub(crate) struct Session {
    pub(crate) ids: IdMaker,
    pub(crate) author: Option<AuthorId>,
    /// The epoch and the number of the change that was heard last.
    pub(crate) resume: Option<(u64, u64)>,
    /// Own changes that are in order, but that the server's disk did not take: to be sent again.
    pub(crate) unkept: BTreeMap<ChangeId, Intent>,
    /// How many milliseconds the server's clock is ahead of this machine's.
    pub(crate) clock_ahead: f64,
}

impl Session {
    pub(crate) fn new(nonce: u32, author: Option<AuthorId>) -> Self {
        Self {
            ids: IdMaker::new(nonce),
            author,
            resume: None,
            unkept: BTreeMap::new(),
            clock_ahead: 0.0,
        }
    }

    pub(crate) fn hello(&self) -> Hello {
        Hello {
            author: self.author,
            resume: self.resume,
        }
    }
}
