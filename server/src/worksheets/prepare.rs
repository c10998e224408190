//! The presenter's side: a capture becomes a worksheet; it is opened and closed.

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::Html;
use bozzetto_core::capture::name::tidy_to;
use bozzetto_core::worksheets::worksheet::LONGEST_INSTRUCTION;
use serde::Deserialize;

use super::queries;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const CAPTURE: &str = "/lessons/{lesson}/captures/{capture}/worksheet";
    const ONE: &str = "/lessons/{lesson}/worksheets/{worksheet}";
    Routes::of(Access::Presenter)
        .get(CAPTURE, form)
        .post(CAPTURE, begin)
        .post(&format!("{ONE}/open"), open)
        .post(&format!("{ONE}/close"), close)
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Asked {
    instruction: String,
    /// For how many minutes it is open; none for no limit.
    minutes: String,
}

impl Asked {
    fn until(&self) -> Result<Option<u64>> {
        let minutes = self.minutes.trim();
        if minutes.is_empty() {
            return Ok(None);
        }
        let wrong = || AppError::Unusable("The time is a number of minutes, up to 600.".to_owned());
        let minutes: f64 = minutes.parse().map_err(|_| wrong())?;
        if !(minutes > 0.0 && minutes <= 600.0) {
            return Err(wrong());
        }
        Ok(Some(crate::now() as u64 + (minutes * 60_000.0) as u64))
    }
}

/// What is asked before a capture is given as a worksheet.
#[derive(Template)]
#[template(path = "worksheet_form.html")]
struct AskForm {
    lesson: i64,
    capture: i64,
}

#[derive(Template)]
#[template(path = "worksheet_given.html")]
struct GivenNow {
    lesson: i64,
    id: i64,
}

async fn form(Path((lesson, capture)): Path<(i64, i64)>) -> Result<Html<String>> {
    Ok(Html(AskForm { lesson, capture }.render()?))
}

async fn begin(
    State(app): State<App>,
    Path((lesson, capture)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<Html<String>> {
    let instruction = tidy_to(&asked.instruction, LONGEST_INSTRUCTION).unwrap_or_default();
    let until = asked.until()?;
    let write = move |conn: &rusqlite::Connection| {
        let id = queries::from_capture(conn, lesson, capture, &instruction)?;
        if let (Some(id), Some(_)) = (id, until) {
            queries::set_open(conn, id, true, until)?;
        }
        Ok(id)
    };
    let id = app.store.write(write).await?.ok_or(AppError::NotFound)?;
    app.live.tell(lesson, Command::WorksheetsChanged).await;
    Ok(Html(GivenNow { lesson, id }.render()?))
}

async fn open(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<StatusCode> {
    set_open(&app, lesson, id, true, asked.until()?).await
}

async fn close(State(app): State<App>, Path((lesson, id)): Path<(i64, i64)>) -> Result<StatusCode> {
    set_open(&app, lesson, id, false, None).await
}

/// Opens or closes a worksheet, and tells everybody who has it.
async fn set_open(
    app: &App,
    lesson: i64,
    id: i64,
    open: bool,
    until: Option<u64>,
) -> Result<StatusCode> {
    let write = move |conn: &rusqlite::Connection| {
        queries::set_open(conn, id, open, until)?;
        queries::answers(conn, id)
    };
    let answers = app.store.write(write).await?;
    app.live.tell(lesson, Command::WorksheetsChanged).await;
    for answer in answers {
        app.live
            .tell(answer.drawn_in, Command::WorksheetsChanged)
            .await;
    }
    Ok(StatusCode::NO_CONTENT)
}
