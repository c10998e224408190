//! What was sent, in the database. Until it is taken it is a backdrop that has been taken out of the running order.

use bozzetto_core::people::sent::MOST_WAITING;
use bozzetto_core::stage::backdrop::BackdropKind;
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::backdrops::queries::{self as backdrops, New, Whither};
use crate::store::Result;
use crate::worksheets::clock;

/// Something that was sent.
pub struct Sent {
    pub id: i64,
    /// Who sent it.
    pub name: String,
    /// What the file was called.
    pub file: String,
    pub at: i64,
    /// It is no picture, but a document.
    pub document: bool,
    /// It is a screen, of which pictures come once it is taken.
    pub screen: bool,
    pub taken: bool,
    /// The presenter has taken it or thrown it away.
    pub done: bool,
}

impl Sent {
    /// When it was sent, in words.
    pub fn clock(&self) -> String {
        clock(self.at as u64)
    }
}

const SENT: &str = "SELECT s.id, p.name, s.file, s.sent_at, b.kind, s.taken, s.done_at IS NOT NULL
     FROM sent s JOIN participant p ON p.id = s.participant JOIN backdrop b ON b.id = s.backdrop";

fn sent(row: &Row) -> rusqlite::Result<Sent> {
    let kind = backdrops::kind(row, 4)?;
    Ok(Sent {
        id: row.get(0)?,
        name: row.get(1)?,
        file: row.get(2)?,
        at: row.get(3)?,
        document: matches!(kind, BackdropKind::Document { .. }),
        screen: kind == BackdropKind::Share,
        taken: row.get(5)?,
        done: row.get(6)?,
    })
}

