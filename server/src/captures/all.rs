//! All backdrops of a lesson are taken at once, one after the other: each answer asks for the next one by itself, so that
//! it goes on for as long as its page is open, and no longer.

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::capture::whole;
use serde::Deserialize;

use super::take;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};

pub fn routes() -> Routes {
    Routes::of(Access::Presenter).post("/lessons/{lesson}/captures/all", next)
}

/// How far it is.
#[derive(Template)]
#[template(path = "captures_all.html")]
struct Progress {
    lesson: i64,
    only_marked: bool,
    /// How many have been tried, and of how many.
    at: usize,
    of: usize,
    taken: usize,
    /// How many could not be taken, and why the last one could not.
    left: usize,
    why: String,
    /// How many are left out, since they move.
    moving: usize,
    stopped: bool,
}

#[derive(Deserialize)]
struct Asked {
    #[serde(default)]
    only_marked: bool,
    #[serde(default)]
    at: usize,
    #[serde(default)]
    taken: usize,
    #[serde(default)]
    left: usize,
    #[serde(default)]
    why: String,
    #[serde(default)]
    stop: bool,
}

impl Progress {
    fn goes_on(&self) -> bool {
        self.at < self.of && !self.stopped
    }
}

async fn next(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(asked): Form<Asked>,
) -> Result<Response> {
    let look = app
        .live
        .look(lesson)
        .await
        .map_err(|_| AppError::NotFound)?;
    let (each, moving) = whole::each(&look.order, &look.sheets, asked.only_marked);
    let of = each.len();
    let mut progress = Progress {
        lesson,
        only_marked: asked.only_marked,
        at: asked.at,
        of,
        taken: asked.taken,
        left: asked.left,
        moving,
        why: asked.why,
        stopped: asked.stop,
    };
    if let Some(backdrop) = each.into_iter().nth(asked.at).filter(|_| !asked.stop) {
        progress.at += 1;
        match take::take_whole(&app, lesson, &look, backdrop, Vec::new()).await {
            Ok(_) => progress.taken += 1,
            // The others are no worse for it.
            Err(AppError::Unusable(why)) => {
                progress.left += 1;
                progress.why = why;
            }
            Err(other) => return Err(other),
        }
    }
    let over = !progress.goes_on();
    let html = Html(progress.render()?);
    // The list below is read again once.
    Ok(match over {
        true => ([("HX-Trigger", "taken")], html).into_response(),
        false => html.into_response(),
    })
}
