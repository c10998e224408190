//! Files and links that are handed out, in the database.

use bozzetto_core::people::take_away::size;
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::media::Written;
use crate::recordings::Handed;
use crate::store::{self, Result, json, parsed};

/// A file or a link.
pub struct TakeAway {
    pub id: i64,
    /// In the presenter's words.
    pub name: String,
    pub what: What,
    /// How many participants have opened it.
    pub opened: i64,
}

pub enum What {
    /// A file of the data folder, by its name there; how it ends, and its size in bytes.
    File {
        media: String,
        ending: String,
        bytes: u64,
    },
    Link(String),
    /// A recording; only these parts of it, in seconds, where not all.
    Recording {
        recording: i64,
        parts: Option<Vec<(f64, f64)>>,
    },
    /// The lesson, shown again like this.
    Replay(Handed),
}

impl TakeAway {
    /// What it is, in words.
    pub fn words(&self) -> String {
        match &self.what {
            What::File { ending, bytes, .. } if ending.is_empty() => size(*bytes),
            What::File { ending, bytes, .. } => {
                format!("{}, {}", ending.to_uppercase(), size(*bytes))
            }
            What::Link(address) => address.clone(),
            What::Recording { parts: None, .. } => "recording".to_owned(),
            What::Recording { .. } => "recording, some chapters".to_owned(),
            What::Replay(_) => "the lesson, shown again".to_owned(),
        }
    }

    /// It is opened in a page of its own, where a file is kept.
    pub fn is_page(&self) -> bool {
        !matches!(self.what, What::File { .. })
    }
}

const TAKE_AWAY: &str = "SELECT t.id, t.name, t.media, t.ending, t.bytes, t.address,
         (SELECT count(*) FROM take_away_opened WHERE take_away = t.id), t.recording, t.parts, t.replay
     FROM take_away t WHERE t.deleted_at IS NULL
       AND (t.recording IS NULL OR EXISTS (
         SELECT 1 FROM recording r WHERE r.id = t.recording AND r.deleted_at IS NULL
           AND (r.forget_at IS NULL OR r.forget_at > unixepoch() * 1000)))";

fn take_away(row: &Row) -> rusqlite::Result<TakeAway> {
    let address: Option<String> = row.get(5)?;
    let recording: Option<i64> = row.get(7)?;
    let replay: Option<Handed> = parsed(row, 9)?;
    Ok(TakeAway {
        id: row.get(0)?,
        name: row.get(1)?,
        what: match (address, recording, replay) {
            (Some(address), ..) => What::Link(address),
            (_, Some(recording), _) => What::Recording {
                recording,
                parts: parsed(row, 8)?,
            },
            (.., Some(replay)) => What::Replay(replay),
            (None, None, None) => What::File {
                media: row.get(2)?,
                ending: row.get(3)?,
                bytes: row.get::<_, i64>(4)? as u64,
            },
        },
        opened: row.get(6)?,
    })
}

/// Those of a lesson, in their order.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<TakeAway>> {
    let mut statement = conn.prepare_cached(&format!(
        "{TAKE_AWAY} AND t.lesson = ?1 ORDER BY t.place, t.id"
    ))?;
    let rows = statement.query_map([lesson], take_away)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// As far as participants know: nothing that was handed out while the lesson is paused.
