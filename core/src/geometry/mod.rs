//! Where things are: frames of reference and the maps between them, how much larger than whole
//! something is seen, and what things are called.

pub mod frames;
pub mod grip;
pub mod homography;
pub mod ids;
pub mod zoom;
