//! Taking a capture: the backdrop and the marks, composed on the server, at the finest resolution
//! there is.

use bozzetto_core::capture::moment::{Bench, Cut, Moment, Parts};
use bozzetto_core::capture::name::Naming;
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::whole;
use bozzetto_core::capture::{Detail, OnStage, Plan, Request};
use bozzetto_core::display;
use bozzetto_core::geometry::frames::{Glass, Held, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::stage::backdrop::{BackdropView, Frozen};
use bozzetto_core::stage::laid::Laid;
use bozzetto_core::stage::pane::{self, Beside, Pane};
use bozzetto_core::stage::state::Stage;
use bozzetto_press::picture;
use bytes::Bytes;
use rusqlite::Connection;

use super::also;
use super::behind;
use super::queries::{self, Capture, Made, MadeFrom, NewCapture};
use crate::app::App;
use crate::backdrops;
use crate::error::{AppError, Result};
use crate::live::lesson::{Command, Look};
use crate::live::log;
use crate::media::{self, Incoming, Written};
use crate::render::job::{Done, File, Job, Print, Shows, Which};
use crate::render::{RenderFault, TO_CAPTURE};

/// A moving backdrop as the presenter's browser showed it at that instant, without loss.
pub struct Frame {
    pub backdrop: BackdropId,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
    /// A PNG file.
    pub file: Incoming,
}

/// How often a capture is made anew when it was changed elsewhere meanwhile.
const TRIES: usize = 5;
/// Size of the small version, in pixels.
const SMALL: (u32, u32) = (640, 400);

/// Takes a capture of what is on stage now, keeps it and gives its id.
pub async fn take(app: &App, lesson: i64, request: Request, frames: Vec<Frame>) -> Result<i64> {
    let way = match request.way {
        Way::Outline(outline) => Way::Outline(outline.settled().ok_or_else(too_small)?),
        other => other,
    };
    let area = match &way {
        Way::Outline(outline) => outline.bounds(),
        _ => request.area,
    };
    let numbers = [
        area.x0,
        area.y0,
        area.x1,
        area.y1,
        request.device,
        request.ratio,
    ];
    let look = app
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
    let Stage {
        current,
        beside,
        laid,
    } = as_seen_there(&look, &request.stage);
    let mut moment = Moment {
        seq: look.seq,
        at: crate::now() as u64,
        aspect: look.aspect,
        current,
        beside,
        laid,
        device: request.device,
        ratio: request.ratio,
        alone: false,
    };
    let frames = hold(app, lesson, &mut moment, frames, &way).await?;
    if way != Way::Whole {
        return keep(app, lesson, &look, moment, (way, area), frames).await;
    }
    let stage = moment.stage();
    let panes = stage.panes(moment.area());
    let here = panes.iter().find(|p| p.room.contains(area.middle()));
    let backdrop = here.and_then(|p| p.backdrop).cloned();
    let backdrop = backdrop
        .ok_or_else(|| AppError::Unusable("There is nothing on stage to take whole.".to_owned()))?;
    take_whole(app, lesson, &look, backdrop, frames).await
}

/// Takes the whole of a backdrop, on the page that its view says, keeps it and gives its id.
pub async fn take_whole(
    app: &App,
    lesson: i64,
    look: &Look,
    backdrop: BackdropView,
    frames: Vec<(BackdropId, Written)>,
) -> Result<i64> {
    let now = crate::now() as u64;
    let (moment, area) = whole::whole(backdrop, &look.sheets, &look.stage.laid, look.seq, now)
        .map_err(|e| AppError::Unusable(format!("Nothing was taken. {e}")))?;
    keep(app, lesson, look, moment, (Way::Whole, area), frames).await
}

/// The whole of a backdrop with these marks, to be printed; and how much memory that takes, in bytes.
pub async fn print_of(app: &App, backdrop: BackdropView, sheets: &Sheets) -> Result<(Print, u64)> {
    let (moment, area) = whole::whole(backdrop, sheets, &Laid::default(), 0, crate::now() as u64)
        .map_err(|e| AppError::Unusable(e.to_string()))?;
    let cut = Cut {
        way: Way::Whole,
        area,
        parts: Parts::default(),
        there: moment.parts(sheets, &area),
        bench: Bench::default(),
    };
    let (print, memory, _) = composed(app, &moment, &cut, sheets, &[]).await?;
    Ok((print, memory))
}

/// Makes a capture of a moment, keeps it and gives its id.
async fn keep(
    app: &App,
    lesson: i64,
    look: &Look,
    moment: Moment,
    (way, area): (Way, Rect<Glass>),
    frames: Vec<(BackdropId, Written)>,
) -> Result<i64> {
    app.room.for_a_capture(0)?;
    let files = frames.iter();
    let files: Vec<_> = files.map(|(id, file)| (*id, file.sha.clone())).collect();
    let cut = Cut {
        way,
        area,
        parts: Parts::default(),
        there: moment.parts(&look.sheets, &area),
        bench: Bench::default(),
    };
    let made = make(app, &moment, cut, &look.sheets, &files).await?;
    let shown = match &moment.current {
        None => "Stage".to_owned(),
        Some(b) if b.kind.pages() > 1 => format!("{}, page {}", b.name, b.seen.page + 1),
        Some(b) => b.name.clone(),
    };
    let now = jiff::ZonedDateTime::now();
    let new = NewCapture {
        lesson,
        naming: Naming {
            lesson: look.name.clone(),
            backdrop: shown,
            number: 0,
            date: now.strftime("%Y-%m-%d").to_string(),
            time: now.strftime("%H:%M").to_string(),
        },
        moment,
        frames,
        made,
    };
    let shows_others = !new.made.shows.is_empty();
    let id = app
        .store
        .write(move |conn| queries::insert(conn, &new))
        .await?;
    // Something may have been hidden in them while this one was drawn.
    if shows_others && let Err(e) = behind::catch_up(app).await {
        tracing::warn!("{e}");
    }
    also::save(app, lesson, id).await;
    app.live.tell(lesson, Command::CapturesChanged).await;
    Ok(id)
}

/// What a capture is made from, or why it stays as it is.
pub async fn made_from(app: &App, lesson: i64, id: i64) -> Result<MadeFrom> {
    let from = app
        .store
        .read(move |conn| queries::made_from(conn, lesson, id))
        .await?;
    from.ok_or_else(|| {
        AppError::Unusable("It stays as it is: what it was made from is not kept.".to_owned())
    })
}

/// Makes a capture anew from its moment, cut as `change` makes it. What is hidden in it then is so wherever it is shown.
pub async fn remake(app: &App, lesson: i64, id: i64, change: impl Fn(Cut) -> Cut) -> Result<()> {
    let hides = make_anew(app, lesson, id, change, false).await?;
    let elsewhere = behind::catch_up(app).await;
    if hides { elsewhere } else { Ok(()) }
}

/// Makes a capture anew, and with `again` also what is placed of it, though nothing else is hidden in it. Gives whether
/// something else is hidden in it now.
pub(super) async fn make_anew(
    app: &App,
    lesson: i64,
    id: i64,
    change: impl Fn(Cut) -> Cut,
    again: bool,
) -> Result<bool> {
    // Placed anew already, for the parts that are hidden now: it may have to be tried again.
    let mut placed: Vec<(i64, Made)> = Vec::new();
    for _ in 0..TRIES {
        let MadeFrom {
            moment,
            cut: as_it_was,
            frames,
        } = made_from(app, lesson, id).await?;
        app.room.for_a_capture(0)?;
        let sheets = marks_of(app, lesson, &moment).await?;
        let mut cut = change(as_it_was.clone())
            .settled(moment.area())
            .map_err(|e| AppError::Unusable(e.to_string()))?;
        cut.there = moment.parts(&sheets, &cut.drawn());
        let hidden = &cut.bench.hidden;
        let hides = *hidden != as_it_was.bench.hidden;
        placed.retain(|(_, made)| made.cut.bench.hidden == *hidden);
        if again || hides {
            // What is hidden in the capture is so in the marks that it is, whatever else they show.
            let all = app.store.read(move |conn| queries::placed_of(conn, id));
            for (name, mut as_placed) in all.await? {
                if placed.iter().all(|(of, _)| *of != name) {
                    as_placed.bench.hidden.clone_from(hidden);
                    let made = make(app, &moment, as_placed, &sheets, &frames).await?;
                    placed.push((name, made));
                }
            }
        }
        let made = make(app, &moment, cut, &sheets, &frames).await?;
        let anew = placed.clone();
        let write = move |conn: &Connection| {
            queries::remake(conn, (lesson, id), &as_it_was, &made, &anew, again)
        };
        if let Some(before) = app.store.write(write).await? {
            media::remove_unused(app, before).await?;
            also::save(app, lesson, id).await;
            app.live.tell(lesson, Command::CapturesChanged).await;
            return Ok(hides);
        }
    }
    Err(AppError::Unusable(
        "It stays as it was: it was changed elsewhere meanwhile. Try again.".to_owned(),
    ))
}

/// A picture of what a capture is made from, which is not kept.
pub async fn picture(app: &App, lesson: i64, from: &MadeFrom) -> Result<Made> {
    let sheets = marks_of(app, lesson, &from.moment).await?;
    make(app, &from.moment, from.cut.clone(), &sheets, &from.frames).await
}

/// All of the picture area at the moment of a capture, as the bench shows it: with all of its parts that the cut has,
/// and nothing hidden. At most so many pixels.
pub async fn all_of(app: &App, lesson: i64, from: MadeFrom, most: (u32, u32)) -> Result<Bytes> {
    let MadeFrom {
        moment,
        cut,
        frames,
    } = from;
    let sheets = marks_of(app, lesson, &moment).await?;
    let cut = Cut {
        area: Rect::of_size(moment.area()),
        bench: Bench {
            marks: cut.bench.marks,
            ..Bench::default()
        },
        ..cut
    };
    let (print, memory, _) = composed(app, &moment, &cut, &sheets, &frames).await?;
    let job = Job::Small { print, most };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Png(png) => Ok(png),
        _ => Err(AppError::Internal("no picture".to_owned())),
    }
}

