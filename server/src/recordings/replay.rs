//! A lesson shown again: what its participants saw, for its presenter and for those to whom it was handed out.

use std::collections::HashSet;
use std::sync::Arc;
use std::time::Duration;

use askama::Template;
use axum::extract::{FromRequestParts, Path, Query, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::{Form, Json};
use bozzetto_core::capture::name::{MAX_NAME, tidy_to};
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
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use super::film::{self, How, Kind};
use super::queries::{self, Recording};
use crate::app::App;
use crate::backdrops::Wanted;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::files::{self, Part, Seen, Without};
use crate::headers::STAGE_POLICY;
use crate::lessons::queries as lessons;
use crate::live::lesson::placed;
use crate::live::log;
use crate::store;
use crate::take_aways;

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

/// The pages of a lesson that is shown again, and their files, at an address.
fn shown_at(access: Access, at: &str) -> Routes {
    // Also those that were taken out of the running order.
    let one = format!("{at}/backdrops/{{seen}}");
    Routes::of(access)
        .get(at, page)
        .get(&format!("{at}/lived"), lived)
        .get(&format!("{at}/about"), about)
        .get(&format!("{at}/placed/{{picture}}"), placed_picture)
        .get(&format!("{one}/picture"), picture)
        .get(&format!("{one}/pages/{{page}}"), document_page)
        .get(&format!("{one}/video"), video)
}

pub fn for_presenters() -> Routes {
    const REPLAY: &str = "/lessons/{lesson}/replay";
    shown_at(Access::Presenter, REPLAY)
        .post(&format!("{REPLAY}/chapters"), name_chapter)
        .post(&format!("{REPLAY}/hand-out"), hand_out)
}

pub fn for_participants() -> Routes {
    const REPLAY: &str = "/follow/{lesson}/replays/{take_away}";
    const FILM: &str = "/follow/{lesson}/replays/{take_away}/films/{recording}/files/film.mp4";
    shown_at(Access::Participant, REPLAY).get(FILM, film_of_it)
}

/// What an address names.
#[derive(Deserialize)]
struct Address {
    lesson: i64,
    /// As what it was handed out; its presenter's where nothing is named.
    take_away: Option<i64>,
}

/// A lesson that is shown again to whoever asks, as far as it is theirs.
struct Asked {
    lesson: i64,
    take_away: Option<i64>,
    handed: Handed,
    shown: Arc<Shown>,
}

impl FromRequestParts<App> for Asked {
    type Rejection = AppError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self> {
        let named = Path::<Address>::from_request_parts(parts, app).await;
        let Path(Address { lesson, take_away }) = named.map_err(|_| AppError::NotFound)?;
        let handed = match take_away {
            Some(id) => match take_aways::find(app, lesson, id, &parts.headers)
                .await?
                .what
            {
                take_aways::What::Replay(handed) => handed,
                _ => return Err(AppError::NotFound),
            },
            None => of_presenter(),
        };
        let shown = shown(app, lesson, &handed).await?;
        Ok(Self {
            lesson,
            take_away,
            handed,
            shown,
        })
    }
}

/// A lesson that can be shown again.
pub struct Shown {
    /// [`Lived`], packed.
    bytes: Bytes,
    seen: Seen,
    chapters: Vec<Chapter>,
    films: Vec<FilmOf>,
}

/// A part of a lesson that has a name.
#[derive(Clone, Serialize)]
struct Chapter {
    /// Milliseconds since 1970.
    at: u64,
    name: String,
}

/// A recording of what is shown.
#[derive(Clone, Serialize)]
struct FilmOf {
    recording: i64,
    /// Where it begins, and where it goes on: in microseconds of the film, and in milliseconds since 1970.
    clock: Vec<(u64, u64)>,
    /// In microseconds.
    lasts: u64,
    /// It shows the picture area, so that it can be seen in its place.
    area: bool,
    #[serde(skip)]
    kept: Recording,
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
async fn shown(app: &App, lesson: i64, handed: &Handed) -> Result<Arc<Shown>> {
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
        Ok((log, recordings, events, names(conn, lesson)?))
    };
    let (mut log, recordings, mut events, names) = app.store.read(read).await?;
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
        let mut lived = tell(&log, &left_out, wants.parts.as_deref())?;
        if let Some(parts) = &wants.parts {
            lived = lived.within(parts);
        }
        let (bytes, seen) = (Bytes::from(encode(&lived)), seen(&lived));
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
fn seen(lived: &Lived) -> Seen {
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

#[derive(Template)]
#[template(path = "replay.html")]
struct Page {
    lesson: lessons::LessonCard,
    /// Where its files are.
    own: String,
    /// Where the films are from which it is heard.
    films: String,
    chapters: Vec<Chapter>,
    has_films: bool,
    /// For its presenter, who can name chapters and hand it out.
    presents: bool,
    nothing: bool,
}

/// What a presenter gets: all that participants saw, and every recording whole.
fn of_presenter() -> Handed {
    Handed::default()
}

/// What goes along with [`Lived`].
#[derive(Serialize)]
struct About<'a> {
    chapters: &'a [Chapter],
    films: &'a [FilmOf],
    /// The parts that were handed out.
    parts: &'a Option<Vec<(u64, u64)>>,
}

async fn page(State(app): State<App>, asked: Asked) -> Result<Response> {
    let lesson = asked.lesson;
    let card = app
        .store
        .read(move |conn| lessons::one(conn, lesson))
        .await?;
    let (own, films) = match asked.take_away {
        Some(id) => {
            let own = format!("/follow/{lesson}/replays/{id}");
            (own.clone(), format!("{own}/films"))
        }
        None => (
            format!("/lessons/{lesson}/replay"),
            format!("/lessons/{lesson}/recordings"),
        ),
    };
    let page = Page {
        lesson: card.ok_or(AppError::NotFound)?,
        own,
        films,
        chapters: asked.shown.chapters.clone(),
        has_films: !asked.films().is_empty(),
        presents: asked.take_away.is_none(),
        nothing: asked.shown.chapters.is_empty(),
    };
    let policy = [(header::CONTENT_SECURITY_POLICY, STAGE_POLICY)];
    Ok((policy, Html(page.render()?)).into_response())
}

impl Asked {
    /// The recordings that are heard along with it.
    fn films(&self) -> &[FilmOf] {
        match self.take_away.is_none() || self.handed.heard {
            true => &self.shown.films,
            false => &[],
        }
    }
}

async fn about(asked: Asked) -> Response {
    Json(About {
        chapters: &asked.shown.chapters,
        films: asked.films(),
        parts: &asked.handed.parts,
    })
    .into_response()
}

async fn lived(asked: Asked) -> Response {
    let kind = [(header::CONTENT_TYPE, "application/octet-stream")];
    (kind, asked.shown.bytes.clone()).into_response()
}

/// A backdrop that was seen, or a page of it.
#[derive(Deserialize)]
struct OfBackdrop {
    seen: i64,
    #[serde(default)]
    page: usize,
}

async fn picture(
    State(app): State<App>,
    Path(of): Path<OfBackdrop>,
    Query(without): Query<Without>,
    headers: HeaderMap,
    asked: Asked,
) -> Result<Response> {
    let seen = &asked.shown.seen;
    files::picture_of(&app, asked.lesson, of.seen, seen, &without, &headers).await
}

async fn document_page(
    State(app): State<App>,
    Path(of): Path<OfBackdrop>,
    Query(wanted): Query<Wanted>,
    Query(without): Query<Without>,
    headers: HeaderMap,
    asked: Asked,
) -> Result<Response> {
    let (page, seen) = ((of.seen, of.page), &asked.shown.seen);
    files::page_of(&app, asked.lesson, page, seen, wanted, &without, &headers).await
}

async fn video(
    State(app): State<App>,
    Path(of): Path<OfBackdrop>,
    headers: HeaderMap,
    asked: Asked,
) -> Result<Response> {
    files::video_of(&app, asked.lesson, of.seen, &asked.shown.seen, &headers).await
}

#[derive(Deserialize)]
struct OfPicture {
    picture: u64,
}

async fn placed_picture(
    State(app): State<App>,
    Path(of): Path<OfPicture>,
    Query(part): Query<Part>,
    Query(without): Query<Without>,
    headers: HeaderMap,
    asked: Asked,
) -> Result<Response> {
    let (picture, seen) = (of.picture, &asked.shown.seen);
    files::placed_of(&app, asked.lesson, picture, seen, part, &without, &headers).await
}

#[derive(Deserialize)]
struct OfFilm {
    recording: i64,
}

async fn film_of_it(
    State(app): State<App>,
    Path(of): Path<OfFilm>,
    Query(how): Query<How>,
    headers: HeaderMap,
    asked: Asked,
) -> Result<Response> {
    let mut films = asked.films().iter();
    let film = films.find(|film| film.recording == of.recording);
    let film = film.ok_or(AppError::NotFound)?;
    film::give(&app, &film.kept, Kind::Mp4, how.keep, &headers).await
}

#[derive(Deserialize)]
struct Named {
    /// The moment at which it begins, in milliseconds since 1970.
    at: i64,
    name: String,
}

/// Names a chapter; without words it has its own name again.
async fn name_chapter(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(named): Form<Named>,
) -> Result<Redirect> {
    let name = tidy_to(&named.name, MAX_NAME);
    let write = move |conn: &Connection| {
        conn.prepare_cached("DELETE FROM chapter_name WHERE lesson = ?1 AND at = ?2")?
            .execute([lesson, named.at])?;
        if let Some(name) = name {
            conn.prepare_cached("INSERT INTO chapter_name (lesson, at, name) VALUES (?1, ?2, ?3)")?
                .execute(params![lesson, named.at, name])?;
        }
        Ok(())
    };
    app.store.write(write).await?;
    Ok(Redirect::to(&format!("/lessons/{lesson}/replay")))
}

#[derive(Deserialize)]
struct HandOut {
    /// Where the chapters begin that are chosen, in milliseconds since 1970, with commas between.
    chapters: String,
    #[serde(default)]
    without_wiped: bool,
    #[serde(default)]
    heard: bool,
}

/// Hands the lesson out as a take-away: all of it, or chosen chapters.
async fn hand_out(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(chosen): Form<HandOut>,
) -> Result<Redirect> {
    let shown = shown(&app, lesson, &of_presenter()).await?;
    let begin: HashSet<u64> = chosen
        .chapters
        .split(',')
        .filter_map(|at| at.trim().parse().ok())
        .collect();
    let all = &shown.chapters;
    let ends = all.iter().skip(1).map(|next| next.at).chain([u64::MAX]);
    let parts: Vec<(u64, u64)> = (all.iter().zip(ends))
        .filter(|(chapter, _)| begin.contains(&chapter.at))
        .map(|(chapter, end)| (chapter.at, end))
        .collect();
    if parts.is_empty() {
        return Err(AppError::Unusable(
            "Choose at least one chapter.".to_owned(),
        ));
    }
    let handed = Handed {
        // All of it up to now: what comes later is handed out later.
        parts: Some(match parts.len() == all.len() {
            true => vec![(0, crate::now() as u64)],
            false => parts
                .into_iter()
                .map(|(from, to)| (from, to.min(crate::now() as u64)))
                .collect(),
        }),
        without_wiped: chosen.without_wiped,
        heard: chosen.heard,
    };
    let card = app
        .store
        .read(move |conn| lessons::one(conn, lesson))
        .await?;
    let name = card.ok_or(AppError::NotFound)?.name;
    take_aways::hand_out_replay(&app, lesson, &name, handed).await?;
    Ok(Redirect::to(&format!("/lessons/{lesson}/replay")))
}
