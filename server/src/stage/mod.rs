//! The stage: the presenter's screen, and what it asks of the server.

mod ink_files;
mod joining;
pub mod placed;
mod routes;

pub use joining::public_address;
pub use routes::routes;
