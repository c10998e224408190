//! Recordings as take-aways: participants watch what was handed out to them.

use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use axum::response::{Html, Response};

use super::film::{self, How};
use super::queries::Recording;
use super::watch::Watch;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::take_aways::{self, What};

pub fn routes() -> Routes {
    const FILM: &str = "/follow/{lesson}/films/{take_away}";
    Routes::of(Access::Participant)
        .get(FILM, page)
        .get(&format!("{FILM}/files/{{file}}"), file)
}

type Which = Path<(i64, i64)>;

/// The recording that was handed out, as far as it was.
async fn find(app: &App, lesson: i64, id: i64, asked: &HeaderMap) -> Result<Recording> {
    let What::Recording { recording, parts } = take_aways::find(app, lesson, id, asked).await?.what
    else {
        return Err(AppError::NotFound);
    };
    let mut recording = film::find(app, recording).await?;
    if let Some(parts) = parts {
        recording.cuts = Some(recording.left().within(&parts));
    }
    Ok(recording)
}

async fn page(
    State(app): State<App>,
    Path((lesson, id)): Which,
    asked: HeaderMap,
) -> Result<Html<String>> {
    let recording = find(&app, lesson, id, &asked).await?;
    let own = format!("/follow/{lesson}/films/{id}");
    Ok(Html(
        Watch::new(&app, &recording, own, false).await?.render()?,
    ))
}

async fn file(
    State(app): State<App>,
    Path((lesson, id, name)): Path<(i64, i64, String)>,
    Query(how): Query<How>,
    asked: HeaderMap,
) -> Result<Response> {
    let recording = find(&app, lesson, id, &asked).await?;
    film::file(&app, &recording, &name, how, &asked).await
}
