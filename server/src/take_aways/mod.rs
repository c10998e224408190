//! Take-aways that are no captures: files and links, in the presenter's order.

mod giving;
mod queries;
mod taking;

pub use giving::{hand_out_recording, hand_out_replay, routes as for_presenters};
pub use queries::{What, for_participants as handed_out, note_opened, opened_by};
pub use taking::{find, routes as for_participants};
