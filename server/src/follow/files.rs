//! What participants get of files: only what is on stage now, or what is handed out, and of that
//! only what is shown.

use std::collections::HashMap;

use axum::extract::{Path, Query, State};
use axum::http::HeaderMap;
use axum::response::Response;
use bozzetto_core::capture::Plan;
use bozzetto_core::display::{DisplayList, Item, Placing};
use bozzetto_core::geometry::frames::{Point, Rect};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::covered;
use bozzetto_core::wire::TakeAway;
use serde::Deserialize;

use super::cut;
use super::routes::follower;
use crate::app::App;
use crate::backdrops::{self, Wanted, queries};
use crate::captures::{self, Names};
use crate::error::{AppError, Result};
use crate::live::lesson::Shown;
use crate::render::TO_DRAW;
use crate::render::job::{File, Job, Print, Shows, Which};
use crate::serving;
use crate::take_aways::{self, What};

/// What is being shown to participants of a lesson, for one of them.
async fn shown(app: &App, lesson: i64, headers: &HeaderMap) -> Result<Shown> {
    follower(app, lesson, headers).await?;
    let shown = app.live.shown(lesson).await;
    shown.map_err(|_| AppError::NotFound)
}

/// What somebody sees or has seen: of nothing else do they get files.
pub struct Seen {
    pub views: Vec<BackdropView>,
    pub placed: Vec<Placement>,
    /// The files of frames that went along with captures, by what they are called where backdrops are held at them.
    pub frames: HashMap<u64, String>,
}

impl Seen {
    /// What is being shown to participants of a lesson, for one of them.
    async fn now(app: &App, lesson: i64, headers: &HeaderMap) -> Result<Self> {
        let shown = shown(app, lesson, headers).await?;
        Ok(Self {
            views: shown.stage.each().cloned().collect(),
            placed: shown.placed,
            frames: HashMap::new(),
        })
    }

    /// The file of a picture that was placed, or that a backdrop was held at.
    async fn file(&self, app: &App, picture: u64) -> Result<File> {
        let found = match self.frames.get(&picture) {
            Some(sha) => Some(app.media.file(sha)),
            None => backdrops::placed_file(app, picture).await?,
        };
        found.ok_or(AppError::NotFound)
    }

    /// A backdrop as it was seen, with what is said of it.
    fn find(&self, id: i64, is: impl Fn(&BackdropView) -> bool) -> Result<&BackdropView> {
        let of = |view: &&BackdropView| view.id == BackdropId(id as u64) && is(view);
        self.views.iter().find(of).ok_or(AppError::NotFound)
    }
}

/// The file of a backdrop that is shown as it is. Of all others participants get pictures.
async fn file(app: &App, lesson: i64, id: i64, headers: &HeaderMap) -> Result<Response> {
    let find = move |conn: &rusqlite::Connection| queries::media_of(conn, lesson, id);
    let sha = app.store.read(find).await?.ok_or(AppError::NotFound)?;
    serving::media(app, sha, headers).await
}

/// What is withheld of a picture there, as [`covered::tag`] says it.
#[derive(Deserialize)]
pub struct Without {
    cover: Option<String>,
}

impl Without {
    /// Whether that is what is withheld: whoever asks for less hears of more first.
    fn is_of(&self, view: &BackdropView) -> bool {
        covered::tag(&view.seen.withheld()) == self.cover
    }
}

pub async fn picture(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Query(without): Query<Without>,
    headers: HeaderMap,
) -> Result<Response> {
    let seen = Seen::now(&app, lesson, &headers).await?;
    picture_of(&app, lesson, id, &seen, &without, &headers).await
}

/// The picture of a backdrop that is or was seen.
pub async fn picture_of(
    app: &App,
    lesson: i64,
    id: i64,
    seen: &Seen,
    without: &Without,
    headers: &HeaderMap,
) -> Result<Response> {
    let view = seen.find(id, |view| without.is_of(view))?;
    let BackdropKind::Picture { grain } = view.kind else {
        return Err(AppError::NotFound);
    };
    match &view.seen.withheld()[..] {
        [] => file(app, lesson, id, headers).await,
        parts => {
            let page = cut::Page::of_picture(view, grain);
            cut::without(app, lesson, view, &page, parts, headers).await
        }
    }
}

pub async fn video(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let seen = Seen::now(&app, lesson, &headers).await?;
    video_of(&app, lesson, id, &seen, &headers).await
}

