//! What lies beneath the marks, and which part of the stage it has.

pub mod backdrop;
pub mod board;
pub mod grain;
pub mod page_parts;
pub mod pane;
pub mod playback;
