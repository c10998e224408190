//! The page on which a recording is watched by whoever it was given to: by a link, or as a take-away.

use askama::Template;
use bozzetto_core::recording::cuts::Chapter;

use super::film;
use super::queries::Recording;
use crate::app::App;
use crate::error::Result;

#[derive(Template)]
#[template(path = "watch.html")]
pub struct Watch {
    name: String,
    length: String,
    /// Where its files are.
    own: String,
    /// Another one when what is shown is another.
    version: String,
    chapters: Vec<Chapter>,
    /// WebM holds what is in it.
    webm: bool,
    captions: bool,
    poster: bool,
    /// Without anything around it.
    alone: bool,
}

impl Watch {
    /// Of a recording whose files are at the address `own`.
    pub async fn new(app: &App, recording: &Recording, own: String, alone: bool) -> Result<Self> {
        let film = film::film(app, recording).await?;
        Ok(Self {
            name: recording.name.clone(),
            length: film::time(film.seconds()),
            own,
            version: recording.version(),
            webm: film.is_webm(),
            chapters: film.chapters,
            captions: recording.captions.is_some(),
            poster: recording.poster.is_some(),
            alone,
        })
    }
}
