//! Who may do what: presenters, participants, and people who guess.

pub mod browser;
pub mod guessing;
pub mod participant;
pub mod passphrase;
pub mod presenter;
pub mod sessions;
pub mod signing;
pub mod token;
