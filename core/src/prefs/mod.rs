//! What a presenter sets: swatches, keys, and the room that all of it has to be seen in.

pub mod keys;
pub mod legibility;
pub mod settings;