/// A capture as an SVG file in which what is marked are lines; `None` of one in which something is hidden or covered, turned
/// or made upright, of an outline, and of one that stays as it is. What lies beneath something would be in the file.
pub async fn as_svg(app: &App, c: &Capture) -> Result<Option<Bytes>> {
    let (lesson, id) = (c.lesson, c.id);
    let read = app
        .store
        .read(move |conn| queries::made_from(conn, lesson, id));
    let plain = |from: &MadeFrom| {
        let stage = from.moment.stage();
        let marked = Bench {
            marks: from.cut.bench.marks.clone(),
            ..Bench::default()
        };
        from.cut.bench == marked
            && !matches!(from.cut.way, Way::Outline(_))
            && stage.each().all(|b| b.seen.withheld().is_empty())
    };
    let Some(from) = read.await?.filter(plain) else {
        return Ok(None);
    };
    let sheets = marks_of(app, lesson, &from.moment).await?;
    let composed = composed(app, &from.moment, &from.cut, &sheets, &from.frames);
    let (print, memory, plan) = composed.await?;
    let title = c.name.clone();
    // Its picture is in the file as text.
    let memory = memory + u64::from(plan.width) * u64::from(plan.height) * 12;
    let job = Job::Svg { print, title };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Sent { bytes, .. } => Ok(Some(bytes)),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

/// What there is to be seen of the backdrops of a moment, for the pixels that a box becomes.
pub async fn details_of(app: &App, from: &MadeFrom) -> Result<Vec<Detail>> {
    let stage = from.moment.stage();
    let held = held(app, &from.frames);
    details(app, &stage.panes(from.moment.area()), &held).await
}

async fn marks_of(app: &App, lesson: i64, moment: &Moment) -> Result<Sheets> {
    let seq = moment.seq;
    let read = app.store.read(move |conn| log::marks_at(conn, lesson, seq));
    Ok(read.await?)
}

/// Files of frames, by what a display list calls them.
fn held(app: &App, frames: &[(BackdropId, String)]) -> Frames {
    let each = frames.iter();
    let named = each.map(|(id, sha)| {
        (
            display::Source::Frozen(name_of_frame(*id)),
            app.media.file(sha),
        )
    });
    named.collect()
}

/// What is to be printed of a moment, the memory that takes, and the finest pixels that there are.
async fn composed(
    app: &App,
    moment: &Moment,
    cut: &Cut,
    sheets: &Sheets,
    frames: &[(BackdropId, String)],
) -> Result<(Print, u64, Plan)> {
    let held = held(app, frames);
    let stage = moment.stage();
    let details = details(app, &stage.panes(moment.area()), &held).await?;
    let (list, plan) = moment.compose(sheets, cut, &details);
    let on_stage: Vec<&BackdropView> = stage.each().collect();
    let pictures = backdrops::wanted(app, &on_stage, &list, &held).await?;
    let memory = backdrops::memory(&pictures);
    let print = Print {
        list,
        plan,
        pictures,
    };
    Ok((print, memory, plan))
}

/// Makes the picture of a moment.
async fn make(
    app: &App,
    moment: &Moment,
    cut: Cut,
    sheets: &Sheets,
    frames: &[(BackdropId, String)],
) -> Result<Made> {
    let (print, mut memory, plan) = composed(app, moment, &cut, sheets, frames).await?;
    let shows = print.pictures.iter();
    let shows = shows.filter_map(|(which, shows)| match (which, shows) {
        (Which::Placed(name), Shows::Picture(file)) => Some((*name, file.name.clone())),
        _ => None,
    });
    let shows = shows.collect();
    let beneath = print.pictures.iter();
    let beneath = beneath.filter_map(|(which, shows)| match (which, shows) {
        (Which::Backdrop(_), Shows::Picture(file)) => Some(file.name.clone()),
        _ => None,
    });
    let beneath = beneath.collect();
    if cut.bench != Bench::default() {
        // What is changed as a whole, or hidden, is in memory, and what becomes of it.
        memory += u64::from(plan.width) * u64::from(plan.height) * 4 * 3;
    }
    // How dense the capture is, compared with CSS pixels on the presenter's screen.
    let scale = moment.ratio.clamp(0.25, 8.0) * plan.scale / moment.device.max(1e-6);
    let outline = match &cut.way {
        Way::Outline(outline) => Some(outline.clone()),
        Way::Box | Way::Pane | Way::Stage | Way::Whole => None,
    };
    let job = Job::Capture {
        print,
        scale,
        most: SMALL,
        outline,
        bench: cut.bench.clone(),
        seen: Rect::of_size(moment.area()),
    };
    let (whole, small, width, height) = match app.render.run_sized(job, memory, TO_CAPTURE).await {
        Ok(Done::Capture {
            whole,
            small,
            width,
            height,
        }) => (whole, small, width, height),
        Ok(_) => return Err(AppError::Internal("no capture".to_owned())),
        Err(RenderFault::Busy) => return Err(RenderFault::Busy.into()),
        Err(fault) => return Err(AppError::Unusable(format!("Nothing was taken. {fault}"))),
    };
    app.room.for_a_capture((whole.len() + small.len()) as u64)?;
    let media = app.media.clone();
    tokio::task::spawn_blocking(move || -> Result<Made> {
        Ok(Made {
            cut,
            width,
            height,
            picture: media.write(&whole, "image/png")?,
            thumbnail: media.write(&small, "image/png")?,
            shows,
            beneath,
        })
    })
    .await
    .map_err(|e| AppError::Internal(e.to_string()))?
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

/// Frames of a moment, by what a display list calls them.
type Frames = Vec<(display::Source, File)>;

/// What a backdrop's frame is called where pictures that are held are: these names are of no file.
fn name_of_frame(backdrop: BackdropId) -> u64 {
    u64::MAX - backdrop.0
}

/// Holds the moving backdrops at the frames that came with the request, and gives their files.
async fn hold(
    app: &App,
    lesson: i64,
    moment: &mut Moment,
    frames: Vec<Frame>,
    way: &Way,
) -> Result<Vec<(BackdropId, Written)>> {
    let mut held = Vec::new();
    for frame in frames {
        let (backdrop, shows) = (frame.backdrop, frame.shows);
        let file = backdrops::kept(frame.file, "image/png").await?;
        let picture = name_of_frame(backdrop);
        let first = moment.current.as_mut().into_iter();
        let all = first.chain(moment.beside.as_mut().map(|(b, _)| b));
        for view in all.filter(|b| b.id == backdrop && b.kind.moves()) {
            view.seen.frozen = Some(Frozen { picture, shows });
        }
        held.push((backdrop, file.clone()));
        // The whole of a long page is none to know it by.
        if *way == Way::Whole {
            continue;
        }
        // How it looks in the running order from now on.
        let id = backdrop.0 as i64;
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
async fn details(app: &App, panes: &[Pane<'_>], held: &Frames) -> Result<Vec<Detail>> {
    let mut details = Vec::new();
    for pane in panes {
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
