//! The stage page, its socket, and what is put on it.

use askama::Template;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Form, Router};
use bozzetto_core::board::Ruling;
use bozzetto_core::ids::BackdropId;
use bozzetto_core::join_code;
use qrcode::render::svg;
use qrcode::{EcLevel, QrCode};
use serde::Deserialize;

use super::upload;
use crate::app::{App, upload as large};
use crate::error::{AppError, Result};
use crate::headers::MEDIA_POLICY;
use crate::lessons::queries;
use crate::live::connection::{self, HARD_LIMIT};
use crate::live::lesson::{Command, Role};
use crate::media;
use crate::serve::own_address;

pub fn routes() -> Router<App> {
    Router::new()
        .route("/lessons/{lesson}/stage", get(page))
        .route("/lessons/{lesson}/live", get(socket))
        .route(
            "/lessons/{lesson}/pictures",
            large(upload::pictures, upload::LIMIT),
        )
        .route("/lessons/{lesson}/boards", post(add_board))
        .route(
            "/lessons/{lesson}/backdrops/{backdrop}/picture",
            get(picture),
        )
}

#[derive(Template)]
#[template(path = "stage.html")]
struct Stage {
    id: i64,
    name: String,
    class: bool,
    code: String,
    join_address: String,
    qr: String,
    only_this_machine: bool,
}

async fn page(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response> {
    let found = app
        .store
        .read(move |conn| Ok((queries::one(conn, id)?, queries::code(conn, id)?)))
        .await?;
    let (Some(lesson), Some(code)) = found else {
        return Err(AppError::NotFound);
    };
    if let Err(e) = app.store.write(move |conn| queries::touch(conn, id)).await {
        tracing::warn!("{e}");
    }
    let address = public_address(&app, &headers);
    let qr = QrCode::with_error_correction_level(format!("{address}/join/{code}"), EcLevel::M)
        .map_err(|e| AppError::Internal(e.to_string()))?
        .render::<svg::Color>()
        .min_dimensions(280, 280)
        .quiet_zone(true)
        .build();
    let page = Stage {
        id,
        name: lesson.name,
        class: lesson.kind == "class",
        code: join_code::shown(&code),
        join_address: format!("{}/join", address.split_once("://").map_or("", |(_, a)| a)),
        // The QR code is drawn by the page, inside the document: its XML head goes.
        qr: qr
            .split_once("?>")
            .map_or(qr.clone(), |(_, svg)| svg.to_owned()),
        only_this_machine: app.listen.ip().is_loopback(),
    };
    Ok(Html(page.render()?).into_response())
}

/// Where participants reach this server: as the presenter does, unless that is a name that only
/// this machine has.
fn public_address(app: &App, headers: &HeaderMap) -> String {
    let scheme = if app.tls { "https" } else { "http" };
    let host = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    let host = host.map_or_else(|| app.listen.to_string(), str::to_owned);
    let local = ["localhost", "127.", "[::1]"]
        .iter()
        .any(|l| host.starts_with(l));
    match own_address() {
        Some(ip) if local && !app.listen.ip().is_loopback() => {
            format!("{scheme}://{ip}:{}", app.listen.port())
        }
        _ => format!("{scheme}://{host}"),
    }
}

async fn socket(
    State(app): State<App>,
    Path(id): Path<i64>,
    upgrade: WebSocketUpgrade,
) -> Result<Response> {
    let exists = app.store.read(move |conn| queries::code(conn, id)).await?;
    if exists.is_none() {
        return Ok(upgrade.on_upgrade(connection::say_gone));
    }
    let lesson = app.live.lesson(id);
    let upgrade = upgrade
        .max_message_size(HARD_LIMIT)
        .max_frame_size(HARD_LIMIT);
    Ok(upgrade.on_upgrade(|socket| connection::serve(socket, lesson, Role::Presenter)))
}

#[derive(Deserialize)]
struct NewBoard {
    ruling: String,
}

async fn add_board(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(new): Form<NewBoard>,
) -> Result<StatusCode> {
    let ruling = Ruling::from_word(&new.ruling)
        .ok_or_else(|| AppError::Unusable("There is no such board.".to_owned()))?;
    let id = app
        .store
        .write(move |conn| queries::add_board(conn, lesson, ruling))
        .await?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(StatusCode::NO_CONTENT)
}

async fn picture(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Response> {
    let sha = app
        .store
        .read(move |conn| queries::media_of(conn, lesson, backdrop))
        .await?;
    serve_media(&app, sha.ok_or(AppError::NotFound)?).await
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
