//! The bench: the page of one capture, where it is cut anew, turned, made upright, and hidden in part.

use askama::Template;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::capture::Detail;
use bozzetto_core::capture::moment::{Bench, Cut};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;

use super::queries::{self, Capture, MadeFrom, Version};
use super::routes::find;
use super::{marking, take};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::media;

pub fn routes() -> Routes {
    const BENCH: &str = "/lessons/{lesson}/captures/{capture}/bench";
    let at = |action: &str| format!("{BENCH}/{action}");
    Routes::of(Access::Presenter)
        .get(BENCH, page)
        .get(&at("whole.png"), whole)
        .upload(&at("cut"), cut, CUT)
        .post(&at("mark"), marking::begin)
        .post("/lessons/{lesson}/marked", marking::end)
        .post(&at("versions/{version}"), go_back)
        .post(&at("for-good"), for_good)
}

/// The most that a cut takes, in bytes: an outline has thousands of places.
const CUT: usize = 512 * 1024;
/// What the whole picture fits into on the bench, in pixels: as fine as edges and corners are looked for.
const WHOLE: (u32, u32) = (2560, 2560);

#[derive(Template)]
#[template(path = "bench.html")]
struct Page {
    lesson: lessons::LessonCard,
    side: Side,
}

#[derive(Template)]
#[template(path = "bench_side.html")]
struct Side {
    c: Capture,
    /// What the page's own part is told, as JSON; `None` of a capture that stays as it is.
    said: Option<String>,
    versions: Vec<Version>,
    /// Others that show it as it was before something was hidden in it, and stay as they are.
    still_in: Vec<String>,
}

#[derive(Serialize)]
struct Said {
    aspect: (f64, f64),
    details: Vec<Detail>,
    device: f64,
    cut: Cut,
}

impl Version {
    fn time(&self) -> String {
        Timestamp::from_millisecond(self.made_at)
            .unwrap_or(Timestamp::UNIX_EPOCH)
            .to_zoned_datetime(TimeZone::system())
            .strftime("%H:%M:%S")
            .to_string()
    }

    /// What was done to it, in a few words.
    fn what(&self) -> String {
        let bench = &self.cut.bench;
        let mut words = vec![match &bench.flat {
            Some(flat) if flat.clean => "flattened and cleaned".to_owned(),
            Some(_) => "flattened".to_owned(),
            None => self.cut.way.word().to_owned(),
        }];
        if bench.turns > 0 {
            words.push(format!("turned by {}°", u32::from(bench.turns) * 90));
        }
        match bench.hidden.len() {
            0 => {}
            1 => words.push("one part hidden".to_owned()),
            n => words.push(format!("{n} parts hidden")),
        }
        match bench.marks.len() {
            0 => {}
            1 => words.push("one mark".to_owned()),
            n => words.push(format!("{n} marks")),
        }
        words.join(", ")
    }
}

type Which = Path<(i64, i64)>;

async fn side(app: &App, lesson: i64, id: i64) -> Result<Side> {
    let c = find(app, lesson, id).await?;
    let read = move |conn: &rusqlite::Connection| {
        let from = queries::made_from(conn, lesson, id)?;
        let versions = queries::versions(conn, id)?;
        Ok((from, versions, queries::still_shown_in(conn, id)?))
    };
    let (from, versions, still_in) = app.store.read(read).await?;
    let said = match from {
        Some(from) => Some(said(app, &from).await?),
        None => None,
    };
    Ok(Side {
        c,
        said,
        versions,
        still_in,
    })
}

async fn said(app: &App, from: &MadeFrom) -> Result<String> {
    let said = Said {
        aspect: from.moment.aspect,
        details: take::details_of(app, from).await?,
        device: from.moment.device,
        cut: Cut {
            bench: Bench {
                marks: Vec::new(),
                ..from.cut.bench.clone()
            },
            ..from.cut.clone()
        },
    };
    serde_json::to_string(&said).map_err(|e| AppError::Internal(e.to_string()))
}

async fn page(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    if let Err(e) = marking::settle_if_left(&app, lesson, id).await {
        tracing::warn!("the marks of capture {id} wait: {e:?}");
    }
    let side = side(&app, lesson, id).await?;
    let card = app
        .store
        .read(move |conn| lessons::one(conn, lesson))
        .await?;
    let lesson = card.ok_or(AppError::NotFound)?;
    Ok(Html(Page { lesson, side }.render()?))
}

async fn whole(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    let from = take::made_from(&app, lesson, id).await?;
    let png = take::all_of(&app, lesson, from, WHOLE).await?;
    // What is hidden for good is to be in no browser's memory either.
    let headers = [
        (header::CONTENT_TYPE, "image/png"),
        (header::CACHE_CONTROL, "no-store"),
    ];
    Ok((headers, png).into_response())
}

async fn answer(app: &App, lesson: i64, id: i64) -> Result<Html<String>> {
    Ok(Html(side(app, lesson, id).await?.render()?))
}

async fn cut(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Json(cut): Json<Cut>,
) -> Result<Html<String>> {
    find(&app, lesson, id).await?;
    marking::settle(&app, lesson, id).await?;
    // The page is not told its marks.
    let change = |as_it_was: Cut| {
        let mut cut = cut.clone();
        cut.bench.marks = as_it_was.bench.marks;
        cut
    };
    take::remake(&app, lesson, id, change).await?;
    answer(&app, lesson, id).await
}

async fn go_back(
    State(app): State<App>,
    Path((lesson, id, number)): Path<(i64, i64, i64)>,
) -> Result<Html<String>> {
    find(&app, lesson, id).await?;
    marking::settle(&app, lesson, id).await?;
    let versions = app
        .store
        .read(move |conn| queries::versions(conn, id))
        .await?;
    let version = versions.into_iter().find(|v| v.number == number);
    let cut = version.ok_or(AppError::NotFound)?.cut;
    take::remake(&app, lesson, id, |_| cut.clone()).await?;
    answer(&app, lesson, id).await
}

async fn for_good(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    find(&app, lesson, id).await?;
    marking::settle(&app, lesson, id).await?;
    // What shows it cannot be made anew any more after this.
    super::behind::catch_up(&app).await?;
    let unused = app
        .store
        .write(move |conn| queries::make_final(conn, lesson, id))
        .await?;
    media::remove_unused(&app, unused).await?;
    app.store.wipe_log().await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    answer(&app, lesson, id).await
}
