//! Recordings in the database.

use bozzetto_core::recording::captions::Cue;
use bozzetto_core::recording::cuts::{Chapter, Cuts};
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::media::Written;
use crate::store::{Result, json, parsed};

/// A recording.
#[derive(Clone)]
pub struct Recording {
    pub id: i64,
    pub lesson: i64,
    pub name: String,
    /// Its file in the folder of recordings.
    pub file: String,
    /// The tab that records it.
    pub recorder: String,
    /// What was chosen for it, as the recorder wrote it.
    pub how: String,
    /// How many pieces are kept.
    pub pieces: u32,
    /// How many bytes of the file they are.
    pub bytes: u64,
    /// In microseconds.
    pub lasts: u64,
    pub begun_at: i64,
    /// When the last piece came.
    pub heard_at: i64,
    pub ended_at: Option<i64>,
    /// What ended it, if it was a limit.
    pub ended_by: Option<String>,
    /// As they were set by hand.
    pub chapters: Option<Vec<Chapter>>,
    pub cuts: Option<Cuts>,
    /// In the time of the whole recording.
    pub captions: Option<Vec<Cue>>,
    /// The file of the picture that stands for it.
    pub poster: Option<String>,
    /// It is kept until then.
    pub forget_at: Option<i64>,
    pub deleted_at: Option<i64>,
}

impl Recording {
    /// In seconds.
    pub fn seconds(&self) -> f64 {
        self.lasts as f64 / 1e6
    }

    /// Whether it shows the picture area, and not another screen or a camera alone.
    pub fn is_of_area(&self) -> bool {
        let how: serde_json::Value = serde_json::from_str(&self.how).unwrap_or_default();
        how["what"] == "area"
    }

    /// What is left of it.
    pub fn left(&self) -> Cuts {
        self.cuts
            .clone()
            .unwrap_or_else(|| Cuts::whole(self.seconds()))
    }
}

const ALL: &str = "SELECT id, lesson, name, file, recorder, how, pieces, bytes, lasts, begun_at, heard_at, ended_at, ended_by,
         chapters, cuts, deleted_at, captions, poster, forget_at
     FROM recording";

fn recording(row: &Row) -> rusqlite::Result<Recording> {
    Ok(Recording {
        id: row.get(0)?,
        lesson: row.get(1)?,
        name: row.get(2)?,
        file: row.get(3)?,
        recorder: row.get(4)?,
        how: row.get(5)?,
        pieces: row.get(6)?,
        bytes: row.get::<_, i64>(7)? as u64,
        lasts: row.get::<_, i64>(8)? as u64,
        begun_at: row.get(9)?,
        heard_at: row.get(10)?,
        ended_at: row.get(11)?,
        ended_by: row.get(12)?,
        chapters: parsed(row, 13)?,
        cuts: parsed(row, 14)?,
        deleted_at: row.get(15)?,
        captions: parsed(row, 16)?,
        poster: row.get(17)?,
        forget_at: row.get(18)?,
    })
}

/// One of them, also one that was binned.
pub fn one(conn: &Connection, id: i64) -> Result<Option<Recording>> {
    let mut statement = conn.prepare_cached(&format!("{ALL} WHERE id = ?1"))?;
    Ok(statement.query_row([id], recording).optional()?)
}

/// Those of a lesson, the last one first.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<Recording>> {
    let sql = format!("{ALL} WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY id DESC");
    let mut statement = conn.prepare_cached(&sql)?;
    let rows = statement.query_map([lesson], recording)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The one of a lesson that has not been ended.
pub fn unfinished(conn: &Connection, lesson: i64) -> Result<Option<Recording>> {
    let sql = format!(
        "{ALL} WHERE lesson = ?1 AND ended_at IS NULL AND deleted_at IS NULL ORDER BY id DESC LIMIT 1"
    );
    let mut statement = conn.prepare_cached(&sql)?;
    Ok(statement.query_row([lesson], recording).optional()?)
}

/// Whether one begins by itself when the lesson is opened next.
pub fn is_by_itself(conn: &Connection, lesson: i64) -> Result<bool> {
    let mut statement = conn.prepare_cached("SELECT records_itself FROM lesson WHERE id = ?1")?;
    let found = statement.query_row([lesson], |row| row.get(0));
    Ok(found.optional()?.unwrap_or(false))
}

pub fn set_by_itself(conn: &Connection, lesson: i64, on: bool) -> Result<()> {
    conn.prepare_cached("UPDATE lesson SET records_itself = ?2 WHERE id = ?1")?
        .execute(params![lesson, on])?;
    Ok(())
}

/// Begins one; none begins by itself any more.
pub fn begin(
    conn: &Connection,
    lesson: i64,
    name: &str,
    file: &str,
    recorder: &str,
    how: &str,
) -> Result<i64> {
    let now = crate::now();
    set_by_itself(conn, lesson, false)?;
    conn.prepare_cached(
        "INSERT INTO recording (lesson, name, file, recorder, how, begun_at, heard_at) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?6)",
    )?
    .execute(params![lesson, name, file, recorder, how, now])?;
    Ok(conn.last_insert_rowid())
}

