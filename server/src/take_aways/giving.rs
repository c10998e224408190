//! The presenter's side: files and links are handed out, put in order, taken back.

use askama::Template;
use axum::Form;
use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::extract::{Path, State};
use axum::response::Html;
use bozzetto_core::capture::name::{MAX_NAME, tidy_to};
use bozzetto_core::people::take_away::{LARGEST, MOST};
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, NewFile, TakeAway};
use crate::app::App;
use crate::backdrops;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::recordings::Handed;

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/take-aways";
    const ONE: &str = "/lessons/{lesson}/take-aways/{take_away}";
    /// Several files at once, each with some bytes around it.
    const LIMIT: usize = 5 * LARGEST as usize;
    Routes::of(Access::Presenter)
        .get(ALL, list)
        .upload(&format!("{ALL}/files"), give_files, LIMIT)
        .post(&format!("{ALL}/links"), give_link)
        .post(&format!("{ONE}/earlier"), earlier)
        .post(&format!("{ONE}/later"), later)
        .post(&format!("{ONE}/delete"), delete)
        .post(&format!("{ONE}/restore"), restore)
}

type Which = Path<(i64, i64)>;

#[derive(Template)]
#[template(path = "take_aways_given.html")]
struct List {
    lesson: i64,
    given: Vec<TakeAway>,
    /// What was taken back just now.
    removed: Option<(i64, String)>,
}

async fn shown(app: &App, lesson: i64) -> Result<Html<String>> {
    let read = move |conn: &Connection| {
        let given = queries::of_lesson(conn, lesson)?;
        Ok((given, queries::removed(conn, lesson)?))
    };
    let (given, removed) = app.store.read(read).await?;
    let list = List {
        lesson,
        given,
        removed,
    };
    Ok(Html(list.render()?))
}

/// Has everybody look, and shows what there is now.
async fn changed(app: &App, lesson: i64) -> Result<Html<String>> {
    app.live.tell(lesson, Command::MineChanged).await;
    shown(app, lesson).await
}

async fn list(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    shown(&app, lesson).await
}

async fn is_full(app: &App, lesson: i64) -> Result<()> {
    let all = app.store.read(move |conn| queries::of_lesson(conn, lesson));
    match all.await?.len() < MOST {
        true => Ok(()),
        false => Err(AppError::Unusable(format!(
            "{MOST} files and links are handed out: take some of them back first."
        ))),
    }
}

async fn give_files(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    form: std::result::Result<Multipart, MultipartRejection>,
) -> Result<Html<String>> {
    let none = |_| AppError::Unusable("There was no file.".to_owned());
    let broken = |_| AppError::Unusable("It broke off on its way. Bring it again.".to_owned());
    let mut form = form.map_err(none)?;
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let file = field.file_name().unwrap_or_default().replace("%22", "\"");
        let incoming = backdrops::received(&app, field, LARGEST).await?;
        if file.is_empty() {
            continue;
        }
        is_full(&app, lesson).await?;
        let incoming = incoming.ok_or_else(|| {
            AppError::Unusable(format!("{file} is larger than {} MB.", LARGEST >> 20))
        })?;
        let (bytes, name) = (incoming.bytes(), backdrops::name_of(&file));
        // Nothing of it is read: it is given out as it came, and never as a page.
        let kept = backdrops::kept(incoming, "application/octet-stream").await?;
        let ending = file.rsplit_once('.').map_or("", |(_, ending)| ending);
        let simple = ending.len() <= 8 && ending.chars().all(|c| c.is_ascii_alphanumeric());
        let new = NewFile {
            file: kept,
            ending: if simple {
                ending.to_lowercase()
            } else {
                String::new()
            },
            bytes,
        };
        app.store
            .write(move |conn| queries::add_file(conn, lesson, &name, &new))
            .await?;
    }
    changed(&app, lesson).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Link {
    words: String,
    address: String,
}

async fn give_link(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(link): Form<Link>,
) -> Result<Html<String>> {
    let (address, _) = backdrops::with_scheme(&link.address)?;
    is_full(&app, lesson).await?;
    let name = tidy_to(&link.words, MAX_NAME).unwrap_or_else(|| address.clone());
    app.store
        .write(move |conn| queries::add_link(conn, lesson, &name, &address))
        .await?;
    changed(&app, lesson).await
}

/// Hands out a recording, or these parts of it, in seconds of the whole.
pub async fn hand_out_recording(
    app: &App,
    lesson: i64,
    name: &str,
    recording: i64,
    parts: Option<Vec<(f64, f64)>>,
) -> Result<()> {
    is_full(app, lesson).await?;
    let name = name.to_owned();
    let add = move |conn: &Connection| {
        queries::add_recording(conn, lesson, &name, recording, parts.as_deref())
    };
    app.store.write(add).await?;
    app.live.tell(lesson, Command::MineChanged).await;
    Ok(())
}

/// Hands out the lesson, to be shown again.
pub async fn hand_out_replay(app: &App, lesson: i64, name: &str, handed: Handed) -> Result<()> {
    is_full(app, lesson).await?;
    let name = name.to_owned();
    let add = move |conn: &Connection| queries::add_replay(conn, lesson, &name, &handed);
    app.store.write(add).await?;
    app.live.tell(lesson, Command::MineChanged).await;
    Ok(())
}

async fn earlier(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::shift(conn, lesson, id, false))
        .await?;
    changed(&app, lesson).await
}

async fn later(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::shift(conn, lesson, id, true))
        .await?;
    changed(&app, lesson).await
}

async fn delete(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, true))
        .await?;
    changed(&app, lesson).await
}

async fn restore(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, false))
        .await?;
    changed(&app, lesson).await
}
