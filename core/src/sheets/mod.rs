//! All marks held by one thing, and the one way in which they change.

pub mod fade;
pub mod history;
mod index;
pub mod owned;
pub mod refusal;
pub mod sheet;
pub mod step;
