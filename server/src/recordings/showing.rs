//! What a lesson needs to be shown again: made from its log once, and kept at hand.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use std::time::Duration;

use bozzetto_core::lesson::change::Change;
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::recording::chapters::chapters;
use bozzetto_core::recording::clock::Clock;
use bozzetto_core::recording::replay::{Lived, Seen as What, tell, wiped};
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::Op;
use bozzetto_core::stage::covered;
use bozzetto_core::stage::state::Stage;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::encode;
use bytes::Bytes;
use moka::future::Cache;
use rusqlite::Connection;
use serde::{Deserialize, Serialize};

use super::film;
use super::queries::{self, Recording};
use crate::app::App;
use crate::captures;
use crate::error::{AppError, Result};
use crate::follow::files::Seen;
use crate::live::lesson::placed;
use crate::live::log;
use crate::store;

/// How many lessons are known well enough to be shown again at once, and for how long after they were used last.
const AT_HAND: u64 = 16;
const IDLE: Duration = Duration::from_secs(600);

/// A lesson as it is handed out to be shown again.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Handed {
    /// Only these parts of it, in milliseconds since 1970; all where it is not said.
    pub parts: Option<Vec<(u64, u64)>>,
    /// Without marks that were wiped.
    pub without_wiped: bool,
    /// With the sound of recordings, and with what moved in them.
    pub heard: bool,
}

/// What a presenter gets: all that participants saw, and every recording whole.
pub fn of_presenter() -> Handed {
    Handed::default()
}

/// A lesson that can be shown again.
pub struct Shown {
    /// [`Lived`], packed.
    pub bytes: Bytes,
    pub seen: Seen,
    pub chapters: Vec<Chapter>,
    pub films: Vec<FilmOf>,
}

/// A part of a lesson that has a name.
#[derive(Clone, Serialize)]
pub struct Chapter {
    /// Milliseconds since 1970.
    pub at: u64,
    pub name: String,
}

/// A recording of what is shown.
#[derive(Clone, Serialize)]
pub struct FilmOf {
    pub recording: i64,
    /// Where it begins, and where it goes on: in microseconds of the film, and in milliseconds since 1970.
    clock: Vec<(u64, u64)>,
    /// In microseconds.
    lasts: u64,
    /// It shows the picture area, so that it can be seen in its place.
    area: bool,
    #[serde(skip)]
    pub kept: Recording,
}

/// A lesson up to a change, as it is handed out.
type Key = (i64, u64, String);

/// Lessons that are being shown again; cheap to clone.
#[derive(Clone)]
pub struct Replays(Cache<Key, Arc<Shown>>);

impl Default for Replays {
    fn default() -> Self {
        let cache = Cache::builder().max_capacity(AT_HAND).time_to_idle(IDLE);
        Self(cache.build())
    }
}

/// What a lesson needs to be shown again. Those who ask at once wait for the same.
pub async fn shown(app: &App, lesson: i64, handed: &Handed) -> Result<Arc<Shown>> {
    let heard = handed.heard;
    let state = move |conn: &Connection| {
        let seq: i64 = conn
            .prepare_cached("SELECT coalesce(max(seq), 0) FROM change WHERE lesson = ?1")?
            .query_row([lesson], |row| row.get(0))?;
        let named: String = conn
            .prepare_cached(
                "SELECT (SELECT coalesce(group_concat(at || name), '') FROM chapter_name WHERE lesson = ?1)
                   || (SELECT count(*) FROM marked_moment WHERE lesson = ?1)
                   || (SELECT coalesce(group_concat(name), '') FROM capture WHERE lesson = ?1 AND deleted_at IS NULL)",
            )?
            .query_row([lesson], |row| row.get(0))?;
        let recorded: String = conn
            .prepare_cached(
                "SELECT coalesce(group_concat(id || ':' || bytes || ':' || coalesce(cuts, '')), '')
                 FROM recording WHERE lesson = ?1 AND deleted_at IS NULL",
            )?
            .query_row([lesson], |row| row.get(0))?;
        Ok((seq as u64, named, recorded))
    };
    let (seq, named, recorded) = app.store.read(state).await?;
    // Whatever changes what is shown. What was handed out ends when it was, whatever is done afterwards.
    let presents = handed.parts.is_none();
    let seq = if presents { seq } else { 0 };
    let recorded = if presents || heard {
        recorded
    } else {
        String::new()
    };
    let key = (
        lesson,
        seq,
        format!("{}{named}{recorded}", store::json(handed)?),
    );
    let made = async { make(app, lesson, handed).await.map(Arc::new) };
    let made = app.replays.0.try_get_with(key, made).await;
    made.map_err(|why| AppError::Internal(why.to_string()))
}

