//! Backdrops in the database: those of lessons, and those kept in the library, which have none.

use bozzetto_core::capture::name::has_words;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::de::DeserializeOwned;

use crate::media::Written;
use crate::store::{Result, json};

/// A backdrop that is to be added.
pub struct New {
    pub name: String,
    pub kind: BackdropKind,
    pub file: Option<Written>,
    pub poster: Option<Written>,
    pub width: f64,
    pub height: f64,
    pub seen: ViewState,
}

/// Where a backdrop is added.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Whither {
    /// After what is on stage.
    Lesson(i64),
    /// After another one of the lesson.
    After {
        lesson: i64,
        backdrop: i64,
    },
    /// At the end of a lesson's running order.
    End(i64),
    Library,
}

impl Whither {
    /// The lesson, and the place in it.
    fn place(self, conn: &Connection) -> Result<(Option<i64>, f64)> {
        Ok(match self {
            Whither::Lesson(lesson) => (Some(lesson), place_after_current(conn, lesson)?),
            Whither::After { lesson, backdrop } => {
                (Some(lesson), place_behind(conn, lesson, backdrop)?)
            }
            Whither::End(lesson) => (Some(lesson), place_at_end(conn, lesson)?),
            Whither::Library => (None, 0.0),
        })
    }
}

const COLUMNS: &str = "id, name, width, height, kind, seen";

/// What is kept as JSON in a column.
fn read_json<T: DeserializeOwned>(row: &Row, column: usize) -> rusqlite::Result<T> {
    serde_json::from_str(&row.get::<_, String>(column)?).map_err(|e| {
        rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, Box::new(e))
    })
}

/// The kind of a backdrop, from the column that has it.
pub fn kind(row: &Row, column: usize) -> rusqlite::Result<BackdropKind> {
    read_json(row, column)
}

fn view(row: &Row) -> rusqlite::Result<BackdropView> {
    Ok(BackdropView {
        id: BackdropId(row.get::<_, i64>(0)? as u64),
        name: row.get(1)?,
        width: row.get(2)?,
        height: row.get(3)?,
        kind: kind(row, 4)?,
        seen: read_json(row, 5)?,
    })
}

/// A lesson's running order.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<BackdropView>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM backdrop WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY place, id"
    ))?;
    let rows = statement.query_map([lesson], view)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The backdrops that were taken out of a lesson's running order.
pub fn removed(conn: &Connection, lesson: i64) -> Result<Vec<BackdropId>> {
    let mut statement = conn
        .prepare_cached("SELECT id FROM backdrop WHERE lesson = ?1 AND deleted_at IS NOT NULL")?;
    let ids = statement.query_map([lesson], |row| Ok(BackdropId(row.get::<_, i64>(0)? as u64)))?;
    Ok(ids.collect::<rusqlite::Result<_>>()?)
}

/// What the library keeps whose name has all of these words, newest first.
pub fn in_library(conn: &Connection, words: &str) -> Result<Vec<BackdropView>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM backdrop WHERE lesson IS NULL AND deleted_at IS NULL ORDER BY id DESC"
    ))?;
    let all = statement.query_map([], view)?;
    let mut found = all.collect::<rusqlite::Result<Vec<_>>>()?;
    found.retain(|b| has_words(words, [b.name.as_str()]));
    Ok(found)
}

/// One backdrop, of whatever lesson or of the library.
pub fn one(conn: &Connection, id: i64) -> Result<Option<BackdropView>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM backdrop WHERE id = ?1 AND deleted_at IS NULL"
    ))?;
    Ok(statement.query_row([id], view).optional()?)
}

/// Adds a backdrop; gives its id.
pub fn add(conn: &Connection, whither: Whither, new: &New) -> Result<i64> {
    for file in new.file.iter().chain(&new.poster) {
        file.enter(conn)?;
    }
    let (lesson, place) = whither.place(conn)?;
    conn.prepare_cached(
        "INSERT INTO backdrop (lesson, place, name, kind, media, poster, width, height, seen)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
    )?
    .execute(params![
        lesson,
        place,
        new.name,
        json(&new.kind)?,
        new.file.as_ref().map(|f| &f.sha),
        new.poster.as_ref().map(|f| &f.sha),
        new.width,
        new.height,
        json(&new.seen)?
    ])?;
    Ok(conn.last_insert_rowid())
}

/// Halfway between what is on stage and what comes next, or at the end.
fn place_after_current(conn: &Connection, lesson: i64) -> Result<f64> {
    // One that has not been on stage yet begins with its first.
    let current: Option<i64> = conn
        .prepare_cached(
            "SELECT coalesce(current, (SELECT id FROM backdrop
               WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY place, id LIMIT 1))
             FROM lesson WHERE id = ?1",
        )?
        .query_row([lesson], |row| row.get(0))
        .optional()?
        .flatten();
    place_behind(conn, lesson, current.unwrap_or(0))
}

/// Halfway between a backdrop and what comes next, or at the end.
fn place_behind(conn: &Connection, lesson: i64, backdrop: i64) -> Result<f64> {
    let at: Option<f64> = conn
        .prepare_cached(
            "SELECT place FROM backdrop WHERE id = ?1 AND lesson = ?2 AND deleted_at IS NULL",
        )?
        .query_row([backdrop, lesson], |row| row.get(0))
        .optional()?;
    let Some(at) = at else {
        return place_at_end(conn, lesson);
    };
    let next: Option<f64> = conn
        .prepare_cached("SELECT min(place) FROM backdrop WHERE lesson = ?1 AND place > ?2")?
        .query_row(params![lesson, at], |row| row.get(0))?;
    Ok(next.map_or(at + 1.0, |next| (at + next) / 2.0))
}

