//! The captures page, the proof on the stage, and what can be done with a capture.

use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use axum::{Form, Json};
use bozzetto_core::capture::Request;
use bozzetto_core::capture::moment::{Cut, Parts};
use bozzetto_core::capture::name::{MAX_CAPTION, file_name, names_a_file, tidy_to};
use bozzetto_core::geometry::frames::{Held, Point, Rect};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::people::take_away::LARGEST;
use bozzetto_core::wire::encode;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::queries::{self, Brief, Capture};
use super::several::Found;
use super::take::{self, Frame};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::attachment;
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::serving;
use crate::stage::placed::{self, Kept};

/// The most that comes with a request, in bytes: the frames of two panes.
const FRAMES: usize = 2 * crate::backdrops::FRAME;

pub fn routes() -> Routes {
    const ONE: &str = "/lessons/{lesson}/captures/{capture}";
    let one = |action: &str| format!("{ONE}/{action}");
    Routes::of(Access::Presenter)
        .get("/lessons/{lesson}/captures", page)
        .upload("/lessons/{lesson}/captures", take_box, FRAMES)
        .get(ONE, card)
        .get(&one("picture.png"), picture)
        .get(&one("thumbnail.png"), thumbnail)
        .get(&one("download"), download_own)
        .get(&one("large"), large)
        .get(&one("moment"), moment)
        .get(&one("rename"), rename_form)
        .post(&one("rename"), rename)
        .post(&one("parts"), set_parts)
        .post(&one("hand-out"), hand_out)
        .post(&one("take-back"), take_back)
        .post(&one("delete"), delete)
        .post(&one("place"), place)
        .post("/lessons/{lesson}/captures/newest/place", place_newest)
        .post(&one("restore"), restore)
}

#[derive(Template)]
#[template(path = "captures.html")]
struct Page {
    lesson: lessons::LessonCard,
    /// What it can be narrowed to: the name of the field, what it says for all, and its choices.
    narrows: Vec<(&'static str, &'static str, Vec<String>)>,
    found: Found,
}

#[derive(Template)]
#[template(path = "capture_card.html")]
struct Card {
    c: Capture,
}

#[derive(Template)]
#[template(path = "capture_rename.html")]
struct RenameForm {
    c: Capture,
    proof: bool,
}

#[derive(Template)]
#[template(path = "capture_deleted.html")]
struct Deleted {
    c: Capture,
    proof: bool,
}

#[derive(Template)]
#[template(path = "capture_large.html")]
struct Large {
    c: Capture,
}

#[derive(Template)]
#[template(path = "proof.html")]
struct Proof {
    c: Capture,
}

/// What there is, each once, as it comes.
fn each_once(all: impl Iterator<Item = String>) -> Vec<String> {
    let mut once = Vec::new();
    for one in all {
        if !one.is_empty() && !once.contains(&one) {
            once.push(one);
        }
    }
    once
}

impl Brief {
    pub fn day(&self) -> String {
        local(self.taken_at, DAY)
    }

    /// Changes when its picture does.
    pub fn version(&self) -> &str {
        &self.thumbnail[..8]
    }
}

/// How a day is written.
const DAY: &str = "%-d %B %Y";

/// A time, in milliseconds since 1970, as clocks here show it.
fn local(at: i64, format: &str) -> String {
    Timestamp::from_millisecond(at)
        .unwrap_or(Timestamp::UNIX_EPOCH)
        .to_zoned_datetime(TimeZone::system())
        .strftime(format)
        .to_string()
}

impl Capture {
    /// `1 284 × 732 px`, with thin spaces between thousands.
    pub fn pixels(&self) -> String {
        format!("{} × {} px", thousands(self.width), thousands(self.height))
    }

    pub fn time(&self) -> String {
        self.taken("%H:%M")
    }

    /// The day on which it was taken.
    pub fn day(&self) -> String {
        self.taken(DAY)
    }

    fn taken(&self, format: &str) -> String {
        local(self.taken_at, format)
    }

    /// What stands below it on paper: its caption, or its name.
    pub fn words(&self) -> &str {
        match self.caption.is_empty() {
            true => &self.name,
            false => &self.caption,
        }
    }

    /// Changes when its pictures do, so that no browser shows an older one.
    pub fn version(&self) -> &str {
        &self.media[..8]
    }

    /// What there is in it that may be left out, by the name of its box, and whether it is in.
    pub fn choices(&self) -> Vec<(&'static str, &'static str, bool)> {
        let Some(Cut { there, parts, .. }) = &self.cut else {
            return Vec::new();
        };
        let all = [
            ("marks", "Marks", there.marks, parts.marks),
            (
                "instruments",
                "Instruments",
                there.instruments,
                parts.instruments,
            ),
            ("clocks", "Clocks", there.clocks, parts.clocks),
        ];
        let there = all.into_iter().filter(|(.., there, _)| *there);
        there
            .map(|(name, shown, _, is)| (name, shown, is))
            .collect()
    }

