//! The library: backdrops kept for any lesson, with search.

use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::geometry::ids::BackdropId;
use serde::Deserialize;

use super::bring;
use super::order::OrderCard;
use super::queries::{self, Whither};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::lessons::named;
use crate::lessons::queries as lessons;
use crate::lessons::thumbnails;
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    Routes::of(Access::Presenter)
        .get("/library", page)
        .get("/library/found", found)
        .upload("/library/files", bring::to_library, bring::LIMIT)
        .get("/library/{backdrop}/thumbnail.png", thumbnails::of_library)
        .get("/library/{backdrop}/rename", rename_form)
        .post("/library/{backdrop}/rename", rename)
        .post("/library/{backdrop}/remove", remove)
        .post("/library/{backdrop}/restore", restore)
        .post("/library/{backdrop}/use/{lesson}", take)
}

/// What is looked for, and the lesson it is looked for.
#[derive(Deserialize, Default)]
struct Search {
    #[serde(default)]
    words: String,
    #[serde(rename = "for")]
    lesson: Option<i64>,
}

#[derive(Template)]
#[template(path = "library.html")]
struct Page {
    words: String,
    lesson: Option<(i64, String)>,
    cards: Vec<OrderCard>,
}

#[derive(Template)]
#[template(path = "library_found.html")]
struct Found {
    words: String,
    lesson: Option<(i64, String)>,
    cards: Vec<OrderCard>,
}

#[derive(Template)]
#[template(path = "library_rename.html")]
struct RenameForm {
    c: OrderCard,
}

#[derive(Template)]
#[template(path = "library_removed.html")]
struct Removed {
    c: OrderCard,
}

async fn look(app: &App, search: Search) -> Result<Found> {
    let Search { words, lesson } = search;
    let looked = words.clone();
    let (cards, lesson) = app
        .store
        .read(move |conn| {
            let found = queries::in_library(conn, &looked)?;
            let cards = found.iter().map(|b| OrderCard::of(0, b)).collect();
            let lesson = match lesson {
                Some(id) => lessons::one(conn, id)?.map(|l| (id, l.name)),
                None => None,
            };
            Ok((cards, lesson))
        })
        .await?;
    Ok(Found {
        words,
        lesson,
        cards,
    })
}

async fn page(State(app): State<App>, Query(search): Query<Search>) -> Result<Response> {
    let Found {
        words,
        lesson,
        cards,
    } = look(&app, search).await?;
    let page = Page {
        words,
        lesson,
        cards,
    };
    Ok(Html(page.render()?).into_response())
}

async fn found(State(app): State<App>, Query(search): Query<Search>) -> Result<Html<String>> {
    Ok(Html(look(&app, search).await?.render()?))
}

async fn card(app: &App, backdrop: i64) -> Result<OrderCard> {
    let found = app
        .store
        .read(move |conn| queries::one(conn, backdrop))
        .await?;
    Ok(OrderCard::of(0, &found.ok_or(AppError::NotFound)?))
}

async fn rename_form(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let c = card(&app, id).await?;
    Ok(Html(RenameForm { c }.render()?))
}

#[derive(Deserialize)]
struct Rename {
    name: String,
}

async fn rename(
    State(app): State<App>,
    Path(id): Path<i64>,
    Form(form): Form<Rename>,
) -> Result<Html<String>> {
    let name = named(&form.name)?;
    app.store
        .write(move |conn| queries::rename(conn, None, id, &name))
        .await?;
    found(State(app), Query(Search::default())).await
}

async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let c = card(&app, id).await?;
    app.store
        .write(move |conn| queries::set_deleted(conn, None, id, true))
        .await?;
    Ok(Html(Removed { c }.render()?))
}

async fn restore(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, None, id, false))
        .await?;
    found(State(app), Query(Search::default())).await
}

/// Puts a copy into a lesson's running order, and on its stage.
async fn take(
    State(app): State<App>,
    Path((backdrop, lesson)): Path<(i64, i64)>,
) -> Result<StatusCode> {
    let copied = app
        .store
        .write(move |conn| queries::copy(conn, backdrop, Whither::Lesson(lesson)))
        .await?;
    let id = copied.ok_or(AppError::NotFound)?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(StatusCode::NO_CONTENT)
}
