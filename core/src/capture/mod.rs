//! Pictures taken of the stage: how, their area, their resolution and their names.

mod adjust;
pub mod corners;
pub mod edges;
pub mod flat;
pub mod hide;
pub mod long_page;
pub mod marking;
pub mod moment;
pub mod name;
pub mod paper;
mod plan;
pub mod send;
pub mod snap;
mod trim;
pub mod way;
pub mod whole;

pub use adjust::{adjust, nudged, sized, to_aspect};
pub use plan::{Detail, MAX_PIXELS, MAX_SIDE, OnStage, Plan, Request, plan};
pub use trim::trim;
