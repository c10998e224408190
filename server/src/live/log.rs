//! The log of a lesson on disk: reading it when a lesson is opened, adding to it, and snapshots.
//!
//! What the tables of lessons and backdrops say of the stage is written together with the changes that
//! say so: they are the stage at the log's end, for whoever asks after a lesson that is not open.

use std::collections::HashMap;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::{Sheets, Snapshot};
use bozzetto_core::sheets::step::{Deed, Step};
use bozzetto_core::stage::backdrop::BackdropKind;
use bozzetto_core::stage::laid::Laid;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::state::StageState;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{decode, encode};
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};

use super::form1;
use crate::backdrops::queries as backdrops;
use crate::store::{Result, StoreError, json};

/// The forms of what is stored stand in front of it. 1: see [`form1`]. 2: marks, packed.
const MARKS: u8 = 2;
/// 3: steps of the stage, as JSON, so that what backdrops come to have can be added to them.
const STAGE: u8 = 3;

/// A lesson as it is found on disk.
pub struct Opened {
    pub lesson: Lesson,
    pub seq: u64,
    /// The newest changes, for who missed a few.
    pub recent: Vec<(u64, Change)>,
    pub known: HashMap<ChangeId, u64>,
    pub tables: Tables,
}

/// What the tables say of a lesson.
#[derive(Clone, Debug)]
pub struct Tables {
    pub stage: StageState,
    /// The backdrops that were taken out of the running order.
    pub removed: Vec<BackdropId>,
    /// When it was paused, in milliseconds since 1970; `None` while it is not.
    pub paused_at: Option<i64>,
}

/// How many of the newest changes are kept at hand.
pub const RECENT: usize = 1000;

/// Opens a lesson: the newest snapshot, and every change after it.
pub fn open(conn: &Connection, lesson: i64) -> Result<Option<Opened>> {
    let Some(tables) = tables(conn, lesson)? else {
        return Ok(None);
    };
    let Remembered {
        lesson: remembered,
        seq,
        after: mut recent,
    } = remembered(conn, lesson)?;
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
        lesson: remembered,
        seq,
        recent,
        known,
        tables,
    }))
}

/// What a lesson remembers, as it is read most quickly.
pub struct Remembered {
    pub lesson: Lesson,
    /// The number of the last change.
    pub seq: u64,
    /// The changes after the snapshot.
    pub after: Vec<(u64, Change)>,
}

/// What a lesson remembers, from the newest snapshot and every change after it.
///
/// # Errors
/// When something of it cannot be read or applied.
pub fn remembered(conn: &Connection, lesson: i64) -> Result<Remembered> {
    let snapshot = conn
        .prepare_cached("SELECT seq, body, stage FROM snapshot WHERE lesson = ?1")?
        .query_row([lesson], |row| {
            let stage: Option<String> = row.get(2)?;
            Ok((
                row.get::<_, i64>(0)? as u64,
                row.get::<_, Vec<u8>>(1)?,
                stage,
            ))
        })
        .optional()?;
    let (from, mut remembered) = match snapshot {
        Some((seq, body, stage)) if body.first() == Some(&MARKS) => {
            // One from before the stage was in the log has none; then there is nothing of it before.
            let stage = stage.map(|json| parse(json.as_bytes())).transpose()?;
            let read = Lesson {
                sheets: Sheets::from_snapshot(unpack::<Snapshot>(&body[1..])?),
                stage: stage.unwrap_or_default(),
            };
            (seq, read)
        }
        // The log is whole: without a snapshot of this form it is read from its beginning.
        Some(_) | None => (0, Lesson::new(Keep::All)),
    };
    let after = apply_after(conn, lesson, from, &mut remembered)?;
    let seq = after.last().map_or(from, |(seq, _)| *seq);
    Ok(Remembered {
        lesson: remembered,
        seq,
        after,
    })
}

/// What a lesson remembers as its whole log gives it, from nothing.
///
/// # Errors
/// When a change cannot be read or applied.
pub fn replay(conn: &Connection, lesson: i64) -> Result<Lesson> {
    let mut replayed = Lesson::new(Keep::All);
    apply_after(conn, lesson, 0, &mut replayed)?;
    Ok(replayed)
}

/// The marks as they were after the change of this number: played from nothing.
///
/// # Errors
/// When a change cannot be read or applied.
pub fn marks_at(conn: &Connection, lesson: i64, seq: u64) -> Result<Sheets> {
    let mut replayed = Lesson::new(Keep::Nobody);
    let until = changes(conn, lesson, 0)?
        .into_iter()
        .take_while(|(n, _)| *n <= seq);
    for (n, change) in until {
        replayed
            .apply(&change)
            .map_err(|why| StoreError(format!("change {n} of lesson {lesson}: {why}")))?;
    }
    Ok(replayed.sheets)
}

