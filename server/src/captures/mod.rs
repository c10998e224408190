//! Captures: pictures taken of the stage, kept, handed out and downloaded.

mod all;
mod also;
mod bench;
mod marking;
mod queries;
mod routes;
mod sending;
mod several;
mod take;

pub use also::catch_up;
pub use marking::capture_of;
pub use queries::{Files, handed_out, handed_out_files, rename, set_handed_out};
pub use routes::download;
pub use take::{Frame, remake, take, take_whole};

use crate::door::Routes;

pub fn routes() -> Routes {
    routes::routes()
        .merge(all::routes())
        .merge(bench::routes())
        .merge(sending::routes())
        .merge(several::routes())
}
