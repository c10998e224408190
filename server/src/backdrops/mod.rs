//! Backdrops: what people put on stage. One file to a kind, apart from where they are arranged:
//! the [running order](order) and the [library].

mod addresses;
mod boards;
mod bring;
mod documents;
mod library;
mod order;
mod pictures;
pub mod queries;
mod routes;
mod videos;
mod web_pages;

pub use boards::add as add_board;
pub use bring::{About, add};
pub use documents::Documents;
pub use pictures::Pictures;
pub use routes::{FRAME, follow, routes, serve_media};
pub use web_pages::serve as serve_web_page;
