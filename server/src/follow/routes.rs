//! Joining and following.

use std::net::SocketAddr;
use std::time::Instant;

use askama::Template;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{ConnectInfo, Path, State};
use axum::http::header::SET_COOKIE;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;
use axum::{Form, Router};
use bozzetto_core::join_code;
use bozzetto_core::naming::tidy;
use serde::Deserialize;

use crate::app::App;
use crate::auth::participant::{self, Participant};
use crate::auth::wait::in_words;
use crate::backdrops::serve_media;
use crate::captures::{self, download};
use crate::error::{AppError, Result};
use crate::lessons::queries;
use crate::live::connection::{self, HARD_LIMIT};
use crate::live::lesson::Role;
use crate::stage::placed;
use bozzetto_core::backdrop::BackdropView;
use bozzetto_core::change::SheetId;
use bozzetto_core::mark::{Body, Mark};

pub fn routes() -> Router<App> {
    Router::new()
        .route("/join", get(join_page).post(join))
        .route("/join/{code}", get(join_page_with_code))
        .route("/follow/{lesson}", get(page))
        .route("/follow/{lesson}/live", get(socket))
        .route("/follow/{lesson}/placed/{picture}", get(placed_picture))
        .route(
            "/follow/{lesson}/take-aways/{capture}/picture.png",
            get(take_away),
        )
        .route(
            "/follow/{lesson}/take-aways/{capture}/download",
            get(download_take_away),
        )
}

/// The longest name of a participant, in characters: it has to fit beside others.
const LONGEST_NAME: usize = 40;

#[derive(Template, Default)]
#[template(path = "join.html")]
struct Join {
    code: String,
    name: String,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "follow.html")]
struct Follow {
    id: i64,
    lesson: String,
    name: String,
}

async fn join_page() -> Result<Response> {
    Ok(Html(Join::default().render()?).into_response())
}

async fn join_page_with_code(Path(code): Path<String>) -> Result<Response> {
    let code = join_code::normalise(&code)
        .map(|c| join_code::shown(&c))
        .unwrap_or_default();
    let page = Join {
        code,
        ..Default::default()
    };
    Ok(Html(page.render()?).into_response())
}

#[derive(Deserialize)]
struct Entry {
    code: String,
    name: String,
}

async fn join(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    Form(entry): Form<Entry>,
) -> Result<Response> {
    let refuse = |fault: String| -> Result<Response> {
        let page = Join {
            code: entry.code.clone(),
            name: entry.name.clone(),
            fault: Some(fault),
        };
        Ok((StatusCode::UNPROCESSABLE_ENTITY, Html(page.render()?)).into_response())
    };
    let left = app.join_waits.left(from.ip(), Instant::now());
    if !left.is_zero() {
        let time = in_words(left.as_secs() + 1);
        return refuse(format!("Please wait {time}, then try the code again."));
    }
    let Some(name) = tidy(&entry.name) else {
        return refuse("Please say who you are; any name will do.".to_owned());
    };
    let name = name.chars().take(LONGEST_NAME).collect();
    let lesson = match join_code::normalise(&entry.code) {
        Some(code) => {
            app.store
                .read(move |conn| participant::lesson_with_code(conn, &code))
                .await?
        }
        None => None,
    };
    let Some(lesson) = lesson else {
        let wait = app.join_waits.wrong(from.ip(), Instant::now());
        let fault = "No lesson has this code. Look at it again on the presenter's screen.";
        return refuse(match wait.as_secs() {
            0 => fault.to_owned(),
            s => format!("{fault} The next try can be made in {}.", in_words(s)),
        });
    };
    app.join_waits.right(from.ip());
    let cookie = participant::join(&app, lesson, name).await?;
    let to = Redirect::to(&format!("/follow/{lesson}"));
    Ok(([(SET_COOKIE, cookie)], to).into_response())
}

/// Whoever joined the lesson; nobody else gets any further.
pub async fn follower(app: &App, lesson: i64, headers: &HeaderMap) -> Result<Participant> {
    participant::of(app, lesson, headers)
        .await?
        .ok_or(AppError::NotAllowed)
}

async fn page(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response> {
    let Some(who) = participant::of(&app, id, &headers).await? else {
        return Ok(Redirect::to("/join").into_response());
    };
    let lesson = app.store.read(move |conn| queries::one(conn, id)).await?;
    let page = Follow {
        id,
        lesson: lesson.ok_or(AppError::NotFound)?.name,
        name: who.name,
    };
    Ok(Html(page.render()?).into_response())
}

async fn socket(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Result<Response> {
    let exists = app.store.read(move |conn| queries::code(conn, id)).await?;
    if exists.is_none() {
        return Ok(upgrade.on_upgrade(connection::say_gone));
    }
    let who = follower(&app, id, &headers).await?;
    let lesson = app.live.lesson(id);
    let upgrade = upgrade
        .max_message_size(HARD_LIMIT)
        .max_frame_size(HARD_LIMIT);
    Ok(upgrade.on_upgrade(|socket| connection::serve(socket, lesson, Role::Participant(who))))
}

/// Only if it lies on what participants are being shown.
async fn placed_picture(
    State(app): State<App>,
    Path((lesson, picture)): Path<(i64, u64)>,
    headers: HeaderMap,
) -> Result<Response> {
    follower(&app, lesson, &headers).await?;
    let stage = app.live.shown(lesson).await;
    let stage = stage.map_err(|_| AppError::NotFound)?;
    let all = stage.each();
    let held = all.clone().filter_map(|b| b.seen.frozen);
    if !held.into_iter().any(|f| f.picture == picture) {
        let look = app.live.look(lesson).await;
        let look = look.map_err(|_| AppError::NotFound)?;
        let mut sheets = all.flat_map(BackdropView::sheets).chain([SheetId::Glass]);
        let is_it = |mark: &Mark| matches!(mark.body, Body::Picture(p) if p.picture == picture);
        if !sheets.any(|id| look.sheets.sheet(id).marks().any(|m| is_it(m))) {
            return Err(AppError::NotFound);
        }
    }
    let find = move |conn: &rusqlite::Connection| placed::media_of(conn, picture);
    let sha = app.store.read(find).await?;
    serve_media(&app, sha.ok_or(AppError::NotFound)?).await
}

async fn handed_out(
    app: &App,
    lesson: i64,
    id: i64,
    headers: &HeaderMap,
) -> Result<(String, String)> {
    follower(app, lesson, headers).await?;
    let found = app
        .store
        .read(move |conn| captures::handed_out_file(conn, lesson, id))
        .await?;
    found.ok_or(AppError::NotFound)
}

async fn take_away(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let (sha, _) = handed_out(&app, lesson, id, &headers).await?;
    serve_media(&app, sha).await
}

async fn download_take_away(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let (sha, name) = handed_out(&app, lesson, id, &headers).await?;
    download(&app, sha, &name).await
}
