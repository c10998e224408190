//! The stage: the presenter's screen, and what it asks of the server.

pub mod pictures;
mod routes;
mod upload;

pub use routes::{routes, serve_media};
pub use upload::add as add_picture;
