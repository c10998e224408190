//! The pages of recordings: all of a lesson, and one with its player.

use std::collections::HashMap;

use askama::Template;
use axum::Form;
use axum::extract::multipart::{Multipart, MultipartRejection};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::capture::name::{MAX_NAME, tidy_to};
use bozzetto_core::people::take_away::size;
use bozzetto_core::recording::captions::{self, Cue, of_left};
use bozzetto_core::recording::cuts::{self, Cuts};
use bozzetto_film::Film;
use rusqlite::Connection;
use serde::Deserialize;

use super::film::{self, find, time};
use super::links::{self, Link};
use super::queries::{self, Recording};
use crate::app::App;
use crate::backdrops;
use crate::door::{Access, Routes, SMALL};
use crate::error::{AppError, Result};
use crate::lessons::queries as lessons;
use crate::stage::public_address;
use crate::table::{To, moment};
use crate::take_aways;

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/recordings";
    const ONE: &str = "/lessons/{lesson}/recordings/{recording}";
    let one = |action: &str| format!("{ONE}/{action}");
    Routes::of(Access::Presenter)
        .get(ALL, all)
        .get(ONE, page)
        .post(&one("rename"), rename)
        .post(&one("delete"), delete)
        .post(&one("restore"), restore)
        .post(&one("cut"), cut)
        .post(&one("whole"), whole)
        .post(&one("chapters"), set_chapters)
        .post(&one("captions"), set_captions)
        .upload(&one("captions/file"), bring_captions, SMALL)
        .upload(&one("poster"), set_poster, POSTER)
        .post(&one("keep"), keep)
        .post(&one("hand-out"), hand_out)
}

type Which = Path<(i64, i64)>;

/// The largest picture that stands for a recording, in bytes.
const POSTER: usize = 8 * 1024 * 1024;
/// How long a recording can be kept, in days, and what that is called.
pub const KEPT: [(u32, &str); 4] = [
    (0, "as long as its lesson"),
    (31, "a month from now"),
    (183, "half a year from now"),
    (730, "two years from now"),
];

impl Recording {
    /// How long it is, in words.
    pub fn length(&self) -> String {
        time(self.left().seconds())
    }

    pub fn size(&self) -> String {
        size(self.bytes)
    }

    pub fn day(&self) -> String {
        moment(self.begun_at, To::Minute)
    }

    /// Another one when what is shown is another.
    pub fn version(&self) -> String {
        format!("{}-{:.3}", self.bytes, self.left().seconds())
    }

    /// Nothing of it was kept.
    pub fn is_empty(&self) -> bool {
        self.bytes == 0
    }
}

#[derive(Template)]
#[template(path = "recordings.html")]
struct All {
    lesson: lessons::LessonCard,
    recordings: Vec<Recording>,
}

async fn all(State(app): State<App>, Path(lesson): Path<i64>) -> Result<Html<String>> {
    let read = move |conn: &Connection| {
        Ok((
            lessons::one(conn, lesson)?,
            queries::of_lesson(conn, lesson)?,
        ))
    };
    let (lesson, recordings) = app.store.read(read).await?;
    let lesson = lesson.ok_or(AppError::NotFound)?;
    Ok(Html(All { lesson, recordings }.render()?))
}

#[derive(Template)]
#[template(path = "recording.html")]
struct Page {
    lesson: lessons::LessonCard,
    r: Recording,
    /// What is shown of it; nothing where nothing was kept.
    film: Option<Film>,
    /// In the time of what is shown.
    cues: Vec<Cue>,
    links: Vec<Link>,
    /// Where links begin: this server as others reach it.
    address: String,
}

impl Page {
    /// An address of the page's own.
    fn own(&self) -> String {
        format!("/lessons/{}/recordings/{}", self.r.lesson, self.r.id)
    }

    /// What frames it, as one line of HTML.
    fn embeds(&self, link: &Link) -> String {
        format!(
            r#"<iframe src="{}{}/embed" width="960" height="540" title="Recording" allow="fullscreen" style="border:0"></iframe>"#,
            self.address,
            link.path()
        )
    }

    /// Until when it is kept, in words.
    fn kept_until(&self) -> String {
        match self.r.forget_at {
            Some(at) => format!("until {}", moment(at, To::Minute)),
            None => "as long as its lesson".to_owned(),
        }
    }
}

