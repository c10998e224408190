//! Joining with a code and a name.

use std::net::SocketAddr;

use askama::Template;
use axum::Form;
use axum::extract::{ConnectInfo, Path, State};
use axum::http::header::SET_COOKIE;
use axum::http::{HeaderMap, HeaderValue, StatusCode};
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::capture::name::tidy;
use bozzetto_core::people::join_code;
use serde::Deserialize;

use crate::app::App;
use crate::auth::guessing::Verdict;
use crate::auth::{browser, participant};
use crate::error::Result;

/// The longest name of a participant, in characters: it has to fit beside others.
pub const LONGEST_NAME: usize = 40;

#[derive(Template, Default)]
#[template(path = "join.html")]
struct Join {
    code: String,
    name: String,
    fault: Option<String>,
}

pub async fn page(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
) -> Result<Response> {
    blank(&app, from, &headers, Join::default()).await
}

pub async fn page_with_code(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    Path(code): Path<String>,
    headers: HeaderMap,
) -> Result<Response> {
    let code = join_code::normalise(&code)
        .map(|c| join_code::shown(&c))
        .unwrap_or_default();
    let page = Join {
        code,
        ..Default::default()
    };
    blank(&app, from, &headers, page).await
}

/// The page with the name that was given here last, and a name for the browser by which its tries are counted apart from
/// others'.
async fn blank(
    app: &App,
    from: SocketAddr,
    headers: &HeaderMap,
    mut page: Join,
) -> Result<Response> {
    let known = browser::of(&app.secret, app.tls, headers);
    if let Some(browser) = known {
        let last = app
            .store
            .read(move |conn| participant::last_name(conn, browser));
        page.name = last.await?.unwrap_or_default();
    }
    let mut answer = Html(page.render()?).into_response();
    if known.is_none()
        && app.joining.newcomer(app.address(from, headers))
        && let Ok(cookie) = HeaderValue::from_str(&browser::new(&app.secret, app.tls).1)
    {
        answer.headers_mut().insert(SET_COOKIE, cookie);
    }
    Ok(answer)
}

#[derive(Deserialize)]
pub struct Entry {
    code: String,
    name: String,
    /// Of whoever has joined from another device before.
    #[serde(default)]
    word: String,
}

pub async fn join(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    headers: HeaderMap,
    Form(entry): Form<Entry>,
) -> Result<Response> {
    let refuse = |status: StatusCode, fault: String| -> Result<Response> {
        let page = Join {
            code: entry.code.clone(),
            name: entry.name.clone(),
            fault: Some(fault),
        };
        Ok((status, Html(page.render()?)).into_response())
    };
    let unusable = StatusCode::UNPROCESSABLE_ENTITY;
    let Some(name) = tidy(&entry.name) else {
        let fault = "Please say who you are; any name will do.";
        return refuse(unusable, fault.to_owned());
    };
    let name: String = name.chars().take(LONGEST_NAME).collect();
    let no_such = "No lesson has this code. Look at it again on the presenter's screen.";
    // What cannot be a code is a slip of the finger, and no guess.
    let Some(code) = join_code::normalise(&entry.code) else {
        return refuse(unusable, no_such.to_owned());
    };
    let known = browser::of(&app.secret, app.tls, &headers);
    // Counted before it is looked at, right or wrong.
    if let Verdict::Wait(time) = app.joining.try_once(known, app.address(from, &headers)) {
        let fault = format!("Too many codes were tried. Please wait {time}, then try again.");
        return refuse(StatusCode::TOO_MANY_REQUESTS, fault);
    }
    let found = app
        .store
        .read(move |conn| participant::lesson_with_code(conn, &code))
        .await?;
    let Some(lesson) = found else {
        return refuse(unusable, no_such.to_owned());
    };
    let word = match entry.word.trim() {
        "" => None,
        written => Some(join_code::normalise(written).unwrap_or_default()),
    };
    let (browser, named) = match known {
        Some(browser) => (browser, None),
        None => {
            let (browser, cookie) = browser::new(&app.secret, app.tls);
            (browser, Some(cookie))
        }
    };
    let cookies =
        match participant::join(&app.store, app.tls, lesson, (name, word), browser, &headers)
            .await?
        {
            Ok(cookies) => cookies,
            Err(fault) => return refuse(StatusCode::FORBIDDEN, fault.to_owned()),
        };
    let mut answer = Redirect::to(&format!("/follow/{lesson}")).into_response();
    for line in cookies.into_iter().chain(named) {
        if let Ok(line) = HeaderValue::from_str(&line) {
            answer.headers_mut().append(SET_COOKIE, line);
        }
    }
    Ok(answer)
}
