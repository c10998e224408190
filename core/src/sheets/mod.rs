//! All marks held by one thing, and the one way in which they change.

pub mod change;
pub mod fade;
pub mod history;
pub mod replica;
pub mod sheet;
