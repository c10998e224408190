//! The log of a lesson on disk: reading it when a lesson is opened, adding to it, and snapshots.

use std::collections::HashMap;

use bozzetto_core::geometry::ids::{BackdropId, ChangeId};
use bozzetto_core::sheets::change::Change;
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::{Sheets, Snapshot};
use bozzetto_core::stage::backdrop::{BackdropView, ViewState};
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::wire::{decode, encode};
use rusqlite::{Connection, OptionalExtension, params};

use super::form1;
use crate::backdrops::queries as backdrops;
use crate::store::{Result, StoreError};

/// The form of stored changes and snapshots; stands in front of each.
const FORM: u8 = 2;

/// A lesson as it is found on disk.
pub struct Opened {
    pub sheets: Sheets,
    pub seq: u64,
    /// The newest changes, for who missed a few.
    pub recent: Vec<(u64, Change)>,
    pub known: HashMap<ChangeId, u64>,
    pub outline: Outline,
}

/// What the tables say of a lesson, apart from its marks.
#[derive(Clone, Debug)]
pub struct Outline {
    pub name: String,
    pub aspect: (f64, f64),
    pub order: Vec<BackdropView>,
    /// Those that were taken out of the order. Marks that were being drawn on them are kept: they
    /// come back with them.
    pub removed: Vec<BackdropId>,
    pub current: Option<BackdropId>,
    pub beside: Option<Beside>,
    pub paused: bool,
    /// When it was paused, in milliseconds since 1970; `None` while it is not.
    pub paused_at: Option<i64>,
}

/// How many of the newest changes are kept at hand.
pub const RECENT: usize = 1000;

/// Opens a lesson: the newest snapshot, and every change after it.
pub fn open(conn: &Connection, lesson: i64) -> Result<Option<Opened>> {
    let Some(outline) = outline(conn, lesson)? else {
        return Ok(None);
    };
    let Marks {
        sheets,
        seq,
        after: mut recent,
    } = marks(conn, lesson)?;
    let keep = recent.len().saturating_sub(RECENT);
    recent.drain(..keep);
    let known = conn
        .prepare_cached("SELECT id, seq FROM change WHERE lesson = ?1")?
        .query_map([lesson], |row| {
            let id = ChangeId(row.get::<_, i64>(0)? as u64);
            Ok((id, row.get::<_, i64>(1)? as u64))
        })?
        .collect::<rusqlite::Result<_>>()?;
    Ok(Some(Opened {
        sheets,
        seq,
        recent,
        known,
        outline,
    }))
}

/// A lesson's marks, as they are read most quickly.
pub struct Marks {
    pub sheets: Sheets,
    /// The number of the last change.
    pub seq: u64,
    /// The changes after the snapshot.
    pub after: Vec<(u64, Change)>,
}

/// A lesson's marks from the newest snapshot, and every change after it.
///
/// # Errors
/// When something of it cannot be read or applied.
pub fn marks(conn: &Connection, lesson: i64) -> Result<Marks> {
    let snapshot: Option<(u64, Vec<u8>)> = conn
        .prepare_cached("SELECT seq, body FROM snapshot WHERE lesson = ?1")?
        .query_row([lesson], |row| {
            Ok((row.get::<_, i64>(0)? as u64, row.get(1)?))
        })
        .optional()?;
    let (from, mut sheets) = match snapshot {
        Some((seq, body)) if body.first() == Some(&FORM) => {
            (seq, Sheets::from_snapshot(unpack::<Snapshot>(&body)?))
        }
        // The log is whole: without a snapshot of this form it is read from its beginning.
        Some(_) | None => (0, Sheets::new(Keep::All)),
    };
    let after = apply_after(conn, lesson, from, &mut sheets)?;
    let seq = after.last().map_or(from, |(seq, _)| *seq);
    Ok(Marks { sheets, seq, after })
}

/// A lesson's marks as its whole log gives them, from nothing.
///
/// # Errors
/// When a change cannot be read or applied.
pub fn replay(conn: &Connection, lesson: i64) -> Result<Sheets> {
    let mut sheets = Sheets::new(Keep::All);
    apply_after(conn, lesson, 0, &mut sheets)?;
    Ok(sheets)
}

