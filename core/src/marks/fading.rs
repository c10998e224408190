//! Ink that fades by itself. When it does, see [`crate::sheets::fade`].

use serde::{Deserialize, Serialize};

/// How long ink may stay before it fades, in seconds, and how long it does unless told otherwise.
pub const STAYS: std::ops::RangeInclusive<u8> = 1..=20;
/// In seconds; see [`STAYS`].
pub const STAY: u8 = 4;

/// That a mark fades.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Fading {
    /// Seconds from the last pen-up until it begins to fade; see [`STAYS`].
    pub stay: u8,
    /// Milliseconds from pen-down to pen-up.
    pub drawn_for: u32,
}
