//! Films from the packets that they were kept as: which of them are left when parts are taken out, and the files that players read.
//!
//! No packet is copied for that. [`Kept`] says where each lies in the file that grew while it was recorded, [`Film`] which of
//! them are shown and when, and a [`Layout`] is a file whose parts are ranges of that one with some bytes of their own between
//! them. So a film can be cut, and cut otherwise, at once, and is on the disk once.

mod film;
mod kept;
mod layout;
mod mp4;
mod opus;
mod webm;

pub use film::{Film, Shown};
pub use kept::{Kept, Place};
pub use layout::{Layout, Reader};
pub use mp4::mp4;
pub use opus::ogg;
pub use webm::webm;

use bozzetto_core::recording::pieces::Broken;

/// Why no file can be made of a film.
#[derive(Debug, thiserror::Error)]
pub enum Fault {
    #[error(transparent)]
    Read(#[from] std::io::Error),
    #[error(transparent)]
    Broken(#[from] Broken),
    /// Nothing was kept, or nothing is left.
    #[error("there is no picture in it")]
    Empty,
    /// The file's kind does not hold such packets.
    #[error("a film like this cannot be in a file of that kind")]
    Kind,
    #[error("the film could not be written: {0}")]
    Mp4(String),
    #[error("the film could not be written: {0}")]
    Webm(String),
}

/// What this module returns.
pub type Result<T> = std::result::Result<T, Fault>;
