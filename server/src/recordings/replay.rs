//! A lesson shown again: what its participants saw, for its presenter and for those to whom it was handed out.

use std::collections::HashSet;
use std::sync::Arc;

use askama::Template;
use axum::extract::{FromRequestParts, Path, Query, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::{Form, Json};
use bozzetto_core::capture::name::{MAX_NAME, tidy_to};
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};

use super::film::{self, How, Kind};
use super::showing::{Chapter, FilmOf, Handed, Shown, of_presenter, shown};
use crate::app::App;
use crate::backdrops::Wanted;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::files::{self, Part, Without};
use crate::headers::STAGE_POLICY;
use crate::lessons::queries as lessons;
use crate::take_aways;

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

/// What goes along with what is lived through.
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
