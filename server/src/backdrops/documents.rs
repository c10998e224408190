//! Documents: their pages as pictures, whole or the part that is seen when they are enlarged.

use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use axum::response::Response;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::page_parts;
use serde::Deserialize;

use super::queries;
use crate::app::App;
use crate::error::{AppError, Result};
use crate::render::TO_DRAW;
use crate::render::job::{Job, PagePart};
use crate::serving;

/// Which part of a page is wanted: the whole page is to be `width` pixels wide, and of it this part.
#[derive(Deserialize, Clone, Copy)]
pub struct Wanted {
    pub width: u32,
    x: Option<u32>,
    y: Option<u32>,
    w: Option<u32>,
    h: Option<u32>,
}

impl Wanted {
    /// The part: x, y, width and height, or all of it; `None` for what is neither.
    pub fn part(self) -> Option<Option<[u32; 4]>> {
        match (self.x, self.y, self.w, self.h) {
            (None, None, None, None) => Some(None),
            (x, y, Some(w), Some(h)) => Some(Some([x.unwrap_or(0), y.unwrap_or(0), w, h])),
            _ => None,
        }
    }
}

/// A page, or a part of one.
pub async fn page(
    State(app): State<App>,
    Path((lesson, backdrop, page)): Path<(i64, i64, usize)>,
    Query(wanted): Query<Wanted>,
    headers: HeaderMap,
) -> Result<Response> {
    let view = app
        .store
        .read(move |conn| queries::one(conn, backdrop))
        .await?
        .ok_or(AppError::NotFound)?;
    show(&app, lesson, &view, page, wanted, &headers).await
}

/// The same, of a backdrop that is known. Only what a screen of ours asks for is printed: there are
/// few sizes, so that a class asks for the same ones.
pub async fn show(
    app: &App,
    lesson: i64,
    view: &BackdropView,
    page: usize,
    wanted: Wanted,
    headers: &HeaderMap,
) -> Result<Response> {
    let backdrop = view.id.0 as i64;
    let find = move |conn: &rusqlite::Connection| queries::media_of(conn, lesson, backdrop);
    let sha = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    let BackdropKind::Document { pages } = &view.kind else {
        return Err(AppError::NotFound);
    };
    let (width, height) = pages.get(page).copied().ok_or(AppError::NotFound)?;
    let scale = f64::from(wanted.width) / f64::from(width);
    let whole_height = (f64::from(height) * scale).round().max(1.0) as u32;
    let part = wanted.part().ok_or(AppError::NotFound)?;
    let part = page_parts::asked(wanted.width, whole_height, part).ok_or(AppError::NotFound)?;
    let [x, y, width, height] = part;
    let tag = format!(
        "\"page-{sha}-{page}-{}-{x}-{y}-{width}-{height}\"",
        wanted.width
    );
    if serving::knows(headers, &tag) {
        return Ok(serving::picture("", headers, &tag));
    }
    let file = app.media.file(&sha);
    let part = PagePart {
        page,
        scale,
        x,
        y,
        width,
        height,
    };
    let job = || Job::Page { file, part };
    let bytes = app.printed.get(tag.clone(), job, 0, TO_DRAW).await?;
    Ok(serving::picture(bytes, headers, &tag))
}
