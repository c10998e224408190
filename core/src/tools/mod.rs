//! What pointers do.

pub mod dwell;
pub mod palm;
