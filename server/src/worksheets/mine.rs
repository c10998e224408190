//! The participant's side: the worksheets that are theirs, each with a page on which it is marked and handed in.

use askama::Template;
use axum::Json;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use axum::response::{Html, IntoResponse, Redirect, Response};
use bozzetto_core::geometry::ids::AuthorId;
use bozzetto_core::people::sent::{LARGEST, MOST_WAITING};
use bozzetto_core::sheets::owned;
use bozzetto_core::wire::Sees;
use bozzetto_core::worksheets::worksheet::{HandIn, HandInFault};
use serde::{Deserialize, Serialize};

use super::queries::{self, Answer, Worksheet};
use super::{clock, files};
use crate::app::App;
use crate::asking;
use crate::auth::participant::{self, Participant};
use crate::captures::as_file;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::follow::{News, follower};
use crate::live::connection::{self, Seat};
use crate::serving;

pub fn routes() -> Routes {
    const MINE: &str = "/follow/{lesson}/mine";
    const ONE: &str = "/follow/{lesson}/mine/{worksheet}";
    Routes::of(Access::Participant)
        .get(MINE, all)
        .get(ONE, page)
        .get(&format!("{ONE}/live"), socket)
        .get(&format!("{ONE}/standing"), standing)
        .get(&format!("{ONE}/elsewhere"), elsewhere)
        .get(&format!("{ONE}/backdrops/{{backdrop}}/picture"), picture)
        .post(&format!("{ONE}/hand-in"), hand_in)
}

type Which = Path<(i64, i64)>;

#[derive(Template)]
#[template(path = "mine.html")]
struct All {
    lesson: i64,
    name: String,
    sheets: Vec<(Worksheet, Option<Answer>)>,
    /// What they have kept for themselves.
    snapshots: Vec<Worksheet>,
    news: News,
    now: u64,
}

#[derive(Template)]
#[template(path = "mine_sheet.html")]
struct Page {
    lesson: i64,
    person: i64,
    sheet: Worksheet,
    answer: Answer,
    now: u64,
    /// Something is asked on the stage that they have not answered.
    asks: bool,
}