async fn page(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Html<String>> {
    let r = find(&app, id).await?;
    let read = move |conn: &Connection| Ok((lessons::one(conn, lesson)?, links::of(conn, id)?));
    let (lesson, links) = app.store.read(read).await?;
    let film = match r.is_empty() {
        true => None,
        false => Some(film::film(&app, &r).await?),
    };
    let cues = match (&r.captions, r.is_empty()) {
        (Some(cues), false) => of_left(cues, &shown(&app, &r).await?),
        _ => Vec::new(),
    };
    let page = Page {
        lesson: lesson.ok_or(AppError::NotFound)?,
        r,
        film,
        cues,
        links,
        address: public_address(&app, &headers),
    };
    Ok(Html(page.render()?))
}

/// What is shown of a recording: it begins with key frames, and what is said of it is said of that.
async fn shown(app: &App, r: &Recording) -> Result<Cuts> {
    Ok(r.left().at_keys(&film::kept(app, r).await?.keys()))
}

/// Back to the page of a recording.
pub fn back(lesson: i64, id: i64) -> Response {
    Redirect::to(&format!("/lessons/{lesson}/recordings/{id}")).into_response()
}

#[derive(Deserialize)]
struct Rename {
    name: String,
}

async fn rename(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(new): Form<Rename>,
) -> Result<Response> {
    let nameless = || AppError::Unusable("A recording needs a name.".to_owned());
    let name = tidy_to(&new.name, MAX_NAME).ok_or_else(nameless)?;
    app.store
        .write(move |conn| queries::rename(conn, id, &name))
        .await?;
    Ok(back(lesson, id))
}

async fn delete(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, true))
        .await?;
    Ok(back(lesson, id))
}

async fn restore(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, false))
        .await?;
    Ok(back(lesson, id))
}

/// A part of what is shown now, in seconds.
#[derive(Deserialize)]
struct Part {
    from: f64,
    to: f64,
}

/// Takes a part out of what is shown.
async fn cut(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(part): Form<Part>,
) -> Result<Response> {
    let r = find(&app, id).await?;
    let shown = shown(&app, &r).await?;
    let mut left = shown.clone();
    if !(part.from < part.to && left.take_out(shown.to_whole(part.from), shown.to_whole(part.to))) {
        return Err(AppError::Unusable(
            "Nothing would be left. Choose a shorter part.".to_owned(),
        ));
    }
    app.store
        .write(move |conn| queries::set_cuts(conn, id, Some(&left)))
        .await?;
    Ok(back(lesson, id))
}

/// Everything of it is shown again.
async fn whole(State(app): State<App>, Path((lesson, id)): Which) -> Result<Response> {
    app.store
        .write(move |conn| queries::set_cuts(conn, id, None::<&Cuts>))
        .await?;
    Ok(back(lesson, id))
}

#[derive(Deserialize)]
struct Named {
    /// Which of those that are shown, from 0.
    which: usize,
    name: String,
}

/// Renames a chapter.
async fn set_chapters(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(named): Form<Named>,
) -> Result<Response> {
    let r = find(&app, id).await?;
    let nameless = || AppError::Unusable("A chapter needs a name.".to_owned());
    let name = tidy_to(&named.name, MAX_NAME).ok_or_else(nameless)?;
    let kept = film::kept(&app, &r).await?;
    let mut all = film::whole_chapters(&app, &r, &kept).await?;
    let shown = r.left().at_keys(&kept.keys());
    // The chapters that are shown are those of the whole of which something is left.
    let (number, _) = *shown
        .chapters(&all)
        .get(named.which)
        .ok_or(AppError::NotFound)?;
    all[number].name = name;
    app.store
        .write(move |conn| queries::set_chapters(conn, id, &all))
        .await?;
    Ok(back(lesson, id))
}

#[derive(Deserialize)]
struct Captions {
    /// Cues as JSON, in the time of what is shown.
    cues: String,
}

/// What is written in it is this now. What is written in parts that were taken out stays there.
async fn set_captions(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(captions): Form<Captions>,
) -> Result<Response> {
    let cues: Vec<Cue> = serde_json::from_str(&captions.cues)
        .map_err(|_| AppError::Unusable("Those are no captions.".to_owned()))?;
    let r = find(&app, id).await?;
    let left = shown(&app, &r).await?;
    let cues = captions::to_whole(&cues, &left, r.captions.as_deref().unwrap_or_default());
    app.store
        .write(move |conn| queries::set_captions(conn, id, &cues))
        .await?;
    Ok(back(lesson, id))
}