pub fn for_participants(conn: &Connection, lesson: i64) -> Result<Vec<TakeAway>> {
    let mut statement = conn.prepare_cached(&format!(
        "{TAKE_AWAY} AND t.lesson = ?1
             AND t.handed_out_at <= coalesce((SELECT paused_at FROM lesson WHERE id = ?1), t.handed_out_at)
         ORDER BY t.place, t.id"
    ))?;
    let rows = statement.query_map([lesson], take_away)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// What was removed last, for a while; see [`CAN_BE_HAD`].
pub fn removed(conn: &Connection, lesson: i64) -> Result<Option<(i64, String)>> {
    let found = conn
        .prepare_cached(
            "SELECT id, name FROM take_away WHERE lesson = ?1 AND deleted_at > ?2 ORDER BY deleted_at DESC LIMIT 1",
        )?
        .query_row([lesson, crate::now() - CAN_BE_HAD], |row| {
            Ok((row.get(0)?, row.get(1)?))
        });
    Ok(found.optional()?)
}

/// How long it is offered to bring back what was removed, in milliseconds.
const CAN_BE_HAD: i64 = 60_000;

/// A file that is to be handed out, and how it ends.
pub struct NewFile {
    pub file: Written,
    pub ending: String,
    pub bytes: u64,
}

/// Hands out a file.
pub fn add_file(conn: &Connection, lesson: i64, name: &str, new: &NewFile) -> Result<()> {
    new.file.enter(conn)?;
    conn.prepare_cached(
        "INSERT INTO take_away (lesson, place, name, media, ending, bytes, handed_out_at)
         VALUES (?1, (SELECT coalesce(max(place), 0) + 1 FROM take_away WHERE lesson = ?1), ?2, ?3, ?4, ?5, ?6)",
    )?
    .execute(params![
        lesson,
        name,
        new.file.sha,
        new.ending,
        new.bytes as i64,
        crate::now()
    ])?;
    Ok(())
}

/// Hands out a link.
pub fn add_link(conn: &Connection, lesson: i64, name: &str, address: &str) -> Result<()> {
    conn.prepare_cached(
        "INSERT INTO take_away (lesson, place, name, address, handed_out_at)
         VALUES (?1, (SELECT coalesce(max(place), 0) + 1 FROM take_away WHERE lesson = ?1), ?2, ?3, ?4)",
    )?
    .execute(params![lesson, name, address, crate::now()])?;
    Ok(())
}

/// Hands out a recording, or parts of it.
pub fn add_recording(
    conn: &Connection,
    lesson: i64,
    name: &str,
    recording: i64,
    parts: Option<&[(f64, f64)]>,
) -> Result<()> {
    let parts = parts.map(json).transpose()?;
    conn.prepare_cached(
        "INSERT INTO take_away (lesson, place, name, recording, parts, handed_out_at)
         VALUES (?1, (SELECT coalesce(max(place), 0) + 1 FROM take_away WHERE lesson = ?1), ?2, ?3, ?4, ?5)",
    )?
    .execute(params![lesson, name, recording, parts, crate::now()])?;
    Ok(())
}

/// Hands out the lesson, to be shown again.
pub fn add_replay(conn: &Connection, lesson: i64, name: &str, handed: &Handed) -> Result<()> {
    conn.prepare_cached(
        "INSERT INTO take_away (lesson, place, name, replay, handed_out_at)
         VALUES (?1, (SELECT coalesce(max(place), 0) + 1 FROM take_away WHERE lesson = ?1), ?2, ?3, ?4)",
    )?
    .execute(params![lesson, name, json(handed)?, crate::now()])?;
    Ok(())
}

/// Moves one by one place.
pub fn shift(conn: &Connection, lesson: i64, id: i64, later: bool) -> Result<()> {
    let all = of_lesson(conn, lesson)?;
    let all = all.iter().map(|one| one.id).collect();
    store::shift(conn, "take_away", all, id, later)
}

/// Takes one back, or hands it out again.
pub fn set_deleted(conn: &Connection, id: i64, deleted: bool) -> Result<()> {
    let at = deleted.then(crate::now);
    conn.prepare_cached("UPDATE take_away SET deleted_at = ?2 WHERE id = ?1")?
        .execute(params![id, at])?;
    Ok(())
}

/// A participant has opened it.
pub fn note_opened(conn: &Connection, id: i64, participant: i64) -> Result<()> {
    conn.prepare_cached(
        "INSERT OR IGNORE INTO take_away_opened (take_away, participant, at) VALUES (?1, ?2, ?3)",
    )?
    .execute(params![id, participant, crate::now()])?;
    Ok(())
}

/// What a participant has opened of a lesson.
pub fn opened_by(conn: &Connection, lesson: i64, participant: i64) -> Result<Vec<i64>> {
    let mut statement = conn.prepare_cached(
        "SELECT o.take_away FROM take_away_opened o JOIN take_away t ON t.id = o.take_away
         WHERE t.lesson = ?1 AND o.participant = ?2",
    )?;
    let rows = statement.query_map([lesson, participant], |row| row.get(0))?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}
