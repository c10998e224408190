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

pub use addresses::with_scheme;
pub use boards::{add as add_board, begin_if_bare};
pub use bring::{About, add};
pub use bring::{ReadPicture, STILL, kept, name_of, read, read_picture, received};
pub use documents::{Wanted, show as show_page};
pub use pictures::{memory, placed_file, wanted};
pub use routes::{FRAME, routes};
pub use web_pages::{key as page_key, serve as serve_web_page};