/// Applies every change after `seq`, and gives them.
fn apply_after(
    conn: &Connection,
    lesson: i64,
    seq: u64,
    remembered: &mut Lesson,
) -> Result<Vec<(u64, Change)>> {
    let changes = changes(conn, lesson, seq)?;
    for (seq, change) in &changes {
        remembered
            .apply(change)
            .map_err(|why| StoreError(format!("change {seq} of lesson {lesson}: {why}")))?;
    }
    Ok(changes)
}

/// Every change after `seq`.
///
/// # Errors
/// When one cannot be read.
pub fn changes(conn: &Connection, lesson: i64, seq: u64) -> Result<Vec<(u64, Change)>> {
    let mut changes = Vec::new();
    let mut log = conn.prepare_cached(
        "SELECT seq, body FROM change WHERE lesson = ?1 AND seq > ?2 ORDER BY seq",
    )?;
    let mut rows = log.query(params![lesson, seq as i64])?;
    while let Some(row) = rows.next()? {
        let seq = row.get::<_, i64>(0)? as u64;
        changes.push((seq, change(&row.get::<_, Vec<u8>>(1)?)?));
    }
    Ok(changes)
}

/// Name, running order, what is on stage and whether it is paused.
pub fn tables(conn: &Connection, lesson: i64) -> Result<Option<Tables>> {
    let found = conn
        .prepare_cached(
            "SELECT name, aspect_width, aspect_height, current, paused, beside, divider, paused_at
             FROM lesson
             WHERE id = ?1 AND deleted_at IS NULL",
        )?
        .query_row([lesson], |row| {
            let id = |id: i64| BackdropId(id as u64);
            let (beside, divider) = (row.get::<_, Option<i64>>(5)?, row.get(6)?);
            let stage = StageState {
                name: row.get(0)?,
                aspect: (row.get(1)?, row.get(2)?),
                order: Vec::new(),
                current: row.get::<_, Option<i64>>(3)?.map(id),
                beside: beside.map(|b| Beside {
                    backdrop: id(b),
                    divider,
                }),
                paused: row.get(4)?,
                // Only the log knows of it.
                laid: Laid::default(),
            };
            let paused_at: Option<i64> = row.get(7)?;
            Ok((paused_at.filter(|_| stage.paused), stage))
        })
        .optional()?;
    let Some((paused_at, mut stage)) = found else {
        return Ok(None);
    };
    stage.order = backdrops::of_lesson(conn, lesson)?;
    stage.beside = stage
        .beside
        .filter(|b| stage.backdrop(b.backdrop).is_some())
        .map(Beside::settled);
    if stage.current.and_then(|id| stage.backdrop(id)).is_none() {
        stage.current = stage.order.first().map(|b| b.id);
    }
    if stage.beside.map(|b| b.backdrop) == stage.current {
        stage.beside = None;
    }
    Ok(Some(Tables {
        stage,
        removed: backdrops::removed(conn, lesson)?,
        paused_at,
    }))
}

/// Writes changes at the end of the log, and what they do to the stage into the tables.
pub fn append(conn: &Connection, lesson: i64, changes: &[(u64, Change)]) -> Result<()> {
    let mut insert = conn.prepare_cached(
        "INSERT INTO change (lesson, seq, id, body, marks) VALUES (?1, ?2, ?3, ?4, ?5)",
    )?;
    for (seq, change) in changes {
        let marks = matches!(change.what, What::Marks { .. });
        insert.execute(params![
            lesson,
            *seq as i64,
            change.id.0 as i64,
            pack(change)?,
            marks
        ])?;
        for step in change.stage_steps() {
            enter(conn, lesson, step, change.at)?;
        }
    }
    Ok(())
}

