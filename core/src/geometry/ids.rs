//! Names of things that travel between browser and server.

use serde::{Deserialize, Serialize};

macro_rules! id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
        #[cfg_attr(feature = "scripts", derive(tsify::Tsify))]
        pub struct $name(pub u64);
    };
}

id!(
    /// A mark, unique within its lesson. Made by whoever draws it: see [`IdMaker`].
    MarkId
);
id!(
    /// A change, unique within its lesson. A change that arrives twice is known by it.
    ChangeId
);
id!(
    /// Whoever makes changes: one tab of the presenter's, or one participant. Undo is per author.
    AuthorId
);
id!(
    /// A participant of a lesson.
    PersonId
);
id!(
    /// A backdrop of a lesson.
    BackdropId
);

/// Makes ids that no other maker makes: a nonce drawn at random by the host in the upper 32 bits,
/// a counter in the lower.
///
/// ```
/// use bozzetto_core::geometry::ids::IdMaker;
/// let mut maker = IdMaker::new(7);
/// assert_eq!(maker.next_id(), (7 << 32) + 1);
/// assert_eq!(maker.next_id(), (7 << 32) + 2);
/// ```
#[derive(Clone, Debug)]
pub struct IdMaker {
    next: u64,
}

impl IdMaker {
    /// `nonce` must be drawn at random, anew for every page load.
    pub fn new(nonce: u32) -> Self {
        Self {
            next: u64::from(nonce) << 32,
        }
    }

    /// A number that was not given before by any page, but for one chance in 2³² for each.
    pub fn next_id(&mut self) -> u64 {
        self.next += 1;
        self.next
    }
}
