//! The captures page, the proof on the stage, and what can be done with a capture.

use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Form, Json, Router};
use bozzetto_core::naming::file_name;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::queries::{self, Capture};
use super::take::{self, Request};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::stage::serve_media;

pub fn routes() -> Router<App> {
    const ONE: &str = "/lessons/{lesson}/captures/{capture}";
    let one = |action: &str| format!("{ONE}/{action}");
    Router::new()
        .route("/lessons/{lesson}/captures", get(page).post(take_box))
        .route(ONE, get(card))
        .route(&one("picture.png"), get(picture))
        .route(&one("thumbnail.png"), get(thumbnail))
        .route(&one("download"), get(download_own))
        .route(&one("large"), get(large))
        .route(&one("rename"), get(rename_form).post(rename))
        .route(&one("hand-out"), post(hand_out))
        .route(&one("take-back"), post(take_back))
        .route(&one("delete"), post(delete))
        .route(&one("restore"), post(restore))
}

#[derive(Template)]
#[template(path = "captures.html")]
struct Page {
    lesson: lessons::LessonCard,
    captures: Vec<Capture>,
    out: usize,
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

impl Capture {
    /// `1 284 × 732 px`, with thin spaces between thousands.
    fn pixels(&self) -> String {
        format!("{} × {} px", thousands(self.width), thousands(self.height))
    }

    fn time(&self) -> String {
        Timestamp::from_millisecond(self.taken_at)
            .unwrap_or(Timestamp::UNIX_EPOCH)
            .to_zoned_datetime(TimeZone::system())
            .strftime("%H:%M")
            .to_string()
    }

    fn way_shown(&self) -> &'static str {
        match self.way.as_str() {
            "outline" => "Outline",
            "pane" => "Pane",
            "stage" => "Stage",
            _ => "Box",
        }
    }
}

fn thousands(n: u32) -> String {
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

async fn find(app: &App, lesson: i64, id: i64) -> Result<Capture> {
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
    let out = captures.iter().filter(|c| c.handed_out).count();
    let page = Page {
        lesson,
        captures,
        out,
    };
    Ok(Html(page.render()?).into_response())
}

async fn take_box(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Json(request): Json<Request>,
) -> Result<Html<String>> {
    let id = take::take(&app, lesson, request).await?;
    answer(&app, lesson, id, true).await
}

type Which = Path<(i64, i64)>;

async fn card(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
) -> Result<Html<String>> {
    answer(&app, lesson, id, from.proof).await
}

async fn picture(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    serve_media(&app, find(&app, lesson, id).await?.media).await
}

async fn thumbnail(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    serve_media(&app, find(&app, lesson, id).await?.thumbnail).await
}

async fn download_own(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    let c = find(&app, lesson, id).await?;
    download(&app, c.media, &c.name).await
}

/// A picture as a file with the capture's name.
pub async fn download(app: &App, sha: String, name: &str) -> Result<Response> {
    let mut response = serve_media(app, sha).await?;
    let value = disposition(&file_name(name, "png"));
    let value = value
        .parse()
        .map_err(|_| AppError::Internal("a file name".to_owned()))?;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_DISPOSITION, value);
    // The name may change.
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    Ok(response)
}

/// Source: RFC 6266, with the extended notation of RFC 8187 for what is not ASCII.
fn disposition(name: &str) -> String {
    let plain: String = name
        .chars()
        .map(|c| {
            if c.is_ascii_graphic() && c != '"' && c != '\\' || c == ' ' {
                c
            } else {
                '_'
            }
        })
        .collect();
    let coded: String = name
        .bytes()
        .map(|b| match b {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'.' | b'-' | b'_' => {
                char::from(b).to_string()
            }
            b => format!("%{b:02X}"),
        })
        .collect();
    format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{coded}")
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
}

async fn rename(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Query(from): Query<From>,
    Form(form): Form<Rename>,
) -> Result<Html<String>> {
    let name = crate::lessons::named(&form.name)?;
    app.store
        .write(move |conn| queries::rename(conn, lesson, id, &name))
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
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
