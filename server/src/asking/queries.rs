//! Questions and replies in the database.

use bozzetto_core::asking::question::{Kind, Reply};
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::store::{Result, StoreError};

/// A question that was asked.
pub struct Question {
    pub id: i64,
    pub kind: Kind,
    pub words: String,
    /// Whose an answer is, is kept with it.
    pub named: bool,
    pub open: bool,
    /// What the answers come to is shown to participants.
    pub shown: bool,
}

impl Question {
    /// What it is called where it is listed.
    pub fn title(&self) -> &str {
        title(&self.words)
    }
}

/// A question that another one was asked after.
pub struct Earlier {
    pub id: i64,
    words: String,
    pub answered: i64,
}

impl Earlier {
    /// What it is called where it is listed.
    pub fn title(&self) -> &str {
        title(&self.words)
    }
}

fn title(words: &str) -> &str {
    match words {
        "" => "Asked",
        words => words,
    }
}

const COLUMNS: &str = "id, kind, words, named, closed_at IS NULL, shown";

fn question(row: &Row) -> rusqlite::Result<(Question, String)> {
    let kind: String = row.get(1)?;
    let question = Question {
        id: row.get(0)?,
        kind: Kind::YesNo,
        words: row.get(2)?,
        named: row.get(3)?,
        open: row.get(4)?,
        shown: row.get(5)?,
    };
    Ok((question, kind))
}

fn with_kind((mut question, kind): (Question, String)) -> Result<Question> {
    question.kind = serde_json::from_str(&kind).map_err(|e| StoreError(e.to_string()))?;
    Ok(question)
}

/// What was asked last in a lesson, if it was not put away.
pub fn newest(conn: &Connection, lesson: i64) -> Result<Option<Question>> {
    let sql = format!("SELECT {COLUMNS} FROM question WHERE lesson = ?1 ORDER BY id DESC LIMIT 1");
    let mut statement = conn.prepare_cached(&sql)?;
    let found = statement.query_row([lesson], question).optional()?;
    found.map(with_kind).transpose()
}

/// What was asked before `id`, the newest first.
pub fn earlier(conn: &Connection, lesson: i64, id: i64) -> Result<Vec<Earlier>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, words, (SELECT count(*) FROM reply WHERE question = question.id) FROM question
         WHERE lesson = ?1 AND id < ?2 ORDER BY id DESC",
    )?;
    let all = statement.query_map([lesson, id], |row| {
        Ok(Earlier {
            id: row.get(0)?,
            words: row.get(1)?,
            answered: row.get(2)?,
        })
    })?;
    Ok(all.collect::<rusqlite::Result<_>>()?)
}

pub fn one(conn: &Connection, lesson: i64, id: i64) -> Result<Option<Question>> {
    let sql = format!("SELECT {COLUMNS} FROM question WHERE lesson = ?1 AND id = ?2");
    let mut statement = conn.prepare_cached(&sql)?;
    let found = statement.query_row([lesson, id], question).optional()?;
    found.map(with_kind).transpose()
}

/// Asks, and closes what was asked before.
pub fn ask(conn: &Connection, lesson: i64, kind: Kind, words: &str, named: bool) -> Result<()> {
    let now = crate::now();
    conn.prepare_cached(
        "UPDATE question SET closed_at = coalesce(closed_at, ?2), shown = 0 WHERE lesson = ?1",
    )?
    .execute([lesson, now])?;
    let kind = serde_json::to_string(&kind).map_err(|e| StoreError(e.to_string()))?;
    conn.prepare_cached(
        "INSERT INTO question (lesson, kind, words, named, asked_at) VALUES (?1, ?2, ?3, ?4, ?5)",
    )?
    .execute(params![lesson, kind, words, named, now])?;
    Ok(())
}

/// Opens or closes a question.
pub fn set_open(conn: &Connection, id: i64, open: bool) -> Result<()> {
    let at = (!open).then(crate::now);
    conn.prepare_cached("UPDATE question SET closed_at = ?2 WHERE id = ?1")?
        .execute(params![id, at])?;
    Ok(())
}

/// Shows participants what the answers come to, or does not any more.
pub fn set_shown(conn: &Connection, id: i64, shown: bool) -> Result<()> {
    conn.prepare_cached("UPDATE question SET shown = ?2 WHERE id = ?1")?
        .execute(params![id, shown])?;
    Ok(())
}

/// Keeps an answer, in place of one that was given before. `false` when the question is closed.
pub fn reply(
    conn: &Connection,
    id: i64,
    who: &str,
    participant: Option<i64>,
    said: &Reply,
) -> Result<bool> {
    let said = serde_json::to_string(said).map_err(|e| StoreError(e.to_string()))?;
    let kept = conn
        .prepare_cached(
            "INSERT OR REPLACE INTO reply (question, who, participant, said, at)
             SELECT id, ?2, ?3, ?4, ?5 FROM question WHERE id = ?1 AND closed_at IS NULL",
        )?
        .execute(params![id, who, participant, said, crate::now()])?;
    Ok(kept == 1)
}

/// What somebody has answered.
pub fn said_by(conn: &Connection, id: i64, who: &str) -> Result<Option<Reply>> {
    let said: Option<String> = conn
        .prepare_cached("SELECT said FROM reply WHERE question = ?1 AND who = ?2")?
        .query_row(params![id, who], |row| row.get(0))
        .optional()?;
    Ok(said.and_then(|said| serde_json::from_str(&said).ok()))
}

/// An answer, and whose it is if that was asked for.
pub struct Given {
    pub name: Option<String>,
    pub said: Reply,
    pub at: i64,
}

/// All answers, the first one first.
pub fn replies(conn: &Connection, id: i64) -> Result<Vec<Given>> {
    let mut statement = conn.prepare_cached(
        "SELECT p.name, r.said, r.at FROM reply r LEFT JOIN participant p ON p.id = r.participant
         WHERE r.question = ?1 ORDER BY r.at, r.who",
    )?;
    let mut rows = statement.query([id])?;
    let mut all = Vec::new();
    while let Some(row) = rows.next()? {
        let said: String = row.get(1)?;
        if let Ok(said) = serde_json::from_str(&said) {
            all.push(Given {
                name: row.get(0)?,
                said,
                at: row.get(2)?,
            });
        }
    }
    Ok(all)
}
