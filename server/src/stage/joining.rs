//! How to join, who was sent away, and what a presenter does about it.

use askama::Template;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, header};
use axum::response::Html;
use bozzetto_core::people::join_code;
use qrcode::render::svg;
use qrcode::{EcLevel, QrCode};

use crate::app::App;
use crate::auth::participant::{self, SentAway};
use crate::error::{AppError, Result};
use crate::lessons::queries;
use crate::serve::own_address;

/// What is to be typed or scanned to join.
#[derive(Template)]
#[template(path = "join_sheet.html")]
pub struct JoinSheet {
    id: i64,
    code: String,
    address: String,
    qr: String,
    only_this_machine: bool,
}

impl JoinSheet {
    pub fn new(app: &App, lesson: i64, code: &str, headers: &HeaderMap) -> Result<Self> {
        let address = public_address(app, headers);
        let link = format!("{address}/join/{code}");
        let qr = QrCode::with_error_correction_level(link, EcLevel::M)
            .map_err(|e| AppError::Internal(e.to_string()))?
            .render::<svg::Color>()
            .min_dimensions(280, 280)
            .quiet_zone(true)
            .build();
        Ok(Self {
            id: lesson,
            code: join_code::shown(code),
            address: format!("{}/join", address.split_once("://").map_or("", |(_, a)| a)),
            // The QR code is drawn by the page, inside the document: its XML head goes.
            qr: qr
                .split_once("?>")
                .map_or(qr.clone(), |(_, svg)| svg.to_owned()),
            only_this_machine: app.open,
        })
    }
}

/// Where participants reach this server: as the presenter does, unless that is a name that only
/// this machine has.
pub fn public_address(app: &App, headers: &HeaderMap) -> String {
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

pub async fn sheet(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Html<String>> {
    let find = move |conn: &rusqlite::Connection| queries::code(conn, lesson);
    let code = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    Ok(Html(
        JoinSheet::new(&app, lesson, &code, &headers)?.render()?,
    ))
}

/// Another code: the one before leads nowhere any more.
pub async fn renew(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::renew_code(conn, lesson))
        .await?;
    sheet(State(app), Path(lesson), headers).await
}

/// Who was sent away.
#[derive(Template)]
#[template(path = "sent_away.html")]
struct Away {
    id: i64,
    people: Vec<SentAway>,
}

pub async fn sent_away(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    let people = app
        .store
        .read(move |conn| participant::sent_away(conn, lesson))
        .await?;
    Ok(Html(Away { id: lesson, people }.render()?))
}

pub async fn let_in(
    State(app): State<App>,
    Path((lesson, person)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    app.store
        .write(move |conn| participant::let_in(conn, lesson, person))
        .await?;
    sent_away(State(app), Path(lesson)).await
}
