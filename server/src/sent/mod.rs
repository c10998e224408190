//! Photographs and files that participants send: they wait at the presenter's people key, who takes them onto the stage.

mod queries;
mod sending;
mod taking;

pub use queries::{forget, screen_is_aside};
pub use sending::routes as for_participants;
pub use taking::routes as for_presenters;
