//! The stage page, its socket, and what is put on it.

use askama::Template;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};

use super::joining::{self, JoinSheet};
use super::{ink_files, placed};
use crate::app::App;
use crate::auth::presenter;
use crate::backdrops::begin_if_bare;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::STAGE_POLICY;
use crate::lessons::queries;
use crate::live::connection::{self, Seat};
use crate::live::lesson::Command;
use crate::settings;

pub fn routes() -> Routes {
    const MARKS: &str = "/lessons/{lesson}/backdrops/{backdrop}/marks";
    Routes::of(Access::Presenter)
        .get("/lessons/{lesson}/stage", page)
        .get("/practice", practice)
        .get("/lessons/{lesson}/live", socket)
        .upload("/lessons/{lesson}/placed", placed::bring, placed::LIMIT)
        .get("/lessons/{lesson}/placed/{picture}", placed::show)
        .get(&format!("{MARKS}.svg"), ink_files::save_svg)
        .get(&format!("{MARKS}.inkml"), ink_files::save_inkml)
        .upload("/lessons/{lesson}/marks", ink_files::read, ink_files::LIMIT)
        .get("/lessons/{lesson}/joining", joining::sheet)
        .post("/lessons/{lesson}/joining/code", joining::renew)
        .get("/lessons/{lesson}/sent-away", joining::sent_away)
        .post(
            "/lessons/{lesson}/sent-away/{person}/let-in",
            joining::let_in,
        )
}

#[derive(Template)]
#[template(path = "stage.html")]
struct Stage {
    id: i64,
    name: String,
    class: bool,
    /// It is the picture of a capture that is marked, or somebody's worksheet.
    marking: bool,
    /// Where whoever remarks on a worksheet came from.
    remarking: Option<String>,
    joining: JoinSheet,
    /// The presenter's settings, as JSON for the page's script.
    settings: String,
    /// A recording begins by itself.
    by_itself: bool,
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
            let marking = crate::captures::capture_of(conn, id)?.is_some();
            let remarking = crate::worksheets::answered_in(conn, id)?
                .map(|(sheet, lesson, _)| format!("/lessons/{lesson}/worksheets/{sheet}"));
            let by_itself = crate::recordings::queries::is_by_itself(conn, id)?;
            Ok((
                lesson,
                settings::read(conn)?,
                (marking, remarking),
                by_itself,
            ))
        })
        .await?;
    let ((Some(lesson), Some(code)), settings, (marking, remarking), by_itself) = found else {
        return Err(AppError::NotFound);
    };
    let bare = lesson.backdrops.is_empty();
    let opened = app.store.write(move |conn| {
        queries::touch(conn, id)?;
        begin_if_bare(conn, id)
    });
    if let Err(e) = opened.await {
        tracing::warn!("{e}");
    }
    if bare {
        app.live.tell(id, Command::Changed { goto: None }).await;
    }
    let page = Stage {
        id,
        name: lesson.name,
        class: lesson.kind == "class",
        marking: marking || remarking.is_some(),
        remarking,
        joining: JoinSheet::new(&app, id, &code, &headers)?,
        settings: serde_json::to_string(&settings)
            .map_err(|e| AppError::Internal(e.to_string()))?,
        by_itself,
    };
    let mut response = Html(page.render()?).into_response();
    response.headers_mut().insert(
        header::CONTENT_SECURITY_POLICY,
        HeaderValue::from_static(STAGE_POLICY),
    );
    Ok(response)
}

async fn socket(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    let session = presenter::session(&app, &headers).filter(|_| !app.open);
    connection::upgrade(upgrade, &app, id, Seat::Presenter(session))
}
