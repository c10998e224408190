//! Letting presenters in, and out.

use std::net::SocketAddr;

use askama::Template;
use axum::Form;
use axum::extract::{ConnectInfo, Path, Request, State};
use axum::http::header::{SET_COOKIE, USER_AGENT};
use axum::http::{HeaderMap, StatusCode};
use axum::middleware::Next;
use axum::response::{AppendHeaders, Html, IntoResponse, Redirect, Response};
use serde::Deserialize;

use super::guessing::Verdict;
use super::{browser, passphrase, sessions, signing, token};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};

const COOKIE: &str = "presenter";
/// Says that this browser has entered before.
const KNOWN: &str = "entered";
const KNOWN_DAYS: u32 = 180;

pub fn for_presenters() -> Routes {
    Routes::of(Access::Presenter)
        .post("/leave", leave)
        .post("/sessions/others/end", end_others)
        .post("/sessions/{session}/end", end)
}

pub fn for_anybody() -> Routes {
    Routes::of(Access::Anybody)
        .get("/enter", page)
        .post("/enter", enter)
}

#[derive(Template)]
#[template(path = "enter.html")]
struct EnterPage {
    fault: Option<String>,
}

/// Lets presenters pass and shows others the door.
pub async fn only_presenters(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    request: Request,
    next: Next,
) -> Response {
    match is_presenter(&app, request.headers()).await {
        Ok(true) => {
            app.seats.presenter_at(from.ip());
            next.run(request).await
        }
        Ok(false) if request.method() == "GET" => Redirect::to("/enter").into_response(),
        Ok(false) => AppError::NotAllowed.into_response(),
        Err(e) => e.into_response(),
    }
}

/// Whether the request comes from a presenter.
pub async fn is_presenter(app: &App, headers: &HeaderMap) -> Result<bool> {
    if app.open {
        return Ok(true);
    }
    match session(app, headers) {
        Some(hash) => Ok(app.store.read(move |c| sessions::holds(c, &hash)).await?),
        None => Ok(false),
    }
}

/// The hash of the session that a request belongs to.
pub fn session(app: &App, headers: &HeaderMap) -> Option<String> {
    token::cookie(headers, COOKIE, app.tls).map(token::hash)
}

async fn page() -> Result<Response> {
    Ok(Html(EnterPage { fault: None }.render()?).into_response())
}

#[derive(Deserialize)]
struct Entry {
    passphrase: String,
}

/// The longest passphrase that is looked at, in bytes.
const LONGEST: usize = 1024;

async fn enter(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    Form(entry): Form<Entry>,
) -> Result<Response> {
    let refuse = |status: StatusCode, fault: String| -> Result<Response> {
        let page = EnterPage { fault: Some(fault) }.render()?;
        Ok((status, Html(page)).into_response())
    };
    let browser = browser::of(&app.secret, app.tls, &headers);
    let entered = browser.filter(|b| {
        let mark = token::cookie(&headers, KNOWN, app.tls).unwrap_or("");
        signing::is_ours(&app.secret, "entered", &b.0.to_string(), mark)
    });
    // Counted before anything is worked out: hashing takes its time and its memory.
    let verdict = match entered {
        Some(known) => app.entering.try_known(known),
        None => app.entering.try_once(browser, app.address(from, &headers)),
    };
    if let Verdict::Wait(time) = verdict {
        let fault = format!("That was tried too often. Please wait {time}, then try again.");
        return refuse(StatusCode::TOO_MANY_REQUESTS, fault);
    }
    let hash = app.store.read(passphrase::hash).await?;
    let _turn = app.hashing.acquire().await;
    let right = tokio::task::spawn_blocking(move || {
        entry.passphrase.len() <= LONGEST
            && hash.is_some_and(|h| passphrase::is_right(&h, &entry.passphrase))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    if !right {
        let fault = "That is not the passphrase.";
        return refuse(StatusCode::UNPROCESSABLE_ENTITY, fault.to_owned());
    }
    let token = token::new();
    let hash = token::hash(&token);
    let agent = headers.get(USER_AGENT).and_then(|v| v.to_str().ok());
    let agent: String = agent.unwrap_or("").chars().take(300).collect();
    app.store
        .write(move |conn| sessions::begin(conn, &hash, &agent))
        .await?;
    let (browser, named) = match browser {
        Some(known) => (known, None),
        None => {
            let (browser, line) = browser::new(&app.secret, app.tls);
            (browser, Some(line))
        }
    };
    let mark = signing::mark(&app.secret, "entered", &browser.0.to_string());
    let lines = [
        Some(token::set_cookie(COOKIE, &token, sessions::DAYS, app.tls)),
        Some(token::set_cookie(KNOWN, &mark, KNOWN_DAYS, app.tls)),
        named,
    ];
    let lines = lines.into_iter().flatten().map(|line| (SET_COOKIE, line));
    let lines: Vec<_> = lines.collect();
    Ok((AppendHeaders(lines), Redirect::to("/")).into_response())
}

/// The presenter goes: the session ends, and its open pages with it.
async fn leave(State(app): State<App>, headers: HeaderMap) -> Result<Response> {
    if let Some(hash) = session(&app, &headers) {
        app.store
            .write(move |conn| sessions::end_own(conn, &hash))
            .await?;
    }
    app.sessions_changed();
    let gone = token::set_cookie(COOKIE, "", 0, app.tls);
    Ok((AppendHeaders([(SET_COOKIE, gone)]), Redirect::to("/enter")).into_response())
}

async fn end(State(app): State<App>, Path(id): Path<i64>) -> Result<Redirect> {
    app.store.write(move |conn| sessions::end(conn, id)).await?;
    app.sessions_changed();
    Ok(Redirect::to("/settings"))
}

async fn end_others(State(app): State<App>, headers: HeaderMap) -> Result<Redirect> {
    let own = session(&app, &headers).unwrap_or_default();
    app.store
        .write(move |conn| sessions::end_others(conn, &own))
        .await?;
    app.sessions_changed();
    Ok(Redirect::to("/settings"))
}
