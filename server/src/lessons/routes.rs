//! The home page and what can be done on it.

use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::capture::name::tidy;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::queries::{self, LessonCard, Sort, Wanted};
use super::thumbnails;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    Routes::of(Access::Presenter)
        .get("/", home)
        .post("/lessons", create)
        .post("/lessons/now", start_now)
        .get("/lessons/found", found)
        .get("/lessons/{lesson}", card)
        .get("/lessons/{lesson}/in-use", in_use)
        .get("/lessons/{lesson}/rename", rename_form)
        .post("/lessons/{lesson}/rename", rename)
        .post("/lessons/{lesson}/delete", delete)
        .post("/lessons/{lesson}/restore", restore)
        .post("/lessons/{lesson}/archive", archive)
        .post("/lessons/{lesson}/unarchive", unarchive)
        .get(
            "/lessons/{lesson}/backdrops/{backdrop}/thumbnail.png",
            thumbnails::show,
        )
}

#[derive(Template)]
#[template(path = "home.html")]
struct Home {
    found: Found,
    /// What whoever runs the server should know.
    warnings: Vec<String>,
    /// Whether there is a session that can be left.
    can_leave: bool,
}

/// The lessons that are wanted.
#[derive(Template)]
#[template(path = "lessons_found.html")]
struct Found {
    wanted: Wanted,
    lessons: Vec<LessonCard>,
    /// How many are archived.
    archived: usize,
}

impl Found {
    fn sorted(&self, sort: Sort) -> bool {
        self.wanted.sort == sort
    }
}

#[derive(Template)]
#[template(path = "lesson_card.html")]
struct Card {
    lesson: LessonCard,
}

#[derive(Template)]
#[template(path = "lesson_rename.html")]
struct RenameForm {
    lesson: LessonCard,
}

/// In a lesson's place once it is no longer there.
#[derive(Template)]
#[template(path = "lesson_gone.html")]
struct Gone {
    id: i64,
    name: String,
    /// What has become of it.
    what: &'static str,
    /// What undoes that.
    undo: &'static str,
}

impl LessonCard {
    /// When it was last used, as people say it.
    fn when(&self) -> String {
        let zone = TimeZone::system();
        let local = |ms: i64| {
            Timestamp::from_millisecond(ms)
                .unwrap_or(Timestamp::UNIX_EPOCH)
                .to_zoned_datetime(zone.clone())
        };
        let (used, now) = (local(self.used_at), local(crate::now()));
        if used.date() == now.date() {
            used.strftime("today, %H:%M").to_string()
        } else if used.year() == now.year() {
            used.strftime("%-d %B").to_string()
        } else {
            used.strftime("%-d %B %Y").to_string()
        }
    }
}

async fn home(State(app): State<App>, Query(wanted): Query<Wanted>) -> Result<Response> {
    let found = find_all(&app, wanted).await?;
    let room = app.room.clone();
    let filled = tokio::task::spawn_blocking(move || room.filled()).await;
    let full = filled.ok().and_then(|filled| filled.warning());
    let plain = (!app.open && !app.tls).then(|| {
        "This server is reached without TLS: whoever shares the network can read along, the passphrase \
         included. Start it with --tls-self-signed or a certificate."
            .to_owned()
    });
    let home = Home {
        found,
        warnings: full.into_iter().chain(plain).collect(),
        can_leave: !app.open,
    };
    Ok(Html(home.render()?).into_response())
}

async fn found(State(app): State<App>, Query(wanted): Query<Wanted>) -> Result<Html<String>> {
    Ok(Html(find_all(&app, wanted).await?.render()?))
}

/// How long a lesson that stayed empty is kept, in milliseconds: a browser without a line may still
/// have something for it.
const KEPT_EMPTY: i64 = 24 * 60 * 60 * 1000;

/// Whether a lesson stayed empty and everybody has left it.
async fn is_left(app: &App, lesson: &LessonCard) -> bool {
    lesson.stayed_empty && !app.live.is_used(lesson.id).await
}

/// The lessons that are wanted. Those that stayed empty are not shown once everybody has left them,
/// and go by themselves after a day.
async fn find_all(app: &App, wanted: Wanted) -> Result<Found> {
    let mut all = app.store.read(queries::all).await?;
    let mut left = Vec::new();
    for lesson in &all {
        if is_left(app, lesson).await {
            left.push((lesson.id, lesson.used_at));
        }
    }
    all.retain(|l| !left.iter().any(|(id, _)| *id == l.id));
    let old = crate::now() - KEPT_EMPTY;
    let gone: Vec<i64> = left.iter().filter(|l| l.1 < old).map(|l| l.0).collect();
    if !gone.is_empty() {
        let sweep = move |conn: &rusqlite::Connection| {
            gone.iter()
                .try_for_each(|id| queries::set_deleted(conn, *id, true).map(|_| ()))
        };
        app.store.write(sweep).await?;
    }
    Ok(Found {
        archived: all.iter().filter(|l| l.archived).count(),
        lessons: queries::wanted(all, &wanted),
        wanted,
    })
}