async fn make(app: &App, lesson: i64, handed: &Handed) -> Result<Shown> {
    let read = move |conn: &Connection| {
        let log: Vec<Change> = log::changes(conn, lesson, 0)?
            .into_iter()
            .map(|(_, change)| change)
            .collect();
        let recordings = queries::of_lesson(conn, lesson)?;
        let events = super::chapters::events(conn, lesson, &log)?;
        let frames = captures::frames(conn, lesson)?;
        Ok((log, recordings, events, names(conn, lesson)?, frames))
    };
    let (mut log, recordings, mut events, names, frames) = app.store.read(read).await?;
    if let Some(parts) = &handed.parts {
        let ends = parts.iter().map(|(_, to)| *to).max().unwrap_or(0);
        log.retain(|change| change.at < ends);
    }
    let open = open_parts(&log);
    let wants = handed.clone();
    let told = tokio::task::spawn_blocking(move || {
        let left_out = match wants.without_wiped {
            true => wiped(&log)?,
            false => HashSet::new(),
        };
        let files: HashMap<u64, String> = frames
            .iter()
            .map(|(_, frame, file)| (frame.picture, file.clone()))
            .collect();
        let kept = frames.into_iter();
        let kept = kept.map(|((at, id), frame, _)| (at, id, frame)).collect();
        let mut lived = tell(&log, &left_out, wants.parts.as_deref(), kept)?;
        if let Some(parts) = &wants.parts {
            lived = lived.within(parts);
        }
        let (bytes, seen) = (Bytes::from(encode(&lived)), seen(&lived, files));
        Ok::<_, Refusal>((lived, bytes, seen))
    });
    let told = told.await.map_err(|e| AppError::Internal(e.to_string()))?;
    let (lived, bytes, seen) = told.map_err(|why| AppError::Internal(format!("{why:?}")))?;
    let within = |at: u64| match &handed.parts {
        Some(parts) => parts.iter().any(|(from, to)| (*from..*to).contains(&at)),
        None => true,
    };
    // What was wanted while the lesson was paused is nothing that participants saw.
    events.retain(|e| open.iter().any(|(from, to)| (*from..*to).contains(&e.at)));
    let began = lived.told.first().map_or(0, |first| first.at);
    events.retain(|e| e.at >= began);
    // Also what was wanted after the last thing was seen.
    let last = lived.told.last().map_or(began, |last| last.at);
    let last = events.iter().fold(last, |last, event| last.max(event.at));
    let clock = Clock::new(vec![(0, began)], (last - began + 1000) * 1000);
    let named = chapters(events, &clock).into_iter().filter_map(|chapter| {
        let at = clock.to_lesson(chapter.at)?;
        let name = names.iter().find(|(then, _)| *then == at);
        let name = name.map_or(chapter.name, |(_, name)| name.clone());
        within(at).then_some(Chapter { at, name })
    });
    let chapters = named.collect();
    let mut films = Vec::new();
    for recording in recordings {
        if !recording.is_empty()
            && let Ok(Some(film)) = film_of(app, recording, handed, &open).await
        {
            films.push(film);
        }
    }
    Ok(Shown {
        bytes,
        seen,
        chapters,
        films,
    })
}

