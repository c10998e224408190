//! The running order as a page: prepared before a lesson, with small pictures of the marked state.

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::stage::backdrop::BackdropView;
use serde::Deserialize;

use super::queries::{self, Whither};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::lessons::named;
use crate::lessons::queries::{self as lessons, LessonCard};
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const ONE: &str = "/lessons/{lesson}/backdrops/{backdrop}";
    let one = |action: &str| format!("{ONE}/{action}");
    Routes::of(Access::Presenter)
        .get("/lessons/{lesson}/order", page)
        .post("/lessons/{lesson}/order", reorder)
        .get("/lessons/{lesson}/order/list", list)
        .get(&one("rename"), rename_form)
        .post(&one("rename"), rename)
        .post(&one("move/{by}"), step)
        .post(&one("duplicate"), duplicate)
        .post(&one("keep"), keep)
        .post(&one("remove"), remove)
        .post(&one("restore"), restore)
}

/// A backdrop as a card.
pub struct OrderCard {
    pub lesson: i64,
    pub id: i64,
    pub name: String,
    pub what: String,
}

impl OrderCard {
    pub fn of(lesson: i64, b: &BackdropView) -> Self {
        Self {
            lesson,
            id: b.id.0 as i64,
            name: b.name.clone(),
            what: words(b),
        }
    }
}

/// What a backdrop is, in a few words.
pub fn words(b: &BackdropView) -> String {
    use bozzetto_core::stage::backdrop::{BackdropKind, Page};
    match &b.kind {
        BackdropKind::Picture { .. } => format!("Picture · {} × {}", b.width, b.height),
        BackdropKind::Board(board) if board.halved => "Board for two".to_owned(),
        BackdropKind::Board(board) if board.pages > 1 => format!("Board · {} pages", board.pages),
        BackdropKind::Board(_) => "Board".to_owned(),
        BackdropKind::Document { pages } if pages.len() == 1 => "Document · 1 page".to_owned(),
        BackdropKind::Document { pages } => format!("Document · {} pages", pages.len()),
        BackdropKind::Video { duration, .. } => {
            let s = duration.round() as u64;
            format!("Video · {}:{:02}", s / 60, s % 60)
        }
        BackdropKind::Page(Page::Kept { .. }) => "Web page, kept here".to_owned(),
        BackdropKind::Page(Page::Address(address)) => format!("Web page · {address}"),
        BackdropKind::Camera { simulated: true } => "Camera, simulated".to_owned(),
        BackdropKind::Camera { .. } => "Camera".to_owned(),
        BackdropKind::Share => "Shared screen, window or tab".to_owned(),
    }
}

#[derive(Template)]
#[template(path = "order.html")]
struct Page {
    lesson: LessonCard,
    cards: Vec<OrderCard>,
}

#[derive(Template)]
#[template(path = "order_list.html")]
struct List {
    id: i64,
    cards: Vec<OrderCard>,
}

#[derive(Template)]
#[template(path = "order_rename.html")]
struct RenameForm {
    c: OrderCard,
}

#[derive(Template)]
#[template(path = "order_removed.html")]
struct Removed {
    c: OrderCard,
}

async fn cards(app: &App, lesson: i64) -> Result<Vec<OrderCard>> {
    let all = app
        .store
        .read(move |conn| queries::of_lesson(conn, lesson))
        .await?;
    Ok(all.iter().map(|b| OrderCard::of(lesson, b)).collect())
}

async fn page(State(app): State<App>, Path(id): Path<i64>) -> Result<Response> {
    let lesson = app.store.read(move |conn| lessons::one(conn, id)).await?;
    let page = Page {
        lesson: lesson.ok_or(AppError::NotFound)?,
        cards: cards(&app, id).await?,
    };
    Ok(Html(page.render()?).into_response())
}

async fn list(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let cards = cards(&app, id).await?;
    Ok(Html(List { id, cards }.render()?))
}

/// Tells an open lesson, and gives the list anew.
async fn changed(app: App, lesson: i64) -> Result<Html<String>> {
    app.live.tell(lesson, Command::Changed { goto: None }).await;
    list(State(app), Path(lesson)).await
}

#[derive(Deserialize)]
struct Order {
    /// The backdrops' ids, with commas between them.
    order: String,
}

async fn reorder(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(new): Form<Order>,
) -> Result<Html<String>> {
    let order: Vec<i64> = new
        .order
        .split(',')
        .filter_map(|id| id.parse().ok())
        .collect();
    app.store
        .write(move |conn| queries::reorder(conn, lesson, &order))
        .await?;
    changed(app, lesson).await
}

/// One step up or down.
async fn step(
    State(app): State<App>,
    Path((lesson, backdrop, by)): Path<(i64, i64, i32)>,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| {
            let all = queries::of_lesson(conn, lesson)?;
            let mut order: Vec<i64> = all.iter().map(|b| b.id.0 as i64).collect();
            let at = order.iter().position(|id| *id == backdrop);
            if let Some(at) = at
                && let Some(to) = at.checked_add_signed(by.signum() as isize)
                && to < order.len()
            {
                order.swap(at, to);
            }
            queries::reorder(conn, lesson, &order)
        })
        .await?;
    changed(app, lesson).await
}

async fn card(app: &App, lesson: i64, backdrop: i64) -> Result<OrderCard> {
    let found = app
        .store
        .read(move |conn| queries::one(conn, backdrop))
        .await?;
    let found = found.ok_or(AppError::NotFound)?;
    Ok(OrderCard::of(lesson, &found))
}

async fn rename_form(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let c = card(&app, lesson, backdrop).await?;
    Ok(Html(RenameForm { c }.render()?))
}

#[derive(Deserialize)]
struct Rename {
    name: String,
}

async fn rename(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    Form(form): Form<Rename>,
) -> Result<Html<String>> {
    let name = named(&form.name)?;
    app.store
        .write(move |conn| queries::rename(conn, Some(lesson), backdrop, &name))
        .await?;
    changed(app, lesson).await
}

async fn duplicate(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::copy(conn, backdrop, Whither::After { lesson, backdrop }))
        .await?;
    changed(app, lesson).await
}

/// Keeps a backdrop in the library as well.
async fn keep(
    State(app): State<App>,
    Path((_, backdrop)): Path<(i64, i64)>,
) -> Result<Html<&'static str>> {
    let kept = app
        .store
        .write(move |conn| queries::copy(conn, backdrop, Whither::Library))
        .await?;
    kept.ok_or(AppError::NotFound)?;
    Ok(Html("<span role=\"status\">In the library</span>"))
}

async fn remove(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let c = card(&app, lesson, backdrop).await?;
    app.store
        .write(move |conn| queries::set_deleted(conn, Some(lesson), backdrop, true))
        .await?;
    app.live.tell(lesson, Command::Changed { goto: None }).await;
    Ok(Html(Removed { c }.render()?))
}

async fn restore(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, Some(lesson), backdrop, false))
        .await?;
    changed(app, lesson).await
}