    /// Whether something in it is hidden, and can be brought back.
    pub fn hides(&self) -> bool {
        let cut = self.cut.as_ref();
        cut.is_some_and(|cut| !cut.bench.hidden.is_empty())
    }

    pub fn way_shown(&self) -> &'static str {
        match self.way.as_str() {
            "outline" => "Outline",
            "pane" => "Pane",
            "stage" => "Stage",
            "whole" => "Whole",
            _ => "Box",
        }
    }
}

pub fn thousands(n: u32) -> String {
    match n {
        0..1000 => n.to_string(),
        _ => format!("{}\u{2009}{:03}", n / 1000, n % 1000),
    }
}

/// Where a form was sent from; the answer looks accordingly.
#[derive(Deserialize, Default)]
struct From {
    #[serde(default)]
    proof: bool,
}

pub async fn find(app: &App, lesson: i64, id: i64) -> Result<Capture> {
    let found = app
        .store
        .read(move |conn| queries::one(conn, lesson, id))
        .await?;
    found.ok_or(AppError::NotFound)
}

async fn answer(app: &App, lesson: i64, id: i64, proof: bool) -> Result<Html<String>> {
    let c = find(app, lesson, id).await?;
    Ok(Html(match proof {
        true => Proof { c }.render()?,
        false => Card { c }.render()?,
    }))
}

async fn page(State(app): State<App>, Path(id): Path<i64>) -> Result<Response> {
    let found = app
        .store
        .read(move |conn| Ok((lessons::one(conn, id)?, queries::of_lesson(conn, id)?)))
        .await?;
    let (Some(lesson), captures) = found else {
        return Err(AppError::NotFound);
    };
    let backdrops = each_once(captures.iter().map(|c| c.backdrop.clone()));
    let narrows = vec![
        ("backdrop", "All backdrops", backdrops),
        (
            "day",
            "All days",
            each_once(captures.iter().map(Capture::day)),
        ),
    ];
    let found = Found {
        lesson: id,
        captures,
        ..Found::default()
    };
    let page = Page {
        lesson,
        narrows,
        found,
    };
    Ok(Html(page.render()?).into_response())
}

async fn take_box(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    form: Multipart,
) -> Result<Html<String>> {
    let (request, frames) = asked(&app, form).await?;
    let id = take::take(&app, lesson, request, frames).await?;
    answer(&app, lesson, id, true).await
}

/// The request, and the frames of what moves: which backdrop each is of and what it shows, then the
/// pictures in the same order.
async fn asked(app: &App, mut form: Multipart) -> Result<(Request, Vec<Frame>)> {
    let broken = |_| AppError::Unusable("Nothing was taken: it broke off on its way.".to_owned());
    let long = || AppError::Unusable("Nothing was taken: too much was sent.".to_owned());
    let unclear = |e: serde_json::Error| AppError::Unusable(format!("Nothing was taken: {e}"));
    let mut request = None;
    let mut of: Vec<(BackdropId, Rect<Held>)> = Vec::new();
    let mut frames = Vec::new();
    let mut files = 0;
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let name = field.name().unwrap_or("").to_owned();
        let most = match name.as_str() {
            "request" | "frames" => 64 * 1024,
            _ => crate::backdrops::FRAME as u64,
        };
        let received = crate::backdrops::received(app, field, most).await?;
        let received = received.ok_or_else(long)?;
        match name.as_str() {
            "request" => {
                let words = received.contents()?;
                request = Some(serde_json::from_slice(&words).map_err(unclear)?);
            }
            "frames" => {
                let words = received.contents()?;
                let said: Vec<(String, [f64; 4])> =
                    serde_json::from_slice(&words).map_err(unclear)?;
                of = said
                    .into_iter()
                    .filter_map(|(id, [x0, y0, x1, y1])| {
                        let shows = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
                        Some((BackdropId(id.parse().ok()?), shows))
                    })
                    .collect();
            }
            _ => {
                let next = of.get(files).copied();
                files += 1;
                // One to a backdrop: another one of it says nothing new.
                let known = |b: BackdropId| frames.iter().any(|f: &Frame| f.backdrop == b);
                if let Some((backdrop, shows)) = next.filter(|(b, _)| !known(*b)) {
                    frames.push(Frame {
                        backdrop,
                        shows,
                        file: received,
                    });
                }
            }
        }
    }
    let request = request
        .ok_or_else(|| AppError::Unusable("Nothing was taken: no box was sent.".to_owned()))?;
    Ok((request, frames))
}