/// When the lesson was not paused, in milliseconds since 1970.
fn open_parts(log: &[Change]) -> Vec<(u64, u64)> {
    let mut parts = Vec::new();
    let mut from = Some(0);
    for change in log {
        for step in change.stage_steps() {
            if let StageStep::Pause(paused) = step {
                if let (true, Some(from)) = (*paused, from) {
                    parts.push((from, change.at));
                }
                from = match (*paused, from) {
                    (true, _) => None,
                    (false, from) => from.or(Some(change.at)),
                };
            }
        }
    }
    parts.extend(from.map(|from| (from, u64::MAX)));
    parts
}

/// A recording as it goes with what is shown; nothing where nothing of it does.
async fn film_of(
    app: &App,
    mut recording: Recording,
    handed: &Handed,
    open: &[(u64, u64)],
) -> Result<Option<FilmOf>> {
    // Of another screen, or a camera alone, participants have seen nothing.
    if handed.parts.is_some() && !recording.is_of_area() {
        return Ok(None);
    }
    let kept = film::kept(app, &recording).await?;
    let clock = Clock::new(kept.clock.clone(), kept.lasts);
    // Participants hear nothing of what was said while the lesson was paused, or is not in the parts they have.
    if let Some(parts) = &handed.parts {
        recording.cuts = Some(recording.left().within(&in_film(&clock, parts)));
    }
    if handed.heard {
        recording.cuts = Some(recording.left().within(&in_film(&clock, open)));
    }
    let left = recording.left().at_keys(&kept.keys());
    if left.parts().is_empty() {
        return Ok(None);
    }
    let clock = clock.of_left(&left);
    Ok(Some(FilmOf {
        recording: recording.id,
        clock: clock.known().to_vec(),
        lasts: (left.seconds() * 1e6) as u64,
        area: recording.is_of_area(),
        kept: recording,
    }))
}

/// Parts of a lesson's time as parts of a film, in seconds.
fn in_film(clock: &Clock, parts: &[(u64, u64)]) -> Vec<(f64, f64)> {
    let end = f64::INFINITY;
    let part = |(from, to): &(u64, u64)| {
        let from = clock.to_film(*from)?;
        Some((from, clock.to_film(*to).unwrap_or(end)))
    };
    parts.iter().filter_map(part).collect()
}

/// Which pictures and pages are seen in it, and how much of each. Of those that differ in nothing by which a file is asked for,
/// one is enough.
fn seen(lived: &Lived, frames: HashMap<u64, String>) -> Seen {
    let mut known = HashSet::new();
    let mut views = Vec::new();
    let mut now = Stage::default();
    let mut laid: Vec<Placement> = Vec::new();
    let mut lay = |mark: &Mark| {
        if let Some(placement) = placed(mark)
            && !laid.contains(&placement)
        {
            laid.push(placement);
        }
    };
    for told in &lived.told {
        match &told.what {
            What::Stage { stage, sheets } => {
                now = Stage::clone(stage);
                let marks = sheets.iter().flat_map(|(_, marks)| marks);
                marks.for_each(|mark| lay(mark));
            }
            What::Views(seen) => {
                for b in now.each_mut() {
                    if let Some((_, seen)) = seen.iter().find(|(id, _)| *id == b.id) {
                        b.seen = seen.clone();
                    }
                }
            }
            What::Marks(steps) => {
                for step in steps {
                    if let Op::Add(mark) | Op::Replace(mark) = &step.op {
                        lay(mark);
                    }
                }
                continue;
            }
            What::Laid(_) => continue,
        }
        for view in now.each() {
            let held = view.seen.frozen.map(|frozen| frozen.picture);
            let tag = covered::tag(&view.seen.withheld());
            if known.insert((view.id, view.seen.page, held, tag, view.width as u64)) {
                views.push(view.clone());
            }
        }
    }
    Seen {
        views,
        placed: laid,
        frames,
    }
}

/// The names of chapters, by the moments at which they begin.
fn names(conn: &Connection, lesson: i64) -> store::Result<Vec<(u64, String)>> {
    let mut statement =
        conn.prepare_cached("SELECT at, name FROM chapter_name WHERE lesson = ?1")?;
    let rows = statement.query_map([lesson], |row| {
        Ok((row.get::<_, i64>(0)? as u64, row.get(1)?))
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}
