//! Turns display lists and pictures into files, and reads pictures that people bring.
//!
//! * [`picture`]: what a picture is, read with limits; [`svg`]: vector pictures, re-written.
//! * [`raster`]: prints a display list into pixels.
//! * [`png`]: pixels as a PNG file.

pub mod picture;
pub mod png;
pub mod raster;
pub mod svg;

pub use resvg::tiny_skia::Pixmap;
