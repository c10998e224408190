//! Participants in the database, as presenters see them.

use std::collections::HashSet;

use bozzetto_core::capture::name::counted;
use rusqlite::{Connection, OptionalExtension, params};

use crate::sent;
use crate::store::Result;
use crate::worksheets;

/// Somebody who joined.
pub struct Joined {
    pub id: i64,
    pub name: String,
    pub joined_at: i64,
    /// When they were here last.
    pub last_at: Option<i64>,
    pub sent_away: bool,
    /// How many worksheets they have handed in.
    pub handed_in: u32,
}

/// Everybody who joined a lesson, by name.
pub fn all(conn: &Connection, lesson: i64) -> Result<Vec<Joined>> {
    let mut statement = conn.prepare_cached(
        "SELECT p.id, p.name, p.joined_at, p.last_at, p.sent_away_at IS NOT NULL,
             (SELECT count(DISTINCT h.answer) FROM hand_in h JOIN answer a ON a.id = h.answer WHERE a.participant = p.id)
         FROM participant p WHERE p.lesson = ?1 ORDER BY p.name COLLATE NOCASE, p.id",
    )?;
    let rows = statement.query_map([lesson], |row| {
        Ok(Joined {
            id: row.get(0)?,
            name: row.get(1)?,
            joined_at: row.get(2)?,
            last_at: row.get(3)?,
            sent_away: row.get(4)?,
            handed_in: row.get(5)?,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Whether nobody new is taken.
pub fn is_closed(conn: &Connection, lesson: i64) -> Result<bool> {
    let mut statement =
        conn.prepare_cached("SELECT 1 FROM lesson WHERE id = ?1 AND door_closed")?;
    Ok(statement.exists([lesson])?)
}

pub fn turn_door(conn: &Connection, lesson: i64) -> Result<()> {
    conn.prepare_cached("UPDATE lesson SET door_closed = NOT door_closed WHERE id = ?1")?
        .execute([lesson])?;
    Ok(())
}

/// A name that nobody else has in a lesson: those that are alike are counted.
///
/// Cost: once through all who have joined.
pub fn free_name(
    conn: &Connection,
    lesson: i64,
    name: &str,
    except: Option<i64>,
) -> Result<String> {
    let taken: HashSet<String> = conn
        .prepare_cached("SELECT name FROM participant WHERE lesson = ?1 AND id IS NOT ?2")?
        .query_map(params![lesson, except], |row| row.get(0))?
        .map(|name| name.map(|name: String| name.to_lowercase()))
        .collect::<rusqlite::Result<_>>()?;
    let mut names = counted(name);
    let free = names.find(|name| !taken.contains(&name.to_lowercase()));
    Ok(free.unwrap_or_default())
}

/// Calls somebody otherwise; gives what they are called then.
pub fn rename(conn: &Connection, lesson: i64, person: i64, name: &str) -> Result<String> {
    let name = free_name(conn, lesson, name, Some(person))?;
    conn.prepare_cached("UPDATE participant SET name = ?3 WHERE lesson = ?1 AND id = ?2")?
        .execute(params![lesson, person, name])?;
    Ok(name)
}

/// For how long a word lets somebody in.
pub const WORD_MINUTES: i64 = 15;

/// Gives somebody a word for another device; their name, if they are there.
pub fn set_word(conn: &Connection, lesson: i64, person: i64, word: &str) -> Result<Option<String>> {
    let until = crate::now() + WORD_MINUTES * 60_000;
    let name = conn
        .prepare_cached(
            "UPDATE participant SET word = ?3, word_until = ?4
             WHERE lesson = ?1 AND id = ?2 AND sent_away_at IS NULL RETURNING name",
        )?
        .query_row(params![lesson, person, word, until], |row| row.get(0));
    Ok(name.optional()?)
}

/// What is gone with participants: their numbers, the lessons in which they drew, files that may be unused now.
#[derive(Default)]
pub struct Gone {
    pub people: Vec<i64>,
    pub lessons: Vec<i64>,
    pub files: Vec<String>,
}

/// Removes what is kept of a participant, or of everybody in a lesson. What they drew on the stage stays: it says nothing
/// of whose it is.
pub fn forget(conn: &Connection, lesson: i64, person: Option<i64>) -> Result<Gone> {
    let numbers = |sql: &str| -> Result<Vec<i64>> {
        let mut statement = conn.prepare_cached(sql)?;
        let rows = statement.query_map(params![lesson, person], |row| row.get(0))?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    };
    let people =
        numbers("SELECT id FROM participant WHERE lesson = ?1 AND (?2 IS NULL OR id = ?2)")?;
    let lessons = numbers(
        "SELECT a.drawn_in FROM answer a JOIN participant p ON p.id = a.participant
         WHERE p.lesson = ?1 AND (?2 IS NULL OR p.id = ?2)",
    )?;
    let mut files = sent::forget(conn, lesson, person)?;
    files.extend(worksheets::forget_snapshots(conn, lesson, person, None)?);
    let mut of =
        conn.prepare_cached("SELECT media FROM backdrop WHERE lesson = ?1 AND media IS NOT NULL")?;
    let mut delete =
        conn.prepare_cached("DELETE FROM lesson WHERE id = ?1 AND answers IS NOT NULL")?;
    for drawn_in in &lessons {
        let rows = of.query_map([drawn_in], |row| row.get(0))?;
        files.extend(rows.collect::<rusqlite::Result<Vec<String>>>()?);
        delete.execute([drawn_in])?;
    }
    conn.prepare_cached("DELETE FROM participant WHERE lesson = ?1 AND (?2 IS NULL OR id = ?2)")?
        .execute(params![lesson, person])?;
    Ok(Gone {
        people,
        lessons,
        files,
    })
}

/// Removes what is kept of participants of lessons that have not been used for long.
pub fn forget_old(conn: &Connection) -> Result<()> {
    let days = crate::settings::read(conn)?.forgets_after;
    let before = crate::now() - i64::from(days) * 24 * 3600 * 1000;
    let old: Vec<i64> = conn
        .prepare_cached(
            "SELECT DISTINCT l.id FROM lesson l JOIN participant p ON p.lesson = l.id WHERE l.used_at < ?1",
        )?
        .query_map([before], |row| row.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    for lesson in old {
        forget(conn, lesson, None)?;
    }
    Ok(())
}
