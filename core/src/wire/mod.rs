//! The messages between browser and server.

mod divided;
mod messages;

pub use divided::divided;
pub use messages::{
    BEAT, DEAD, FromServer, Goodbye, Hello, MAX_MESSAGE, OnStage, Person, Sees, Start, State,
    TakeAway, ToServer, VERSION, Welcome, Yours, asked_for, decode, encode,
};
