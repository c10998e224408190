//! Who is there, and what they may do.

pub mod join_code;
pub mod pens;
pub mod reach;
pub mod rights;
pub mod sent;
pub mod take_away;
