//! Snapshots: pictures that participants keep of what they saw, each a sheet of their own to write on. Nobody else has
//! them, the presenter neither.

use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Redirect, Response};
use bozzetto_core::people::sent::{LARGEST, MOST_SNAPSHOTS};
use rusqlite::{Connection, params};

use super::clock;
use super::queries::{self, Worksheet};
use crate::app::App;
use crate::backdrops::{self, ReadPicture};
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::follower;
use crate::media;
use crate::stage::placed;
use crate::store;

pub fn routes() -> Routes {
    /// A form has some bytes around its file.
    const LIMIT: usize = 2 * LARGEST as usize;
    Routes::of(Access::Participant)
        .upload("/follow/{lesson}/snapshots", keep, LIMIT)
        .post("/follow/{lesson}/mine/{worksheet}/delete", delete)
}

/// Keeps a picture of what a participant sees.
async fn keep(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
    form: std::result::Result<Multipart, MultipartRejection>,
) -> Result<Response> {
    let who = follower(&app, lesson, &headers).await?.id;
    let broken = |_| AppError::Unusable("The snapshot broke off on its way.".to_owned());
    let none = || AppError::Unusable("There was no picture.".to_owned());
    let mut form = form.map_err(|_| none())?;
    let field = form.next_field().await.map_err(broken)?.ok_or_else(none)?;
    let incoming = backdrops::received(&app, field, LARGEST).await?;
    let read = backdrops::read_picture(&app, incoming.ok_or_else(none)?).await?;
    let read = read.map_err(AppError::Unusable)?;
    let write = move |conn: &Connection| add(conn, lesson, who, &read);
    match app.store.write(write).await? {
        true => Ok(StatusCode::CREATED.into_response()),
        false => Err(AppError::Unusable(format!(
            "You have {MOST_SNAPSHOTS} snapshots of this lesson: delete some of them first."
        ))),
    }
}

/// One that was kept is a worksheet that its author alone has, and that is never closed.
fn add(conn: &Connection, lesson: i64, person: i64, picture: &ReadPicture) -> store::Result<bool> {
    if of(conn, lesson, person)?.len() >= MOST_SNAPSHOTS {
        return Ok(false);
    }
    let now = crate::now();
    let placed = placed::keep(conn, &picture.file)?;
    let id: i64 = conn
        .prepare_cached(
            "INSERT INTO worksheet (lesson, name, instruction, media, placed, width, height, place, made_at, opened_at,
                 only_chosen, snapshot_of)
             VALUES (?1, ?2, '', ?3, ?4, ?5, ?6, 0, ?7, ?7, 1, ?8) RETURNING id",
        )?
        .query_row(
            params![
                lesson,
                format!("Snapshot {}", clock(now as u64)),
                picture.file.sha,
                placed as i64,
                picture.width,
                picture.height,
                now,
                person
            ],
            |row| row.get(0),
        )?;
    conn.prepare_cached("INSERT INTO worksheet_for (worksheet, participant) VALUES (?1, ?2)")?
        .execute([id, person])?;
    Ok(true)
}

/// Those that a participant has kept, the last one first.
pub fn of(conn: &Connection, lesson: i64, person: i64) -> store::Result<Vec<Worksheet>> {
    queries::snapshots(conn, lesson, person)
}

async fn delete(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Redirect> {
    let who = follower(&app, lesson, &headers).await?.id;
    let write = move |conn: &Connection| {
        let own = of(conn, lesson, who)?.iter().any(|sheet| sheet.id == id);
        own.then(|| forget(conn, lesson, Some(who), Some(id)))
            .transpose()
    };
    let files = app.store.write(write).await?.ok_or(AppError::NotFound)?;
    media::remove_unused(&app, files).await?;
    Ok(Redirect::to(&format!("/follow/{lesson}/mine")))
}

/// Removes one snapshot or all, of one participant or of everybody in a lesson; gives the files.
pub fn forget(
    conn: &Connection,
    lesson: i64,
    person: Option<i64>,
    one: Option<i64>,
) -> store::Result<Vec<String>> {
    let mut files = Vec::new();
    let mut of = conn.prepare_cached(
        "SELECT id, placed, media FROM worksheet
         WHERE lesson = ?1 AND snapshot_of IS NOT NULL AND (?2 IS NULL OR snapshot_of = ?2) AND (?3 IS NULL OR id = ?3)",
    )?;
    let rows = of.query_map(params![lesson, person, one], |row| {
        Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?, row.get(2)?))
    })?;
    for (id, placed, media) in rows.collect::<rusqlite::Result<Vec<_>>>()? {
        conn.prepare_cached("DELETE FROM worksheet WHERE id = ?1")?
            .execute([id])?;
        conn.prepare_cached("DELETE FROM placed WHERE id = ?1")?
            .execute([placed])?;
        files.push(media);
    }
    Ok(files)
}
