//! Films of lessons: written piece by piece while they are recorded, and given out as files that players read. And lessons that
//! are shown again.

mod chapters;
mod files;
mod film;
mod growing;
mod handed_out;
mod links;
mod pages;
pub mod queries;
mod replay;
mod showing;
mod watch;

pub use files::{FOLDER, Films, forget_old};
pub use film::time;
pub use links::DAYS;
pub use pages::KEPT;
pub use showing::{Handed, Replays};

use crate::door::Routes;

pub fn for_presenters() -> Routes {
    growing::routes()
        .merge(film::routes())
        .merge(pages::routes())
        .merge(links::for_presenters())
        .merge(replay::for_presenters())
}

/// With what was handed out, and with links.
pub fn for_others() -> Routes {
    links::for_anybody()
        .merge(handed_out::routes())
        .merge(replay::for_participants())
}
