//! The stage page, its socket, and what is put on it.

use askama::Template;
use axum::Router;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use bozzetto_core::join_code;
use qrcode::render::svg;
use qrcode::{EcLevel, QrCode};

use super::{ink_files, placed};
use crate::app::{App, upload as large};
use crate::error::{AppError, Result};
use crate::headers::STAGE_POLICY;
use crate::lessons::queries;
use crate::live::connection::{self, HARD_LIMIT};
use crate::live::lesson::Role;
use crate::serve::own_address;
use crate::settings;

pub fn routes() -> Router<App> {
    Router::new()
        .route("/lessons/{lesson}/stage", get(page))
        .route("/practice", get(practice))
        .route("/lessons/{lesson}/live", get(socket))
        .route(
            "/lessons/{lesson}/placed",
            large(placed::bring, placed::LIMIT),
        )
        .route(
            "/lessons/{lesson}/backdrops/{backdrop}/marks.svg",
            get(ink_files::save_svg),
        )
        .route(
            "/lessons/{lesson}/backdrops/{backdrop}/marks.inkml",
            get(ink_files::save_inkml),
        )
        .route(
            "/lessons/{lesson}/marks",
            large(ink_files::read, ink_files::LIMIT),
        )
        .route("/lessons/{lesson}/placed/{picture}", get(placed::show))
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
    /// The presenter's settings, as JSON for the page's script.
    settings: String,
}

/// A made-up desktop to try sharing with.
#[derive(Template)]
#[template(path = "practice.html")]
struct Practice;

async fn practice() -> Result<Response> {
    Ok(Html(Practice.render()?).into_response())
}

async fn page(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response> {
    let found = app
        .store
        .read(move |conn| {
            let lesson = (queries::one(conn, id)?, queries::code(conn, id)?);
            Ok((lesson, settings::read(conn)?))
        })
        .await?;
    let ((Some(lesson), Some(code)), settings) = found else {
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
        settings: serde_json::to_string(&settings)
            .map_err(|e| AppError::Internal(e.to_string()))?,
    };
    let mut response = Html(page.render()?).into_response();
    response.headers_mut().insert(
        header::CONTENT_SECURITY_POLICY,
        HeaderValue::from_static(STAGE_POLICY),
    );
    Ok(response)
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
