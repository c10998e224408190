//! Captures: pictures taken of the stage, kept, handed out and downloaded.

mod all;
mod also;
mod behind;
mod bench;
mod everywhere;
mod marking;
mod queries;
mod routes;
mod sending;
mod several;
mod take;

pub use marking::{Ending, capture_of};
pub use queries::{
    Files, frames, handed_out, handed_out_files, note_opened, opened_by, place, rename,
    set_handed_out,
};
pub use routes::{download, download_as};
pub use several::{Names, Paper, as_file, zipped};
pub use take::{Frame, print_of, remake, take, take_whole};

use crate::app::App;
use crate::door::Routes;

pub fn routes() -> Routes {
    routes::routes()
        .merge(all::routes())
        .merge(bench::routes())
        .merge(everywhere::routes())
        .merge(sending::routes())
        .merge(several::routes())
}

/// Does what was left when the server ended: what is to be hidden in further captures, or could not be saved elsewhere.
pub async fn catch_up(app: &App) {
    if let Err(e) = behind::catch_up(app).await {
        tracing::warn!("{e}");
    }
    also::catch_up(app).await;
}
