//! Captures: pictures taken of the stage, kept, handed out and downloaded.

mod queries;
mod routes;
mod take;

pub use queries::{Files, handed_out, handed_out_files, rename, set_handed_out};
pub use routes::{download, routes};
pub use take::{Frame, take};