/// Captions that were made elsewhere, as a WebVTT file for what is shown.
async fn bring_captions(
    State(app): State<App>,
    Path((lesson, id)): Which,
    form: std::result::Result<Multipart, MultipartRejection>,
) -> Result<Response> {
    let none = || AppError::Unusable("There was no file.".to_owned());
    let mut form = form.map_err(|_| none())?;
    let field = form.next_field().await.map_err(|_| none())?;
    let bytes = field.ok_or_else(none)?.bytes().await.map_err(|_| none())?;
    let file = String::from_utf8_lossy(&bytes);
    let cues = captions::read(&file).map_err(|why| AppError::Unusable(why.to_string()))?;
    let r = find(&app, id).await?;
    let cues = captions::to_whole(&cues, &shown(&app, &r).await?, &[]);
    app.store
        .write(move |conn| queries::set_captions(conn, id, &cues))
        .await?;
    Ok(back(lesson, id))
}

/// A picture that stands for it: as the page has drawn it from the film.
async fn set_poster(
    State(app): State<App>,
    Path((_, id)): Which,
    form: std::result::Result<Multipart, MultipartRejection>,
) -> Result<StatusCode> {
    let none = || AppError::Unusable("There was no picture.".to_owned());
    let mut form = form.map_err(|_| none())?;
    let field = form.next_field().await.map_err(|_| none())?;
    let incoming = backdrops::received(&app, field.ok_or_else(none)?, POSTER as u64).await?;
    let read = backdrops::read_picture(&app, incoming.ok_or_else(none)?).await?;
    let file = read.map_err(AppError::Unusable)?.file;
    app.store
        .write(move |conn| queries::set_poster(conn, id, &file))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Deserialize)]
struct Keep {
    /// From now on; 0 for as long as its lesson.
    days: u32,
}

async fn keep(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(keep): Form<Keep>,
) -> Result<Response> {
    let at = (keep.days > 0).then(|| crate::now() + i64::from(keep.days.min(36_500)) * 86_400_000);
    app.store
        .write(move |conn| queries::set_forget_at(conn, id, at))
        .await?;
    Ok(back(lesson, id))
}

/// Hands a recording out as a take-away: all of it, or the chapters that are chosen, by their numbers.
async fn hand_out(
    State(app): State<App>,
    Path((lesson, id)): Which,
    Form(chosen): Form<HashMap<String, String>>,
) -> Result<Response> {
    let r = find(&app, id).await?;
    let film = film::film(&app, &r).await?;
    let keys = film::kept(&app, &r).await?.keys();
    let is_chosen = |n: usize| chosen.contains_key(&format!("chapter-{n}"));
    let left = r.left().at_keys(&keys);
    let ends = film.chapters.iter().skip(1).map(|next| next.at);
    let ends = ends.chain([film.seconds()]);
    let parts: Vec<(f64, f64)> = (film.chapters.iter().zip(ends).enumerate())
        .filter(|(n, _)| is_chosen(*n))
        .map(|(_, (chapter, end))| (chapter.at, end))
        .collect();
    if parts.is_empty() {
        return Err(AppError::Unusable(
            "Choose at least one chapter.".to_owned(),
        ));
    }
    // All of it is whatever is shown of it, also when that becomes otherwise.
    let all = parts.len() == film.chapters.len();
    let parts = (!all).then(|| {
        let whole = parts
            .iter()
            .flat_map(|(from, to)| left.parts_between(*from, *to));
        let begun = whole.map(|(from, to)| (cuts::begun(from, &keys), to));
        begun.collect::<Vec<_>>()
    });
    let of = |parts: &Vec<_>| left.within(parts).at_keys(&keys).parts().is_empty();
    if parts.as_ref().is_some_and(of) {
        return Err(AppError::Unusable(
            "So short a chapter has no whole picture of its own: choose the one before it, too."
                .to_owned(),
        ));
    }
    take_aways::hand_out_recording(&app, lesson, &r.name, id, parts).await?;
    Ok(back(lesson, id))
}
