//! Who has joined a lesson: a list, what each is called, a word for another device, and what is kept of them removed.

pub mod queries;

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::capture::name::tidy;
use bozzetto_core::geometry::ids::PersonId;
use bozzetto_core::people::join_code;
use rusqlite::Connection;
use serde::Deserialize;

use queries::Joined;
pub use queries::forget_old;

use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::LONGEST_NAME;
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::media;
use crate::settings;
use crate::table::{self, To, cell, moment};

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/people";
    const ONE: &str = "/lessons/{lesson}/people/{person}";
    Routes::of(Access::Presenter)
        .get(ALL, page)
        .get(&format!("{ALL}.csv"), table)
        .post(&format!("{ALL}/door"), door)
        .post(&format!("{ALL}/remove"), remove_all)
        .post(&format!("{ONE}/name"), rename)
        .post(&format!("{ONE}/word"), word)
        .post(&format!("{ONE}/remove"), remove)
}

#[derive(Template)]
#[template(path = "people.html")]
struct Page {
    lesson: lessons::LessonCard,
    people: Vec<Joined>,
    closed: bool,
    /// In days.
    forgets_after: u32,
    /// What happened, in words.
    happened: Option<String>,
}

impl Joined {
    fn joined(&self) -> String {
        moment(self.joined_at, To::Minute)
    }

    fn last(&self) -> String {
        let last = self.last_at;
        last.map_or(String::new(), |at| moment(at, To::Minute))
    }
}

async fn shown(app: &App, lesson: i64, happened: Option<String>) -> Result<Html<String>> {
    let read = move |conn: &Connection| {
        let card = lessons::one(conn, lesson)?;
        Ok((
            card,
            queries::all(conn, lesson)?,
            queries::is_closed(conn, lesson)?,
            settings::read(conn)?.forgets_after,
        ))
    };
    let (card, people, closed, forgets_after) = app.store.read(read).await?;
    let page = Page {
        lesson: card.ok_or(AppError::NotFound)?,
        people,
        closed,
        forgets_after,
        happened,
    };
    Ok(Html(page.render()?))
}

async fn page(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    shown(&app, lesson, None).await
}

/// Who was there, as a table.
async fn table(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Response> {
    let read =
        move |conn: &Connection| Ok((lessons::one(conn, lesson)?, queries::all(conn, lesson)?));
    let (card, people) = app.store.read(read).await?;
    let name = format!("People, {}", card.ok_or(AppError::NotFound)?.name);
    let rows = people.iter().map(|person| {
        [
            cell(&person.name),
            person.joined(),
            person.last(),
            person.handed_in.to_string(),
        ]
    });
    table::file(&name, ["name", "joined", "last here", "handed in"], rows)
}

/// Whoever is new finds the door closed, or open again.
async fn door(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Redirect> {
    app.store
        .write(move |conn| queries::turn_door(conn, lesson))
        .await?;
    Ok(back(lesson))
}

fn back(lesson: i64) -> Redirect {
    Redirect::to(&format!("/lessons/{lesson}/people"))
}

#[derive(Deserialize)]
struct Named {
    name: String,
}

async fn rename(
    State(app): State<App>,
    Path((lesson, person)): Path<(i64, i64)>,
    Form(named): Form<Named>,
) -> Result<Response> {
    let Some(name) = tidy(&named.name) else {
        let why = "A name has a letter at least.".to_owned();
        return Ok(shown(&app, lesson, Some(why)).await?.into_response());
    };
    let name: String = name.chars().take(LONGEST_NAME).collect();
    let write = move |conn: &Connection| queries::rename(conn, lesson, person, &name);
    let name = app.store.write(write).await?;
    let person = PersonId(person as u64);
    app.live
        .tell(lesson, Command::PersonNamed { person, name })
        .await;
    Ok(back(lesson).into_response())
}

/// A word with which somebody joins from another device, once and soon.
async fn word(
    State(app): State<App>,
    Path((lesson, person)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let word = lessons::random_code();
    let kept = word.clone();
    let write = move |conn: &Connection| queries::set_word(conn, lesson, person, &kept);
    let name = app.store.write(write).await?.ok_or(AppError::NotFound)?;
    let says = format!(
        "{name} joins from another device with this code, that name and the word {}, within {} minutes.",
        join_code::shown(&word),
        queries::WORD_MINUTES
    );
    shown(&app, lesson, Some(says)).await
}

async fn remove(
    State(app): State<App>,
    Path((lesson, person)): Path<(i64, i64)>,
) -> Result<Redirect> {
    forget(&app, lesson, Some(person)).await
}

async fn remove_all(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Redirect> {
    forget(&app, lesson, None).await
}

/// Removes what is kept of a participant, or of all of a lesson; whoever is here is sent out.
async fn forget(app: &App, lesson: i64, person: Option<i64>) -> Result<Redirect> {
    let write = move |conn: &Connection| queries::forget(conn, lesson, person);
    let gone = app.store.write(write).await?;
    app.store.wipe_log().await?;
    media::remove_unused(app, gone.files).await?;
    for drawn_in in gone.lessons {
        app.live.tell(drawn_in, Command::Deleted).await;
    }
    for person in gone.people {
        let person = PersonId(person as u64);
        app.live.tell(lesson, Command::PersonGone(person)).await;
    }
    // What they sent no longer says whose it is.
    app.live.tell(lesson, Command::Changed { goto: None }).await;
    Ok(back(lesson))
}
