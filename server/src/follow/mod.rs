//! Following: participants join with the code, watch the stage on their own screens, and pick up
//! what is handed out.

mod cut;
pub mod files;
mod join;
mod news;
mod routes;

pub use join::LONGEST_NAME;
pub use news::News;
pub use routes::{follower, routes};