type Which = Path<(i64, i64)>;

/// Its picture, to be placed as a mark.
async fn place(State(app): State<App>, Path((lesson, id)): Which) -> Result<Json<Kept>> {
    let name = placed::new_name();
    let size = app
        .store
        .write(move |conn| queries::place(conn, lesson, id, name))
        .await?;
    Ok(Json(Kept::new(name, size.ok_or(AppError::NotFound)?)))
}

async fn place_newest(app: State<App>, Path(lesson): Path<i64>) -> Result<Json<Kept>> {
    let newest = app
        .store
        .read(move |conn| queries::newest(conn, lesson))
        .await?;
    let none = || AppError::Unusable("Nothing was captured in this lesson yet.".to_owned());
    place(app, Path((lesson, newest.ok_or_else(none)?))).await
}

/// What was on stage when it was taken, as the stage shows it again.
async fn moment(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    let from = take::made_from(&app, lesson, id).await?;
    Ok(encode(&from.moment.on_stage()).into_response())
}

async fn card(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    answer(&app, lesson, id, from.proof).await
}

async fn picture(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Response> {
    let c = find(&app, lesson, id).await?;
    serving::media(&app, c.media, &headers).await
}

async fn thumbnail(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Response> {
    let c = find(&app, lesson, id).await?;
    serving::media(&app, c.thumbnail, &headers).await
}

async fn download_own(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    let c = find(&app, lesson, id).await?;
    download(&app, c.media, &c.name).await
}

/// A picture as a file with the capture's name.
pub async fn download(app: &App, sha: String, name: &str) -> Result<Response> {
    download_as(app, sha, name, "png").await
}

/// A file of the data folder, to be kept under a name with an ending.
pub async fn download_as(app: &App, sha: String, name: &str, ending: &str) -> Result<Response> {
    let ending = if ending.is_empty() { "bin" } else { ending };
    let mut response = serving::media(app, sha, &HeaderMap::new()).await?;
    let value = attachment(&file_name(name, ending));
    let value = value
        .parse()
        .map_err(|_| AppError::Internal("a file name".to_owned()))?;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_DISPOSITION, value);
    // The name may change.
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    Ok(response)
}

async fn large(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    let c = find(&app, lesson, id).await?;
    Ok(Html(Large { c }.render()?))
}

async fn rename_form(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    let c = find(&app, lesson, id).await?;
    let proof = from.proof;
    Ok(Html(RenameForm { c, proof }.render()?))
}

#[derive(Deserialize)]
struct Rename {
    name: String,
    #[serde(default)]
    caption: String,
}

async fn rename(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
    Form(form): Form<Rename>,
) -> Result<Html<String>> {
    let name = crate::lessons::named(&form.name)?;
    if !names_a_file(&name) {
        let why = "Of dots alone no file can have its name. Give it a letter, a digit or a sign.";
        return Err(AppError::Unusable(why.to_owned()));
    }
    let caption = tidy_to(&form.caption, MAX_CAPTION).unwrap_or_default();
    app.store
        .write(move |conn| {
            queries::rename(conn, lesson, id, &name)?;
            queries::set_caption(conn, lesson, id, &caption)
        })
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    answer(&app, lesson, id, from.proof).await
}

/// What is in the picture: boxes that are ticked.
#[derive(Deserialize)]
struct Ticked {
    marks: Option<String>,
    instruments: Option<String>,
    clocks: Option<String>,
}

async fn set_parts(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
    Form(form): Form<Ticked>,
) -> Result<Html<String>> {
    let c = find(&app, lesson, id).await?;
    // What there is none of has no box, and stays in.
    let there = c.cut.map(|cut| cut.there).unwrap_or_default();
    let parts = Parts {
        marks: form.marks.is_some() || !there.marks,
        instruments: form.instruments.is_some() || !there.instruments,
        clocks: form.clocks.is_some() || !there.clocks,
    };
    take::remake(&app, lesson, id, |cut| Cut { parts, ..cut }).await?;
    answer(&app, lesson, id, from.proof).await
}

async fn set_out(app: &App, lesson: i64, id: i64, out: bool, proof: bool) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_handed_out(conn, lesson, id, out))
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    answer(app, lesson, id, proof).await
}

async fn hand_out(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    set_out(&app, lesson, id, true, from.proof).await
}

async fn take_back(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    set_out(&app, lesson, id, false, from.proof).await
}

async fn delete(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    let c = find(&app, lesson, id).await?;
    app.store
        .write(move |conn| queries::set_deleted(conn, lesson, id, true))
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    let proof = from.proof;
    Ok(Html(Deleted { c, proof }.render()?))
}

async fn restore(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, lesson, id, false))
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    answer(&app, lesson, id, from.proof).await
}
