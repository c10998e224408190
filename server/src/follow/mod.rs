//! Following: participants join with the code, watch the stage on their own screens, and pick up
//! what is handed out.

mod cut;
mod files;
mod join;
mod routes;

pub use routes::{follower, routes};
