//! Who may do what: presenters, participants, and people who guess.

pub mod participant;
pub mod passphrase;
pub mod presenter;
pub mod token;
pub mod wait;
