//! What is new for a participant: counts at the places of their pages.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use rusqlite::Connection;
use serde::Serialize;

use super::routes::follower;
use crate::app::App;
use crate::asking;
use crate::auth::participant::Participant;
use crate::captures;
use crate::error::Result;
use crate::sent;
use crate::take_aways;
use crate::worksheets;

/// See the module's description.
#[derive(Serialize)]
pub struct News {
    /// How many questions wait for their answer on the stage.
    pub stage: usize,
    /// How many worksheets wait for something.
    pub mine: usize,
    /// Which take-aways have been opened.
    pub opened: Vec<i64>,
    /// How many have not.
    pub take_aways: usize,
    /// The screen that they offer was put aside by the presenter.
    pub screen_aside: bool,
}

impl News {
    pub async fn of(app: &App, lesson: i64, who: &Participant) -> Result<Self> {
        let participant = who.id;
        let read = move |conn: &Connection| {
            let opened = captures::opened_by(conn, lesson, participant)?;
            let known = take_aways::opened_by(conn, lesson, participant)?;
            let there = take_aways::handed_out(conn, lesson)?;
            let new = there.iter().filter(|t| !known.contains(&t.id)).count();
            let mine = worksheets::new_for(conn, lesson, participant)?;
            let aside = sent::screen_is_aside(conn, lesson, participant)?;
            Ok((mine, opened, new, aside))
        };
        let (mine, opened, files_and_links, screen_aside) = app.store.read(read).await?;
        // As far as participants know: nothing that was handed out while the lesson is paused.
        let out = app.live.shown(lesson).await?.take_aways;
        let new = out.iter().filter(|t| !opened.contains(&(t.id as i64)));
        Ok(Self {
            stage: asking::waits_for(app, lesson, who).await?.into(),
            mine,
            take_aways: new.count() + files_and_links,
            opened,
            screen_aside,
        })
    }
}

pub async fn news(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Json<News>> {
    let who = follower(&app, lesson, &headers).await?;
    Ok(Json(News::of(&app, lesson, &who).await?))
}
