//! The participant's side: a photograph or a file is sent, and what became of it is seen.

use askama::Template;
use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::Html;
use bozzetto_core::people::sent::{Kind, LARGEST, MOST_WAITING};
use rusqlite::Connection;

use super::queries::{self, Sent};
use crate::app::App;
use crate::backdrops;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::follower;
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const SENT: &str = "/follow/{lesson}/sent";
    const SEND: &str = "/follow/{lesson}/send";
    /// A form has some bytes around its file; what is too large is read to its end, so that the answer is heard.
    const LIMIT: usize = 4 * LARGEST as usize;
    Routes::of(Access::Participant)
        .get(SENT, mine)
        .upload(SEND, send, LIMIT)
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

/// Takes the files of a form, up to the first that cannot be taken.
async fn take(app: &App, lesson: i64, person: i64, mut form: Multipart) -> Result<()> {
    let broken = |_| AppError::Unusable("It broke off on its way. Send it again.".to_owned());
    let refused = |why: &str| Err(AppError::Unusable(why.to_owned()));
    let full = move |conn: &Connection| queries::is_full(conn, lesson, person);
    let is_full = format!(
        "{MOST_WAITING} of yours wait already. Send more when the presenter has looked at them."
    );
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
            return refused("The file is larger than 20 MB.");
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