/// Enters a step of the stage into the tables; what comes from there is there already.
fn enter(conn: &Connection, lesson: i64, step: &StageStep, at: u64) -> Result<()> {
    match step {
        StageStep::Arrange { current, beside } => {
            let (other, divider) =
                beside.map_or((None, 0.5), |b| (Some(b.backdrop.0 as i64), b.divider));
            conn.prepare_cached(
                "UPDATE lesson SET current = ?1, beside = ?2, divider = ?3 WHERE id = ?4",
            )?
            .execute(params![current.0 as i64, other, divider, lesson])?;
        }
        StageStep::Divide(divider) => {
            conn.prepare_cached("UPDATE lesson SET divider = ?1 WHERE id = ?2")?
                .execute(params![divider, lesson])?;
        }
        // Only the log knows of it.
        StageStep::Lay(_) => {}
        StageStep::Pause(paused) => {
            conn.prepare_cached("UPDATE lesson SET paused = ?1, paused_at = ?2 WHERE id = ?3")?
                .execute(params![paused, at as i64, lesson])?;
        }
        StageStep::See { backdrop, seen } => {
            conn.prepare_cached("UPDATE backdrop SET seen = ?1 WHERE id = ?2")?
                .execute(params![json(seen)?, backdrop.0 as i64])?;
        }
        StageStep::Pages { backdrop, pages } => {
            if let Some(known) = backdrops::one(conn, backdrop.0 as i64)?
                && let BackdropKind::Board(mut board) = known.kind
            {
                board.pages = *pages;
                let kind = json(&BackdropKind::Board(board))?;
                conn.prepare_cached("UPDATE backdrop SET kind = ?1 WHERE id = ?2")?
                    .execute(params![kind, backdrop.0 as i64])?;
            }
        }
        StageStep::Size {
            backdrop,
            width,
            height,
        } => {
            conn.prepare_cached("UPDATE backdrop SET width = ?1, height = ?2 WHERE id = ?3")?
                .execute(params![width, height, backdrop.0 as i64])?;
        }
        StageStep::Bring { .. }
        | StageStep::Move { .. }
        | StageStep::Take(_)
        | StageStep::Name(_)
        | StageStep::Aspect(..) => {}
    }
    Ok(())
}

/// Keeps a lesson as it is after change `seq`.
pub fn persist_snapshot(
    conn: &Connection,
    lesson: i64,
    seq: u64,
    sheets: &Snapshot,
    stage: &StageState,
) -> Result<()> {
    let mut body = vec![MARKS];
    body.extend(encode(sheets));
    conn.prepare_cached(
        "INSERT INTO snapshot (lesson, seq, body, stage) VALUES (?1, ?2, ?3, ?4)
         ON CONFLICT (lesson) DO UPDATE
         SET seq = excluded.seq, body = excluded.body, stage = excluded.stage
         WHERE excluded.seq > snapshot.seq",
    )?
    .execute(params![lesson, seq as i64, body, json(stage)?])?;
    Ok(())
}

/// A change of marks as it is stored.
#[derive(Serialize, Deserialize)]
struct OfMarks {
    id: ChangeId,
    author: AuthorId,
    at: u64,
    deed: Deed,
    steps: Vec<Step>,
}

/// A change of the stage as it is stored.
#[derive(Serialize, Deserialize)]
struct OfStage {
    id: ChangeId,
    author: AuthorId,
    at: u64,
    steps: Vec<StageStep>,
}

/// A change as it is stored.
///
/// # Errors
/// When a step of the stage has a number that JSON has no word for; none that was settled has.
pub fn pack(change: &Change) -> Result<Vec<u8>> {
    let Change {
        id,
        author,
        at,
        what,
    } = change.clone();
    let (form, body) = match what {
        What::Marks { deed, steps } => {
            let of_marks = OfMarks {
                id,
                author,
                at,
                deed,
                steps,
            };
            (MARKS, encode(&of_marks))
        }
        What::Stage(steps) => {
            let of_stage = OfStage {
                id,
                author,
                at,
                steps,
            };
            (STAGE, json(&of_stage)?.into_bytes())
        }
    };
    Ok([&[form], body.as_slice()].concat())
}

/// A change, in whichever form it was stored.
///
/// # Errors
/// When it is of no form that is known here, or not of the form that it says.
pub fn change(bytes: &[u8]) -> Result<Change> {
    match bytes.split_first() {
        Some((1, body)) => form1::change(body)
            .ok_or_else(|| StoreError("a stored change cannot be read".to_owned())),
        Some((&MARKS, body)) => {
            let OfMarks {
                id,
                author,
                at,
                deed,
                steps,
            } = unpack(body)?;
            let what = What::Marks { deed, steps };
            Ok(Change {
                id,
                author,
                at,
                what,
            })
        }
        Some((&STAGE, body)) => {
            let OfStage {
                id,
                author,
                at,
                steps,
            } = parse(body)?;
            let what = What::Stage(steps);
            Ok(Change {
                id,
                author,
                at,
                what,
            })
        }
        _ => Err(unreadable("of no form that is known")),
    }
}

fn unpack<T: for<'de> Deserialize<'de>>(body: &[u8]) -> Result<T> {
    decode(body).ok_or_else(|| unreadable("packed otherwise"))
}

fn parse<T: for<'de> Deserialize<'de>>(json: &[u8]) -> Result<T> {
    serde_json::from_slice(json).map_err(unreadable)
}

fn unreadable(why: impl std::fmt::Display) -> StoreError {
    StoreError(format!(
        "what is stored cannot be read by this version: {why}"
    ))
}
