//! From sheets, and from strokes in progress, to display lists.

mod painter;
pub mod wet;

pub use painter::{Painter, alone, everything, is_part, loose, reach};
