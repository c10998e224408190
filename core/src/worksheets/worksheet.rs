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
    /// How long it waited on their device for a line, in milliseconds, as that says.
    #[serde(default)]
    pub waited: u64,
}

/// What the presenter has noted of an answer.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Noted {
    pub verdict: Option<Verdict>,
    /// From 0 to [`Noted::MOST`].
    pub points: Option<f64>,
}

impl Noted {
    pub const MOST: f64 = 1000.0;

    /// Points as somebody writes them, with a point or a comma; nothing is none.
    ///
    /// # Errors
    /// For what is no number, or not within the range, in words for the person.
    pub fn points(written: &str) -> Result<Option<f64>, &'static str> {
        let written = written.trim().replace(',', ".");
        if written.is_empty() {
            return Ok(None);
        }
        let points: f64 = written.parse().map_err(|_| "Points are a number.")?;
        match (0.0..=Self::MOST).contains(&points) {
            true => Ok(Some(points)),
            false => Err("Points are from 0 to 1000."),
        }
    }
}

/// See [`Noted`].
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    Tick,
    Cross,
}

impl Verdict {
    pub fn name(self) -> &'static str {
        match self {
            Verdict::Tick => "tick",
            Verdict::Cross => "cross",
        }
    }

    pub fn named(name: &str) -> Option<Self> {
        [Verdict::Tick, Verdict::Cross]
            .into_iter()
            .find(|v| v.name() == name)
    }
}

/// How an answer stands.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    Nothing,
    AtWork,
    In,
    Late,
    /// The presenter has given it back, and it was not handed in since.
    AnotherTry,
}

impl Standing {
    /// After the last version that was handed in, when it was given back, and whether anything was drawn.
    pub fn of(last: Option<&HandIn>, returned: Option<u64>, begun: bool) -> Self {
        match (last, returned) {
            (_, Some(_)) => Standing::AnotherTry,
            (Some(last), None) if last.late => Standing::Late,
            (Some(_), None) => Standing::In,
            (None, None) if begun => Standing::AtWork,
            (None, None) => Standing::Nothing,
        }
    }

    /// Whether something is for its author to do.
    pub fn is_new(self, door: &Door, now: u64) -> bool {
        match self {
            Standing::AnotherTry => true,
            Standing::Nothing | Standing::AtWork => door.is_open(now),
            Standing::In | Standing::Late => false,
        }
    }

    /// In words for the presenter.
    pub fn words(self) -> &'static str {
        match self {
            Standing::Nothing => "nothing yet",
            Standing::AtWork => "at work",
            Standing::In => "handed in",
            Standing::Late => "handed in late",
            Standing::AnotherTry => "for another try",
        }
    }
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
    /// What was given back for another try is never late.
    ///
    /// # Errors
    /// See [`HandInFault`].
    pub fn now(
        door: &Door,
        last: Option<&HandIn>,
        seq: u64,
        (empty, insists): (bool, bool),
        returned: bool,
        now: u64,
    ) -> Result<Self, HandInFault> {
        let late = match door.takes(now) {
            Takes::Nothing => return Err(HandInFault::Gone),
            Takes::InTime => false,
            Takes::Late => !returned,
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
            waited: 0,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever happens in whatever order, versions are numbered one after the other; those that come while it is open
        /// and within its time, or were given back before, are in time, all others late; none is twice the same.
        #[test]
        fn versions_are_in_time_or_late(
            deeds in prop::collection::vec((0u8..5, 0u64..50, any::<bool>()), 1..40), until in prop::option::of(0u64..400),
        ) {
            let (mut door, mut is_open, mut returned) = (Door::default(), None, false);
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
                    3 => returned = !all.is_empty(),
                    _ => match HandIn::now(&door, all.last(), seq, (empty, false), returned, now) {
                        Ok(new) => {
                            let in_time = is_open == Some(true) && until.is_none_or(|until| now <= until);
                            prop_assert_eq!(new.late, !in_time && !returned);
                            returned = false;
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
