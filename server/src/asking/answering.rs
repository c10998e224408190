//! Participants answer what is asked.

use askama::Template;
use axum::Form;
use axum::extract::rejection::FormRejection;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::Html;
use bozzetto_core::asking::question::{Kind, Reply};
use bozzetto_core::asking::tally::Tally;
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Question};
use crate::app::App;
use crate::auth::participant::Participant;
use crate::auth::signing;
use crate::door::{Access, Routes};
use crate::error::Result;
use crate::follow::follower;

pub fn routes() -> Routes {
    const ASKED: &str = "/follow/{lesson}/asked";
    Routes::of(Access::Participant)
        .get(ASKED, asked)
        .post(&format!("{ASKED}/{{question}}"), reply)
}

/// What is asked just now, for one participant; nothing when nothing is.
#[derive(Template)]
#[template(path = "asked_of_you.html")]
struct Asked {
    lesson: i64,
    question: Option<Question>,
    /// What they have answered.
    said: Option<Reply>,
    /// What all have answered, once that is shown.
    tally: Option<Tally>,
    /// Why what was answered was not taken.
    fault: Option<String>,
}

impl Asked {
    /// What they have answered, in words.
    fn said(&self) -> String {
        match (&self.question, &self.said) {
            (_, Some(Reply::Place(..) | Reply::Spot(_))) => "where the dot is".to_owned(),
            (Some(question), Some(said)) => said.words(question.kind),
            _ => String::new(),
        }
    }
}

/// By what a participant's answer is known: their number where names are kept, otherwise what nobody finds them by.
fn known_by(app: &App, who: &Participant, question: &Question) -> (String, Option<i64>) {
    match question.named {
        true => (who.id.to_string(), Some(who.id)),
        false => {
            let said = format!("{} {}", question.id, who.id);
            (signing::mark(&app.secret, "reply", &said), None)
        }
    }
}

/// Whether something is asked that a participant has not answered.
pub async fn waits_for(app: &App, lesson: i64, who: &Participant) -> Result<bool> {
    let newest = app
        .store
        .read(move |conn| queries::newest(conn, lesson))
        .await?;
    let Some(question) = newest.filter(|question| question.open) else {
        return Ok(false);
    };
    let (known, _) = known_by(app, who, &question);
    let said = move |conn: &Connection| queries::said_by(conn, question.id, &known);
    Ok(app.store.read(said).await?.is_none())
}

async fn shown(
    app: &App,
    lesson: i64,
    who: &Participant,
    fault: Option<String>,
) -> Result<Html<String>> {
    let newest = app
        .store
        .read(move |conn| queries::newest(conn, lesson))
        .await?;
    // What is closed is seen while the answers are shown.
    let question = newest.filter(|question| question.open || question.shown);
    let mut page = Asked {
        lesson,
        said: None,
        tally: None,
        fault,
        question,
    };
    if let Some(question) = &page.question {
        let (who, _) = known_by(app, who, question);
        let (id, kind, all) = (question.id, question.kind, question.shown);
        let read = move |conn: &Connection| {
            let said = queries::said_by(conn, id, &who)?;
            let replies = match all {
                true => Some(queries::replies(conn, id)?),
                false => None,
            };
            Ok((said, replies))
        };
        let (said, replies) = app.store.read(read).await?;
        page.said = said;
        page.tally = replies.map(|all| {
            let said: Vec<Reply> = all.into_iter().map(|reply| reply.said).collect();
            Tally::of(kind, &said)
        });
    }
    Ok(Html(page.render()?))
}

async fn asked(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Html<String>> {
    let who = follower(&app, lesson, &headers).await?;
    shown(&app, lesson, &who, None).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Written {
    reply: String,
}

async fn reply(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
    written: std::result::Result<Form<Written>, FormRejection>,
) -> Result<Html<String>> {
    let who = follower(&app, lesson, &headers).await?;
    let written = written.map(|Form(written)| written).unwrap_or_default();
    let question = app
        .store
        .read(move |conn| queries::one(conn, lesson, id))
        .await?;
    let closed = "It is closed: your answer came too late.".to_owned();
    let Some(question) = question else {
        return shown(&app, lesson, &who, Some(closed)).await;
    };
    let said = match question.kind.reply(&written.reply) {
        Ok(said) => said,
        Err(why) => return shown(&app, lesson, &who, Some(why.to_owned())).await,
    };
    let (known, participant) = known_by(&app, &who, &question);
    let write = move |conn: &Connection| queries::reply(conn, id, &known, participant, &said);
    let kept = app.store.write(write).await?;
    shown(&app, lesson, &who, (!kept).then_some(closed)).await
}