/// The piece of this number is in the file, which has so many whole bytes now. `false`, and nothing changes, where another one
/// was awaited.
pub fn grown(conn: &Connection, id: i64, number: u32, bytes: u64, lasts: u64) -> Result<bool> {
    let changed = conn
        .prepare_cached(
            "UPDATE recording SET pieces = pieces + 1, bytes = ?3, lasts = ?4, heard_at = ?5 WHERE id = ?1 AND pieces = ?2",
        )?
        .execute(params![id, number, bytes as i64, lasts as i64, crate::now()])?;
    Ok(changed == 1)
}

/// Another tab goes on with it.
pub fn take_over(conn: &Connection, id: i64, recorder: &str) -> Result<()> {
    conn.prepare_cached("UPDATE recording SET recorder = ?2, heard_at = ?3, ended_at = NULL, ended_by = NULL WHERE id = ?1")?
        .execute(params![id, recorder, crate::now()])?;
    Ok(())
}

/// Nothing more comes to it.
pub fn end(conn: &Connection, id: i64, by: Option<&str>) -> Result<()> {
    conn.prepare_cached(
        "UPDATE recording SET ended_at = ?2, ended_by = ?3 WHERE id = ?1 AND ended_at IS NULL",
    )?
    .execute(params![id, crate::now(), by])?;
    Ok(())
}

/// Bins it, or has it again.
pub fn set_deleted(conn: &Connection, id: i64, deleted: bool) -> Result<()> {
    let at = deleted.then(crate::now);
    conn.prepare_cached(
        "UPDATE recording SET deleted_at = ?2, ended_at = coalesce(ended_at, ?3) WHERE id = ?1",
    )?
    .execute(params![id, at, crate::now()])?;
    Ok(())
}

pub fn rename(conn: &Connection, id: i64, name: &str) -> Result<()> {
    conn.prepare_cached("UPDATE recording SET name = ?2 WHERE id = ?1")?
        .execute(params![id, name])?;
    Ok(())
}

/// What of it is left; `None` for all.
pub fn set_cuts(conn: &Connection, id: i64, cuts: Option<&Cuts>) -> Result<()> {
    let cuts = cuts.map(json).transpose()?;
    conn.prepare_cached("UPDATE recording SET cuts = ?2 WHERE id = ?1")?
        .execute(params![id, cuts])?;
    Ok(())
}

/// Its chapters, set by hand.
pub fn set_chapters(conn: &Connection, id: i64, chapters: &[Chapter]) -> Result<()> {
    conn.prepare_cached("UPDATE recording SET chapters = ?2 WHERE id = ?1")?
        .execute(params![id, json(chapters)?])?;
    Ok(())
}

/// What is written in it and when; nothing takes them away.
pub fn set_captions(conn: &Connection, id: i64, cues: &[Cue]) -> Result<()> {
    let cues = (!cues.is_empty()).then(|| json(cues)).transpose()?;
    conn.prepare_cached("UPDATE recording SET captions = ?2 WHERE id = ?1")?
        .execute(params![id, cues])?;
    Ok(())
}

/// The picture that stands for it.
pub fn set_poster(conn: &Connection, id: i64, poster: &Written) -> Result<()> {
    poster.enter(conn)?;
    conn.prepare_cached("UPDATE recording SET poster = ?2 WHERE id = ?1")?
        .execute(params![id, poster.sha])?;
    Ok(())
}

/// Until when it is kept, in milliseconds since 1970; `None` for as long as its lesson.
pub fn set_forget_at(conn: &Connection, id: i64, at: Option<i64>) -> Result<()> {
    conn.prepare_cached("UPDATE recording SET forget_at = ?2 WHERE id = ?1")?
        .execute(params![id, at])?;
    Ok(())
}

/// A moment of a lesson that somebody wanted to find again.
pub struct Marked {
    pub at: i64,
    pub name: String,
}

/// Marks a moment: milliseconds since 1970. Without a name it gets a number.
pub fn mark(conn: &Connection, lesson: i64, at: i64, name: Option<&str>) -> Result<String> {
    let count: i64 = conn
        .prepare_cached("SELECT count(*) FROM marked_moment WHERE lesson = ?1")?
        .query_row([lesson], |row| row.get(0))?;
    let name = name.map_or_else(|| format!("Moment {}", count + 1), str::to_owned);
    conn.prepare_cached("INSERT INTO marked_moment (lesson, at, name) VALUES (?1, ?2, ?3)")?
        .execute(params![lesson, at, name])?;
    Ok(name)
}

/// The moments of a lesson that were marked.
pub fn marked(conn: &Connection, lesson: i64) -> Result<Vec<Marked>> {
    let mut statement =
        conn.prepare_cached("SELECT at, name FROM marked_moment WHERE lesson = ?1 ORDER BY at")?;
    let rows = statement.query_map([lesson], |row| {
        Ok(Marked {
            at: row.get(0)?,
            name: row.get(1)?,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}
