//! Who is there, and what they may do.

pub mod join_code;
pub mod pens;
pub mod reach;
pub mod rights;
pub mod sent;
pub mod take_away;

/// What is kept of participants is removed when their lesson has not been used for so many days.
pub const FORGOTTEN_AFTER_DAYS: i64 = 365;
