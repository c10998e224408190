//! What one participant has made of a worksheet, for the presenter: looked at, noted, given back, put on stage.

use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::Html;
use axum::{Form, Json};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, MarkId};
use bozzetto_core::lesson::change::NOBODY;
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::sheets::owned;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::worksheets::worksheet::{HandIn, Noted, Standing, Verdict};
use rusqlite::Connection;
use serde::Deserialize;

use super::files;
use super::queries::{self, Answer, Worksheet};
use crate::app::App;
use crate::backdrops::queries::Whither;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::lesson::Command;

pub fn routes() -> Routes {
    const SHEET: &str = "/lessons/{lesson}/worksheets/{worksheet}";
    const ONE: &str = "/lessons/{lesson}/worksheets/{worksheet}/answers/{answer}";
    Routes::of(Access::Presenter)
        .get(ONE, panel)
        .post(&format!("{ONE}/return"), give_back)
        .post(&format!("{ONE}/take-late"), take_late)
        .post(&format!("{ONE}/note"), note)
        .post(&format!("{SHEET}/on-stage"), on_stage)
}

type Which = Path<(i64, i64, i64)>;

#[derive(Template)]
#[template(path = "hand_in.html")]
struct Panel {
    lesson: i64,
    sheet: i64,
    number: usize,
    answer: Answer,
    versions: Vec<HandIn>,
    /// How many remarks are on it.
    remarks: usize,
    /// Why what was asked for was not done.
    fault: Option<String>,
}

impl Panel {
    fn has(&self, standing: Standing) -> bool {
        self.answer.standing() == standing
    }

    fn verdict(&self, name: &str) -> bool {
        self.answer.noted.verdict.map_or("", Verdict::name) == name
    }

    fn points(&self) -> String {
        let points = self.answer.noted.points;
        points.map_or(String::new(), |points| points.to_string())
    }
}

/// An answer and its number.
async fn find(app: &App, sheet: i64, id: i64) -> Result<(usize, Answer)> {
    let read = app
        .store
        .read(move |conn| queries::one_answer(conn, sheet, id));
    read.await?.ok_or(AppError::NotFound)
}

async fn shown(
    app: &App,
    (lesson, sheet, id): (i64, i64, i64),
    fault: Option<String>,
) -> Result<Html<String>> {
    let (number, answer) = find(app, sheet, id).await?;
    let versions = app.store.read(move |conn| queries::versions(conn, id));
    let versions = versions.await?;
    let look = app.live.look(answer.drawn_in).await?;
    let others = owned::by(&look.sheets, AuthorId(answer.participant as u64), false);
    let panel = Panel {
        lesson,
        sheet,
        number,
        versions,
        remarks: others.ids().map(|id| others.sheet(id).len()).sum(),
        answer,
        fault,
    };
    Ok(Html(panel.render()?))
}

async fn panel(State(app): State<App>, Path(which): Which) -> Result<Html<String>> {
    shown(&app, which, None).await
}

/// Writes something about an answer, tells whoever has its page, and shows it.
async fn change(
    app: &App,
    which: (i64, i64, i64),
    write: impl FnOnce(&Connection) -> crate::store::Result<()> + Send + 'static,
) -> Result<Html<String>> {
    let (_, answer) = find(app, which.1, which.2).await?;
    app.store.write(write).await?;
    app.live.tell(answer.drawn_in, Command::MineChanged).await;
    shown(app, which, None).await
}

async fn give_back(State(app): State<App>, Path(which): Which) -> Result<Html<String>> {
    let (_, answer) = find(&app, which.1, which.2).await?;
    let returned = answer.returned.is_none();
    change(&app, which, move |conn| {
        queries::set_returned(conn, which.2, returned)
    })
    .await
}

async fn take_late(State(app): State<App>, Path(which): Which) -> Result<Html<String>> {
    change(&app, which, move |conn| queries::take_late(conn, which.2)).await
}

#[derive(Deserialize)]
struct Written {
    #[serde(default)]
    verdict: String,
    #[serde(default)]
    points: String,
}

async fn note(
    State(app): State<App>,
    Path(which): Which,
    Form(written): Form<Written>,
) -> Result<Html<String>> {
    let points = match Noted::points(&written.points) {
        Ok(points) => points,
        Err(why) => return shown(&app, which, Some(why.to_owned())).await,
    };
    let verdict = Verdict::named(&written.verdict);
    let noted = Noted { verdict, points };
    change(&app, which, move |conn| {
        queries::note(conn, which.2, &noted)
    })
    .await
}

/// The most that are put on stage at once.
const AT_ONCE: usize = 12;

/// Puts hand-ins on stage, with their marks and nothing of whose they are; of two or more, the second beside the first.
async fn on_stage(
    State(app): State<App>,
    Path((lesson, sheet)): Path<(i64, i64)>,
    Json(which): Json<Vec<i64>>,
) -> Result<StatusCode> {
    let read = move |conn: &Connection| {
        let of = queries::one(conn, lesson, sheet)?;
        let numbered = queries::answers(conn, sheet)?.into_iter().enumerate();
        let chosen = numbered.filter(|(_, answer)| which.contains(&answer.id));
        let marks = chosen.map(|(n, answer)| Ok((n + 1, files::marks(conn, &answer, false)?)));
        Ok((of, marks.collect::<crate::store::Result<Vec<_>>>()?))
    };
    let (of, chosen) = app.store.read(read).await?;
    let of: Worksheet = of.ok_or(AppError::NotFound)?;
    if chosen.is_empty() || chosen.len() > AT_ONCE {
        return Err(AppError::Unusable(format!(
            "Choose from 1 to {AT_ONCE} hand-ins first."
        )));
    }
    let write = move |conn: &Connection| {
        let mut drawn = Vec::new();
        // Each goes in behind what is on stage: the first is to be the next.
        for (number, (_, sheets)) in chosen.into_iter().rev() {
            let name = format!("{} {number}", of.said.name);
            let backdrop = queries::add_backdrop(conn, &of, Whither::Lesson(lesson), name)?;
            drawn.push((BackdropId(backdrop as u64), sheets));
        }
        drawn.reverse();
        Ok(drawn)
    };
    let drawn = app.store.write(write).await?;
    let show = match &drawn[..] {
        [(one, _), (other, _), ..] => Command::SideBySide(*one, *other),
        [one, ..] => Command::Changed { goto: Some(one.0) },
        [] => return Ok(StatusCode::NO_CONTENT),
    };
    let mut marks = Vec::new();
    for (backdrop, sheets) in drawn {
        for mark in sheets.ids().flat_map(|id| sheets.sheet(id).marks()) {
            let mut mark = Mark::clone(mark);
            // Whose it is nobody is to see; and it may be on stage already.
            (mark.id, mark.author) = (MarkId(rand::random()), NOBODY);
            marks.push(Step {
                sheet: SheetId::Backdrop(backdrop),
                op: Op::Add(mark),
            });
        }
    }
    app.live.tell(lesson, show).await;
    let lesson = app.live.lesson(lesson);
    let _ = lesson.send(Command::Draw(marks)).await;
    Ok(StatusCode::NO_CONTENT)
}
