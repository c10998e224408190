//! A recording while it is made: begun, grown by pieces, gone on with from another tab, ended.

use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use axum::{Form, Json};
use bozzetto_core::capture::name::tidy_to;
use bozzetto_core::recording::pieces::{self, LARGEST};
use bytes::Bytes;
use rusqlite::Connection;
use serde::{Deserialize, Serialize};

use super::files::Films;
use super::film::find;
use super::queries::{self, Recording};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::log;

/// A recording of which nothing has come for so long is no longer being recorded, in milliseconds: pieces come each two
/// seconds.
const SILENT: i64 = 15_000;
/// The most bytes of what a recorder says of itself.
const MOST_HOW: usize = 4000;

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/recordings";
    const ONE: &str = "/lessons/{lesson}/recordings/{recording}";
    Routes::of(Access::Presenter)
        .post(ALL, begin)
        .upload(&format!("{ONE}/pieces"), grow, LARGEST)
        .post(&format!("{ONE}/go-on"), go_on)
        .post(&format!("{ONE}/end"), end)
        .get(&format!("{ALL}/unfinished"), unfinished)
        .get(&format!("{ALL}/room"), room)
        .post(&format!("{ALL}/by-itself"), by_itself)
        .post("/lessons/{lesson}/moments", mark)
}

type Which = Path<(i64, i64)>;

/// What a recorder has to know.
#[derive(Serialize)]
struct Told {
    id: i64,
    name: String,
    /// The number of the next piece.
    pieces: u32,
    bytes: u64,
    /// In microseconds.
    lasts: u64,
    how: serde_json::Value,
    /// How many bytes more can be kept.
    room: u64,
    /// Another tab is at it.
    elsewhere: bool,
}

/// `by` is the tab that is told.
fn told(app: &App, recording: Recording, by: &str) -> Json<Told> {
    Json(Told {
        id: recording.id,
        pieces: recording.pieces,
        bytes: recording.bytes,
        lasts: recording.lasts,
        how: serde_json::from_str(&recording.how).unwrap_or_default(),
        room: app.room.for_recordings(),
        elsewhere: recording.recorder != by && crate::now() - recording.heard_at < SILENT,
        name: recording.name,
    })
}

#[derive(Deserialize)]
struct Begin {
    /// The tab that records.
    recorder: String,
    /// What was chosen, as JSON.
    how: String,
}

async fn begin(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(new): Form<Begin>,
) -> Result<Response> {
    let is_json = serde_json::from_str::<serde_json::Value>(&new.how).is_ok();
    if !is_json || new.how.len() > MOST_HOW || new.recorder.len() > 64 {
        return Err(AppError::Unusable("That is no recording.".to_owned()));
    }
    if app.room.for_recordings() == 0 {
        return Err(AppError::Full(
            "There is no room for a recording: the disk or the data folder is full.".to_owned(),
        ));
    }
    let by = new.recorder.clone();
    let write = move |conn: &Connection| {
        if let Some(running) = queries::unfinished(conn, lesson)? {
            if running.recorder != new.recorder && crate::now() - running.heard_at < SILENT {
                return Ok(None);
            }
            // What broke off is kept as it is.
            queries::end(conn, running.id, None)?;
        }
        let name = name(conn, lesson)?;
        let id = queries::begin(
            conn,
            lesson,
            &name,
            &Films::new_name(),
            &new.recorder,
            &new.how,
        )?;
        queries::one(conn, id)
    };
    match app.store.write(write).await? {
        Some(recording) => Ok(told(&app, recording, &by).into_response()),
        None => Ok(refused("This lesson is being recorded in another tab.")),
    }
}

/// What a new recording is called: as its lesson, and with a number where it has others.
fn name(conn: &Connection, lesson: i64) -> crate::store::Result<String> {
    let lesson_name =
        log::tables(conn, lesson)?.map_or_else(String::new, |tables| tables.stage.name);
    let count: i64 = conn
        .prepare_cached("SELECT count(*) FROM recording WHERE lesson = ?1")?
        .query_row([lesson], |row| row.get(0))?;
    Ok(match count {
        0 => lesson_name,
        count => format!("{lesson_name}, recording {}", count + 1),
    })
}

/// It cannot be done as things are; says why.
fn refused(why: &'static str) -> Response {
    (StatusCode::CONFLICT, [("x-bozzetto-says", why)]).into_response()
}

