//! Participants: people who joined a lesson with its code.

use axum::http::HeaderMap;
use bozzetto_core::capture::name::uncounted;
use rusqlite::{Connection, OptionalExtension, params};
use subtle::ConstantTimeEq;

use super::browser::Browser;
use super::token;
use crate::error::Result;
use crate::people::queries as people;
use crate::store::{self, Store};

const DAYS: u32 = 30;
/// The most people who may join a lesson.
pub const MOST: i64 = 3000;

/// Somebody who joined a lesson.
#[derive(Clone, Debug)]
pub struct Participant {
    pub id: i64,
    pub name: String,
    /// The lesson was deleted since.
    pub gone: bool,
}

/// The lesson with this code. Every code is compared to its end, so that the time that it takes
/// says nothing about how much of a guess was right.
pub fn lesson_with_code(conn: &Connection, code: &str) -> store::Result<Option<i64>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, code FROM lesson WHERE deleted_at IS NULL AND marks_capture IS NULL AND answers IS NULL",
    )?;
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

/// Enters somebody, or gives them another name if their browser has joined before; gives the lines
/// that set their cookie, or why they may not.
pub async fn join(
    store: &Store,
    tls: bool,
    lesson: i64,
    (name, word): (String, Option<String>),
    browser: Browser,
    headers: &HeaderMap,
) -> Result<std::result::Result<[String; 2], &'static str>> {
    let known = token::cookie(headers, &cookie_name(lesson), tls).map(token::hash);
    let token = token::new();
    let hash = token::hash(&token);
    let entered = store
        .write(move |conn| {
            let sent_away = conn
                .prepare_cached(
                    "SELECT 1 FROM participant
                     WHERE lesson = ?1 AND sent_away_at IS NOT NULL
                       AND (browser = ?2 OR token_hash = ?3
                           OR id IN (SELECT participant FROM device WHERE browser = ?2))",
                )?
                .exists(params![lesson, browser.0 as i64, known])?;
            if sent_away {
                return Ok(Err(
                    "The presenter has sent this browser away from the lesson.",
                ));
            }
            let until = crate::now() + i64::from(DAYS) * 24 * 3600 * 1000;
            if let Some(word) = word {
                return Ok(match add_device(conn, (lesson, &name, &word), &hash, browser)? {
                    true => Ok(()),
                    false => Err("This word lets nobody of that name in. Ask the presenter for another one."),
                });
            }
            let who = known_as(conn, lesson, browser, known.as_deref())?;
            if who.is_none() && people::is_closed(conn, lesson)? {
                return Ok(Err("The presenter has closed the door: nobody new can join just now."));
            }
            let name = people::free_name(conn, lesson, &name, who)?;
            let again = conn
                .prepare_cached(
                    "UPDATE participant SET name = ?1, token_hash = ?2, expires_at = ?3
                     WHERE lesson = ?4 AND (browser = ?5 OR token_hash = ?6)",
                )?
                .execute(params![name, hash, until, lesson, browser.0 as i64, known])?;
            if again > 0 {
                return Ok(Ok(()));
            }
            let many: i64 = conn
                .prepare_cached("SELECT count(*) FROM participant WHERE lesson = ?1")?
                .query_row([lesson], |row| row.get(0))?;
            if many >= MOST {
                return Ok(Err("No more people can join this lesson."));
            }
            conn.prepare_cached(
                "INSERT INTO participant (lesson, name, token_hash, joined_at, expires_at, browser)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            )?
            .execute(params![
                lesson,
                name,
                hash,
                crate::now(),
                until,
                browser.0 as i64
            ])?;
            Ok(Ok(()))
        })
        .await?;
    let name = cookie_name(lesson);
    Ok(entered.map(|()| {
        [
            token::forget_cookie_for("/follow", &name),
            token::set_cookie(&name, &token, DAYS, tls),
        ]
    }))
}

/// Whom a browser or what it was given has joined as.
fn known_as(
    conn: &Connection,
    lesson: i64,
    browser: Browser,
    token: Option<&str>,
) -> store::Result<Option<i64>> {
    let mut statement = conn.prepare_cached(
        "SELECT id FROM participant WHERE lesson = ?1 AND (browser = ?2 OR token_hash = ?3) LIMIT 1",
    )?;
    let found = statement.query_row(params![lesson, browser.0 as i64, token], |row| row.get(0));
    Ok(found.optional()?)
}

/// Lets somebody in from another device, with their name and the word that they were given; once.
fn add_device(
    conn: &Connection,
    (lesson, name, word): (i64, &str, &str),
    hash: &str,
    browser: Browser,
) -> store::Result<bool> {
    let whose: Option<i64> = conn
        .prepare_cached(
            "UPDATE participant SET word = NULL WHERE lesson = ?1 AND name = ?2 COLLATE NOCASE AND word = ?3
                 AND word_until > ?4 AND sent_away_at IS NULL RETURNING id",
        )?
        .query_row(params![lesson, name, word, crate::now()], |row| row.get(0))
        .optional()?;
    let Some(whose) = whose else {
        return Ok(false);
    };
    conn.prepare_cached(
        "INSERT INTO device (token_hash, participant, browser) VALUES (?1, ?2, ?3)",
    )?
    .execute(params![hash, whose, browser.0 as i64])?;
    Ok(true)
}