/// What waits for the presenter, the first one first.
pub fn waiting(conn: &Connection, lesson: i64) -> Result<Vec<Sent>> {
    let sql = format!("{SENT} WHERE s.lesson = ?1 AND s.done_at IS NULL ORDER BY s.id");
    let mut statement = conn.prepare_cached(&sql)?;
    let rows = statement.query_map([lesson], sent)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// How long it is offered to take back what was thrown away last, in milliseconds.
const CAN_BE_HAD: i64 = 60_000;

/// What was thrown away last, for a while.
pub fn thrown(conn: &Connection, lesson: i64) -> Result<Option<Sent>> {
    let sql = format!(
        "{SENT} WHERE s.lesson = ?1 AND s.done_at > ?2 AND NOT s.taken ORDER BY s.done_at DESC LIMIT 1"
    );
    let mut statement = conn.prepare_cached(&sql)?;
    let found = statement.query_row([lesson, crate::now() - CAN_BE_HAD], sent);
    Ok(found.optional()?)
}

/// What one participant has sent, the last one first.
pub fn by(conn: &Connection, lesson: i64, participant: i64) -> Result<Vec<Sent>> {
    let sql =
        format!("{SENT} WHERE s.lesson = ?1 AND s.participant = ?2 ORDER BY s.id DESC LIMIT 20");
    let mut statement = conn.prepare_cached(&sql)?;
    let rows = statement.query_map([lesson, participant], sent)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Whether so much of somebody's waits that nothing more is taken.
pub fn is_full(conn: &Connection, lesson: i64, participant: i64) -> Result<bool> {
    let waiting: i64 = conn
        .prepare_cached(
            "SELECT count(*) FROM sent WHERE lesson = ?1 AND participant = ?2 AND done_at IS NULL",
        )?
        .query_row([lesson, participant], |row| row.get(0))?;
    Ok(waiting >= MOST_WAITING as i64)
}

/// Keeps what somebody sends. `false` when too much of theirs waits already.
pub fn add(
    conn: &Connection,
    lesson: i64,
    participant: i64,
    file: &str,
    new: &New,
) -> Result<bool> {
    if is_full(conn, lesson, participant)? {
        return Ok(false);
    }
    let backdrop = backdrops::add(conn, Whither::End(lesson), new)?;
    backdrops::set_deleted(conn, Some(lesson), backdrop, true)?;
    conn.prepare_cached(
        "INSERT INTO sent (lesson, participant, backdrop, file, sent_at) VALUES (?1, ?2, ?3, ?4, ?5)",
    )?
    .execute(params![lesson, participant, backdrop, file, crate::now()])?;
    Ok(true)
}

/// What was taken: the backdrop, who sent it, and whether it is their screen.
pub struct Taken {
    pub backdrop: i64,
    pub by: i64,
    pub screen: bool,
}

/// Puts what was sent into the running order, after what is on stage, under a name that says whose it is or does not;
/// gives the backdrop. `None` when that was done before, or it was thrown away.
pub fn take(conn: &Connection, lesson: i64, id: i64, named: bool) -> Result<Option<Taken>> {
    let found: Option<(i64, String, i64, bool)> = conn
        .prepare_cached(
            "UPDATE sent SET taken = 1, done_at = ?2 WHERE id = ?1 AND done_at IS NULL
             RETURNING backdrop, (SELECT name FROM participant WHERE id = participant), participant,
                 (SELECT kind FROM backdrop WHERE id = sent.backdrop)",
        )?
        .query_row([id, crate::now()], |row| {
            let screen = backdrops::kind(row, 3)? == BackdropKind::Share;
            Ok((row.get(0)?, row.get(1)?, row.get(2)?, screen))
        })
        .optional()?;
    let Some((backdrop, name, by, screen)) = found else {
        return Ok(None);
    };
    let called = match named {
        true if screen => format!("Screen of {name}"),
        true => format!("Sent by {name}"),
        false => {
            let number: i64 = conn
                .prepare_cached("SELECT count(*) FROM sent WHERE lesson = ?1 AND id <= ?2")?
                .query_row([lesson, id], |row| row.get(0))?;
            format!("Sent {number}")
        }
    };
    backdrops::bring_back(conn, lesson, backdrop)?;
    backdrops::rename(conn, Some(lesson), backdrop, &called)?;
    Ok(Some(Taken {
        backdrop,
        by,
        screen,
    }))
}

/// Removes a screen that waits, or was thrown away and could be had again: it is shown no more.
pub fn end_screens(conn: &Connection, lesson: i64, participant: i64) -> Result<()> {
    let waiting = format!("{SENT} WHERE s.lesson = ?1 AND s.participant = ?2 AND NOT s.taken");
    let mut waiting = conn.prepare_cached(&waiting)?;
    let all = waiting.query_map([lesson, participant], sent)?;
    let mut end = conn.prepare_cached("DELETE FROM sent WHERE id = ?1")?;
    for one in all.collect::<rusqlite::Result<Vec<_>>>()? {
        if one.screen {
            end.execute([one.id])?;
        }
    }
    Ok(())
}

/// Whether the presenter has thrown away the screen that a participant offers.
pub fn screen_is_aside(conn: &Connection, lesson: i64, participant: i64) -> Result<bool> {
    let offered = by(conn, lesson, participant)?;
    Ok(offered
        .iter()
        .any(|one| one.screen && one.done && !one.taken))
}

/// Throws away what was sent, or has it wait again; gives who sent it, `None` when it is taken or gone.
pub fn set_thrown(conn: &Connection, id: i64, thrown: bool) -> Result<Option<i64>> {
    let at = thrown.then(crate::now);
    let sql = "UPDATE sent SET done_at = ?2 WHERE id = ?1 AND NOT taken RETURNING participant";
    let mut statement = conn.prepare_cached(sql)?;
    let sender = statement.query_row(params![id, at], |row| row.get(0));
    Ok(sender.optional()?)
}

/// The picture that was sent.
pub fn picture(conn: &Connection, id: i64) -> Result<Option<String>> {
    let found = conn
        .prepare_cached(
            "SELECT b.media, b.kind FROM sent s JOIN backdrop b ON b.id = s.backdrop WHERE s.id = ?1",
        )?
        .query_row([id], |row| {
            let is_picture = matches!(backdrops::kind(row, 1)?, BackdropKind::Picture { .. });
            Ok(row.get::<_, Option<String>>(0)?.filter(|_| is_picture))
        });
    Ok(found.optional()?.flatten())
}

/// Removes what one participant, or everybody in a lesson, has sent and was not taken; gives the files. What was taken
/// no longer says whose it is.
pub fn forget(conn: &Connection, lesson: i64, person: Option<i64>) -> Result<Vec<String>> {
    let mut of_theirs = conn.prepare_cached(
        "SELECT s.backdrop, s.taken, b.media FROM sent s JOIN backdrop b ON b.id = s.backdrop
         WHERE s.lesson = ?1 AND (?2 IS NULL OR s.participant = ?2)",
    )?;
    let rows = of_theirs.query_map(params![lesson, person], |row| {
        Ok((row.get::<_, i64>(0)?, row.get::<_, bool>(1)?, row.get(2)?))
    })?;
    let mut files = Vec::new();
    for row in rows.collect::<rusqlite::Result<Vec<(i64, bool, Option<String>)>>>()? {
        let (backdrop, taken, media) = row;
        match taken {
            true => {
                conn.prepare_cached(
                    "UPDATE backdrop SET name = 'Sent' WHERE id = ?1 AND (name LIKE 'Sent by %' OR name LIKE 'Screen of %')",
                )?
                .execute([backdrop])?;
            }
            false => {
                conn.prepare_cached("DELETE FROM backdrop WHERE id = ?1")?
                    .execute([backdrop])?;
                files.extend(media);
            }
        }
    }
    Ok(files)
}