/// Applies every change after `seq`, and gives them.
fn apply_after(
    conn: &Connection,
    lesson: i64,
    seq: u64,
    sheets: &mut Sheets,
) -> Result<Vec<(u64, Change)>> {
    let mut applied = Vec::new();
    let mut log = conn.prepare_cached(
        "SELECT seq, body FROM change WHERE lesson = ?1 AND seq > ?2 ORDER BY seq",
    )?;
    let mut rows = log.query(params![lesson, seq as i64])?;
    while let Some(row) = rows.next()? {
        let seq = row.get::<_, i64>(0)? as u64;
        let change = change(&row.get::<_, Vec<u8>>(1)?)?;
        sheets
            .apply(&change)
            .map_err(|why| StoreError(format!("change {seq} of lesson {lesson}: {why}")))?;
        applied.push((seq, change));
    }
    Ok(applied)
}

/// Name, running order, what is on stage and whether it is paused.
pub fn outline(conn: &Connection, lesson: i64) -> Result<Option<Outline>> {
    let found = conn
        .prepare_cached(
            "SELECT name, aspect_width, aspect_height, current, paused, beside, divider, paused_at
             FROM lesson
             WHERE id = ?1 AND deleted_at IS NULL",
        )?
        .query_row([lesson], |row| {
            Ok(Outline {
                name: row.get(0)?,
                aspect: (row.get(1)?, row.get(2)?),
                order: Vec::new(),
                removed: Vec::new(),
                current: row
                    .get::<_, Option<i64>>(3)?
                    .map(|id| BackdropId(id as u64)),
                paused: row.get(4)?,
                paused_at: row
                    .get::<_, Option<i64>>(7)?
                    .filter(|_| row.get(4) == Ok(true)),
                beside: match row.get::<_, Option<i64>>(5)? {
                    Some(id) => Some(Beside {
                        backdrop: BackdropId(id as u64),
                        divider: row.get(6)?,
                    }),
                    None => None,
                },
            })
        })
        .optional()?;
    let Some(mut outline) = found else {
        return Ok(None);
    };
    outline.order = backdrops::of_lesson(conn, lesson)?;
    outline.removed = backdrops::removed(conn, lesson)?;
    outline.beside = outline
        .beside
        .filter(|b| outline.order.iter().any(|o| o.id == b.backdrop))
        .map(Beside::settled);
    if !outline.order.iter().any(|b| Some(b.id) == outline.current) {
        outline.current = outline.order.first().map(|b| b.id);
    }
    if outline.beside.map(|b| b.backdrop) == outline.current {
        outline.beside = None;
    }
    Ok(Some(outline))
}

/// Keeps how backdrops are seen.
pub fn keep_seen(conn: &Connection, seen: &[(BackdropId, ViewState)]) -> Result<()> {
    let mut update = conn.prepare_cached("UPDATE backdrop SET seen = ?1 WHERE id = ?2")?;
    for (id, seen) in seen {
        update.execute(params![backdrops::json(seen)?, id.0 as i64])?;
    }
    Ok(())
}

/// Writes changes at the end of the log.
pub fn append(conn: &Connection, lesson: i64, changes: &[(u64, Change)]) -> Result<()> {
    let mut insert =
        conn.prepare_cached("INSERT INTO change (lesson, seq, id, body) VALUES (?1, ?2, ?3, ?4)")?;
    for (seq, change) in changes {
        insert.execute(params![
            lesson,
            *seq as i64,
            change.id.0 as i64,
            pack(change)
        ])?;
    }
    Ok(())
}

/// Keeps the sheets as they are after change `seq`.
pub fn keep_snapshot(conn: &Connection, lesson: i64, seq: u64, snapshot: &Snapshot) -> Result<()> {
    conn.prepare_cached(
        "INSERT INTO snapshot (lesson, seq, body) VALUES (?1, ?2, ?3)
         ON CONFLICT (lesson) DO UPDATE SET seq = excluded.seq, body = excluded.body
         WHERE excluded.seq > snapshot.seq",
    )?
    .execute(params![lesson, seq as i64, pack(snapshot)])?;
    Ok(())
}

fn pack<T: serde::Serialize>(value: &T) -> Vec<u8> {
    let mut bytes = vec![FORM];
    bytes.extend(encode(value));
    bytes
}

/// A change, in whichever form it was stored.
fn change(bytes: &[u8]) -> Result<Change> {
    match bytes.split_first() {
        Some((1, body)) => form1::change(body)
            .ok_or_else(|| StoreError("a stored change cannot be read".to_owned())),
        _ => unpack(bytes),
    }
}

fn unpack<T: for<'de> serde::Deserialize<'de>>(bytes: &[u8]) -> Result<T> {
    let unreadable = || StoreError("a stored change cannot be read by this version".to_owned());
    match bytes.split_first() {
        Some((&FORM, body)) => decode(body).ok_or_else(unreadable),
        _ => Err(unreadable()),
    }
}
