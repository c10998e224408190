//! Which address leads to which part of a backdrop, for presenters and for participants.

use axum::Json;
use axum::Router;
use axum::body::Body;
use axum::extract::{Multipart, Path, Query, Request, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use bozzetto_core::backdrop::BackdropView;
use bozzetto_core::ids::BackdropId;
use bozzetto_press::picture;
use serde::Serialize;

use super::documents::{self, Wanted};
use super::{addresses, boards, bring, library, order, queries, videos};
use crate::app::{App, upload as large};
use crate::error::{AppError, Result};
use crate::follow::follower;
use crate::headers::MEDIA_POLICY;
use crate::media;
use crate::stage::placed;

pub fn routes() -> Router<App> {
    const ONE: &str = "/lessons/{lesson}/backdrops/{backdrop}";
    let one = |action: &str| format!("{ONE}/{action}");
    Router::new()
        .route(
            "/lessons/{lesson}/backdrops",
            large(bring::to_lesson, bring::LIMIT),
        )
        .route(
            "/lessons/{lesson}/order/files",
            large(bring::to_order, bring::LIMIT),
        )
        .route("/lessons/{lesson}/boards", post(boards::add_board))
        .route("/lessons/{lesson}/sources", post(boards::add_source))
        .route("/lessons/{lesson}/pages", post(addresses::add_address))
        .route(&one("picture"), get(picture))
        .route(&one("pages/{page}"), get(documents::page))
        .route(&one("video"), get(video))
        .route(&one("freeze"), large(freeze, FRAME))
        .merge(order::routes())
        .merge(library::routes())
}

/// The same for participants, of what they are being shown.
pub fn follow() -> Router<App> {
    const ONE: &str = "/follow/{lesson}/backdrops/{backdrop}";
    let one = |action: &str| format!("{ONE}/{action}");
    Router::new()
        .route(&one("picture"), get(shown_picture))
        .route(&one("pages/{page}"), get(shown_page))
        .route(&one("video"), get(shown_video))
}

/// The largest frame of a moving backdrop, in bytes.
pub const FRAME: usize = 64 * 1024 * 1024;

async fn file(app: &App, lesson: i64, backdrop: i64) -> Result<String> {
    let found = app
        .store
        .read(move |conn| queries::media_of(conn, lesson, backdrop))
        .await?;
    found.ok_or(AppError::NotFound)
}

async fn picture(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Response> {
    let sha = file(&app, lesson, backdrop).await?;
    serve_media(&app, sha).await
}

async fn video(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    request: Request<Body>,
) -> Result<Response> {
    let sha = file(&app, lesson, backdrop).await?;
    videos::serve(&app, sha, request).await
}

/// A backdrop that whoever asks is being shown; nobody else gets any further.
async fn shown(app: &App, lesson: i64, backdrop: i64, headers: &HeaderMap) -> Result<BackdropView> {
    follower(app, lesson, headers).await?;
    let stage = app.live.shown(lesson).await;
    let stage = stage.map_err(|_| AppError::NotFound)?;
    let wanted = BackdropId(backdrop as u64);
    let found = stage.each().find(|b| b.id == wanted);
    found.cloned().ok_or(AppError::NotFound)
}

async fn shown_picture(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    shown(&app, lesson, backdrop, &headers).await?;
    let sha = file(&app, lesson, backdrop).await?;
    serve_media(&app, sha).await
}

/// Only the page that is on stage: the next one may hold the answers.
async fn shown_page(
    State(app): State<App>,
    Path((lesson, backdrop, page)): Path<(i64, i64, usize)>,
    Query(wanted): Query<Wanted>,
    headers: HeaderMap,
) -> Result<Response> {
    let view = shown(&app, lesson, backdrop, &headers).await?;
    if view.seen.page as usize != page {
        return Err(AppError::NotFound);
    }
    documents::show(&app, lesson, backdrop, page, &wanted).await
}

async fn shown_video(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    headers: HeaderMap,
    request: Request<Body>,
) -> Result<Response> {
    shown(&app, lesson, backdrop, &headers).await?;
    let sha = file(&app, lesson, backdrop).await?;
    videos::serve(&app, sha, request).await
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
    let field = form.next_field().await.map_err(broken)?;
    let field = field.ok_or_else(|| AppError::Unusable("There was no picture.".to_owned()))?;
    let bytes = field.bytes().await.map_err(broken)?.to_vec();
    let known = app
        .store
        .read(move |conn| {
            Ok(queries::of_lesson(conn, lesson)?
                .into_iter()
                .any(|b| b.id.0 as i64 == backdrop))
        })
        .await?;
    if !known {
        return Err(AppError::NotFound);
    }
    let media = app.media.clone();
    let read = tokio::task::spawn_blocking(move || {
        picture::read(bytes).map(|p| media.write(&p.bytes, p.mime))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    let file = read.map_err(|fault| AppError::Unusable(fault.to_string()))??;
    let name = app
        .store
        .write(move |conn| {
            queries::set_poster(conn, backdrop, &file)?;
            placed::keep(conn, &file)
        })
        .await?;
    let held = Held {
        picture: name.to_string(),
    };
    Ok((StatusCode::OK, Json(held)).into_response())
}

/// A file that somebody brought, or that was made from one: never a page of ours.
pub async fn serve_media(app: &App, sha: String) -> Result<Response> {
    let name = sha.clone();
    let mime = app.store.read(move |conn| media::mime(conn, &name)).await?;
    let mime = mime.ok_or(AppError::NotFound)?;
    let media = app.media.clone();
    let bytes = tokio::task::spawn_blocking(move || media.read(&sha))
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let headers = [
        (header::CONTENT_TYPE, mime),
        (header::CONTENT_SECURITY_POLICY, MEDIA_POLICY.to_owned()),
        (header::CACHE_CONTROL, "private, max-age=86400".to_owned()),
    ];
    Ok((headers, bytes).into_response())
}
