//! The presenter's side: a capture or a backdrop becomes a worksheet; it is given, opened and closed.

use std::collections::HashMap;

use askama::Template;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::capture::name::{MAX_NAME, tidy_to};
use bozzetto_core::worksheets::elsewhere::Fits;
use bozzetto_core::worksheets::worksheet::LONGEST_INSTRUCTION;
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Wording};
use crate::app::App;
use crate::auth::participant;
use crate::captures;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const CAPTURE: &str = "/lessons/{lesson}/captures/{capture}/worksheet";
    const BACKDROP: &str = "/lessons/{lesson}/backdrops/{backdrop}/worksheet";
    const ONE: &str = "/lessons/{lesson}/worksheets/{worksheet}";
    let one = |deed: &str| format!("{ONE}/{deed}");
    Routes::of(Access::Presenter)
        .get(CAPTURE, ask_of_capture)
        .post(CAPTURE, from_capture)
        .get(BACKDROP, ask_of_backdrop)
        .post(BACKDROP, from_backdrop)
        .get(&one("said"), ask_again)
        .post(&one("said"), say)
        .post(&one("open"), open)
        .post(&one("close"), close)
        .post(&one("earlier"), earlier)
        .post(&one("later"), later)
        .post(&one("delete"), delete)
        .post(&one("restore"), restore)
}

/// What is said of a worksheet, as the form has it.
#[derive(Deserialize, Default)]
#[serde(default)]
struct Asked {
    name: String,
    instruction: String,
    /// For how many minutes it is open; none for no limit.
    minutes: String,
    /// `everybody`, or `chosen`: those whose `chosen-…` is there.
    whose: String,
    width: String,
    height: String,
    kb: String,
    /// It is given later.
    later: String,
    #[serde(flatten)]
    others: HashMap<String, String>,
}

impl Asked {
    fn until(&self) -> Result<Option<u64>> {
        let minutes = self.minutes.trim().replace(',', ".");
        if minutes.is_empty() {
            return Ok(None);
        }
        let wrong = || AppError::Unusable("The time is a number of minutes, up to 600.".to_owned());
        let minutes: f64 = minutes.parse().map_err(|_| wrong())?;
        if !(minutes > 0.0 && minutes <= 600.0) {
            return Err(wrong());
        }
        Ok(Some(crate::now() as u64 + (minutes * 60_000.0) as u64))
    }

    fn said(&self) -> Result<Wording> {
        let fits = Fits::written(&self.width, &self.height, &self.kb);
        let chosen = self
            .others
            .keys()
            .filter_map(|key| key.strip_prefix("chosen-"));
        let chosen = chosen.filter_map(|person| person.parse().ok());
        Ok(Wording {
            name: tidy_to(&self.name, MAX_NAME).unwrap_or_default(),
            instruction: tidy_to(&self.instruction, LONGEST_INSTRUCTION).unwrap_or_default(),
            only: (self.whose == "chosen").then(|| chosen.collect()),
            fits: fits.map_err(|why| AppError::Unusable(why.to_owned()))?,
        })
    }
}

/// What is asked before something is given as a worksheet, or of one that is there.
#[derive(Template)]
#[template(path = "worksheet_form.html")]
struct AskForm {
    /// Where the form goes to, and what takes its answer.
    action: String,
    target: String,
    /// Tells the fields of several forms apart.
    which: String,
    /// It is there already.
    again: bool,
    said: Wording,
    /// Who has joined.
    people: Vec<(i64, String)>,
}

impl AskForm {
    fn is_chosen(&self, person: &i64) -> bool {
        self.said.only.iter().flatten().any(|one| one == person)
    }
}

#[derive(Template)]
#[template(path = "worksheet_given.html")]
struct GivenNow {
    lesson: i64,
    id: i64,
    later: bool,
}

async fn form(app: &App, lesson: i64, mut form: AskForm) -> Result<Html<String>> {
    let people = app.store.read(move |conn| participant::all(conn, lesson));
    form.people = people.await?;
    Ok(Html(form.render()?))
}

