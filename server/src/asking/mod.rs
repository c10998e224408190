//! Quick questions to all who are here: asked, answered, counted, shown.

mod answering;
mod presenting;
mod queries;

pub use answering::routes as for_participants;
pub use answering::waits_for;
pub use presenting::routes as for_presenters;
