//! Worksheets: pictures with an instruction that participants mark, each on a sheet of their own, and hand in.
//!
//! What somebody draws on a worksheet is a lesson of its own that is in no list and that nobody can join: so it is kept,
//! resumed and undone as on the stage, from several devices too.

mod files;
mod mine;
mod one;
mod prepare;
mod queries;
mod snapshots;
mod wall;

use jiff::Timestamp;
use jiff::tz::TimeZone;

pub use prepare::give_whole;
pub use queries::{answered_in, begun_by, drawn_in, hand_in, new_for};
pub use snapshots::forget as forget_snapshots;

use crate::door::Routes;

pub fn for_participants() -> Routes {
    mine::routes().merge(snapshots::routes())
}

pub fn for_presenters() -> Routes {
    prepare::routes()
        .merge(wall::routes())
        .merge(one::routes())
        .merge(files::routes())
}

/// A time of day, in milliseconds since 1970, as people here write it.
pub fn clock(at: u64) -> String {
    Timestamp::from_millisecond(at as i64)
        .unwrap_or(Timestamp::UNIX_EPOCH)
        .to_zoned_datetime(TimeZone::system())
        .strftime("%H:%M")
        .to_string()
}
