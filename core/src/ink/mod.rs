//! Ink: from what a pen, mouse or finger reports to a stroke, and from a stroke to its outline.
//!
//! [`pen::Pen`] filters samples and gives each point a width; [`outline`] turns the points into a
//! path that can be filled. Points are whole multiples of 1/64 unit, so that the server and every
//! browser hold the very same stroke, and a point costs about five bytes on the wire.

pub mod centreline;
pub mod curve;
pub mod filter;
pub mod fit;
pub mod outline;
pub mod pen;
mod points;
pub mod straighten;
pub mod tip;

pub use points::{InkPoint, MAX_POINTS, Points, UNITS, bounds_of};
