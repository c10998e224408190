//! Pictures that are marks: brought by pasting or dropping, and kept with the lesson.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::response::Response;
use bozzetto_press::picture;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Serialize;

use crate::app::App;
use crate::backdrops::serve_media;
use crate::error::{AppError, Result};
use crate::media::Written;
use crate::store;

/// The largest upload, in bytes: one picture and what surrounds it in the form.
pub const LIMIT: usize = picture::MAX_BYTES + 64 * 1024;

/// A picture that can be placed. The name is text, since a script's numbers end at 2⁵³.
#[derive(Serialize)]
pub struct Kept {
    picture: String,
    width: u32,
    height: u32,
}

/// Keeps a picture that is to be placed.
pub async fn bring(State(app): State<App>, mut form: Multipart) -> Result<Json<Kept>> {
    let broken = |_| {
        AppError::Unusable(
            "The picture broke off on its way or was too large; up to 40 MB work.".to_owned(),
        )
    };
    let field = form.next_field().await.map_err(broken)?;
    let field = field.ok_or_else(|| AppError::Unusable("There was no picture.".to_owned()))?;
    let bytes = field.bytes().await.map_err(broken)?.to_vec();
    let media = app.media.clone();
    let read = tokio::task::spawn_blocking(move || {
        picture::read(bytes).map(|p| media.write(&p.bytes, p.mime).map(|file| (p, file)))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    let (picture, file) = read.map_err(|fault| AppError::Unusable(fault.to_string()))??;
    let (width, height) = (picture.width, picture.height);
    let name = app.store.write(move |conn| keep(conn, &file)).await?;
    Ok(Json(Kept {
        picture: name.to_string(),
        width,
        height,
    }))
}

/// Keeps a picture under a name of its own, which nobody finds by counting.
pub fn keep(conn: &Connection, file: &Written) -> store::Result<u64> {
    file.enter(conn)?;
    let name = rand::random::<u64>() >> 1;
    let new = params![name as i64, file.sha];
    conn.execute("INSERT INTO placed (id, media) VALUES (?1, ?2)", new)?;
    Ok(name)
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
) -> Result<Response> {
    let find = move |conn: &Connection| media_of(conn, picture);
    let sha = app.store.read(find).await?;
    serve_media(&app, sha.ok_or(AppError::NotFound)?).await
}