async fn ask_of_capture(
    State(app): State<App>,
    Path((lesson, capture)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let ask = AskForm {
        action: format!("/lessons/{lesson}/captures/{capture}/worksheet"),
        target: format!("#proof-{capture} .words"),
        which: format!("c{capture}"),
        again: false,
        said: Wording::default(),
        people: Vec::new(),
    };
    form(&app, lesson, ask).await
}

async fn ask_of_backdrop(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let ask = AskForm {
        action: format!("/lessons/{lesson}/backdrops/{backdrop}/worksheet"),
        target: format!("#backdrop-{backdrop} .words"),
        which: format!("b{backdrop}"),
        again: false,
        said: Wording::default(),
        people: Vec::new(),
    };
    form(&app, lesson, ask).await
}

async fn ask_again(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
) -> Result<Html<String>> {
    let sheet = app.store.read(move |conn| queries::one(conn, lesson, id));
    let ask = AskForm {
        action: format!("/lessons/{lesson}/worksheets/{id}/said"),
        target: "#worksheet-said".to_owned(),
        which: format!("w{id}"),
        again: true,
        said: sheet.await?.ok_or(AppError::NotFound)?.said,
        people: Vec::new(),
    };
    form(&app, lesson, ask).await
}

async fn from_capture(
    State(app): State<App>,
    Path((lesson, capture)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<Html<String>> {
    begin(&app, lesson, capture, &asked).await
}

/// The page of the backdrop that its view shows is taken whole, with what is marked on it: that stays beneath.
async fn from_backdrop(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<Html<String>> {
    // What is wrong with the form is said before anything is taken.
    asked.said()?;
    asked.until()?;
    let capture = whole(&app, lesson, backdrop).await?;
    begin(&app, lesson, capture, &asked).await
}

/// Takes the whole of a backdrop.
async fn whole(app: &App, lesson: i64, backdrop: i64) -> Result<i64> {
    let look = app.live.look(lesson).await?;
    let shown = look.order.iter().find(|b| b.id.0 == backdrop as u64);
    let shown = shown.ok_or(AppError::NotFound)?.clone();
    captures::take_whole(app, lesson, &look, shown, Vec::new()).await
}

/// Gives a backdrop to everybody as a worksheet; gives its id.
pub async fn give_whole(app: &App, lesson: i64, backdrop: i64, instruction: &str) -> Result<i64> {
    let capture = whole(app, lesson, backdrop).await?;
    let asked = Asked {
        instruction: instruction.to_owned(),
        ..Asked::default()
    };
    make(app, lesson, capture, &asked).await
}

async fn begin(app: &App, lesson: i64, capture: i64, asked: &Asked) -> Result<Html<String>> {
    let id = make(app, lesson, capture, asked).await?;
    let later = !asked.later.is_empty();
    Ok(Html(GivenNow { lesson, id, later }.render()?))
}

async fn make(app: &App, lesson: i64, capture: i64, asked: &Asked) -> Result<i64> {
    let (said, until, later) = (asked.said()?, asked.until()?, !asked.later.is_empty());
    let write = move |conn: &Connection| {
        let Some(id) = queries::from_capture(conn, lesson, capture)? else {
            return Ok(None);
        };
        queries::say(conn, id, &said)?;
        if !later {
            queries::set_open(conn, id, true, until)?;
        }
        Ok(Some(id))
    };
    let id = app.store.write(write).await?.ok_or(AppError::NotFound)?;
    app.live.tell(lesson, Command::MineChanged).await;
    Ok(id)
}

async fn say(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<Response> {
    let said = asked.said()?;
    app.store
        .write(move |conn| queries::say(conn, id, &said))
        .await?;
    app.live.tell(lesson, Command::MineChanged).await;
    Ok(([("HX-Refresh", "true")], StatusCode::NO_CONTENT).into_response())
}

async fn open(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Form(asked): Form<Asked>,
) -> Result<StatusCode> {
    set_open(&app, lesson, id, true, asked.until()?).await
}

async fn close(State(app): State<App>, Path((lesson, id)): Path<(i64, i64)>) -> Result<StatusCode> {
    set_open(&app, lesson, id, false, None).await
}

/// Opens or closes a worksheet, and tells everybody who has it.
async fn set_open(
    app: &App,
    lesson: i64,
    id: i64,
    open: bool,
    until: Option<u64>,
) -> Result<StatusCode> {
    let write = move |conn: &Connection| {
        queries::set_open(conn, id, open, until)?;
        queries::answers(conn, id)
    };
    let answers = app.store.write(write).await?;
    app.live.tell(lesson, Command::MineChanged).await;
    for answer in answers {
        app.live.tell(answer.drawn_in, Command::MineChanged).await;
    }
    Ok(StatusCode::NO_CONTENT)
}

async fn earlier(State(app): State<App>, Path(which): Path<(i64, i64)>) -> Result<Redirect> {
    shift(&app, which, false).await
}

async fn later(State(app): State<App>, Path(which): Path<(i64, i64)>) -> Result<Redirect> {
    shift(&app, which, true).await
}

async fn shift(app: &App, (lesson, id): (i64, i64), later: bool) -> Result<Redirect> {
    app.store
        .write(move |conn| queries::shift(conn, lesson, id, later))
        .await?;
    Ok(Redirect::to(&format!("/lessons/{lesson}/worksheets")))
}

async fn delete(State(app): State<App>, Path(which): Path<(i64, i64)>) -> Result<Redirect> {
    set_deleted(&app, which, true).await
}

async fn restore(State(app): State<App>, Path(which): Path<(i64, i64)>) -> Result<Redirect> {
    set_deleted(&app, which, false).await
}

async fn set_deleted(app: &App, (lesson, id): (i64, i64), deleted: bool) -> Result<Redirect> {
    app.store
        .write(move |conn| queries::set_deleted(conn, id, deleted))
        .await?;
    app.live.tell(lesson, Command::MineChanged).await;
    Ok(Redirect::to(&match deleted {
        true => format!("/lessons/{lesson}/worksheets?deleted={id}"),
        false => format!("/lessons/{lesson}/worksheets"),
    }))
}
