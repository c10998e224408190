//! Captures: pictures taken of the stage, kept, handed out and downloaded.

mod queries;
mod routes;
mod take;

pub use queries::{handed_out, handed_out_file, rename, set_handed_out};
pub use routes::{download, routes};
pub use take::{Frame, compose, take};