/// A film is played by each browser itself: while some of it is withheld, nobody gets it.
pub async fn video_of(
    app: &App,
    lesson: i64,
    id: i64,
    seen: &Seen,
    headers: &HeaderMap,
) -> Result<Response> {
    let view = seen.find(id, |view| view.seen.withheld().is_empty())?;
    match view.kind {
        BackdropKind::Video { .. } => file(app, lesson, id, headers).await,
        _ => Err(AppError::NotFound),
    }
}

/// Only the page that is on stage: the next one may hold the answers.
pub async fn page(
    State(app): State<App>,
    Path((lesson, id, page)): Path<(i64, i64, usize)>,
    Query(wanted): Query<Wanted>,
    Query(without): Query<Without>,
    headers: HeaderMap,
) -> Result<Response> {
    let seen = Seen::now(&app, lesson, &headers).await?;
    page_of(&app, lesson, (id, page), &seen, wanted, &without, &headers).await
}

/// A page of a document that is or was seen.
pub async fn page_of(
    app: &App,
    lesson: i64,
    (id, page): (i64, usize),
    seen: &Seen,
    wanted: Wanted,
    without: &Without,
    headers: &HeaderMap,
) -> Result<Response> {
    let view = seen.find(id, |view| {
        view.seen.page as usize == page && without.is_of(view)
    })?;
    match &view.seen.withheld()[..] {
        [] => backdrops::show_page(app, lesson, view, page, wanted, headers).await,
        parts => {
            let page = cut::Page::of_document(view, wanted).ok_or(AppError::NotFound)?;
            cut::without(app, lesson, view, &page, parts, headers).await
        }
    }
}

/// The part of a placed picture that is seen, in whole pixels: left, top, right, bottom. Of one that
/// a backdrop is held at, nothing is said.
#[derive(Deserialize, Clone, Copy)]
pub struct Part {
    l: Option<i64>,
    t: Option<i64>,
    r: Option<i64>,
    b: Option<i64>,
}

impl Part {
    /// The whole pixels that a part of a picture lies in.
    fn around([x0, y0, x1, y1]: [f64; 4]) -> [i64; 4] {
        [x0.floor(), y0.floor(), x1.ceil(), y1.ceil()].map(|v| v as i64)
    }

    /// Whether it is the part that a mark shows; numbers of scripts may be a pixel off.
    fn is_of(self, there: [i64; 4]) -> bool {
        let here = [self.l, self.t, self.r, self.b];
        let near = |(a, b): (Option<i64>, i64)| a.is_some_and(|a| a.abs_diff(b) <= 1);
        here.into_iter().zip(there).all(near)
    }
}

/// A picture that lies on what participants are being shown, or that a backdrop is held at. Of one
/// that is cut, only what is left of it.
pub async fn placed(
    State(app): State<App>,
    Path((lesson, picture)): Path<(i64, u64)>,
    Query(part): Query<Part>,
    Query(without): Query<Without>,
    headers: HeaderMap,
) -> Result<Response> {
    let seen = Seen::now(&app, lesson, &headers).await?;
    placed_of(&app, lesson, picture, &seen, part, &without, &headers).await
}

/// A placed picture that is or was seen, or one that a backdrop is or was held at.
pub async fn placed_of(
    app: &App,
    lesson: i64,
    picture: u64,
    seen: &Seen,
    part: Part,
    without: &Without,
    headers: &HeaderMap,
) -> Result<Response> {
    if part.l.is_none() {
        let mut held = seen.views.iter().filter(|view| without.is_of(view));
        let held = held.find_map(|b| Some((b, b.seen.frozen.filter(|f| f.picture == picture)?)));
        let (view, frozen) = held.ok_or(AppError::NotFound)?;
        let parts = view.seen.withheld();
        let file = seen.file(app, picture).await?;
        if parts.is_empty() {
            return serving::media(app, file.name, headers).await;
        }
        let size = bozzetto_press::picture::size(&file.path);
        let page = cut::Page::of_frozen(&frozen, size.ok_or(AppError::NotFound)?);
        return cut::without(app, lesson, view, &page, &parts, headers).await;
    }
    let around = |p: &Placement| Part::around(p.seen());
    let mut marks = seen.placed.iter().filter(|p| p.picture == picture);
    let placed = marks.find(|p| part.is_of(around(p)));
    let placed = placed.ok_or(AppError::NotFound)?;
    let [l, t, r, b] = around(placed);
    let file = seen.file(app, picture).await?;
    if [l, t, r, b] == [0, 0, i64::from(placed.width), i64::from(placed.height)] {
        return serving::media(app, file.name, headers).await;
    }
    let tag = format!("\"cut-{}-{l}-{t}-{r}-{b}\"", file.name);
    if serving::knows(headers, &tag) {
        return Ok(serving::picture("", headers, &tag));
    }
    let (print, memory) = cut(picture, file, [l, t, r, b]);
    let job = || Job::Cut(print);
    let bytes = app.printed.get(tag.clone(), job, memory, TO_DRAW).await?;
    Ok(serving::picture(bytes, headers, &tag))
}