/// Somebody is here now.
pub fn seen(conn: &Connection, id: i64) -> store::Result<()> {
    conn.prepare_cached("UPDATE participant SET last_at = ?2 WHERE id = ?1")?
        .execute([id, crate::now()])?;
    Ok(())
}

/// Enters somebody who does not exist, and never comes; gives their number.
pub fn invented(conn: &Connection, lesson: i64, name: &str) -> store::Result<i64> {
    let new = conn
        .prepare_cached(
            "INSERT INTO participant (lesson, name, token_hash, joined_at, expires_at) VALUES (?1, ?2, ?3, ?4, 0) RETURNING id",
        )?
        .query_row(params![lesson, name, token::hash(&token::new()), crate::now()], |row| row.get(0))?;
    Ok(new)
}

/// Everybody who joined a lesson and was not sent away, by name: their numbers and names.
pub fn all(conn: &Connection, lesson: i64) -> store::Result<Vec<(i64, String)>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, name FROM participant WHERE lesson = ?1 AND sent_away_at IS NULL ORDER BY name COLLATE NOCASE, id",
    )?;
    let rows = statement.query_map([lesson], |row| Ok((row.get(0)?, row.get(1)?)))?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Whether somebody who joined a lesson may still be there.
pub fn is_there(conn: &Connection, lesson: i64, id: i64) -> store::Result<bool> {
    let mut statement = conn.prepare_cached(
        "SELECT 1 FROM participant WHERE id = ?1 AND lesson = ?2 AND sent_away_at IS NULL",
    )?;
    Ok(statement.exists([id, lesson])?)
}

/// Who the request comes from, if they joined this lesson, were not sent away, and it was not too
/// long ago.
pub async fn of(
    store: &Store,
    tls: bool,
    lesson: i64,
    headers: &HeaderMap,
) -> Result<Option<Participant>> {
    let Some(cookie) = token::cookie(headers, &cookie_name(lesson), tls) else {
        return Ok(None);
    };
    let hash = token::hash(cookie);
    let found = store
        .read(move |conn| {
            let mut s = conn.prepare_cached(
                "SELECT p.id, p.name, l.deleted_at IS NOT NULL
                 FROM participant p JOIN lesson l ON l.id = p.lesson
                 WHERE p.id = coalesce(
                     (SELECT id FROM participant WHERE token_hash = ?1),
                     (SELECT participant FROM device WHERE token_hash = ?1))
                   AND p.lesson = ?2 AND p.sent_away_at IS NULL AND p.expires_at > ?3",
            )?;
            let row = s.query_row(params![hash, lesson, crate::now()], |row| {
                Ok(Participant {
                    id: row.get(0)?,
                    name: row.get(1)?,
                    gone: row.get(2)?,
                })
            });
            Ok(row.optional()?)
        })
        .await?;
    Ok(found)
}

/// Sends somebody away, and keeps their browser away.
pub fn send_away(conn: &Connection, lesson: i64, participant: i64) -> store::Result<()> {
    conn.prepare_cached("UPDATE participant SET sent_away_at = ?1 WHERE id = ?2 AND lesson = ?3")?
        .execute(params![crate::now(), participant, lesson])?;
    Ok(())
}

/// Somebody who was sent away, for who may let them in again.
pub struct SentAway {
    pub id: i64,
    pub name: String,
}

/// Who was sent away from a lesson, the last one first.
pub fn sent_away(conn: &Connection, lesson: i64) -> store::Result<Vec<SentAway>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, name FROM participant WHERE lesson = ?1 AND sent_away_at IS NOT NULL
         ORDER BY sent_away_at DESC",
    )?;
    let rows = statement.query_map([lesson], |row| {
        Ok(SentAway {
            id: row.get(0)?,
            name: row.get(1)?,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Lets somebody in again.
pub fn let_in(conn: &Connection, lesson: i64, participant: i64) -> store::Result<()> {
    conn.prepare_cached(
        "UPDATE participant SET sent_away_at = NULL WHERE id = ?1 AND lesson = ?2",
    )?
    .execute([participant, lesson])?;
    Ok(())
}

/// What a browser's owner called themselves last, in any lesson; without the number that another of that name made it have.
pub fn last_name(conn: &Connection, browser: Browser) -> store::Result<Option<String>> {
    let name = conn
        .prepare_cached("SELECT name FROM participant WHERE browser = ?1 ORDER BY joined_at DESC, id DESC LIMIT 1")?
        .query_row([browser.0 as i64], |row| row.get(0))
        .optional()?;
    Ok(name.map(|name: String| uncounted(&name).to_owned()))
}

fn cookie_name(lesson: i64) -> String {
    format!("participant_{lesson}")
}
