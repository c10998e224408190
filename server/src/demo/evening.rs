//! The evening before, recorded: what `e2e/evening.js` had drawn and said. Its days stay those of then.

use std::collections::HashSet;

use anyhow::Context;
use bozzetto_core::recording::captions;
use bozzetto_core::stage::board::Ruling;
use bozzetto_core::stage::step::StageStep;
use rusqlite::params;
use serde::Deserialize;

use super::{HARBOUR, SOUNDER, add, board, lesson};
use crate::app::App;
use crate::live::log;
use crate::recordings::{Films, queries};

static FILM: &[u8] = include_bytes!("../../../demo/Evening 2.film");
static CAPTIONS: &str = include_str!("../../../demo/Evening 2.vtt");
static LESSON: &str = include_str!("../../../demo/Evening 2.json");

/// What is called so in [`LESSON`]; times are as in the database.
#[derive(Deserialize)]
struct Evening {
    how: String,
    pieces: u32,
    /// In microseconds.
    lasts: u64,
    begun_at: i64,
    ended_at: i64,
    moments: Vec<(i64, String)>,
    /// Its log, as it was kept.
    changes: Vec<Vec<u8>>,
}

pub(super) async fn fill(app: &App) -> anyhow::Result<()> {
    const NAME: &str = "Coastal pilotage, evening 2";
    let id = lesson(&app.store, NAME, "class").await?;
    let chart = add(app, id, &HARBOUR).await?;
    let sounder = add(app, id, &SOUNDER).await?;
    let board = board(&app.store, id, Ruling::Ruled).await?;
    let backdrops = HashSet::from([chart, sounder, board].map(|id| id as u64));
    let evening: Evening = serde_json::from_str(LESSON)?;
    let read = evening.changes.iter().map(|body| log::change(body));
    let log = read.collect::<Result<Vec<_>, _>>()?;
    let steps = log.iter().flat_map(|change| change.stage_steps());
    let brought: HashSet<u64> = steps
        .filter_map(|step| match step {
            StageStep::Bring { backdrop, .. } => Some(backdrop.id.0),
            _ => None,
        })
        .collect();
    // Without a log it is about to be recorded.
    anyhow::ensure!(
        evening.changes.is_empty() || brought == backdrops,
        "other backdrops come before those of {NAME} than when it was recorded: run e2e/evening.js again"
    );
    let log: Vec<_> = (1..).zip(log).collect();
    let cues = captions::read(CAPTIONS).ok().context("its captions")?;
    let file = Films::new_name();
    let name = file.clone();
    let write = move |conn: &rusqlite::Connection| {
        log::append(conn, id, &log)?;
        let recording = queries::begin(conn, id, NAME, &name, "", &evening.how)?;
        conn.execute(
            "UPDATE recording SET pieces = ?2, bytes = ?3, lasts = ?4, begun_at = ?5, heard_at = ?6, ended_at = ?6 WHERE id = ?1",
            params![
                recording,
                evening.pieces,
                FILM.len() as i64,
                evening.lasts as i64,
                evening.begun_at,
                evening.ended_at
            ],
        )?;
        queries::set_captions(conn, recording, &cues)?;
        for (at, name) in &evening.moments {
            queries::mark(conn, id, *at, Some(name))?;
        }
        conn.execute(
            "UPDATE lesson SET used_at = ?2 WHERE id = ?1",
            [id, evening.ended_at],
        )?;
        Ok(())
    };
    app.store.write(write).await?;
    let film = bytes::Bytes::from_static(FILM);
    Ok(app.films.append(&file, 0, film).await?)
}
