//! What captures are cut with, for pages: the sheet that boxes are drawn on, long pages, and a capture's bench. Pages fetch
//! it when they need it.

mod bench;
mod cutter;
mod long_page;

pub use bench::Bench;
pub use cutter::Cutter;
pub use long_page::LongPage;
