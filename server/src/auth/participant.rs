//! Participants: people who joined a lesson with its code.

use axum::http::HeaderMap;
use rusqlite::{Connection, OptionalExtension, params};
use subtle::ConstantTimeEq;

use super::token;
use crate::app::App;
use crate::error::Result;
use crate::store;

const DAYS: u32 = 30;

/// Somebody who joined a lesson.
#[derive(Clone, Debug)]
pub struct Participant {
    pub id: i64,
    pub name: String,
}

/// The lesson with this code. Every code is compared to its end, so that the time that it takes
/// says nothing about how much of a guess was right.
pub fn lesson_with_code(conn: &Connection, code: &str) -> store::Result<Option<i64>> {
    let mut statement =
        conn.prepare_cached("SELECT id, code FROM lesson WHERE deleted_at IS NULL")?;
    let mut rows = statement.query([])?;
    let mut found = None;
    while let Some(row) = rows.next()? {
        let theirs: String = row.get(1)?;
        if bool::from(theirs.as_bytes().ct_eq(code.as_bytes())) {
            found = Some(row.get(0)?);
        }
    }
    Ok(found)
}

/// Enters somebody; gives the line that sets their cookie.
pub async fn join(app: &App, lesson: i64, name: String) -> Result<String> {
    let token = token::new();
    let hash = token::hash(&token);
    app.store
        .write(move |conn| {
            conn.execute(
                "INSERT INTO participant (lesson, name, token_hash, joined_at)
                 VALUES (?1, ?2, ?3, ?4)",
                params![lesson, name, hash, crate::now()],
            )?;
            Ok(())
        })
        .await?;
    Ok(token::set_cookie(
        &cookie_name(lesson),
        &token,
        "/follow",
        DAYS,
        app.tls,
    ))
}

/// Who the request comes from, if they joined this lesson and it still exists.
pub async fn of(app: &App, lesson: i64, headers: &HeaderMap) -> Result<Option<Participant>> {
    let Some(cookie) = token::cookie(headers, &cookie_name(lesson)) else {
        return Ok(None);
    };
    let hash = token::hash(cookie);
    let found = app
        .store
        .read(move |conn| {
            let mut s = conn.prepare_cached(
                "SELECT p.id, p.name FROM participant p JOIN lesson l ON l.id = p.lesson
                 WHERE p.token_hash = ?1 AND p.lesson = ?2 AND l.deleted_at IS NULL",
            )?;
            let row = s.query_row(params![hash, lesson], |row| {
                Ok(Participant {
                    id: row.get(0)?,
                    name: row.get(1)?,
                })
            });
            Ok(row.optional()?)
        })
        .await?;
    Ok(found)
}

fn cookie_name(lesson: i64) -> String {
    format!("participant_{lesson}")
}
