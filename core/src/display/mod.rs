//! What is to be drawn, for any printer: paths, pictures and colours.

pub mod colour;
mod cut;
pub mod flat;
pub mod lettering;
mod list;

pub use list::{Blend, DisplayList, Group, Item, Path, Placing, Source, Verb};
