//! Taking a capture: the backdrop and the marks, composed on the server, at the finest resolution
//! there is.

use bozzetto_core::backdrop::{BackdropView, Frozen};
use bozzetto_core::capture::{Detail, OnStage, Request, plan};
use bozzetto_core::display::{self, DisplayList};
use bozzetto_core::frames::{Glass, Held, Rect, Size};
use bozzetto_core::ids::BackdropId;
use bozzetto_core::pane::{self, Beside};
use bozzetto_core::wire::Stage;
use bozzetto_core::{naming, paint};
use bozzetto_press::picture::{Shown, Source};
use bozzetto_press::{png, raster};

use super::queries::{self, NewCapture};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::{Command, Look};

/// A moving backdrop as the presenter's browser showed it at that instant, without loss.
pub struct Frame {
    pub backdrop: BackdropId,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
    /// A PNG file.
    pub bytes: Vec<u8>,
}

/// Size of the small version, in pixels.
const SMALL: (u32, u32) = (640, 400);

/// Takes a box of what is on stage now, keeps it and gives its id.
pub async fn take(app: &App, lesson: i64, request: Request, frames: Vec<Frame>) -> Result<i64> {
    let area = request.area;
    let numbers = [
        area.x0,
        area.y0,
        area.x1,
        area.y1,
        request.device,
        request.ratio,
    ];
    let mut look = app
        .live
        .look(lesson)
        .await
        .map_err(|_| AppError::NotFound)?;
    let stage = Rect::of_size(Size::glass(look.aspect.0, look.aspect.1));
    let seen = area.intersection(&stage);
    if numbers.iter().any(|v| !v.is_finite()) || seen.width() <= 0.0 || seen.height() <= 0.0 {
        return Err(AppError::Unusable(
            "The box is not on the stage.".to_owned(),
        ));
    }
    look.stage = as_seen_there(&look, &request.stage);
    let shown = hold(app, &mut look, frames).await?;
    let details = details(app, &look, &shown).await?;
    let (list, plan) = compose(&look, &area, &details, request.device);
    let stage = look.stage.clone();
    let on_stage: Vec<&BackdropView> = stage.each().collect();
    let shown = app.pictures.wanted(app, &on_stage, &list, shown).await?;
    let name = naming::propose(
        &look.name,
        look.stage.current.as_ref().map_or("Stage", |b| &b.name),
        &jiff::ZonedDateTime::now().strftime("%H:%M").to_string(),
    );
    let media = app.media.clone();
    let new = tokio::task::spawn_blocking(move || -> Result<NewCapture> {
        let pixmap = raster::print(&list, &plan, &shown).ok_or_else(|| {
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

/// What the presenter saw, even if somebody else has moved it since.
fn as_seen_there(look: &Look, there: &OnStage) -> Stage {
    let area = Size::glass(look.aspect.0, look.aspect.1);
    let beside = there.beside.map(Beside::settled);
    let rooms = pane::rooms(area, beside.map(|b| b.divider));
    let find = |id: BackdropId, room: &Rect<Glass>| {
        let mut view = look.order.iter().find(|b| b.id == id)?.clone();
        if let Some((_, seen)) = there.seen.iter().find(|(of, _)| *of == id) {
            view.seen = seen.clone().settled(&view, room);
        }
        Some(view)
    };
    Stage {
        current: there.current.and_then(|id| find(id, &rooms[0])),
        beside: beside.and_then(|b| Some((find(b.backdrop, rooms.get(1)?)?, b.divider))),
    }
}

/// Holds the moving backdrops at the frames that came with the request. Their names are of no file.
async fn hold(app: &App, look: &mut Look, frames: Vec<Frame>) -> Result<Shown> {
    let mut shown = Shown::default();
    for frame in frames {
        let media = app.media.clone();
        let read = tokio::task::spawn_blocking(move || -> Result<_> {
            let source = Source::open(&frame.bytes)
                .map_err(|fault| AppError::Unusable(fault.to_string()))?;
            Ok((source, media.write(&frame.bytes, "image/png")?))
        });
        let (source, file) = read
            .await
            .map_err(|e| AppError::Internal(e.to_string()))??;
        let id = frame.backdrop.0 as i64;
        // How it looks in the running order from now on.
        let noted = app
            .store
            .write(move |conn| crate::backdrops::queries::set_poster(conn, id, &file));
        if let Err(e) = noted.await {
            tracing::warn!("a poster is not kept: {e}");
        }
        let picture = u64::MAX - frame.backdrop.0;
        let shows = frame.shows;
        let all = look.stage.each_mut();
        for view in all.filter(|b| b.id == frame.backdrop && b.kind.moves()) {
            view.seen.frozen = Some(Frozen { picture, shows });
        }
        let key = display::Source::Frozen(picture);
        shown.backdrops.insert(key, source);
    }
    Ok(shown)
}

/// How fine what is on stage is.
async fn details(app: &App, look: &Look, shown: &Shown) -> Result<Vec<Detail>> {
    let mut details = Vec::new();
    for pane in look.panes() {
        let frozen = pane.backdrop.as_ref().and_then(|b| b.seen.frozen);
        let fine = match frozen {
            Some(f) => {
                let here = shown.backdrops.get(&display::Source::Frozen(f.picture));
                let source = match here {
                    Some(source) => Some(source.clone()),
                    None => app.pictures.placed(app, f.picture).await?,
                };
                source.map_or(1.0, |s| s.width() / f.shows.width())
            }
            None => 1.0,
        };
        details.extend(pane.detail(fine));
    }
    Ok(details)
}

/// What is to be drawn, and where it goes.
pub fn compose(
    look: &Look,
    area: &Rect<Glass>,
    details: &[Detail],
    device: f64,
) -> (DisplayList, bozzetto_core::capture::Plan) {
    let stage = Size::glass(look.aspect.0, look.aspect.1);
    let plan = plan(area, stage, details, device);
    let panes = look.panes();
    let mut list = DisplayList::default();
    pane::paint(stage, &panes, &mut list);
    let marks = paint::everything(
        &look.sheets,
        &pane::in_view(stage, &panes),
        &plan.area.inflate(4.0),
        crate::now() as u64,
    );
    list.items.extend(marks.items);
    (list, plan)
}
