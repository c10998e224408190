//! Small pictures of backdrops with their marks.

use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::Response;
use bozzetto_core::capture::Plan;
use bozzetto_core::display::DisplayList;
use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::paint;
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stage::covered::{self, Eyes};
use bozzetto_core::stage::pane::Pane;
use bozzetto_core::stage::{backdrop, pane};
use sha2::{Digest, Sha256};

use crate::app::App;
use crate::backdrops::{self, queries};
use crate::error::{AppError, Result};
use crate::media::hex;
use crate::render::TO_DRAW_SMALL;
use crate::render::job::{Job, Print};
use crate::serving;

/// Twice the size that they are shown in, for dense screens.
const WIDTH: u32 = 384;

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
    answer(
        &app,
        (lesson, look.marked),
        view,
        area,
        &look.sheets,
        &headers,
    )
    .await
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
    let look = app
        .store
        .read(move |conn| queries::look_of(conn, id as i64))
        .await?;
    // The same for the same file, marks, page, and picture held.
    let said = format!("{look:?}{:?}{:?}", view.kind, view.seen);
    let mark = hex(&Sha256::digest(said))[..16].to_owned();
    let tag = format!("\"small-{lesson}-{id}-{seq}-{mark}\"");
    if serving::knows(headers, &tag) {
        return Ok(serving::picture("", headers, &tag));
    }
    let scene = Scene {
        view,
        area,
        sheets,
        has_look: look.1.is_some(),
    };
    let print = scene.print(true);
    let pictures = backdrops::wanted(app, &[view], &print.list, &[]).await?;
    let memory = backdrops::memory(&pictures);
    let job = || small(Print { pictures, ..print });
    let bytes = match app
        .printed
        .get(tag.clone(), job, memory, TO_DRAW_SMALL)
        .await
    {
        // What cannot be drawn is left out, and its marks are shown.
        Err(fault) if fault.lasts() => {
            let (print, bare) = (scene.print(false), format!("{tag}-bare"));
            let job = || small(print);
            app.printed.get(bare, job, 0, TO_DRAW_SMALL).await?
        }
        bytes => bytes?,
    };
    Ok(serving::picture(bytes, headers, &tag))
}

fn small(print: Print) -> Job {
    let most = (WIDTH, WIDTH);
    Job::Small { print, most }
}

/// What a small picture shows.
struct Scene<'a> {
    view: &'a BackdropView,
    area: Size<Glass>,
    sheets: &'a Sheets,
    /// Whether it is known what a moving backdrop looks like.
    has_look: bool,
}

impl Scene<'_> {
    /// As a display list; `drawn` is whether the backdrop can be drawn.
    fn print(&self, drawn: bool) -> Print {
        let Scene {
            view,
            area,
            sheets,
            has_look,
        } = *self;
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
        if !drawn || (view.kind.moves() && !has_look && view.seen.frozen.is_none()) {
            backdrop::paint_sign(&view.kind, &room, &mut list);
        }
        let in_view = pane::of_backdrop(view, &room);
        let marks = paint::everything(sheets, &in_view, &plan.area, crate::now() as u64);
        list.items.extend(marks.items);
        let backdrop = Some(view);
        covered::paint(&Pane { room, backdrop }, Eyes::Anybody, &mut list);
        Print {
            list,
            plan,
            pictures: Vec::new(),
        }
    }
}
