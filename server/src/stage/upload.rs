//! Pictures that the presenter brings: chosen, pasted or dropped.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use bozzetto_core::ids::BackdropId;
use bozzetto_core::naming::tidy;
use bozzetto_press::picture::{self, MAX_BYTES, Picture, PictureFault};
use serde::Serialize;

use crate::app::App;
use crate::error::{AppError, Result};
use crate::lessons::queries::{self, NewPicture};
use crate::live::lesson::Command;

/// The largest upload, in bytes: one picture and what surrounds it in the form.
pub const LIMIT: usize = MAX_BYTES + 64 * 1024;

/// How an upload went, file by file.
#[derive(Serialize, Default)]
struct Outcome {
    added: Vec<String>,
    refused: Vec<Refused>,
}

#[derive(Serialize)]
struct Refused {
    file: String,
    why: String,
}

pub async fn pictures(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    mut form: Multipart,
) -> Result<Response> {
    let mut outcome = Outcome::default();
    let mut first = None;
    let unreadable = |_| {
        AppError::Unusable(
            "The upload broke off or was too large; nothing of it was kept. Pictures up to 40 MB work."
                .to_owned(),
        )
    };
    while let Some(field) = form.next_field().await.map_err(unreadable)? {
        let file = field.file_name().unwrap_or("Picture").to_owned();
        let bytes = field.bytes().await.map_err(unreadable)?;
        match add(&app, lesson, &file, bytes.to_vec()).await? {
            Ok(id) => {
                first.get_or_insert(id);
                outcome.added.push(file);
            }
            Err(fault) => outcome.refused.push(Refused {
                file,
                why: fault.to_string(),
            }),
        }
    }
    if let Some(id) = first {
        let goto = Some(BackdropId(id as u64));
        app.live.tell(lesson, Command::Changed { goto }).await;
    }
    let status = match outcome.refused.is_empty() {
        true => StatusCode::OK,
        false => StatusCode::UNPROCESSABLE_ENTITY,
    };
    Ok((status, Json(outcome)).into_response())
}

/// Adds a picture to the lesson, or says why it cannot be one.
pub async fn add(
    app: &App,
    lesson: i64,
    file: &str,
    bytes: Vec<u8>,
) -> Result<std::result::Result<i64, PictureFault>> {
    let media = app.media.clone();
    let read = tokio::task::spawn_blocking(move || {
        let read = picture::read(bytes);
        read.map(|p| media.write(&p.bytes, p.mime).map(|written| (p, written)))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    let (picture, written) = match read {
        Ok(done) => done?,
        Err(fault) => return Ok(Err(fault)),
    };
    let name = name_of(file);
    let id = app
        .store
        .write(move |conn| {
            let Picture {
                width,
                height,
                vector,
                ..
            } = picture;
            let new = NewPicture {
                name: &name,
                file: &written,
                vector,
                width,
                height,
            };
            queries::add_picture(conn, lesson, &new)
        })
        .await?;
    Ok(Ok(id))
}

/// A file's name without its ending.
fn name_of(file: &str) -> String {
    let bare = file.rsplit(['/', '\\']).next().unwrap_or(file);
    let stem = match bare.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ => bare,
    };
    tidy(&stem.replace(['_', '-'], " ")).unwrap_or_else(|| "Picture".to_owned())
}