/// A part of a picture, in its own pixels, as something to be printed, and what memory it takes.
fn cut(picture: u64, file: File, [l, t, r, b]: [i64; 4]) -> (Print, u64) {
    let (width, height) = ((r - l).max(1) as u32, (b - t).max(1) as u32);
    let corner = |x: i64, y: i64| Point::new(x as f64, y as f64);
    let placing = Placing {
        picture,
        map: [1.0, 0.0, 0.0, 1.0, 0.0, 0.0],
        part: [l, t, r, b].map(|v| v as f64),
    };
    let print = Print {
        list: DisplayList {
            items: vec![Item::Placed {
                placing,
                opacity: 1.0,
            }],
        },
        plan: Plan {
            area: Rect::from_corners(corner(l, t), corner(r, b)),
            scale: 1.0,
            width,
            height,
        },
        pictures: vec![(Which::Placed(picture), Shows::Picture(file))],
    };
    let memory = backdrops::memory(&print.pictures) + u64::from(width) * u64::from(height) * 8;
    (print, memory)
}

/// Something that is handed out, as far as participants know.
async fn handed_out(
    app: &App,
    lesson: i64,
    id: i64,
    headers: &HeaderMap,
) -> Result<(TakeAway, captures::Files)> {
    let shown = shown(app, lesson, headers).await?;
    let known = shown.take_aways.into_iter().find(|t| t.id == id as u64);
    let known = known.ok_or(AppError::NotFound)?;
    let found = app
        .store
        .read(move |conn| captures::handed_out_files(conn, lesson, id))
        .await?;
    Ok((known, found.ok_or(AppError::NotFound)?))
}

pub async fn take_away(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let (_, files) = handed_out(&app, lesson, id, &headers).await?;
    note_opened(&app, lesson, vec![id], &headers).await?;
    serving::media(&app, files.whole, &headers).await
}

/// As it stands in the list.
pub async fn small_take_away(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let (_, files) = handed_out(&app, lesson, id, &headers).await?;
    serving::media(&app, files.small, &headers).await
}

pub async fn download_take_away(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    headers: HeaderMap,
) -> Result<Response> {
    let (take_away, files) = handed_out(&app, lesson, id, &headers).await?;
    note_opened(&app, lesson, vec![id], &headers).await?;
    captures::download(&app, files.whole, &take_away.name).await
}

/// All that is handed out, as one file.
pub async fn all_take_aways(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
) -> Result<Response> {
    let shown = shown(&app, lesson, &headers).await?;
    let ids: Vec<i64> = shown.take_aways.iter().map(|t| t.id as i64).collect();
    let mut names = Names::default();
    let mut files = Vec::new();
    for take_away in shown.take_aways {
        let id = take_away.id as i64;
        let found = app
            .store
            .read(move |conn| captures::handed_out_files(conn, lesson, id));
        if let Some(found) = found.await? {
            let name = names.file(&take_away.name, "png");
            files.push((name, app.media.path_of(&found.whole)));
        }
    }
    note_opened(&app, lesson, ids, &headers).await?;
    let who = follower(&app, lesson, &headers).await?.id;
    let write = move |conn: &rusqlite::Connection| {
        let there = take_aways::handed_out(conn, lesson)?;
        for t in &there {
            take_aways::note_opened(conn, t.id, who)?;
        }
        Ok(there)
    };
    for t in app.store.write(write).await? {
        if let What::File { media, ending, .. } = t.what {
            let ending = if ending.is_empty() { "bin" } else { &ending };
            files.push((names.file(&t.name, ending), app.media.path_of(&media)));
        }
    }
    captures::zipped(&app, "Take-aways", files).await
}

/// Whoever asks has opened these.
async fn note_opened(app: &App, lesson: i64, ids: Vec<i64>, headers: &HeaderMap) -> Result<()> {
    let who = follower(app, lesson, headers).await?;
    let read = app
        .store
        .read(move |conn| captures::opened_by(conn, lesson, who.id));
    let known = read.await?;
    let new: Vec<i64> = ids.into_iter().filter(|id| !known.contains(id)).collect();
    if !new.is_empty() {
        let write = move |conn: &rusqlite::Connection| {
            new.iter()
                .try_for_each(|id| captures::note_opened(conn, *id, who.id))
        };
        app.store.write(write).await?;
    }
    Ok(())
}
