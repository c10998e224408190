//! Boards, cameras and shared screens: backdrops that need no file.

use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use bozzetto_core::geometry::frames::Size;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use bozzetto_core::stage::board::{self, Board};
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, New, Whither};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::store;

/// What a form says of a board; what it does not say is as usual.
#[derive(Deserialize)]
pub struct NewBoard {
    #[serde(flatten)]
    said: std::collections::HashMap<String, String>,
}

impl NewBoard {
    fn board(&self) -> Board {
        let mut board = Board::default();
        let said = |key: &str| self.said.get(key).map(String::as_str);
        let word = |word: &str| serde_json::Value::String(word.to_owned());
        if let Some(Ok(ruling)) = said("ruling").map(|w| serde_json::from_value(word(w))) {
            board.ruling = ruling;
        }
        if let Some(Ok(surface)) = said("surface").map(|w| serde_json::from_value(word(w))) {
            board.surface = surface;
        }
        if let Some(Ok(spacing)) = said("spacing").map(str::parse) {
            board.spacing = spacing;
        }
        board.halved = said("halved").is_some();
        board.settled()
    }
}

/// Adds a board after what is on stage, and shows it.
pub async fn add_board(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(new): Form<NewBoard>,
) -> Result<StatusCode> {
    let board = new.board();
    let note = new.said.contains_key("note");
    let id = app
        .store
        .write(move |conn| add(conn, lesson, board, note))
        .await?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(StatusCode::NO_CONTENT)
}

/// Adds a board after what is on stage; gives its id.
pub fn add(conn: &Connection, lesson: i64, board: Board, note: bool) -> store::Result<i64> {
    let (w, h): (f64, f64) = conn
        .prepare_cached("SELECT aspect_width, aspect_height FROM lesson WHERE id = ?1")?
        .query_row([lesson], |row| Ok((row.get(0)?, row.get(1)?)))?;
    let size = board::size(Size::glass(w, h));
    let word = match (note, board.halved) {
        (true, _) => "Note",
        (_, true) => "Board for two",
        _ => "Board",
    };
    let new = New {
        name: queries::free_name(conn, lesson, word)?,
        kind: BackdropKind::Board(board),
        file: None,
        poster: None,
        width: size.width,
        height: size.height,
        seen: ViewState::default(),
    };
    queries::add(conn, Whither::Lesson(lesson), &new)
}

/// Gives a lesson with an empty running order a board, so that there is something to draw on.
pub fn begin_if_bare(conn: &Connection, lesson: i64) -> store::Result<()> {
    let bare: bool = conn
        .prepare_cached(
            "SELECT NOT EXISTS (SELECT 1 FROM backdrop WHERE lesson = ?1 AND deleted_at IS NULL)",
        )?
        .query_row([lesson], |row| row.get(0))?;
    if bare {
        add(conn, lesson, Board::default(), false)?;
    }
    Ok(())
}

#[derive(Deserialize)]
pub struct NewSource {
    what: String,
}

/// Adds a camera or a shared screen; its pixels are the browser's to bring.
pub async fn add_source(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Form(new): Form<NewSource>,
) -> Result<StatusCode> {
    let (name, kind) = match new.what.as_str() {
        "camera" => ("Camera", BackdropKind::Camera { simulated: false }),
        "bench" => (
            "Bench camera (simulated)",
            BackdropKind::Camera { simulated: true },
        ),
        "share" => ("Shared screen", BackdropKind::Share),
        _ => return Err(AppError::Unusable("There is no such source.".to_owned())),
    };
    let new = New {
        name: name.to_owned(),
        kind,
        file: None,
        poster: None,
        width: 1920.0,
        height: 1080.0,
        seen: ViewState::default(),
    };
    let id = app
        .store
        .write(move |conn| queries::add(conn, Whither::Lesson(lesson), &new))
        .await?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(StatusCode::NO_CONTENT)
}
