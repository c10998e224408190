//! The presenter asks, sees what is answered as it comes, and shows it or does not.

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, Response};
use bozzetto_core::asking::question::{Kind, LONGEST_QUESTION};
use bozzetto_core::asking::tally::Tally;
use bozzetto_core::capture::name::tidy_to;
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Earlier, Question};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::table::{self, To, cell, moment};
use crate::worksheets;

pub fn routes() -> Routes {
    const ASKED: &str = "/lessons/{lesson}/asked";
    const ONE: &str = "/lessons/{lesson}/asked/{question}";
    Routes::of(Access::Presenter)
        .get(ASKED, panel)
        .post(ASKED, ask)
        .post(&format!("{ONE}/open"), open)
        .post(&format!("{ONE}/close"), close)
        .post(&format!("{ONE}/show"), show)
        .post(&format!("{ONE}/unshow"), unshow)
        .get(&format!("{ONE}/csv"), csv)
}

/// What was asked last, and what the answers come to so far.
#[derive(Template)]
#[template(path = "asked.html")]
struct Panel {
    lesson: i64,
    question: Option<Question>,
    tally: Tally,
    earlier: Vec<Earlier>,
}

async fn shown(app: &App, lesson: i64) -> Result<Html<String>> {
    let read = move |conn: &Connection| {
        let question = queries::newest(conn, lesson)?;
        let (replies, earlier) = match &question {
            Some(question) => (
                queries::replies(conn, question.id)?,
                queries::earlier(conn, lesson, question.id)?,
            ),
            None => Default::default(),
        };
        Ok((question, replies, earlier))
    };
    let (question, replies, earlier) = app.store.read(read).await?;
    let said: Vec<_> = replies.into_iter().map(|reply| reply.said).collect();
    let tally = question
        .as_ref()
        .map_or_else(Tally::default, |q| Tally::of(q.kind, &said));
    let panel = Panel {
        lesson,
        question,
        tally,
        earlier,
    };
    Ok(Html(panel.render()?))
}

async fn panel(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    shown(&app, lesson).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Asked {
    /// `choices-2` to `choices-6`, `yes-no`, `number`, `word` or `place`.
    kind: String,
    words: String,
    /// With names.
    named: String,
}

impl Asked {
    fn kind(&self) -> Option<Kind> {
        match self.kind.as_str() {
            "yes-no" => Some(Kind::YesNo),
            "number" => Some(Kind::Number),
            "word" => Some(Kind::Word),
            "place" => Some(Kind::Place),
            choices => {
                let many = choices.strip_prefix("choices-")?.parse().ok()?;
                (Kind::FEWEST..=Kind::MOST)
                    .contains(&many)
                    .then_some(Kind::Choices(many))
            }
        }
    }
}

async fn ask(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(asked): Form<Asked>,
) -> Result<Html<String>> {
    let kind = asked
        .kind()
        .ok_or_else(|| AppError::Unusable("Choose what is to be answered.".to_owned()))?;
    let words = tidy_to(&asked.words, LONGEST_QUESTION).unwrap_or_default();
    let named = !asked.named.is_empty();
    change(&app, lesson, move |conn| {
        queries::ask(conn, lesson, kind, &words, named)
    })
    .await
}

/// Writes something about questions, tells everybody, and shows it.
async fn change(
    app: &App,
    lesson: i64,
    write: impl FnOnce(&Connection) -> crate::store::Result<()> + Send + 'static,
) -> Result<Html<String>> {
    app.store.write(write).await?;
    app.live.tell(lesson, Command::MineChanged).await;
    // Also those who write on a worksheet just now.
    let theirs = app
        .store
        .read(move |conn| worksheets::drawn_in(conn, lesson))
        .await?;
    for drawn_in in theirs {
        app.live.tell(drawn_in, Command::MineChanged).await;
    }
    shown(app, lesson).await
}

type Which = Path<(i64, i64)>;

async fn open(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    change(&app, lesson, move |conn| queries::set_open(conn, id, true)).await
}

async fn close(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    change(&app, lesson, move |conn| queries::set_open(conn, id, false)).await
}

async fn show(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    change(&app, lesson, move |conn| queries::set_shown(conn, id, true)).await
}

async fn unshow(State(app): State<App>, Path((lesson, id)): Which) -> Result<Html<String>> {
    change(&app, lesson, move |conn| {
        queries::set_shown(conn, id, false)
    })
    .await
}

async fn csv(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    let read = move |conn: &Connection| {
        let question = queries::one(conn, lesson, id)?;
        Ok((question, queries::replies(conn, id)?))
    };
    let (question, replies) = app.store.read(read).await?;
    let question = question.ok_or(AppError::NotFound)?;
    // By the second somebody who watched could tell whose an answer is.
    let to = match question.named {
        true => To::Second,
        false => To::Minute,
    };
    let rows = replies.iter().map(|reply| {
        [
            moment(reply.at, to),
            cell(reply.name.as_deref().unwrap_or("")),
            cell(&reply.said.words(question.kind)),
        ]
    });
    table::file(question.title(), ["answered", "name", "answer"], rows)
}
