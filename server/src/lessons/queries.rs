//! Lessons and their backdrops in the database.

use bozzetto_core::capture::name::has_words;
use bozzetto_core::people::join_code;
use bozzetto_core::stage::board::Board;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Deserialize;

use crate::store::{Result, StoreError};

/// A lesson as home shows it.
pub struct LessonCard {
    pub id: i64,
    pub name: String,
    pub kind: String,
    pub made_at: i64,
    pub used_at: i64,
    pub backdrops: Vec<Small>,
    pub captures: u32,
    pub archived: bool,
    /// Started without a word and never used: see [`CARD`].
    pub stayed_empty: bool,
}

/// A backdrop as a small picture.
pub struct Small {
    pub id: i64,
    pub name: String,
}

/// What order lessons come in.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Sort {
    /// The one used last comes first.
    #[default]
    Used,
    /// The one made last comes first.
    Made,
    Name,
}

/// Which lessons are wanted, and in which order.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub struct Wanted {
    /// Each of them is in the lesson's name or in that of one of its backdrops.
    pub words: String,
    pub sort: Sort,
    pub archived: bool,
}

impl Wanted {
    fn is(&self, lesson: &LessonCard) -> bool {
        let small = lesson.backdrops.iter().map(|b| &b.name);
        let names = std::iter::once(&lesson.name).chain(small);
        lesson.archived == self.archived && has_words(&self.words, names.map(String::as_str))
    }
}

/// The columns of a card. One that stayed empty has no mark, no capture and no participant, and
/// nothing but the board that it began with.
const CARD: &str = "id, name, kind, created_at, used_at,
    (SELECT count(*) FROM capture c WHERE c.lesson = lesson.id AND c.deleted_at IS NULL),
    archived_at IS NOT NULL,
    nameless
        AND NOT EXISTS (SELECT 1 FROM change WHERE change.lesson = lesson.id AND change.marks)
        AND NOT EXISTS (SELECT 1 FROM capture c WHERE c.lesson = lesson.id)
        AND NOT EXISTS (SELECT 1 FROM participant p WHERE p.lesson = lesson.id)
        AND (SELECT count(*) FROM backdrop b WHERE b.lesson = lesson.id) = 1
        AND NOT EXISTS (SELECT 1 FROM backdrop b WHERE b.lesson = lesson.id AND b.kind ->> 'board' IS NULL)";

/// All lessons that are not deleted, the one used last first.
pub fn all(conn: &Connection) -> Result<Vec<LessonCard>> {
    let mut lessons = conn
        .prepare_cached(&format!(
            "SELECT {CARD} FROM lesson WHERE deleted_at IS NULL AND marks_capture IS NULL AND answers IS NULL ORDER BY used_at DESC, id DESC"
        ))?
        .query_map([], card)?
        .collect::<rusqlite::Result<Vec<_>>>()?;
    for lesson in &mut lessons {
        lesson.backdrops = small(conn, lesson.id)?;
    }
    Ok(lessons)
}

/// Those of all lessons that are wanted.
pub fn wanted(mut all: Vec<LessonCard>, wanted: &Wanted) -> Vec<LessonCard> {
    all.retain(|lesson| wanted.is(lesson));
    match wanted.sort {
        Sort::Used => {}
        Sort::Made => all.sort_by_key(|lesson| std::cmp::Reverse((lesson.made_at, lesson.id))),
        Sort::Name => all.sort_by_cached_key(|lesson| lesson.name.to_lowercase()),
    }
    all
}

/// One lesson.
pub fn one(conn: &Connection, id: i64) -> Result<Option<LessonCard>> {
    let mut lesson = conn
        .prepare_cached(&format!(
            "SELECT {CARD} FROM lesson WHERE deleted_at IS NULL AND id = ?1"
        ))?
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
        made_at: row.get(3)?,
        used_at: row.get(4)?,
        backdrops: Vec::new(),
        captures: row.get(5)?,
        archived: row.get(6)?,
        stayed_empty: row.get(7)?,
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

/// Makes a lesson that nobody has named; gives its id.
pub fn create_nameless(conn: &Connection, name: &str) -> Result<i64> {
    let id = create(conn, name, "class")?;
    conn.execute("UPDATE lesson SET nameless = 1 WHERE id = ?1", [id])?;
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

/// A code that nobody guesses.
pub fn random_code() -> String {
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
        "UPDATE lesson SET name = ?1, nameless = 0 WHERE id = ?2 AND deleted_at IS NULL",
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

/// Puts a lesson away, or among the others again.
pub fn set_archived(conn: &Connection, id: i64, archived: bool) -> Result<()> {
    let at = archived.then(crate::now);
    conn.execute(
        "UPDATE lesson SET archived_at = ?1 WHERE id = ?2",
        params![at, id],
    )?;
    Ok(())
}

/// Notes that a lesson was opened. One that was put away and is used again is among the others.
pub fn touch(conn: &Connection, id: i64) -> Result<()> {
    conn.execute(
        "UPDATE lesson SET used_at = ?1, archived_at = NULL WHERE id = ?2",
        params![crate::now(), id],
    )?;
    Ok(())
}
