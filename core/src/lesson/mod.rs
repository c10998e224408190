//! Everything that a lesson remembers: its sheets and its stage, moved by changes in one order.

pub mod change;
mod remembered;
pub mod replica;
pub mod told;

pub use remembered::Lesson;
