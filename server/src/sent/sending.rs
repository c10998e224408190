//! The participant's side: a photograph or a file is sent, and what became of it is seen.

use askama::Template;
use axum::Form;
use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::extract::rejection::FormRejection;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::Html;
use bozzetto_core::geometry::ids::PersonId;
use bozzetto_core::people::sent::{Kind, LARGEST, MOST_WAITING};
use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Sent};
use crate::app::App;
use crate::backdrops::{self, queries::New};
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::follower;
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const SENT: &str = "/follow/{lesson}/sent";
    const SEND: &str = "/follow/{lesson}/send";
    const SCREEN: &str = "/follow/{lesson}/screen";
    /// A form has some bytes around its file; what is too large is read to its end, so that the answer is heard.
    const LIMIT: usize = 4 * LARGEST as usize;
    Routes::of(Access::Participant)
        .get(SENT, mine)
        .upload(SEND, send, LIMIT)
        .post(&format!("{SCREEN}/offer"), offer_screen)
        .post(&format!("{SCREEN}/end"), end_screen)
}

/// What a participant has sent, and what became of it.
#[derive(Template)]
#[template(path = "sent_by_me.html")]
struct Mine {
    sent: Vec<Sent>,
}

impl Sent {
    fn standing(&self) -> &'static str {
        match (self.taken, self.done) {
            (true, _) => "taken onto the stage",
            (_, true) => "not taken",
            _ => "waits for the presenter",
        }
    }
}

async fn shown(app: &App, lesson: i64, person: i64) -> Result<Html<String>> {
    let read = app
        .store
        .read(move |conn| queries::by(conn, lesson, person));
    let sent = read.await?;
    Ok(Html(Mine { sent }.render()?))
}

async fn mine(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Html<String>> {
    let who = follower(&app, lesson, &headers).await?;
    shown(&app, lesson, who.id).await
}

async fn send(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
    form: std::result::Result<Multipart, MultipartRejection>,
) -> Result<Html<String>> {
    let who = follower(&app, lesson, &headers).await?;
    let none = |_| AppError::Unusable("There was no file.".to_owned());
    take(&app, lesson, who.id, form.map_err(none)?).await?;
    app.live.tell(lesson, Command::SentChanged).await;
    shown(&app, lesson, who.id).await
}

fn too_many() -> String {
    format!(
        "{MOST_WAITING} of yours wait already. Send more when the presenter has looked at them."
    )
}

/// Takes the files of a form, up to the first that cannot be taken.
async fn take(app: &App, lesson: i64, person: i64, mut form: Multipart) -> Result<()> {
    let broken = |_| AppError::Unusable("It broke off on its way. Send it again.".to_owned());
    let refused = |why: &str| Err(AppError::Unusable(why.to_owned()));
    let full = move |conn: &Connection| queries::is_full(conn, lesson, person);
    let is_full = too_many();
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let file = field.file_name().unwrap_or_default().replace("%22", "\"");
        // It is read to its end in any case: whoever sends hears no answer before that.
        let incoming = backdrops::received(app, field, LARGEST).await?;
        // The key that was not used sends an empty file.
        if file.is_empty() {
            continue;
        }
        if app.store.read(full).await? {
            return refused(&is_full);
        }
        let Some(incoming) = incoming else {
            return refused(&format!("The file is larger than {} MB.", LARGEST >> 20));
        };
        if let Some(why) = Kind::of(incoming.head()).refused() {
            return refused(why);
        }
        let name = backdrops::name_of(&file);
        let (new, _) = match backdrops::read(app, name.clone(), incoming).await? {
            Ok(read) => read,
            Err(why) => return refused(&why),
        };
        let write = move |conn: &Connection| queries::add(conn, lesson, person, &name, &new);
        // Another of theirs has come meanwhile.
        if !app.store.write(write).await? {
            return refused(&is_full);
        }
    }
    Ok(())
}

/// How many pixels a screen has.
#[derive(Deserialize, Default)]
#[serde(default)]
struct Screen {
    width: u32,
    height: u32,
}

/// Offers a participant's screen; its pictures are sent once the presenter takes it.
async fn offer_screen(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
    form: std::result::Result<Form<Screen>, FormRejection>,
) -> Result<StatusCode> {
    let who = follower(&app, lesson, &headers).await?.id;
    let Form(Screen { width, height }) = form.unwrap_or_default();
    let sides = 16..=16_384;
    if !sides.contains(&width) || !sides.contains(&height) {
        return Err(AppError::Unusable("That is no screen.".to_owned()));
    }
    let (width, height) = BackdropKind::Share.units_of(width, height);
    let new = New {
        name: "Screen".to_owned(),
        kind: BackdropKind::Share,
        file: None,
        poster: None,
        width,
        height,
        seen: ViewState::default(),
    };
    let write = move |conn: &Connection| {
        queries::end_screens(conn, lesson, who)?;
        queries::add(conn, lesson, who, "Screen", &new)
    };
    if !app.store.write(write).await? {
        return Err(AppError::Unusable(too_many()));
    }
    app.live.tell(lesson, Command::SentChanged).await;
    Ok(StatusCode::NO_CONTENT)
}

async fn end_screen(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<StatusCode> {
    let who = follower(&app, lesson, &headers).await?.id;
    let write = move |conn: &Connection| queries::end_screens(conn, lesson, who);
    app.store.write(write).await?;
    let of = PersonId(who as u64);
    app.live.tell(lesson, Command::NoScreen(of)).await;
    app.live.tell(lesson, Command::SentChanged).await;
    Ok(StatusCode::NO_CONTENT)
}