async fn all(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Response> {
    let who = participant::of(&app.store, app.tls, lesson, &headers).await?;
    let Some(who) = who.filter(|p| !p.gone) else {
        return Ok(Redirect::to("/join").into_response());
    };
    app.live.tell_where(lesson, &who, Sees::Own).await;
    let read = move |conn: &rusqlite::Connection| {
        let sheets = queries::theirs(conn, lesson, who.id)?;
        Ok((sheets, queries::snapshots(conn, lesson, who.id)?))
    };
    let (sheets, snapshots) = app.store.read(read).await?;
    let page = All {
        lesson,
        news: News::of(&app, lesson, &who).await?,
        name: who.name,
        sheets,
        snapshots,
        now: crate::now() as u64,
    };
    Ok(Html(page.render()?).into_response())
}

impl Worksheet {
    /// How it stands with what a participant has made of it, in words.
    fn standing(&self, answer: Option<&Answer>, now: &u64) -> String {
        if self.snapshot {
            return "Your own: nobody else has it".to_owned();
        }
        let handed_in = answer.and_then(|answer| answer.handed_in.as_ref());
        if answer.is_some_and(|answer| answer.returned.is_some()) {
            return "The presenter has given it back: have another try, and hand it in again"
                .to_owned();
        }
        let words = match handed_in {
            Some(last) if last.late => format!("Handed in at {}, after the end", clock(last.at)),
            Some(last) => format!("Handed in at {}", clock(last.at)),
            None => "Not handed in yet".to_owned(),
        };
        match (self.door.is_open(*now), self.door.until) {
            (true, Some(until)) => format!("{words}. Open until {}", clock(until)),
            (true, None) => words,
            (false, _) => format!("{words}. It is closed"),
        }
    }
}

/// A worksheet that a participant has, and what they have made of it, which begins with this.
async fn theirs(app: &App, lesson: i64, id: i64, who: &Participant) -> Result<(Worksheet, Answer)> {
    let person = who.id;
    let begin = move |conn: &rusqlite::Connection| {
        let sheet = queries::one(conn, lesson, id)?.filter(|s| s.is_for(person));
        sheet
            .map(|sheet| {
                let answer = queries::begin(conn, &sheet, person)?;
                Ok((sheet, answer))
            })
            .transpose()
    };
    // Most have begun already: only then something is written.
    let read = move |conn: &rusqlite::Connection| {
        let sheet = queries::one(conn, lesson, id)?.filter(|s| s.is_for(person));
        let answer = queries::answer(conn, id, person)?;
        Ok(sheet.zip(answer))
    };
    if let Some(both) = app.store.read(read).await? {
        return Ok(both);
    }
    app.store.write(begin).await?.ok_or(AppError::NotFound)
}

async fn page(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Response> {
    let who = participant::of(&app.store, app.tls, lesson, &headers).await?;
    let Some(who) = who.filter(|p| !p.gone) else {
        return Ok(Redirect::to("/join").into_response());
    };
    let (sheet, answer) = theirs(&app, lesson, id, &who).await?;
    let page = Page {
        lesson,
        asks: asking::waits_for(&app, lesson, &who).await?,
        person: who.id,
        sheet,
        answer,
        now: crate::now() as u64,
    };
    Ok(Html(page.render()?).into_response())
}

/// How it stands, in words, and how long it is open, in milliseconds, if there is a time.
#[derive(Serialize)]
struct Stands {
    words: String,
    left: Option<u64>,
    /// Something is asked on the stage that they have not answered.
    asks: bool,
}

async fn standing(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
) -> Result<Json<Stands>> {
    let who = follower(&app, lesson, &headers).await?;
    let (sheet, answer) = theirs(&app, lesson, id, &who).await?;
    let now = crate::now() as u64;
    let until = sheet.door.until.filter(|_| sheet.door.is_open(now));
    Ok(Json(Stands {
        words: sheet.standing(Some(&answer), &now),
        left: until.map(|until| until.saturating_sub(now)),
        asks: asking::waits_for(&app, lesson, &who).await?,
    }))
}

async fn socket(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Result<Response> {
    let Some(who) = participant::of(&app.store, app.tls, lesson, &headers).await? else {
        return Err(AppError::NotAllowed);
    };
    if who.gone {
        return Ok(upgrade.on_upgrade(connection::say_gone));
    }
    let (_, answer) = theirs(&app, lesson, id, &who).await?;
    let seat = app.seats.for_a_participant()?;
    Ok(connection::upgrade(
        upgrade,
        &app,
        answer.drawn_in,
        Seat::Author(who, lesson, seat),
    ))
}

async fn picture(
    State(app): State<App>,
    Path((lesson, id, _)): Path<(i64, i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let who = follower(&app, lesson, &headers).await?;
    let (sheet, _) = theirs(&app, lesson, id, &who).await?;
    serving::media(&app, sheet.media, &headers).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Elsewhere {
    /// For the clipboard, which takes nothing else.
    png: bool,
}

/// What is drawn up to now, as a picture that fits where it is to go.
async fn elsewhere(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
    Query(wanted): Query<Elsewhere>,
) -> Result<Response> {
    let who = follower(&app, lesson, &headers).await?;
    let (sheet, answer) = theirs(&app, lesson, id, &who).await?;
    let made = files::for_elsewhere(&app, &answer, sheet.said.fits, wanted.png);
    let (bytes, format) = made.await?;
    Ok(as_file(
        &sheet.said.name,
        format.extension(),
        format.mime(),
        bytes,
    ))
}

/// A wait that is told of is no longer than this, in milliseconds: a clock may have been wrong.
const LONGEST_WAIT: u64 = 7 * 24 * 3600 * 1000;

#[derive(Deserialize)]
struct Wish {
    /// Also an empty one.
    #[serde(default)]
    insists: bool,
    /// How long it has waited for a line, in milliseconds.
    #[serde(default)]
    waited: u64,
}

/// What came of handing in.
#[derive(Serialize)]
struct Said {
    /// The version's number, if it is in.
    number: Option<u32>,
    late: bool,
    words: String,
    /// It is asked whether an empty one is meant.
    asks: bool,
}

async fn hand_in(
    State(app): State<App>,
    Path((lesson, id)): Which,
    headers: HeaderMap,
    Query(wish): Query<Wish>,
) -> Result<Json<Said>> {
    let who = follower(&app, lesson, &headers).await?;
    let (_, answer) = theirs(&app, lesson, id, &who).await?;
    // What has been acknowledged up to now is what is handed in.
    let look = app
        .live
        .look(answer.drawn_in)
        .await
        .map_err(|_| AppError::NotFound)?;
    let own = owned::by(&look.sheets, AuthorId(who.id as u64), true);
    let empty = own.ids().all(|id| own.sheet(id).is_empty());
    let seq = look.marked;
    let person = who.id;
    let write = move |conn: &rusqlite::Connection| {
        let sheet = queries::one(conn, lesson, id)?.filter(|s| s.is_for(person));
        let answer = queries::answer(conn, id, person)?;
        let Some((sheet, answer)) = sheet.filter(|s| !s.snapshot).zip(answer) else {
            return Ok(Err(HandInFault::Gone));
        };
        let last = answer.handed_in.as_ref();
        let now = crate::now() as u64;
        let mut new = HandIn::now(
            &sheet.door,
            last,
            seq,
            (empty, wish.insists),
            answer.returned.is_some(),
            now,
        );
        if let Ok(new) = &mut new {
            new.waited = wish.waited.min(LONGEST_WAIT);
            queries::hand_in(conn, answer.id, new)?;
        }
        Ok(new)
    };
    let said = match app.store.write(write).await? {
        Ok(new) => Said {
            number: Some(new.number),
            late: new.late,
            words: match new.late {
                true => "It has arrived, after the end: the presenter decides whether it counts."
                    .to_owned(),
                false => "Handed in. It has arrived.".to_owned(),
            },
            asks: false,
        },
        Err(fault) => Said {
            number: None,
            late: false,
            words: fault.to_string(),
            asks: fault == HandInFault::Empty,
        },
    };
    Ok(Json(said))
}
