//! Which address leads to which part of a backdrop, for presenters.

use askama::Template;
use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::stage::backdrop::{BackdropKind, Page};
use serde::Serialize;

use super::{addresses, boards, bring, documents, library, order, queries, web_pages};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::ADDRESS_POLICY;
use crate::serving;
use crate::stage::placed;

pub fn routes() -> Routes {
    const ONE: &str = "/lessons/{lesson}/backdrops/{backdrop}";
    let one = |action: &str| format!("{ONE}/{action}");
    Routes::of(Access::Presenter)
        .upload(
            "/lessons/{lesson}/backdrops",
            bring::to_lesson,
            bring::LIMIT,
        )
        .upload(
            "/lessons/{lesson}/order/files",
            bring::to_order,
            bring::LIMIT,
        )
        .post("/lessons/{lesson}/boards", boards::add_board)
        .post("/lessons/{lesson}/sources", boards::add_source)
        .post("/lessons/{lesson}/pages", addresses::add_address)
        .get(&one("picture"), file)
        .get(&one("pages/{page}"), documents::page)
        .get(&one("video"), file)
        .get(&one("frame/{*path}"), web_pages::frame)
        .get(&one("address"), address)
        .upload(&one("freeze"), freeze, FRAME)
        .merge(order::routes())
        .merge(library::routes())
}

/// The largest frame of a moving backdrop, in bytes.
pub const FRAME: usize = 64 * 1024 * 1024;

/// A backdrop's own file: a picture, or a video.
async fn file(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let find = move |conn: &rusqlite::Connection| queries::media_of(conn, lesson, backdrop);
    let sha = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    serving::media(&app, sha, &headers).await
}

/// A page that stays where it is, in a frame within ours: whatever it navigates to stays in there,
/// and gets no more than it needs.
#[derive(Template)]
#[template(path = "address.html")]
struct AddressPage {
    name: String,
    address: String,
}

async fn address(
    State(app): State<App>,
    Path((_, backdrop)): Path<(i64, i64)>,
) -> Result<Response> {
    let find = move |conn: &rusqlite::Connection| queries::one(conn, backdrop);
    let view = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    let BackdropKind::Page(Page::Address(address)) = view.kind else {
        return Err(AppError::NotFound);
    };
    let page = AddressPage {
        name: view.name,
        address,
    };
    let mut answer = Html(page.render()?).into_response();
    answer.headers_mut().insert(
        header::CONTENT_SECURITY_POLICY,
        HeaderValue::from_static(ADDRESS_POLICY),
    );
    Ok(answer)
}

/// A held picture. The name is text, since a script's numbers end at 2⁵³.
#[derive(Serialize)]
struct Held {
    picture: String,
}

/// Keeps the picture that a moving backdrop is held at: a PNG file, as the browser shows it.
async fn freeze(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    mut form: Multipart,
) -> Result<Response> {
    let broken = |_| AppError::Unusable("The picture broke off on its way.".to_owned());
    let none = || AppError::Unusable("There was no picture.".to_owned());
    let field = form.next_field().await.map_err(broken)?.ok_or_else(none)?;
    let incoming = bring::received(&app, field, FRAME as u64).await?;
    let read = bring::read_picture(&app, incoming.ok_or_else(none)?).await?;
    let file = read.map_err(AppError::Unusable)?.file;
    let name = app
        .store
        .write(move |conn| {
            queries::set_poster(conn, lesson, backdrop, &file)?;
            placed::keep(conn, &file)
        })
        .await?;
    let held = Held {
        picture: name.to_string(),
    };
    Ok((StatusCode::OK, Json(held)).into_response())
}
