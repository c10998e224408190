//! The captures of all lessons: where one is, if somebody does not know in which.

use askama::Template;
use axum::extract::{Query, State};
use axum::response::Html;
use bozzetto_core::capture::name::has_words;
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Brief};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::Result;
use crate::store;

/// The most that a page shows.
const MOST: usize = 300;

pub fn routes() -> Routes {
    Routes::of(Access::Presenter)
        .get("/captures", page)
        .get("/captures/found", found)
}

#[derive(Template)]
#[template(path = "captures_everywhere.html")]
struct Page {
    /// The lessons that have captures.
    lessons: Vec<(i64, String)>,
    found: Found,
}

/// What was looked for, lesson by lesson.
#[derive(Template)]
#[template(path = "captures_everywhere_found.html")]
struct Found {
    words: String,
    lessons: Vec<(i64, String, Vec<Brief>)>,
    /// How many further ones there are.
    more: usize,
}

/// What is looked for; nothing looks for all.
#[derive(Deserialize, Default)]
#[serde(default)]
struct Wanted {
    words: String,
    /// A lesson's number.
    lesson: String,
}

impl Wanted {
    fn is(&self, c: &Brief) -> bool {
        let day = c.day();
        let texts = [&c.name, &c.caption, &c.backdrop, &c.lesson_name, &day];
        has_words(&self.words, texts.map(String::as_str))
            && (self.lesson.is_empty() || self.lesson == c.lesson.to_string())
    }
}

/// Those that are wanted, the lesson that was used last first.
fn look(conn: &Connection, wanted: Wanted) -> store::Result<(Vec<(i64, String)>, Found)> {
    let all = queries::everywhere(conn)?;
    let mut lessons: Vec<(i64, String)> = Vec::new();
    for c in &all {
        if lessons.last().is_none_or(|(id, _)| *id != c.lesson) {
            lessons.push((c.lesson, c.lesson_name.clone()));
        }
    }
    let mut found = Found {
        words: String::new(),
        lessons: Vec::new(),
        more: 0,
    };
    let these = all.into_iter().filter(|c| wanted.is(c));
    for (n, c) in these.enumerate() {
        if n >= MOST {
            found.more += 1;
            continue;
        }
        match found.lessons.last_mut() {
            Some((id, _, of)) if *id == c.lesson => of.push(c),
            _ => {
                let (lesson, name) = (c.lesson, c.lesson_name.clone());
                found.lessons.push((lesson, name, vec![c]));
            }
        }
    }
    found.words = wanted.words;
    Ok((lessons, found))
}

async fn page(State(app): State<App>) -> Result<Html<String>> {
    let read = app.store.read(|conn| look(conn, Wanted::default()));
    let (lessons, found) = read.await?;
    Ok(Html(Page { lessons, found }.render()?))
}

async fn found(State(app): State<App>, Query(wanted): Query<Wanted>) -> Result<Html<String>> {
    let (_, found) = app.store.read(move |conn| look(conn, wanted)).await?;
    Ok(Html(found.render()?))
}
