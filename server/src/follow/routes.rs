//! The participant's page and its socket.

use askama::Template;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::{Html, IntoResponse, Redirect, Response};

use super::news::{News, news};
use super::{files, join};
use crate::app::App;
use crate::auth::participant::{self, Participant};
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::lessons::queries;
use crate::live::connection::{self, Seat};

pub fn routes() -> Routes {
    const FOLLOW: &str = "/follow/{lesson}";
    const ONE: &str = "/follow/{lesson}/backdrops/{backdrop}";
    const TAKE: &str = "/follow/{lesson}/take-aways/{capture}";
    let participants = Routes::of(Access::Participant)
        .get(FOLLOW, page)
        .get(&format!("{FOLLOW}/live"), socket)
        .get(&format!("{FOLLOW}/news"), news)
        .get(&format!("{FOLLOW}/take-aways.zip"), files::all_take_aways)
        .get(&format!("{FOLLOW}/placed/{{picture}}"), files::placed)
        .get(&format!("{ONE}/picture"), files::picture)
        .get(&format!("{ONE}/pages/{{page}}"), files::page)
        .get(&format!("{ONE}/video"), files::video)
        .get(&format!("{TAKE}/picture.png"), files::take_away)
        .get(&format!("{TAKE}/small.png"), files::small_take_away)
        .get(&format!("{TAKE}/download"), files::download_take_away);
    Routes::of(Access::Anybody)
        .get("/join", join::page)
        .post("/join", join::join)
        .get("/join/{code}", join::page_with_code)
        .merge(participants)
}

#[derive(Template)]
#[template(path = "follow.html")]
struct Follow {
    id: i64,
    lesson: String,
    name: String,
    news: News,
}

/// Whoever joined the lesson; nobody else gets any further, whether the lesson is there or not.
pub async fn follower(app: &App, lesson: i64, headers: &HeaderMap) -> Result<Participant> {
    participant::of(&app.store, app.tls, lesson, headers)
        .await?
        .filter(|p| !p.gone)
        .ok_or(AppError::NotAllowed)
}

async fn page(State(app): State<App>, Path(id): Path<i64>, headers: HeaderMap) -> Result<Response> {
    let who = participant::of(&app.store, app.tls, id, &headers).await?;
    let Some(who) = who.filter(|p| !p.gone) else {
        return Ok(Redirect::to("/join").into_response());
    };
    let lesson = app.store.read(move |conn| queries::one(conn, id)).await?;
    let news = News::of(&app, id, &who).await?;
    let page = Follow {
        id,
        lesson: lesson.ok_or(AppError::NotFound)?.name,
        name: who.name,
        news,
    };
    Ok(Html(page.render()?).into_response())
}

async fn socket(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Result<Response> {
    let Some(who) = participant::of(&app.store, app.tls, id, &headers).await? else {
        return Err(AppError::NotAllowed);
    };
    if who.gone {
        // Its page is still open somewhere, and can be told only like this.
        return Ok(upgrade.on_upgrade(connection::say_gone));
    }
    let seat = app.seats.for_a_participant()?;
    Ok(connection::upgrade(
        upgrade,
        &app,
        id,
        Seat::Participant(who, seat),
    ))
}
