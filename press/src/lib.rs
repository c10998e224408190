//! Turns display lists and pictures into files, and reads pictures that people bring.
//!
//! * [`picture`]: what a picture is, read with limits; [`svg`]: vector pictures, re-written.
//! * [`document`]: the pages of PDF files.
//! * [`raster`]: prints a display list into pixels.
//! * [`png`]: pixels as a PNG file.
//! * [`resample`]: pictures at another size; [`send`]: captures as files for elsewhere.
//! * [`list_svg`]: a capture as an SVG file.
//! * [`sheet_svg`], [`inkml`]: sheets of marks as files, and read back.

pub mod document;
pub mod inkml;
pub mod list_svg;
mod metadata;
pub mod picture;
pub mod png;
pub mod raster;
pub mod resample;
mod resize;
pub mod send;
pub mod sheet_svg;
pub mod svg;
mod xml;

pub use resvg::tiny_skia::Pixmap;
