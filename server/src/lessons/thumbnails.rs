//! Small pictures of backdrops with their marks.

use std::collections::HashMap;
use std::sync::{LazyLock, Mutex};

use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use bozzetto_core::backdrop::BackdropView;
use bozzetto_core::capture::Plan;
use bozzetto_core::display::DisplayList;
use bozzetto_core::frames::{Glass, Rect, Size};
use bozzetto_core::history::Keep;
use bozzetto_core::ids::BackdropId;
use bozzetto_core::sheet::Sheets;
use bozzetto_core::{backdrop, paint, pane};
use bozzetto_press::picture::Shown;
use bozzetto_press::{png, raster};
use bytes::Bytes;
use sha2::{Digest, Sha256};

use crate::app::App;
use crate::backdrops::queries;
use crate::error::{AppError, Result};
use crate::media::hex;

/// Twice the size that they are shown in, for dense screens.
const WIDTH: u32 = 384;

/// The last picture of each backdrop, by lesson and backdrop, and the stamp of what it shows.
type Kept = HashMap<(i64, u64), (String, Bytes)>;

static KEPT: LazyLock<Mutex<Kept>> = LazyLock::new(Mutex::default);

/// Of a backdrop in a running order, as it is marked.
pub async fn show(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, u64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let look = app
        .live
        .look(lesson)
        .await
        .map_err(|_| AppError::NotFound)?;
    let view = look
        .order
        .iter()
        .find(|b| b.id == BackdropId(id))
        .ok_or(AppError::NotFound)?;
    let area = Size::glass(look.aspect.0, look.aspect.1);
    answer(&app, (lesson, look.seq), view, area, &look.sheets, &headers).await
}

/// Of a backdrop in the library.
pub async fn of_library(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
) -> Result<Response> {
    let view = app.store.read(move |conn| queries::one(conn, id)).await?;
    let view = view.ok_or(AppError::NotFound)?;
    let (area, sheets) = (Size::glass(16.0, 9.0), Sheets::new(Keep::Nobody));
    answer(&app, (0, 0), &view, area, &sheets, &headers).await
}

async fn answer(
    app: &App,
    (lesson, seq): (i64, u64),
    view: &BackdropView,
    area: Size<Glass>,
    sheets: &Sheets,
    headers: &HeaderMap,
) -> Result<Response> {
    let id = view.id.0;
    let looks = app
        .store
        .read(move |conn| queries::look_of(conn, id as i64))
        .await?;
    // The same for the same file, marks, page, and picture held.
    let said = format!("{looks:?}{:?}{:?}", view.kind, view.seen);
    let mark = hex(&Sha256::digest(said))[..16].to_owned();
    let stamp = format!("\"{lesson}-{id}-{seq}-{mark}\"");
    let common = [
        (header::ETAG, stamp.clone()),
        (header::CACHE_CONTROL, "private, no-cache".to_owned()),
        (header::CONTENT_TYPE, "image/png".to_owned()),
    ];
    let known = headers
        .get(header::IF_NONE_MATCH)
        .is_some_and(|v| v.as_bytes() == stamp.as_bytes());
    if known {
        return Ok((StatusCode::NOT_MODIFIED, common).into_response());
    }
    let kept = KEPT
        .lock()
        .expect("nothing panics with it")
        .get(&(lesson, id))
        .cloned();
    if let Some((of, bytes)) = kept
        && of == stamp
    {
        return Ok((common, bytes).into_response());
    }
    let bytes = printed(app, view, area, sheets, looks.1.is_some()).await?;
    let mut all = KEPT.lock().expect("nothing panics with it");
    all.insert((lesson, id), (stamp, bytes.clone()));
    drop(all);
    Ok((common, bytes).into_response())
}

async fn printed(
    app: &App,
    view: &BackdropView,
    area: Size<Glass>,
    sheets: &Sheets,
    has_look: bool,
) -> Result<Bytes> {
    let scale = f64::from(WIDTH) / area.width;
    let room = Rect::of_size(area);
    let plan = Plan {
        area: room,
        scale,
        width: WIDTH,
        height: (area.height * scale).round() as u32,
    };
    let mut list = DisplayList::default();
    backdrop::paint(Some(view), &room, &mut list);
    if view.kind.moves() && !has_look && view.seen.frozen.is_none() {
        backdrop::paint_sign(&view.kind, &room, &mut list);
    }
    let in_view = pane::of_backdrop(view, &room);
    let marks = paint::everything(sheets, &in_view, &plan.area, crate::now() as u64);
    list.items.extend(marks.items);
    let shown = app
        .pictures
        .wanted(app, &[view], &list, Shown::default())
        .await?;
    let printed = tokio::task::spawn_blocking(move || {
        raster::print(&list, &plan, &shown)
            .map(|pixmap| Bytes::from(png::thumbnail(&pixmap, WIDTH, WIDTH)))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    printed.ok_or_else(|| AppError::Internal("no memory for a thumbnail".to_owned()))
}
