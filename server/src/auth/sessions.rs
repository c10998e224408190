//! Presenters' sessions: one for each browser that has given the passphrase.

use rusqlite::{Connection, OptionalExtension, params};

use crate::store;

/// A session, for the list of them.
pub struct Session {
    pub id: i64,
    pub began_at: i64,
    pub seen_at: i64,
    /// What the browser says that it is.
    pub agent: String,
    /// Whether it is the one that asks.
    pub own: bool,
}

/// How long a session lasts, in days, and how long one that is not used.
pub const DAYS: u32 = 30;
const MILLISECONDS: i64 = 24 * 3600 * 1000;

/// Begins a session, and forgets those that have ended by themselves.
pub fn begin(conn: &Connection, hash: &str, agent: &str) -> store::Result<()> {
    let now = crate::now();
    conn.execute("DELETE FROM presenter_session WHERE expires_at < ?1", [now])?;
    let until = now + i64::from(DAYS) * MILLISECONDS;
    conn.execute(
        "INSERT INTO presenter_session (token_hash, expires_at, began_at, seen_at, agent)
         VALUES (?1, ?2, ?3, ?3, ?4)",
        params![hash, until, now, agent],
    )?;
    Ok(())
}

/// Whether there is such a session, and it has not ended.
pub fn holds(conn: &Connection, hash: &str) -> store::Result<bool> {
    let mut statement =
        conn.prepare_cached("SELECT expires_at FROM presenter_session WHERE token_hash = ?1")?;
    let until: Option<i64> = statement.query_row([hash], |row| row.get(0)).optional()?;
    Ok(until.is_some_and(|t| t > crate::now()))
}

/// A session was used.
pub fn touch(conn: &Connection, hash: &str) -> store::Result<()> {
    conn.prepare_cached("UPDATE presenter_session SET seen_at = ?1 WHERE token_hash = ?2")?
        .execute(params![crate::now(), hash])?;
    Ok(())
}

/// All sessions, the one used last first. `own` is the hash of the one that asks.
pub fn all(conn: &Connection, own: &str) -> store::Result<Vec<Session>> {
    let mut statement = conn.prepare_cached(
        "SELECT rowid, began_at, seen_at, agent, token_hash = ?1 FROM presenter_session
         WHERE expires_at > ?2 ORDER BY seen_at DESC",
    )?;
    let rows = statement.query_map(params![own, crate::now()], |row| {
        Ok(Session {
            id: row.get(0)?,
            began_at: row.get(1)?,
            seen_at: row.get(2)?,
            agent: row.get(3)?,
            own: row.get(4)?,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Ends one session.
pub fn end(conn: &Connection, id: i64) -> store::Result<()> {
    conn.execute("DELETE FROM presenter_session WHERE rowid = ?1", [id])?;
    Ok(())
}

/// Ends the session with this hash.
pub fn end_own(conn: &Connection, hash: &str) -> store::Result<()> {
    conn.execute(
        "DELETE FROM presenter_session WHERE token_hash = ?1",
        [hash],
    )?;
    Ok(())
}

/// Ends all sessions but the one with this hash.
pub fn end_others(conn: &Connection, own: &str) -> store::Result<()> {
    conn.execute(
        "DELETE FROM presenter_session WHERE token_hash <> ?1",
        [own],
    )?;
    Ok(())
}
