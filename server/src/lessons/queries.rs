//! Lessons and their backdrops in the database.

use bozzetto_core::board::Board;
use bozzetto_core::join_code;
use rusqlite::{Connection, OptionalExtension, params};

use crate::store::{Result, StoreError};

/// A lesson as home shows it.
pub struct LessonCard {
    pub id: i64,
    pub name: String,
    pub kind: String,
    pub used_at: i64,
    pub backdrops: Vec<Small>,
    pub captures: u32,
}

/// A backdrop as a small picture.
pub struct Small {
    pub id: i64,
    pub name: String,
}

/// All lessons, the one used last first.
pub fn all(conn: &Connection) -> Result<Vec<LessonCard>> {
    let mut lessons = conn
        .prepare_cached(
            "SELECT id, name, kind, used_at,
                 (SELECT count(*) FROM capture c WHERE c.lesson = lesson.id AND c.deleted_at IS NULL)
             FROM lesson WHERE deleted_at IS NULL ORDER BY used_at DESC, id DESC",
        )?
        .query_map([], card)?
        .collect::<rusqlite::Result<Vec<_>>>()?;
    for lesson in &mut lessons {
        lesson.backdrops = small(conn, lesson.id)?;
    }
    Ok(lessons)
}

/// One lesson.
pub fn one(conn: &Connection, id: i64) -> Result<Option<LessonCard>> {
    let mut lesson = conn
        .prepare_cached(
            "SELECT id, name, kind, used_at,
                 (SELECT count(*) FROM capture c WHERE c.lesson = lesson.id AND c.deleted_at IS NULL)
             FROM lesson WHERE deleted_at IS NULL AND id = ?1",
        )?
        .query_row([id], card)
        .optional()?;
    if let Some(lesson) = &mut lesson {
        lesson.backdrops = small(conn, id)?;
    }
    Ok(lesson)
}

fn card(row: &rusqlite::Row) -> rusqlite::Result<LessonCard> {
    Ok(LessonCard {
        id: row.get(0)?,
        name: row.get(1)?,
        kind: row.get(2)?,
        used_at: row.get(3)?,
        backdrops: Vec::new(),
        captures: row.get(4)?,
    })
}

fn small(conn: &Connection, lesson: i64) -> Result<Vec<Small>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, name FROM backdrop WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY place, id",
    )?;
    let rows = statement.query_map([lesson], |row| {
        Ok(Small {
            id: row.get(0)?,
            name: row.get(1)?,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The lesson's join code.
pub fn code(conn: &Connection, id: i64) -> Result<Option<String>> {
    Ok(conn
        .prepare_cached("SELECT code FROM lesson WHERE id = ?1 AND deleted_at IS NULL")?
        .query_row([id], |row| row.get(0))
        .optional()?)
}

/// Makes a lesson with an empty board; gives its id.
pub fn create(conn: &Connection, name: &str, kind: &str) -> Result<i64> {
    let id = create_empty(conn, name, kind)?;
    crate::backdrops::add_board(conn, id, Board::default(), false)?;
    Ok(id)
}

/// Makes a lesson without backdrops.
pub fn create_empty(conn: &Connection, name: &str, kind: &str) -> Result<i64> {
    let now = crate::now();
    for _ in 0..20 {
        let code = random_code();
        let made = conn
            .prepare_cached(
                "INSERT INTO lesson (name, kind, code, created_at, used_at)
                 VALUES (?1, ?2, ?3, ?4, ?4) ON CONFLICT (code) DO NOTHING",
            )?
            .execute(params![name, kind, code, now])?;
        if made == 1 {
            return Ok(conn.last_insert_rowid());
        }
    }
    Err(StoreError("no free join code was found".to_owned()))
}

fn random_code() -> String {
    std::iter::repeat_with(rand::random::<u8>)
        .filter_map(join_code::character)
        .take(join_code::LENGTH)
        .collect()
}

/// Gives a lesson another join code: the one before leads nowhere any more. Who has joined stays.
pub fn renew_code(conn: &Connection, id: i64) -> Result<()> {
    for _ in 0..20 {
        let done = conn
            .prepare_cached("UPDATE OR IGNORE lesson SET code = ?1 WHERE id = ?2")?
            .execute(params![random_code(), id])?;
        if done == 1 {
            return Ok(());
        }
    }
    Err(StoreError("no free join code was found".to_owned()))
}

/// Gives other codes to lessons whose codes are shorter than codes are by now.
pub fn renew_old_codes(conn: &Connection) -> Result<()> {
    let mut statement = conn.prepare("SELECT id FROM lesson WHERE length(code) <> ?1")?;
    let ids: Vec<i64> = statement
        .query_map([join_code::LENGTH as i64], |row| row.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    ids.into_iter().try_for_each(|id| renew_code(conn, id))
}

pub fn rename(conn: &Connection, id: i64, name: &str) -> Result<bool> {
    let changed = conn.execute(
        "UPDATE lesson SET name = ?1 WHERE id = ?2 AND deleted_at IS NULL",
        params![name, id],
    )?;
    Ok(changed == 1)
}

/// Marks a lesson as deleted, or brings it back.
pub fn set_deleted(conn: &Connection, id: i64, deleted: bool) -> Result<bool> {
    let at = deleted.then(crate::now);
    Ok(conn.execute(
        "UPDATE lesson SET deleted_at = ?1 WHERE id = ?2",
        params![at, id],
    )? == 1)
}

pub fn touch(conn: &Connection, id: i64) -> Result<()> {
    conn.execute(
        "UPDATE lesson SET used_at = ?1 WHERE id = ?2",
        params![crate::now(), id],
    )?;
    Ok(())
}
