//! The presenter's side: what waits is looked at, taken onto the stage with its sender's name or without, or thrown away.

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::{Html, Response};
use bozzetto_core::geometry::ids::{BackdropId, PersonId};
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Sent};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::serving;

pub fn routes() -> Routes {
    const SENT: &str = "/lessons/{lesson}/sent";
    const ONE: &str = "/lessons/{lesson}/sent/{sent}";
    Routes::of(Access::Presenter)
        .get(SENT, list)
        .get(&format!("{ONE}/picture"), picture)
        .post(&format!("{ONE}/take"), take)
        .post(&format!("{ONE}/throw-away"), throw_away)
        .post(&format!("{ONE}/wait"), wait)
}

type Which = Path<(i64, i64)>;

#[derive(Template)]
#[template(path = "sent_in.html")]
struct List {
    lesson: i64,
    waiting: Vec<Sent>,
    /// What was thrown away just now.
    thrown: Option<Sent>,
}

async fn shown(app: &App, lesson: i64) -> Result<Html<String>> {
    let read = move |conn: &Connection| {
        Ok((
            queries::waiting(conn, lesson)?,
            queries::thrown(conn, lesson)?,
        ))
    };
    let (waiting, thrown) = app.store.read(read).await?;
    let list = List {
        lesson,
        waiting,
        thrown,
    };
    Ok(Html(list.render()?))
}

async fn list(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    shown(&app, lesson).await
}

async fn picture(
    State(app): State<App>,
    Path((_, id)): Which,
    headers: HeaderMap,
) -> Result<Response> {
    let found = app.store.read(move |conn| queries::picture(conn, id));
    serving::media(&app, found.await?.ok_or(AppError::NotFound)?, &headers).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct How {
    /// Under its sender's name.
    named: bool,
}

async fn take(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(how): Form<How>,
) -> Result<Html<String>> {
    let write = move |conn: &Connection| queries::take(conn, lesson, id, how.named);
    if let Some(taken) = app.store.write(write).await? {
        let backdrop = BackdropId(taken.backdrop as u64);
        let goto = Some(backdrop);
        app.live.tell(lesson, Command::Changed { goto }).await;
        if taken.screen {
            let of = PersonId(taken.by as u64);
            app.live
                .tell(lesson, Command::Screen { backdrop, of })
                .await;
        }
        app.live.tell(lesson, Command::SentChanged).await;
    }
    shown(&app, lesson).await
}

async fn throw_away(State(app): State<App>, Path(which): Which) -> Result<Html<String>> {
    set_thrown(&app, which, true).await
}

async fn wait(State(app): State<App>, Path(which): Which) -> Result<Html<String>> {
    set_thrown(&app, which, false).await
}

async fn set_thrown(app: &App, (lesson, id): (i64, i64), thrown: bool) -> Result<Html<String>> {
    let write = move |conn: &Connection| queries::set_thrown(conn, id, thrown);
    let sender = app.store.write(write).await?;
    app.live.tell(lesson, Command::SentChanged).await;
    if let Some(sender) = sender {
        // Whoever offers a screen is told what became of it.
        let sender = PersonId(sender as u64);
        app.live.tell(lesson, Command::MineOfChanged(sender)).await;
    }
    shown(app, lesson).await
}
