//! Pictures taken of the stage: their area, their resolution and their names.

pub mod edges;
pub mod name;
mod plan;
pub mod snap;
mod trim;

pub use plan::{Detail, MAX_PIXELS, MAX_SIDE, OnStage, Plan, Request, adjust, nudged, plan};
pub use trim::trim;
