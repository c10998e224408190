//! The Bozzetto server: keeps lessons, orders their changes and hands them round.
//!
//! One folder for each thing a person does: [`lessons`] (home), [`backdrops`] (what is put on
//! stage), [`stage`], [`captures`] and [`follow`]. The plumbing is apart: [`store`] (SQLite), [`media`] (files), [`live`] (open
//! lessons), [`auth`] (who may do what), [`settings`], [`assets`] (what pages are made of) and [`upkeep`]
//! (backups). [`app`] is what all handlers share, [`router`] which address leads to which handler.

pub mod app;
pub mod asking;
pub mod assets;
pub mod auth;
pub mod backdrops;
pub mod captures;
pub mod cli;
pub mod demo;
pub mod door;
pub mod error;
pub mod follow;
pub mod headers;
pub mod lessons;
pub mod live;
pub mod lock;
pub mod media;
mod membership;
pub mod people;
mod private;
pub mod recordings;
pub mod render;
pub mod room;
pub mod router;
pub mod seats;
pub mod sent;
pub mod serve;
mod serving;
pub mod settings;
pub mod stage;
pub mod store;
mod table;
pub mod take_aways;
pub mod upkeep;
pub mod worksheets;

/// Milliseconds since 1970.
pub fn now() -> i64 {
    jiff::Timestamp::now().as_millisecond()
}
