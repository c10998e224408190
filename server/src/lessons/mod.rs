//! Home: the lessons, each with its running order in small pictures.

pub mod queries;
mod routes;
pub mod thumbnails;

pub use routes::{named, routes};
