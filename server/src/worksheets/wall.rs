//! The wall: all that participants make of a worksheet, side by side, as it grows.

use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use axum::response::{Html, Response};
use bozzetto_core::geometry::ids::AuthorId;
use bozzetto_core::wire::encode;
use bozzetto_core::worksheets::shown::Drawn;
use bozzetto_core::worksheets::worksheet::{Noted, Standing};
use serde::{Deserialize, Serialize};

use super::clock;
use super::queries::{self, Answer, Worksheet};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::lessons::queries as lessons;
use crate::serving;

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/worksheets";
    const ONE: &str = "/lessons/{lesson}/worksheets/{worksheet}";
    Routes::of(Access::Presenter)
        .get(ALL, list)
        .get(ONE, page)
        .get(&format!("{ONE}/picture"), picture)
        .get(&format!("{ONE}/now"), now)
        .post(&format!("{ONE}/drawn"), drawn)
}

type Which = Path<(i64, i64)>;

#[derive(Template)]
#[template(path = "worksheets.html")]
struct List {
    lesson: lessons::LessonCard,
    sheets: Vec<Worksheet>,
    now: u64,
    /// One that was deleted just now.
    deleted: Option<i64>,
}

#[derive(Template)]
#[template(path = "wall.html")]
struct Page {
    lesson: lessons::LessonCard,
    sheet: Worksheet,
    now: u64,
}

impl Worksheet {
    /// Whether it is open, in words.
    fn is_open(&self, now: &u64) -> bool {
        self.door.is_open(*now)
    }

    fn door_words(&self, now: &u64) -> &'static str {
        match (self.door.opened, self.is_open(now)) {
            (None, _) => "prepared",
            (_, true) => "open",
            (_, false) => "closed",
        }
    }
}

#[derive(Deserialize)]
struct Deleted {
    deleted: Option<i64>,
}

async fn list(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(Deleted { deleted }): Query<Deleted>,
) -> Result<Html<String>> {
    let read = move |conn: &rusqlite::Connection| {
        Ok((lessons::one(conn, id)?, queries::of_lesson(conn, id)?))
    };
    let (lesson, sheets) = app.store.read(read).await?;
    let page = List {
        lesson: lesson.ok_or(AppError::NotFound)?,
        sheets,
        now: crate::now() as u64,
        deleted,
    };
    Ok(Html(page.render()?))
}

async fn page(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    let read = move |conn: &rusqlite::Connection| {
        Ok((lessons::one(conn, lesson)?, queries::one(conn, lesson, id)?))
    };
    let (lesson, sheet) = app.store.read(read).await?;
    let page = Page {
        lesson: lesson.ok_or(AppError::NotFound)?,
        sheet: sheet.ok_or(AppError::NotFound)?,
        now: crate::now() as u64,
    };
    Ok(Html(page.render()?))
}

async fn picture(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Response> {
    let sheet = app.store.read(move |conn| queries::one(conn, lesson, id));
    let sheet = sheet.await?.ok_or(AppError::NotFound)?;
    serving::media(&app, sheet.media, &headers).await
}

/// How an answer stands.
#[derive(Serialize)]
struct Line {
    answer: i64,
    name: String,
    standing: Standing,
    /// That in words, with when it was handed in.
    words: String,
    /// When it was handed in last.
    at: Option<u64>,
    noted: Noted,
}

impl Line {
    fn of(answer: Answer) -> Self {
        let standing = answer.standing();
        let words = match &answer.handed_in {
            Some(last) if standing != Standing::AnotherTry => {
                let version = match last.number {
                    1 => String::new(),
                    n => format!(", version {n}"),
                };
                let waited = match last.waited / 60_000 {
                    0 => String::new(),
                    minutes => format!(", waited {minutes} min for a line"),
                };
                format!("{} {}{version}{waited}", standing.words(), clock(last.at))
            }
            _ => standing.words().to_owned(),
        };
        Self {
            answer: answer.id,
            standing,
            words,
            at: answer.handed_in.map(|last| last.at),
            noted: answer.noted,
            name: answer.name,
        }
    }
}

/// How the worksheet stands.
#[derive(Serialize)]
struct Now {
    open: bool,
    until: Option<u64>,
    handed_in: usize,
    answers: Vec<Line>,
}

async fn now(State(app): State<App>, Path((lesson, id)): Which) -> Result<Json<Now>> {
    let read = move |conn: &rusqlite::Connection| {
        Ok((queries::one(conn, lesson, id)?, queries::answers(conn, id)?))
    };
    let (sheet, answers) = app.store.read(read).await?;
    let door = sheet.ok_or(AppError::NotFound)?.door;
    Ok(Json(Now {
        open: door.is_open(crate::now() as u64),
        until: door.until,
        handed_in: answers.iter().filter(|a| a.handed_in.is_some()).count(),
        answers: answers.into_iter().map(Line::of).collect(),
    }))
}

/// What the page has of an answer, and up to which place in its log; less than nothing for none.
#[derive(Deserialize)]
struct Known(i64, i64);

/// The most answers that are asked for at once.
const AT_ONCE: usize = 400;

/// What was drawn since, of those that have changed.
async fn drawn(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Json(known): Json<Vec<Known>>,
) -> Result<Vec<u8>> {
    let read = move |conn: &rusqlite::Connection| {
        Ok((queries::one(conn, lesson, id)?, queries::answers(conn, id)?))
    };
    let (sheet, answers) = app.store.read(read).await?;
    sheet.ok_or(AppError::NotFound)?;
    let mut all = Vec::new();
    for Known(of, seq) in known.into_iter().take(AT_ONCE) {
        let Some(answer) = answers.iter().find(|answer| answer.id == of) else {
            continue;
        };
        let Ok(look) = app.live.look(answer.drawn_in).await else {
            continue;
        };
        if look.marked as i64 == seq {
            continue;
        }
        let sheets = look.order.iter().map(|b| look.sheets.sheet(b.sheet()));
        all.push(Drawn {
            answer: of as u64,
            seq: look.marked,
            by: AuthorId(answer.participant as u64),
            marks: sheets.flat_map(|sheet| sheet.marks().cloned()).collect(),
        });
    }
    Ok(encode(&all))
}