/// One that has not been binned.
async fn there(app: &App, id: i64) -> Result<Recording> {
    let found = find(app, id).await?;
    match found.deleted_at {
        None => Ok(found),
        Some(_) => Err(AppError::NotFound),
    }
}

#[derive(Deserialize)]
struct Recorder {
    recorder: String,
}

/// Keeps a piece. One that is there already is taken as kept: its acknowledgement was lost.
async fn grow(
    State(app): State<App>,
    Path((_, id)): Which,
    Query(from): Query<Recorder>,
    piece: Bytes,
) -> Result<Response> {
    let recording = there(&app, id).await?;
    if recording.recorder != from.recorder {
        return Ok(refused("This recording goes on in another tab."));
    }
    if recording.ended_at.is_some() {
        return Ok(refused("This recording has been ended."));
    }
    let unusable = |_| AppError::Unusable("What came is no piece of a recording.".to_owned());
    let (head, _) = pieces::opened(&piece).map_err(unusable)?;
    if head.number < recording.pieces {
        return Ok(told(&app, recording, &from.recorder).into_response());
    }
    if head.number > recording.pieces || head.from < recording.lasts {
        return Err(AppError::Unusable(
            "A piece of the recording is missing before this one.".to_owned(),
        ));
    }
    if (piece.len() as u64) > app.room.for_recordings() {
        return Ok(refused(
            "The server's disk or data folder is full: the recording ends here.",
        ));
    }
    let bytes = recording.bytes + piece.len() as u64;
    app.films
        .append(&recording.file, recording.bytes, piece)
        .await?;
    let write = move |conn: &Connection| {
        let grown = queries::grown(conn, id, head.number, bytes, head.to)?;
        Ok((grown, queries::one(conn, id)?))
    };
    match app.store.write(write).await? {
        (true, Some(recording)) => Ok(told(&app, recording, &from.recorder).into_response()),
        _ => Ok(refused("This recording goes on in another tab.")),
    }
}

/// A tab goes on with what another one began.
async fn go_on(
    State(app): State<App>,
    Path((_, id)): Which,
    Form(by): Form<Recorder>,
) -> Result<Response> {
    let recording = there(&app, id).await?;
    if recording.recorder != by.recorder
        && crate::now() - recording.heard_at < SILENT
        && recording.ended_at.is_none()
    {
        return Ok(refused("This lesson is being recorded in another tab."));
    }
    let recorder = by.recorder.clone();
    let write = move |conn: &Connection| {
        queries::take_over(conn, id, &recorder)?;
        queries::one(conn, id)
    };
    let recording = app.store.write(write).await?.ok_or(AppError::NotFound)?;
    Ok(told(&app, recording, &by.recorder).into_response())
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct End {
    /// The limit that ended it, in words.
    by: String,
}

async fn end(
    State(app): State<App>,
    Path((_, id)): Which,
    Form(end): Form<End>,
) -> Result<Response> {
    let by = tidy_to(&end.by, 80);
    let write = move |conn: &Connection| queries::end(conn, id, by.as_deref());
    app.store.write(write).await?;
    Ok(StatusCode::NO_CONTENT.into_response())
}

/// The recording of the lesson that has not been ended, if there is one.
async fn unfinished(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Query(by): Query<Recorder>,
) -> Result<Response> {
    let found = app
        .store
        .read(move |conn| queries::unfinished(conn, lesson))
        .await?;
    Ok(match found {
        Some(recording) => told(&app, recording, &by.recorder).into_response(),
        None => StatusCode::NO_CONTENT.into_response(),
    })
}

#[derive(Deserialize)]
struct ByItself {
    on: bool,
}

/// One begins when the lesson is opened next, or does not.
async fn by_itself(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(wanted): Form<ByItself>,
) -> Result<StatusCode> {
    app.store
        .write(move |conn| queries::set_by_itself(conn, lesson, wanted.on))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How many bytes more recordings may have.
async fn room(State(app): State<App>) -> String {
    app.room.for_recordings().to_string()
}

/// Marks this moment of the lesson.
async fn mark(State(app): State<App>, Path(lesson): Path<i64>) -> Result<String> {
    let at = crate::now();
    Ok(app
        .store
        .write(move |conn| queries::mark(conn, lesson, at, None))
        .await?)
}
