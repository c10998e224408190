//! Worksheets: pictures with an instruction that participants mark, each on a sheet of their own, and hand in.
//!
//! What somebody draws on a worksheet is a lesson of its own that is in no list and that nobody can join: so it is kept,
//! resumed and undone as on the stage, from several devices too.

mod mine;
mod prepare;
mod queries;
mod wall;

pub use mine::routes as for_participants;
pub use queries::given;

use crate::door::Routes;

pub fn for_presenters() -> Routes {
    prepare::routes().merge(wall::routes())
}
