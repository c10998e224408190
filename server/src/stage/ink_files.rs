//! A backdrop's marks as files: saved as SVG and InkML, and read from both.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderValue, header};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use bozzetto_core::capture::name::file_name;
use bozzetto_core::geometry::frames::{Glass, Map, Rect, Size};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::stage::backdrop::BackdropKind;
use bozzetto_core::wire;
use bozzetto_press::{inkml, sheet_svg};
use serde::Serialize;

use super::placed;
use crate::app::App;
use crate::backdrops;
use crate::error::{AppError, Result};
use crate::headers::attachment;
use crate::media;
use crate::render::TO_READ;
use crate::render::job::{Done, Job};

/// The largest file that is read, in bytes.
pub const LIMIT: usize = 24 * 1024 * 1024;

/// The marks of a backdrop as they lie on the stage when it is seen whole, from the bottom up, and the
/// stage, longer when they lie further down on a board.
async fn marks(app: &App, lesson: i64, backdrop: u64) -> Result<(String, Size<Glass>, Vec<Mark>)> {
    let look = app.live.look(lesson).await;
    let look = look.map_err(|_| AppError::NotFound)?;
    let view = look.order.iter().find(|b| b.id.0 == backdrop);
    let view = view.ok_or(AppError::NotFound)?;
    let stage = Size::glass(look.aspect.0, look.aspect.1);
    let room = Rect::of_size(stage);
    let whole = Zoom::WHOLE.map(view.size(&room), stage);
    let sheets = view.sheets();
    let mut marks: Vec<Mark> = sheets
        .flat_map(|id| look.sheets.sheet(id).marks())
        // What fades is not there to stay.
        .filter(|m| m.fades.is_none())
        .map(|m| {
            let mut mark = Mark::clone(m);
            mark.transform = mark.transform.then(&whole).then(&Map::coincident());
            mark
        })
        .collect();
    marks.sort_by_key(|m| (m.style.layer(), m.z, m.id));
    let lowest = marks.iter().map(|m| m.bounds().y1).fold(0.0, f64::max);
    let stage = match view.kind {
        BackdropKind::Board(_) => Size::new(stage.width, stage.height.max(lowest.ceil())),
        _ => stage,
    };
    Ok((view.name.clone(), stage, marks))
}

fn download(name: &str, ending: &str, kind: &'static str, body: String) -> Response {
    let file = file_name(name, ending);
    let mut response = ([(header::CONTENT_TYPE, kind)], body).into_response();
    if let Ok(value) = HeaderValue::from_str(&attachment(&file)) {
        response
            .headers_mut()
            .insert(header::CONTENT_DISPOSITION, value);
    }
    response
}

pub async fn save_svg(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, u64)>,
) -> Result<Response> {
    let (name, stage, marks) = marks(&app, lesson, backdrop).await?;
    let mut pictures = std::collections::HashMap::new();
    for mark in &marks {
        let Body::Picture(p) = &mark.body else {
            continue;
        };
        let id = p.picture;
        let found = app.store.read(move |conn| {
            let Some(sha) = placed::media_of(conn, id)? else {
                return Ok(None);
            };
            Ok(media::mime(conn, &sha)?.map(|(mime, _)| (sha, mime)))
        });
        if let Some((sha, mime)) = found.await? {
            let bytes = bozzetto_press::picture::stripped(app.media.read(&sha)?, &mime);
            pictures.insert(id, (mime, bytes));
        }
    }
    let svg = sheet_svg::write(&marks, stage, &name, |id| pictures.get(&id).cloned());
    Ok(download(&name, "svg", "image/svg+xml", svg))
}

pub async fn save_inkml(
    State(app): State<App>,
    Path((lesson, backdrop)): Path<(i64, u64)>,
) -> Result<Response> {
    let (name, _, marks) = marks(&app, lesson, backdrop).await?;
    let (ink, _) = inkml::write(&marks, &name);
    Ok(download(&name, "inkml", "application/inkml+xml", ink))
}

/// What was read from a file.
#[derive(Serialize)]
pub struct Brought {
    /// The marks, packed as on a clipboard.
    marks: String,
    count: usize,
    /// What could not be read.
    left: Vec<String>,
}

/// Reads a file of marks; the stage that sent it sets them.
pub async fn read(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    mut form: Multipart,
) -> Result<Json<Brought>> {
    let broken = |_| {
        AppError::Unusable(
            "The file broke off on its way or was too large; up to 24 MB work.".to_owned(),
        )
    };
    let none = || AppError::Unusable("There was no file.".to_owned());
    let look = app.live.look(lesson).await;
    let look = look.map_err(|_| AppError::NotFound)?;
    let stage = Size::glass(look.aspect.0, look.aspect.1);
    let field = form.next_field().await.map_err(broken)?.ok_or_else(none)?;
    let incoming = backdrops::received(&app, field, LIMIT as u64).await?;
    let incoming = incoming.ok_or_else(none)?;
    let file = incoming.path().to_owned();
    let done = app.render.run(Job::Marks { file, stage }, TO_READ).await?;
    drop(incoming);
    let Done::Marks { marks, left } = done else {
        return Err(AppError::Internal("no marks".to_owned()));
    };
    Ok(Json(Brought {
        count: marks.len(),
        marks: BASE64.encode(wire::encode(&marks)),
        left,
    }))
}
