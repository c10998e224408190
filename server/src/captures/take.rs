//! Taking a capture: the backdrop and the marks, composed on the server, at the finest resolution
//! there is.

use bozzetto_core::capture::plan;
use bozzetto_core::change::SheetId;
use bozzetto_core::display::DisplayList;
use bozzetto_core::frames::{Map, Point, Rect, Size};
use bozzetto_core::{backdrop, naming, paint};
use bozzetto_press::{png, raster};
use serde::Deserialize;

use super::queries::{self, NewCapture};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::{Command, Look};

/// A box on the stage, in glass units.
#[derive(Deserialize, Clone, Copy, Debug)]
pub struct Request {
    pub x0: f64,
    pub y0: f64,
    pub x1: f64,
    pub y1: f64,
    /// Device pixels to a glass unit on the presenter's screen.
    pub device: f64,
    /// Device pixels to a CSS pixel there.
    pub ratio: f64,
}

/// Size of the small version, in pixels.
const SMALL: (u32, u32) = (640, 400);

/// Takes a box of what is on stage now, keeps it and gives its id.
pub async fn take(app: &App, lesson: i64, request: Request) -> Result<i64> {
    let numbers = [
        request.x0,
        request.y0,
        request.x1,
        request.y1,
        request.device,
        request.ratio,
    ];
    if numbers.iter().any(|v| !v.is_finite()) {
        return Err(AppError::Unusable(
            "The box is not on the stage.".to_owned(),
        ));
    }
    let look = app
        .live
        .look(lesson)
        .await
        .map_err(|_| AppError::NotFound)?;
    let picture = match &look.current {
        Some(backdrop) => app.pictures.of_backdrop(app, lesson, backdrop).await?,
        None => None,
    };
    let name = naming::propose(
        &look.name,
        look.current.as_ref().map_or("Stage", |b| &b.name),
        &jiff::ZonedDateTime::now().strftime("%H:%M").to_string(),
    );
    let media = app.media.clone();
    let new = tokio::task::spawn_blocking(move || -> Result<NewCapture> {
        let area = Rect::from_corners(
            Point::new(request.x0, request.y0),
            Point::new(request.x1, request.y1),
        );
        let (list, plan) = compose(&look, &area, request.device);
        let pixmap = raster::print(&list, &plan, picture.as_ref()).ok_or_else(|| {
            AppError::Unusable("There is not enough memory for a capture this large.".to_owned())
        })?;
        // How dense the capture is, compared with CSS pixels on the presenter's screen.
        let css = request.ratio.clamp(0.25, 8.0) * plan.scale / request.device.max(1e-6);
        let (whole, small) = std::thread::scope(|scope| {
            let small = scope.spawn(|| png::thumbnail(&pixmap, SMALL.0, SMALL.1));
            (png::encode(&pixmap, css), small.join())
        });
        let small = small.map_err(|_| AppError::Internal("no thumbnail".to_owned()))?;
        Ok(NewCapture {
            lesson,
            name,
            way: "box",
            width: plan.width,
            height: plan.height,
            picture: media.write(&whole, "image/png")?,
            thumbnail: media.write(&small, "image/png")?,
        })
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))??;
    let id = app
        .store
        .write(move |conn| queries::insert(conn, &new))
        .await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    Ok(id)
}

/// What is to be drawn, and where it goes.
pub fn compose(
    look: &Look,
    area: &Rect<bozzetto_core::frames::Glass>,
    device: f64,
) -> (DisplayList, bozzetto_core::capture::Plan) {
    let stage = Size::glass(look.aspect.0, look.aspect.1);
    let current = look.current.as_ref();
    let seen = current.map(|b| (b.size(), b.view(stage), b.kind.grain()));
    let plan = plan(area, stage, seen, device);
    let mut list = DisplayList::default();
    backdrop::paint(current, stage, &mut list);
    let in_view: Vec<_> = current
        .map(|b| (SheetId::Backdrop(b.id), b.view(stage)))
        .into_iter()
        .chain([(SheetId::Glass, Map::coincident())])
        .collect();
    let marks = paint::everything(&look.sheets, &in_view, &plan.area.inflate(4.0));
    list.items.extend(marks.items);
    (list, plan)
}
