//! What lies beneath the marks, which part of the stage it has, and the state of all that.

pub mod backdrop;
pub mod board;
pub mod covered;
pub mod grain;
pub mod hidden;
pub mod laid;
pub mod lying;
pub mod page_parts;
pub mod pane;
pub mod playback;
pub mod sight;
pub mod state;
pub mod step;
