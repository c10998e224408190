//! Pictures that are marks: brought by pasting or dropping, and kept with the lesson.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::HeaderMap;
use axum::response::Response;
use bozzetto_press::picture;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Serialize;

use crate::app::App;
use crate::backdrops::{self, ReadPicture};
use crate::error::{AppError, Result};
use crate::media::Written;
use crate::serving;
use crate::store;

/// The largest upload, in bytes: one picture and what surrounds it in the form.
pub const LIMIT: usize = picture::MAX_BYTES + 64 * 1024;

/// A picture that can be placed. The name is text, since a script's numbers end at 2⁵³.
#[derive(Serialize)]
pub struct Kept {
    picture: String,
    width: u32,
    height: u32,
    /// What is to be known of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    note: Option<&'static str>,
}

/// Keeps a picture that is to be placed.
pub async fn bring(State(app): State<App>, mut form: Multipart) -> Result<Json<Kept>> {
    let broken = |_| {
        AppError::Unusable(
            "The picture broke off on its way or was too large; up to 40 MB work.".to_owned(),
        )
    };
    let none = || AppError::Unusable("There was no picture.".to_owned());
    let field = form.next_field().await.map_err(broken)?.ok_or_else(none)?;
    let incoming = backdrops::received(&app, field, LIMIT as u64).await?;
    let read = backdrops::read_picture(&app, incoming.ok_or_else(none)?).await?;
    let ReadPicture {
        file,
        width,
        height,
        moved,
        ..
    } = read.map_err(AppError::Unusable)?;
    let name = app.store.write(move |conn| keep(conn, &file)).await?;
    let note = moved.then_some(backdrops::STILL);
    Ok(Json(Kept {
        note,
        ..Kept::new(name, (width, height))
    }))
}

impl Kept {
    /// A picture of so many pixels, by its name.
    pub fn new(name: u64, (width, height): (u32, u32)) -> Self {
        Self {
            picture: name.to_string(),
            width,
            height,
            note: None,
        }
    }
}

/// Keeps a picture under a name of its own, which nobody finds by counting.
pub fn keep(conn: &Connection, file: &Written) -> store::Result<u64> {
    file.enter(conn)?;
    let name = new_name();
    let new = params![name as i64, file.sha];
    conn.execute("INSERT INTO placed (id, media) VALUES (?1, ?2)", new)?;
    Ok(name)
}

/// A name that nobody finds by counting.
pub fn new_name() -> u64 {
    rand::random::<u64>() >> 1
}

/// The file of a placed picture, in whichever lesson it was brought: marks are copied from one to
/// another.
pub fn media_of(conn: &Connection, picture: u64) -> store::Result<Option<String>> {
    Ok(conn
        .prepare_cached("SELECT media FROM placed WHERE id = ?1")?
        .query_row([picture as i64], |row| row.get(0))
        .optional()?)
}

pub async fn show(
    State(app): State<App>,
    Path((_, picture)): Path<(i64, u64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let find = move |conn: &Connection| media_of(conn, picture);
    let sha = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    serving::media(&app, sha, &headers).await
}
