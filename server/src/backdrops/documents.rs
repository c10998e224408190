//! Documents: opened ones are kept for a while, and so are their printed pages.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex};

use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use bozzetto_core::backdrop::BackdropKind;
use bozzetto_core::ids::BackdropId;
use bozzetto_press::document::{Document, Part};
use bozzetto_press::png;
use bytes::Bytes;
use serde::Deserialize;

use super::queries;
use crate::app::App;
use crate::error::{AppError, Result};
use crate::headers::MEDIA_POLICY;

/// How many documents are kept open.
const OPEN: usize = 4;
/// How many bytes of printed pages are kept.
const PRINTED: usize = 96 * 1024 * 1024;

#[derive(Default)]
pub struct Documents {
    open: Mutex<VecDeque<(String, Arc<Document>)>>,
    printed: Mutex<VecDeque<(Key, Bytes)>>,
}

/// A part of a page of a file.
#[derive(Clone, PartialEq)]
struct Key {
    sha: String,
    page: usize,
    part: Part,
}

impl Documents {
    /// The document of this file; blocks.
    pub fn open(&self, app: &App, sha: &str) -> Result<Arc<Document>> {
        let known = |open: &mut VecDeque<(String, Arc<Document>)>| {
            let at = open.iter().position(|(s, _)| s == sha)?;
            let found = open.remove(at)?;
            let document = found.1.clone();
            open.push_front(found);
            Some(document)
        };
        if let Some(document) = known(&mut self.open.lock().expect("nothing panics with it")) {
            return Ok(document);
        }
        let bytes = app.media.read(sha)?;
        let document = Document::open(bytes).map_err(|e| AppError::Internal(e.to_string()))?;
        let document = Arc::new(document);
        let mut open = self.open.lock().expect("nothing panics with it");
        open.push_front((sha.to_owned(), document.clone()));
        open.truncate(OPEN);
        Ok(document)
    }

    fn known(&self, key: &Key) -> Option<Bytes> {
        let mut printed = self.printed.lock().expect("nothing panics with it");
        let at = printed.iter().position(|(k, _)| k == key)?;
        let found = printed.remove(at)?;
        let bytes = found.1.clone();
        printed.push_front(found);
        Some(bytes)
    }

    fn keep(&self, key: Key, bytes: Bytes) {
        let mut printed = self.printed.lock().expect("nothing panics with it");
        printed.push_front((key, bytes));
        let mut sum = 0;
        let fits = printed.iter().take_while(|(_, b)| {
            sum += b.len();
            sum <= PRINTED
        });
        let count = fits.count().max(1);
        printed.truncate(count);
    }

    /// A part of a page as a PNG file.
    async fn print(&self, app: &App, key: Key) -> Result<Bytes> {
        if let Some(bytes) = self.known(&key) {
            return Ok(bytes);
        }
        let (app, wanted) = (app.clone(), key.clone());
        let bytes = tokio::task::spawn_blocking(move || -> Result<Bytes> {
            let document = app.documents.open(&app, &wanted.sha)?;
            let pixmap = document.print(wanted.page, &wanted.part);
            let pixmap = pixmap.ok_or(AppError::NotFound)?;
            Ok(png::encode(&pixmap, 1.0).into())
        })
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
        self.keep(key, bytes.clone());
        Ok(bytes)
    }
}

/// Which part of a page is wanted: the whole page is to be `width` pixels wide, and of it this part.
#[derive(Deserialize)]
pub struct Wanted {
    width: u32,
    #[serde(default)]
    x: u32,
    #[serde(default)]
    y: u32,
    w: Option<u32>,
    h: Option<u32>,
}

/// The widest that a whole page may be printed as, in pixels; parts of it are as large as a screen.
const WIDEST: u32 = 64_000;
const LARGEST: u32 = 8192;

/// A page, or a part of one.
pub async fn page(
    State(app): State<App>,
    Path((lesson, backdrop, page)): Path<(i64, i64, usize)>,
    Query(wanted): Query<Wanted>,
) -> Result<Response> {
    show(&app, lesson, backdrop, page, &wanted).await
}

pub async fn show(
    app: &App,
    lesson: i64,
    backdrop: i64,
    page: usize,
    wanted: &Wanted,
) -> Result<Response> {
    let found = app.store.read(move |conn| {
        let view = queries::one(conn, backdrop)?;
        Ok((view, queries::media_of(conn, lesson, backdrop)?))
    });
    let (Some(view), Some(sha)) = found.await? else {
        return Err(AppError::NotFound);
    };
    debug_assert_eq!(view.id, BackdropId(backdrop as u64));
    let BackdropKind::Document { pages } = &view.kind else {
        return Err(AppError::NotFound);
    };
    let (width, height) = pages.get(page).copied().ok_or(AppError::NotFound)?;
    let whole = wanted.width.clamp(16, WIDEST);
    let scale = f64::from(whole) / f64::from(width);
    let whole_height = (f64::from(height) * scale).round() as u32;
    let part = Part {
        scale,
        x: f64::from(wanted.x),
        y: f64::from(wanted.y),
        width: wanted.w.unwrap_or(whole).min(LARGEST),
        height: wanted.h.unwrap_or(whole_height).clamp(1, LARGEST),
    };
    let bytes = app.documents.print(app, Key { sha, page, part }).await?;
    let headers = [
        (header::CONTENT_TYPE, "image/png"),
        (header::CONTENT_SECURITY_POLICY, MEDIA_POLICY),
        (header::CACHE_CONTROL, "private, max-age=86400"),
    ];
    Ok((headers, bytes).into_response())
}
