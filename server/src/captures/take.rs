//! Taking a capture: the backdrop and the marks, composed on the server, at the finest resolution
//! there is.

use bozzetto_core::capture::name;
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::{Detail, OnStage, Request, plan};
use bozzetto_core::display::{self, DisplayList};
use bozzetto_core::geometry::frames::{Glass, Held, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::paint;
use bozzetto_core::stage::backdrop::{BackdropView, Frozen};
use bozzetto_core::stage::covered;
use bozzetto_core::stage::pane::{self, Beside};
use bozzetto_core::stage::sight::Sight;
use bozzetto_core::stage::state::Stage;
use bozzetto_press::picture;

use super::queries::{self, NewCapture};
use crate::app::App;
use crate::backdrops;
use crate::error::{AppError, Result};
use crate::live::lesson::{Command, Look};
use crate::media::Incoming;
use crate::render::job::{Done, File, Job, Print};
use crate::render::{RenderFault, TO_CAPTURE};

/// A moving backdrop as the presenter's browser showed it at that instant, without loss.
pub struct Frame {
    pub backdrop: BackdropId,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
    /// A PNG file.
    pub file: Incoming,
}

/// Size of the small version, in pixels.
const SMALL: (u32, u32) = (640, 400);

/// Takes a box of what is on stage now, keeps it and gives its id.
pub async fn take(app: &App, lesson: i64, request: Request, frames: Vec<Frame>) -> Result<i64> {
    let way = match request.way {
        Way::Outline(outline) => Way::Outline(outline.settled().ok_or_else(too_small)?),
        other => other,
    };
    let (area, outline) = match &way {
        Way::Outline(outline) => (outline.bounds(), Some(outline.clone())),
        _ => (request.area, None),
    };
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
    app.room.for_a_capture(0)?;
    look.stage = as_seen_there(&look, &request.stage);
    let held = hold(app, lesson, &mut look, frames).await?;
    let details = details(app, &look, &held).await?;
    let (list, plan) = compose(&look, &area, &details, request.device);
    let on_stage: Vec<&BackdropView> = look.stage.each().collect();
    let pictures = backdrops::wanted(app, &on_stage, &list, &held).await?;
    let name = name::propose(
        &look.name,
        look.stage.current.as_ref().map_or("Stage", |b| &b.name),
        &jiff::ZonedDateTime::now().strftime("%H:%M").to_string(),
    );
    let memory = backdrops::memory(&pictures);
    let print = Print {
        list,
        plan,
        pictures,
    };
    // How dense the capture is, compared with CSS pixels on the presenter's screen.
    let scale = request.ratio.clamp(0.25, 8.0) * plan.scale / request.device.max(1e-6);
    let job = Job::Capture {
        print,
        scale,
        most: SMALL,
        outline,
    };
    let (whole, small) = match app.render.run_sized(job, memory, TO_CAPTURE).await {
        Ok(Done::Capture { whole, small }) => (whole, small),
        Ok(_) => return Err(AppError::Internal("no capture".to_owned())),
        Err(RenderFault::Busy) => return Err(RenderFault::Busy.into()),
        Err(fault) => return Err(AppError::Unusable(format!("Nothing was taken. {fault}"))),
    };
    app.room.for_a_capture((whole.len() + small.len()) as u64)?;
    let media = app.media.clone();
    let new = tokio::task::spawn_blocking(move || -> Result<NewCapture> {
        Ok(NewCapture {
            lesson,
            name,
            way: way.word(),
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

fn too_small() -> AppError {
    AppError::Unusable(
        "Nothing was taken: the outline encloses nothing. Draw it round something.".to_owned(),
    )
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
        laid: look.stage.laid.clone(),
    }
}

/// Frames that came with a request, by what a display list calls them.
type Frames = Vec<(display::Source, File)>;

/// Holds the moving backdrops at the frames that came with the request. Their names are of no file.
async fn hold(app: &App, lesson: i64, look: &mut Look, frames: Vec<Frame>) -> Result<Frames> {
    let mut held = Frames::new();
    for frame in frames {
        let id = frame.backdrop.0 as i64;
        // It is read once, when it is drawn.
        let file = backdrops::kept(frame.file, "image/png").await?;
        let picture = u64::MAX - frame.backdrop.0;
        let shows = frame.shows;
        let all = look.stage.each_mut();
        for view in all.filter(|b| b.id == frame.backdrop && b.kind.moves()) {
            view.seen.frozen = Some(Frozen { picture, shows });
        }
        held.push((display::Source::Frozen(picture), app.media.file(&file.sha)));
        // How it looks in the running order from now on.
        let noted = app
            .store
            .write(move |conn| backdrops::queries::set_poster(conn, lesson, id, &file));
        if let Err(e) = noted.await {
            tracing::warn!("a poster is not kept: {e}");
        }
    }
    Ok(held)
}

/// How fine what is on stage is.
async fn details(app: &App, look: &Look, held: &Frames) -> Result<Vec<Detail>> {
    let mut details = Vec::new();
    for pane in look.panes() {
        let frozen = pane.backdrop.as_ref().and_then(|b| b.seen.frozen);
        let fine = match frozen {
            Some(f) => {
                let source = display::Source::Frozen(f.picture);
                let here = held.iter().find(|(of, _)| *of == source);
                let file = match here {
                    Some((_, file)) => Some(file.clone()),
                    None => backdrops::placed_file(app, f.picture).await?,
                };
                let size = file.and_then(|file| picture::size(&file.path));
                size.map_or(1.0, |(width, _)| f64::from(width) / f.shows.width())
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
    for pane in &panes {
        covered::paint(pane, false, &mut list);
    }
    let sight = Sight {
        area: stage,
        panes: &panes,
    };
    look.stage
        .laid
        .paint_kept(&sight, crate::now() as u64, &mut list);
    (list, plan)
}
