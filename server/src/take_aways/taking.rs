//! The participant's side: files and links are picked up.

use askama::Template;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::{Html, IntoResponse, Redirect, Response};
use rusqlite::Connection;

use super::queries::{self, TakeAway, What};
use crate::app::App;
use crate::captures;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::follower;

pub fn routes() -> Routes {
    const ALL: &str = "/follow/{lesson}/files-and-links";
    Routes::of(Access::Participant)
        .get(ALL, list)
        .get(&format!("{ALL}/{{take_away}}"), take)
}

#[derive(Template)]
#[template(path = "take_aways_there.html")]
struct List {
    lesson: i64,
    there: Vec<TakeAway>,
    opened: Vec<i64>,
}

impl List {
    fn is_new(&self, id: &i64) -> bool {
        !self.opened.contains(id)
    }
}

async fn list(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Html<String>> {
    let who = follower(&app, lesson, &headers).await?.id;
    let read = move |conn: &Connection| {
        let there = queries::for_participants(conn, lesson)?;
        Ok((there, queries::opened_by(conn, lesson, who)?))
    };
    let (there, opened) = app.store.read(read).await?;
    let list = List {
        lesson,
        there,
        opened,
    };
    Ok(Html(list.render()?))
}

/// One of them, for a participant.
pub async fn find(app: &App, lesson: i64, id: i64, headers: &HeaderMap) -> Result<TakeAway> {
    follower(app, lesson, headers).await?;
    let read = move |conn: &Connection| queries::for_participants(conn, lesson);
    let found = app.store.read(read).await?.into_iter().find(|t| t.id == id);
    found.ok_or(AppError::NotFound)
}

async fn take(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let who = follower(&app, lesson, &headers).await?.id;
    let found = find(&app, lesson, id, &headers).await?;
    app.store
        .write(move |conn| queries::note_opened(conn, id, who))
        .await?;
    match found.what {
        What::Link(address) => Ok(Redirect::to(&address).into_response()),
        What::File { media, ending, .. } => {
            captures::download_as(&app, media, &found.name, &ending).await
        }
        What::Recording { .. } => {
            Ok(Redirect::to(&format!("/follow/{lesson}/films/{id}")).into_response())
        }
        What::Replay(_) => {
            Ok(Redirect::to(&format!("/follow/{lesson}/replays/{id}")).into_response())
        }
    }
}
