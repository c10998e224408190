//! Letting presenters in.

use std::net::SocketAddr;
use std::time::Instant;

use askama::Template;
use axum::Form;
use axum::extract::{ConnectInfo, Request, State};
use axum::http::header::SET_COOKIE;
use axum::http::{HeaderMap, StatusCode};
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Redirect, Response};
use rusqlite::{OptionalExtension, params};
use serde::Deserialize;

use super::{passphrase, token};
use crate::app::App;
use crate::auth::wait::in_words;
use crate::error::{AppError, Result};

const COOKIE: &str = "presenter";
const DAYS: u32 = 30;

#[derive(Template)]
#[template(path = "enter.html")]
struct EnterPage {
    fault: Option<String>,
}

/// Lets presenters pass and shows others the door.
pub async fn only_presenters(State(app): State<App>, request: Request, next: Next) -> Response {
    match is_presenter(&app, request.headers()).await {
        Ok(true) => next.run(request).await,
        Ok(false) if request.method() == "GET" && request.uri().path() != "/enter" => {
            Redirect::to("/enter").into_response()
        }
        Ok(false) => AppError::NotAllowed.into_response(),
        Err(e) => e.into_response(),
    }
}

/// Whether the request comes from a presenter.
pub async fn is_presenter(app: &App, headers: &HeaderMap) -> Result<bool> {
    if app.open {
        return Ok(true);
    }
    let Some(cookie) = token::cookie(headers, COOKIE) else {
        return Ok(false);
    };
    let hash = token::hash(cookie);
    let until: Option<i64> = app
        .store
        .read(move |conn| {
            let mut s = conn
                .prepare_cached("SELECT expires_at FROM presenter_session WHERE token_hash = ?1")?;
            Ok(s.query_row([hash], |row| row.get(0)).optional()?)
        })
        .await?;
    Ok(until.is_some_and(|t| t > crate::now()))
}

pub async fn page() -> Result<Response> {
    Ok(Html(EnterPage { fault: None }.render()?).into_response())
}

#[derive(Deserialize)]
pub struct Entry {
    passphrase: String,
}

pub async fn enter(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    Form(entry): Form<Entry>,
) -> Result<Response> {
    let refuse = |fault: String| -> Result<Response> {
        let page = EnterPage { fault: Some(fault) }.render()?;
        Ok((StatusCode::UNPROCESSABLE_ENTITY, Html(page)).into_response())
    };
    let left = app.entry_waits.left(from.ip(), Instant::now());
    if !left.is_zero() {
        let time = in_words(left.as_secs() + 1);
        return refuse(format!("Please wait {time}, then try again."));
    }
    let hash = app.store.read(passphrase::hash).await?;
    let right = tokio::task::spawn_blocking(move || {
        hash.is_some_and(|h| passphrase::is_right(&h, &entry.passphrase))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    if !right {
        let wait = app.entry_waits.wrong(from.ip(), Instant::now());
        return refuse(match wait.as_secs() {
            0 => "That is not the passphrase.".to_owned(),
            s => format!(
                "That is not the passphrase. The next try can be made in {}.",
                in_words(s)
            ),
        });
    }
    app.entry_waits.right(from.ip());
    let token = token::new();
    let hash = token::hash(&token);
    app.store
        .write(move |conn| {
            let expires = crate::now() + i64::from(DAYS) * 24 * 3600 * 1000;
            conn.execute(
                "DELETE FROM presenter_session WHERE expires_at < ?1",
                [crate::now()],
            )?;
            conn.execute(
                "INSERT INTO presenter_session (token_hash, expires_at) VALUES (?1, ?2)",
                params![hash, expires],
            )?;
            Ok(())
        })
        .await?;
    let cookie = token::set_cookie(COOKIE, &token, "/", DAYS, app.tls);
    Ok(([(SET_COOKIE, cookie)], Redirect::to("/")).into_response())
}
