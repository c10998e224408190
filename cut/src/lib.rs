//! What captures are cut with, for pages: the sheet that boxes are drawn on, and a capture's bench. Pages fetch it when
//! they need it.

mod bench;
mod cutter;

pub use bench::Bench;
pub use cutter::Cutter;
