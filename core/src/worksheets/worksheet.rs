//! When a worksheet takes what is handed in, and what becomes of that. Times are milliseconds since 1970 by the server's
//! clock.

use serde::{Deserialize, Serialize};

/// The longest instruction, in characters.
pub const LONGEST_INSTRUCTION: usize = 1000;

/// Whether participants have a worksheet, and may hand in.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Door {
    /// Since when they have it; `None` while it is prepared.
    pub opened: Option<u64>,
    /// Until when it is open, if there is a time.
    pub until: Option<u64>,
    /// When it was closed.
    pub closed: Option<u64>,
}

/// What becomes of something that is handed in.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Takes {
    /// Nobody has the worksheet.
    Nothing,
    InTime,
    /// It is kept, and the presenter takes it or not.
    Late,
}

impl Door {
    /// Whether it is open at a time.
    pub fn is_open(&self, now: u64) -> bool {
        self.takes(now) == Takes::InTime
    }

    /// What becomes of something that is handed in at a time.
    pub fn takes(&self, now: u64) -> Takes {
        match *self {
            Self { opened: None, .. } => Takes::Nothing,
            Self {
                closed: Some(_), ..
            } => Takes::Late,
            Self {
                until: Some(until), ..
            } if now > until => Takes::Late,
            Self { .. } => Takes::InTime,
        }
    }
}

/// A version that was handed in.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HandIn {
    /// The first is 1.
    pub number: u32,
    /// The place in the log of what was drawn.
    pub seq: u64,
    pub at: u64,
    pub late: bool,
}

/// Why something is not handed in, in words for whoever drew it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
pub enum HandInFault {
    #[error("This worksheet is not there any more.")]
    Gone,
    #[error("Nothing is marked on it yet. Hand it in all the same?")]
    Empty,
    #[error("It is handed in already, and nothing has changed since.")]
    Same,
}

impl HandIn {
    /// What is handed in now, after `last`: everything up to `seq`, `empty` or not. Whoever insists hands in an empty one.
    ///
    /// # Errors
    /// See [`HandInFault`].
    pub fn now(
        door: &Door,
        last: Option<&HandIn>,
        seq: u64,
        (empty, insists): (bool, bool),
        now: u64,
    ) -> Result<Self, HandInFault> {
        let late = match door.takes(now) {
            Takes::Nothing => return Err(HandInFault::Gone),
            Takes::InTime => false,
            Takes::Late => true,
        };
        match last {
            Some(last) if last.seq == seq => return Err(HandInFault::Same),
            _ if empty && !insists => return Err(HandInFault::Empty),
            _ => {}
        }
        Ok(Self {
            number: last.map_or(1, |last| last.number + 1),
            seq,
            at: now,
            late,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever happens in whatever order, versions are numbered one after the other; those that come while it is open
        /// and within its time are in time, all others late; none is twice the same.
        #[test]
        fn versions_are_in_time_or_late(
            deeds in prop::collection::vec((0u8..4, 0u64..50, any::<bool>()), 1..40), until in prop::option::of(0u64..400),
        ) {
            let (mut door, mut is_open) = (Door::default(), None);
            let (mut all, mut seq, mut now): (Vec<HandIn>, u64, u64) = (Vec::new(), 0, 0);
            for (deed, later, empty) in deeds {
                now += later;
                match deed {
                    0 => {
                        door = Door { opened: door.opened.or(Some(now)), until, closed: None };
                        is_open = Some(true);
                    }
                    1 if is_open.is_some() => {
                        door.closed = Some(now);
                        is_open = Some(false);
                    }
                    2 => seq += 1,
                    _ => match HandIn::now(&door, all.last(), seq, (empty, false), now) {
                        Ok(new) => {
                            let in_time = is_open == Some(true) && until.is_none_or(|until| now <= until);
                            prop_assert_eq!(new.late, !in_time);
                            prop_assert!(!empty && is_open.is_some());
                            prop_assert_eq!(new.number as usize, all.len() + 1);
                            prop_assert!(all.last().is_none_or(|last| last.seq < new.seq));
                            all.push(new);
                        }
                        Err(HandInFault::Gone) => prop_assert_eq!(is_open, None),
                        Err(HandInFault::Same) => prop_assert_eq!(all.last().map(|last| last.seq), Some(seq)),
                        Err(HandInFault::Empty) => prop_assert!(empty),
                    },
                }
            }
        }
    }
}