async fn start_now(State(app): State<App>) -> Result<Redirect> {
    let name = jiff::ZonedDateTime::now()
        .strftime("Lesson of %-d %B, %H:%M")
        .to_string();
    let id = app
        .store
        .write(move |conn| queries::create_nameless(conn, &name))
        .await?;
    Ok(Redirect::to(&format!("/lessons/{id}/stage")))
}

#[derive(Deserialize)]
struct NewLesson {
    name: String,
    kind: String,
}

async fn create(State(app): State<App>, Form(new): Form<NewLesson>) -> Result<Redirect> {
    let name = named(&new.name)?;
    let kind = match new.kind.as_str() {
        "meeting" => "meeting",
        _ => "class",
    };
    let id = app
        .store
        .write(move |conn| queries::create(conn, &name, kind))
        .await?;
    Ok(Redirect::to(&format!("/lessons/{id}/stage")))
}

/// What somebody typed as a name, or why it will not do.
pub fn named(typed: &str) -> Result<String> {
    tidy(typed).ok_or_else(|| AppError::Unusable("Please give it a name.".to_owned()))
}

async fn find(app: &App, id: i64) -> Result<LessonCard> {
    let found = app.store.read(move |conn| queries::one(conn, id)).await?;
    found.ok_or(AppError::NotFound)
}

async fn card(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let lesson = find(&app, id).await?;
    Ok(Html(Card { lesson }.render()?))
}

/// Asked by the card of a lesson that is still empty: nothing to change, or nothing in its place
/// once everybody has left it. Who goes from the stage to the lessons is often here before the stage
/// has said that it is gone.
async fn in_use(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode> {
    let lesson = find(&app, id).await?;
    Ok(if is_left(&app, &lesson).await {
        StatusCode::OK
    } else {
        StatusCode::NO_CONTENT
    })
}

async fn rename_form(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let lesson = find(&app, id).await?;
    Ok(Html(RenameForm { lesson }.render()?))
}

#[derive(Deserialize)]
struct Rename {
    name: String,
}

async fn rename(
    State(app): State<App>,
    Path(id): Path<i64>,
    Form(form): Form<Rename>,
) -> Result<Html<String>> {
    let name = named(&form.name)?;
    app.store
        .write(move |conn| queries::rename(conn, id, &name))
        .await?;
    app.live.tell(id, Command::Changed { goto: None }).await;
    card(State(app), Path(id)).await
}

async fn delete(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    let name = find(&app, id).await?.name;
    app.store
        .write(move |conn| queries::set_deleted(conn, id, true))
        .await?;
    app.live.tell(id, Command::Deleted).await;
    gone(id, name, "deleted", "restore")
}

fn gone(id: i64, name: String, what: &'static str, undo: &'static str) -> Result<Html<String>> {
    let gone = Gone {
        id,
        name,
        what,
        undo,
    };
    Ok(Html(gone.render()?))
}

/// Whether a key's work is taken back: then the lesson is shown again.
#[derive(Deserialize)]
struct Undoing {
    #[serde(default)]
    undo: bool,
}

async fn archive(
    State(app): State<App>,
    Path(id): Path<i64>,
    Form(form): Form<Undoing>,
) -> Result<Html<String>> {
    put(app, id, true, form.undo).await
}

async fn unarchive(
    State(app): State<App>,
    Path(id): Path<i64>,
    Form(form): Form<Undoing>,
) -> Result<Html<String>> {
    put(app, id, false, form.undo).await
}

/// Puts a lesson into the archive, or out of it.
async fn put(app: App, id: i64, archived: bool, undoing: bool) -> Result<Html<String>> {
    let name = find(&app, id).await?.name;
    app.store
        .write(move |conn| queries::set_archived(conn, id, archived))
        .await?;
    match (undoing, archived) {
        (true, _) => card(State(app), Path(id)).await,
        (false, true) => gone(id, name, "archived", "unarchive"),
        (false, false) => gone(id, name, "among the lessons again", "archive"),
    }
}

async fn restore(State(app): State<App>, Path(id): Path<i64>) -> Result<Html<String>> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, false))
        .await?;
    card(State(app), Path(id)).await
}
