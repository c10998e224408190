//! What can be drawn, and what each of it is made of.

pub mod budget;
pub mod fading;
pub mod mark;
pub mod picture;
pub mod recognise;
pub mod shape;
pub mod stamp;
pub mod swatch;
pub mod text;
