//! The chapters of a recording: as they were set by hand, or as its lesson has them.

use std::collections::BTreeMap;

use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::lesson::change::Change;
use bozzetto_core::recording::chapters::{Event, chapters, on_stage};
use bozzetto_core::recording::clock::Clock;
use bozzetto_core::recording::cuts::Chapter;
use rusqlite::Connection;

use super::queries::{self, Recording};
use crate::live::log;
use crate::store::Result;

/// Of a recording whose times are as `clock` says. Cost: reads the whole log of the lesson, unless they were set.
pub fn of(conn: &Connection, recording: &Recording, clock: &Clock) -> Result<Vec<Chapter>> {
    if let Some(set) = &recording.chapters {
        return Ok(set.clone());
    }
    let log = log::changes(conn, recording.lesson, 0)?;
    let log: Vec<_> = log.into_iter().map(|(_, change)| change).collect();
    let mut events = events(conn, recording.lesson, &log)?;
    // What was before the film is told by what is on stage when it begins.
    let began = clock.to_lesson(0.0).unwrap_or(0);
    events.retain(|event| !event.wanted || event.at >= began);
    Ok(chapters(events, clock))
}

/// Where chapters of a lesson may begin, from its whole log, its captures and the moments that were marked.
pub fn events(conn: &Connection, lesson: i64, log: &[Change]) -> Result<Vec<Event>> {
    let mut names = BTreeMap::new();
    let mut all = conn.prepare_cached("SELECT id, name FROM backdrop WHERE lesson = ?1")?;
    let rows = all.query_map([lesson], |row| {
        Ok((BackdropId(row.get::<_, i64>(0)? as u64), row.get(1)?))
    })?;
    for row in rows {
        let (id, name) = row?;
        names.insert(id, name);
    }
    let mut events = on_stage(log, &names);
    let wanted = |at: i64, name: String| Event {
        at: at as u64,
        name,
        wanted: true,
    };
    let mut captures = conn.prepare_cached(
        "SELECT taken_at, name FROM capture WHERE lesson = ?1 AND deleted_at IS NULL",
    )?;
    let rows = captures.query_map([lesson], |row| Ok(wanted(row.get(0)?, row.get(1)?)))?;
    events.extend(rows.collect::<rusqlite::Result<Vec<_>>>()?);
    let marked = queries::marked(conn, lesson)?;
    events.extend(
        marked
            .into_iter()
            .map(|moment| wanted(moment.at, moment.name)),
    );
    Ok(events)
}