fn place_at_end(conn: &Connection, lesson: i64) -> Result<f64> {
    let end: Option<f64> = conn
        .prepare_cached("SELECT max(place) FROM backdrop WHERE lesson = ?1")?
        .query_row([lesson], |row| row.get(0))?;
    Ok(end.unwrap_or(0.0) + 1.0)
}

/// Puts the lesson's backdrops in this order; those that are not named stay where they are among
/// the others.
pub fn reorder(conn: &Connection, lesson: i64, order: &[i64]) -> Result<()> {
    let mut place =
        conn.prepare_cached("SELECT place FROM backdrop WHERE id = ?1 AND lesson = ?2")?;
    let mut own = Vec::new();
    for id in order {
        let at: Option<f64> = place
            .query_row(params![id, lesson], |row| row.get(0))
            .optional()?;
        own.extend(at.map(|at| (*id, at)));
    }
    let mut places: Vec<f64> = own.iter().map(|(_, at)| *at).collect();
    places.sort_by(f64::total_cmp);
    let mut update = conn.prepare_cached("UPDATE backdrop SET place = ?1 WHERE id = ?2")?;
    for ((id, _), at) in own.iter().zip(places) {
        update.execute(params![at, id])?;
    }
    Ok(())
}

/// Renames a backdrop of a lesson, or of the library.
pub fn rename(conn: &Connection, lesson: Option<i64>, id: i64, name: &str) -> Result<()> {
    conn.execute(
        "UPDATE backdrop SET name = ?1 WHERE id = ?2 AND lesson IS ?3",
        params![name, id, lesson],
    )?;
    Ok(())
}

/// Marks a backdrop of a lesson, or of the library, as removed, or brings it back.
pub fn set_deleted(conn: &Connection, lesson: Option<i64>, id: i64, deleted: bool) -> Result<()> {
    let at = deleted.then(crate::now);
    conn.execute(
        "UPDATE backdrop SET deleted_at = ?1 WHERE id = ?2 AND lesson IS ?3",
        params![at, id, lesson],
    )?;
    Ok(())
}

/// Brings a backdrop back, after what is on stage.
pub fn bring_back(conn: &Connection, lesson: i64, id: i64) -> Result<()> {
    let place = place_after_current(conn, lesson)?;
    conn.prepare_cached("UPDATE backdrop SET deleted_at = NULL, place = ?2 WHERE id = ?1")?
        .execute(params![id, place])?;
    Ok(())
}

/// Another of a backdrop; gives its id. Its marks stay where they are; the copy is a clean one.
pub fn copy(conn: &Connection, id: i64, whither: Whither) -> Result<Option<i64>> {
    let there = conn
        .prepare_cached("SELECT 1 FROM backdrop WHERE id = ?1")?
        .exists([id])?;
    if !there {
        return Ok(None);
    }
    let (lesson, place) = whither.place(conn)?;
    conn.prepare_cached(
        "INSERT INTO backdrop (lesson, place, name, kind, media, poster, width, height, seen)
         SELECT ?1, ?2, name, kind, media, poster, width, height, '{}' FROM backdrop WHERE id = ?3",
    )?
    .execute(params![lesson, place, id])?;
    Ok(Some(conn.last_insert_rowid()))
}

/// A name for a new backdrop of a lesson: the word, with a number if there is one called so.
pub fn free_name(conn: &Connection, lesson: i64, word: &str) -> Result<String> {
    let mut taken =
        conn.prepare_cached("SELECT 1 FROM backdrop WHERE lesson = ?1 AND name = ?2")?;
    let mut name = word.to_owned();
    let mut number = 1;
    while taken.exists(params![lesson, name])? {
        number += 1;
        name = format!("{word} {number}");
    }
    Ok(name)
}

/// The file of a backdrop of this lesson.
pub fn media_of(conn: &Connection, lesson: i64, backdrop: i64) -> Result<Option<String>> {
    Ok(conn
        .prepare_cached("SELECT media FROM backdrop WHERE id = ?1 AND lesson = ?2")?
        .query_row(params![backdrop, lesson], |row| row.get(0))
        .optional()?
        .flatten())
}

/// What a moving backdrop last looked like, or a picture's own file.
pub fn look_of(conn: &Connection, backdrop: i64) -> Result<(Option<String>, Option<String>)> {
    let found = conn
        .prepare_cached("SELECT media, poster FROM backdrop WHERE id = ?1")?
        .query_row([backdrop], |row| Ok((row.get(0)?, row.get(1)?)))
        .optional()?;
    Ok(found.unwrap_or_default())
}

/// Takes note of what a moving backdrop of a lesson looks like.
pub fn set_poster(conn: &Connection, lesson: i64, backdrop: i64, poster: &Written) -> Result<()> {
    poster.enter(conn)?;
    conn.prepare_cached("UPDATE backdrop SET poster = ?1 WHERE id = ?2 AND lesson = ?3")?
        .execute(params![poster.sha, backdrop, lesson])?;
    Ok(())
}
