//! An address names a lesson, and perhaps a backdrop or a capture of it. This sees to it that they
//! are there and belong together, before any handler runs or an upload is read.

use axum::extract::{MatchedPath, RawPathParams, Request, State};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use rusqlite::Connection;

use crate::app::App;
use crate::error::AppError;
use crate::store;

/// What an address names.
#[derive(Default, Clone, Copy)]
struct Names {
    lesson: Option<i64>,
    backdrop: Option<i64>,
    capture: Option<i64>,
    worksheet: Option<i64>,
    answer: Option<i64>,
    person: Option<i64>,
    question: Option<i64>,
    sent: Option<i64>,
    take_away: Option<i64>,
    recording: Option<i64>,
    /// Where what was deleted is brought back.
    restores: bool,
    /// A participant's address: what they have kept for themselves is theirs alone.
    follows: bool,
    /// Where a backdrop is one of the library's.
    library: bool,
}

/// Lets through what names things that belong together; 404 for all else.
pub async fn check(
    State(app): State<App>,
    matched: MatchedPath,
    params: RawPathParams,
    request: Request,
    next: Next,
) -> Response {
    let mut names = Names {
        restores: matched.as_str().ends_with("/restore"),
        follows: matched.as_str().starts_with("/follow"),
        library: matched.as_str().starts_with("/library"),
        ..Names::default()
    };
    for (name, value) in &params {
        let place = match name {
            "lesson" => &mut names.lesson,
            "backdrop" => &mut names.backdrop,
            "capture" => &mut names.capture,
            "worksheet" => &mut names.worksheet,
            "answer" => &mut names.answer,
            "person" => &mut names.person,
            "question" => &mut names.question,
            "sent" => &mut names.sent,
            "take_away" => &mut names.take_away,
            "recording" => &mut names.recording,
            _ => continue,
        };
        match value.parse() {
            Ok(id) => *place = Some(id),
            Err(_) => return AppError::NotFound.into_response(),
        }
    }
    if names.lesson.is_none() && names.backdrop.is_none() {
        return next.run(request).await;
    }
    match app.store.read(move |conn| belong(conn, names)).await {
        Ok(true) => next.run(request).await,
        Ok(false) => AppError::NotFound.into_response(),
        Err(e) => AppError::from(e).into_response(),
    }
}

fn belong(conn: &Connection, names: Names) -> store::Result<bool> {
    if let Some(lesson) = names.lesson {
        // A lesson is brought back as a whole; what is in it only while it is there itself.
        let whole = [
            names.backdrop,
            names.capture,
            names.worksheet,
            names.take_away,
            names.recording,
        ]
        .iter()
        .all(Option::is_none);
        let deleted = names.restores && whole;
        let there = conn
            .prepare_cached("SELECT 1 FROM lesson l WHERE id = ?1 AND (?2 OR deleted_at IS NULL)
                   AND NOT EXISTS (SELECT 1 FROM worksheet WHERE id = l.answers AND snapshot_of IS NOT NULL)")?
            .exists(rusqlite::params![lesson, deleted])?;
        if !there {
            return Ok(false);
        }
    }
    if let (Some(lesson), Some(person)) = (names.lesson, names.person) {
        return Ok(conn
            .prepare_cached("SELECT 1 FROM participant WHERE id = ?1 AND lesson = ?2")?
            .exists([person, lesson])?);
    }
    if let (Some(lesson), Some(question)) = (names.lesson, names.question) {
        return Ok(conn
            .prepare_cached("SELECT 1 FROM question WHERE id = ?1 AND lesson = ?2")?
            .exists([question, lesson])?);
    }
    if let (Some(lesson), Some(sent)) = (names.lesson, names.sent) {
        return Ok(conn
            .prepare_cached("SELECT 1 FROM sent WHERE id = ?1 AND lesson = ?2")?
            .exists([sent, lesson])?);
    }
    if let (Some(lesson), Some(take_away)) = (names.lesson, names.take_away) {
        return Ok(conn
            .prepare_cached(
                "SELECT 1 FROM take_away WHERE id = ?1 AND lesson = ?2 AND (?3 OR deleted_at IS NULL)",
            )?
            .exists(rusqlite::params![take_away, lesson, names.restores])?);
    }
    if let (Some(lesson), Some(recording)) = (names.lesson, names.recording) {
        // One that was binned can be looked at and had again.
        return Ok(conn
            .prepare_cached("SELECT 1 FROM recording WHERE id = ?1 AND lesson = ?2")?
            .exists([recording, lesson])?);
    }
    if let (Some(lesson), Some(worksheet)) = (names.lesson, names.worksheet) {
        let there = conn
            .prepare_cached(
                "SELECT 1 FROM worksheet WHERE id = ?1 AND lesson = ?2 AND (?3 OR deleted_at IS NULL)
                   AND (?4 OR snapshot_of IS NULL)",
            )?
            .exists(rusqlite::params![
                worksheet,
                lesson,
                names.restores,
                names.follows
            ])?;
        let answered = match names.answer {
            Some(answer) => conn
                .prepare_cached("SELECT 1 FROM answer WHERE id = ?1 AND worksheet = ?2")?
                .exists([answer, worksheet])?,
            None => true,
        };
        return Ok(there && answered);
    }
    if let Some(backdrop) = names.backdrop {
        let of = names.lesson.filter(|_| !names.library);
        let there = conn
            .prepare_cached(
                "SELECT 1 FROM backdrop
                 WHERE id = ?1 AND lesson IS ?2 AND (?3 OR deleted_at IS NULL)",
            )?
            .exists(rusqlite::params![backdrop, of, names.restores])?;
        if !there {
            return Ok(false);
        }
    }
    if let (Some(lesson), Some(capture)) = (names.lesson, names.capture) {
        // What can be done with a deleted capture is to look at it and bring it back.
        return Ok(conn
            .prepare_cached("SELECT 1 FROM capture WHERE id = ?1 AND lesson = ?2")?
            .exists([capture, lesson])?);
    }
    Ok(true)
}
