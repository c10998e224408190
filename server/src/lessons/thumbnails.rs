//! Small pictures of backdrops with their marks.

use std::collections::HashMap;
use std::sync::{LazyLock, Mutex};

use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use bozzetto_core::capture::Plan;
use bozzetto_core::change::SheetId;
use bozzetto_core::frames::{Rect, Size};
use bozzetto_core::ids::BackdropId;
use bozzetto_core::{backdrop, paint};
use bozzetto_press::{png, raster};
use bytes::Bytes;

use crate::app::App;
use crate::error::{AppError, Result};

/// Twice the size that they are shown in, for dense screens.
const WIDTH: u32 = 384;

/// The last picture of each backdrop, by lesson and backdrop, and the stamp of what it shows.
type Kept = HashMap<(i64, u64), (String, Bytes)>;

static KEPT: LazyLock<Mutex<Kept>> = LazyLock::new(Mutex::default);

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
    let stamp = format!(
        "\"{lesson}-{id}-{}-{}x{}\"",
        look.seq, view.width, view.height
    );
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
    let picture = app.pictures.of_backdrop(&app, lesson, view).await?;
    let (view, area) = (view.clone(), Size::glass(look.aspect.0, look.aspect.1));
    let printed = tokio::task::spawn_blocking(move || {
        let scale = f64::from(WIDTH) / area.width;
        let plan = Plan {
            area: Rect::of_size(area),
            scale,
            width: WIDTH,
            height: (area.height * scale).round() as u32,
        };
        let mut list = bozzetto_core::display::DisplayList::default();
        backdrop::paint(Some(&view), area, &mut list);
        let in_view = [(SheetId::Backdrop(view.id), view.view(area))];
        let marks = paint::everything(&look.sheets, &in_view, &plan.area);
        list.items.extend(marks.items);
        raster::print(&list, &plan, picture.as_ref())
            .map(|pixmap| Bytes::from(png::thumbnail(&pixmap, WIDTH, WIDTH)))
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?;
    let bytes =
        printed.ok_or_else(|| AppError::Internal("no memory for a thumbnail".to_owned()))?;
    let mut all = KEPT.lock().expect("nothing panics with it");
    all.insert((lesson, id), (stamp, bytes.clone()));
    drop(all);
    Ok((common, bytes).into_response())
}
