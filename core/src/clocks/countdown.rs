//! A countdown: so much time for a task.

use serde::{Deserialize, Serialize};

use super::LONGEST;

/// The shortest countdown, in milliseconds.
pub const SHORTEST: u64 = 1000;
/// The lengths that are at hand, in minutes.
pub const USUAL: [u32; 7] = [1, 2, 3, 5, 10, 15, 30];
/// For how long its end is shown by flashing, and how long either half of a flash takes, in milliseconds.
/// Twice a second: fewer than three flashes in any second. Source: WCAG 2.2, 2.3.1.
pub const FLASHES: u64 = 8000;
/// See [`FLASHES`].
const HALF_FLASH: u64 = 500;
const MINUTE: u64 = 60_000;

/// How long it takes, and how its end is told. Lengths are in milliseconds.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Countdown {
    pub length: u64,
    /// How long before its end it warns; 0 for not at all.
    pub warns: u64,
    /// It is heard, and not only seen.
    pub loud: bool,
}

impl Default for Countdown {
    fn default() -> Self {
        Self {
            length: 5 * MINUTE,
            warns: MINUTE,
            loud: true,
        }
    }
}

/// How far a countdown has come.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Stage {
    Goes,
    /// It ends soon.
    Warns,
    Over,
}

/// Why a length cannot be had.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
pub enum LengthFault {
    #[error("A time is written like 5, 5:00 or 1:30:00: minutes, or hours, minutes and seconds.")]
    NoTime,
    #[error("A countdown takes from 1 second to 24 hours.")]
    OutOfRange,
}

impl Countdown {
    /// How much is left when so much has passed.
    pub fn left(&self, passed: u64) -> u64 {
        self.length.saturating_sub(passed)
    }

    /// How far it has come.
    pub fn stage(&self, passed: u64) -> Stage {
        match self.left(passed) {
            0 => Stage::Over,
            left if left <= self.warns => Stage::Warns,
            _ => Stage::Goes,
        }
    }

    /// One minute longer; of one that is over, a minute from now on. As long as can be at the most.
    pub fn longer(&self, passed: u64) -> Self {
        let from = self.length.max(passed.min(LONGEST));
        let length = (from + MINUTE).min(LONGEST);
        Self { length, ..*self }
    }

    /// With another length, and warned of as is usual for that, if at all: a minute before the end, ten
    /// seconds, or a third of it.
    pub fn with_length(&self, length: u64) -> Self {
        let usual = match length {
            l if l >= 3 * MINUTE => MINUTE,
            l if l >= 30_000 => 10_000,
            l => l / 3,
        };
        let warns = if self.warns == 0 { 0 } else { usual };
        Self {
            length,
            warns,
            ..*self
        }
        .settled()
    }

    /// Within what a countdown may be.
    pub fn settled(self) -> Self {
        let length = self.length.clamp(SHORTEST, LONGEST);
        Self {
            length,
            warns: self.warns.min(length),
            ..self
        }
    }

    /// Whether the end is shown the other way round at this moment: it flashes, then it stays. Without
    /// flashes for those who want no motion.
    pub fn shows_its_end(&self, passed: u64, still: bool) -> bool {
        let since = passed.saturating_sub(self.length);
        let over = passed >= self.length;
        over && (still || since >= FLASHES || (since / HALF_FLASH).is_multiple_of(2))
    }

    /// For how long its face stays as it is; `None` when it has shown its end.
    pub fn changes_in(&self, passed: u64) -> Option<u64> {
        let left = self.left(passed);
        if left > 0 {
            // A second is shown until it has gone.
            return Some((left - 1) % 1000 + 1);
        }
        let since = passed - self.length;
        (since < FLASHES).then_some(HALF_FLASH - since % HALF_FLASH)
    }
}

/// A length as it is typed: `5` is minutes, `5:30` minutes and seconds, `1:00:00` hours too. In
/// milliseconds.
///
/// # Errors
/// For what is no time, or cannot be counted down.
///
/// ```
/// use bozzetto_core::clocks::countdown::{LengthFault, length};
/// assert_eq!(length("5"), Ok(300_000));
/// assert_eq!(length(" 1:30 "), Ok(90_000));
/// assert_eq!(length("1:00:05"), Ok(3_605_000));
/// assert_eq!(length("24:00:01"), Err(LengthFault::OutOfRange));
/// assert_eq!(length("0:00"), Err(LengthFault::OutOfRange));
/// assert_eq!(length("soon"), Err(LengthFault::NoTime));
/// ```
pub fn length(typed: &str) -> Result<u64, LengthFault> {
    let parts: Vec<u64> = typed
        .trim()
        .split(':')
        .map(|part| part.trim().parse::<u32>().map(u64::from))
        .collect::<Result<_, _>>()
        .map_err(|_| LengthFault::NoTime)?;
    let seconds = match parts[..] {
        [minutes] => minutes * 60,
        [minutes, seconds] => minutes * 60 + seconds,
        [hours, minutes, seconds] => hours * 3600 + minutes * 60 + seconds,
        _ => return Err(LengthFault::NoTime),
    };
    let length = seconds * 1000;
    match (SHORTEST..=LONGEST).contains(&length) {
        true => Ok(length),
        false => Err(LengthFault::OutOfRange),
    }
}

/// Figures that are keyed in one after another, as a time: the last two are seconds, those before minutes, and
/// those before hours. What is no figure is left out.
///
/// ```
/// use bozzetto_core::clocks::countdown::keyed;
/// assert_eq!([keyed(""), keyed("5"), keyed("130"), keyed("10000")], ["0:00", "0:05", "1:30", "1:00:00"]);
/// // Ninety minutes, keyed in as they are said.
/// assert_eq!(keyed("9000"), "90:00");
/// ```
pub fn keyed(figures: &str) -> String {
    let figures: String = figures.chars().filter(char::is_ascii_digit).collect();
    let padded = format!("{figures:0>3}");
    let (before, seconds) = padded.split_at(padded.len() - 2);
    match before.len() {
        0..=2 => format!("{before}:{seconds}"),
        n => format!("{}:{}:{seconds}", &before[..n - 2], &before[n - 2..]),
    }
}
