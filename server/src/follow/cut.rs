//! Pictures out of which what is withheld is cut, covered or hidden: its pixels are not in them.

use axum::http::HeaderMap;
use axum::response::Response;
use bozzetto_core::aids::cover::COLOUR;
use bozzetto_core::capture::Plan;
use bozzetto_core::display::colour::WHITE;
use bozzetto_core::display::{Blend, DisplayList, Item, Path, Source};
use bozzetto_core::geometry::frames::{Glass, Held, Map, Point, Rect};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Frozen};
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::stage::{covered, page_parts};
use sha2::{Digest, Sha256};

use crate::app::App;
use crate::backdrops::{self, Wanted, queries};
use crate::error::{AppError, Result};
use crate::media::hex;
use crate::render::TO_DRAW;
use crate::render::job::{Job, Print};
use crate::serving;

/// How wide a drawn picture is printed, in pixels.
const DRAWN: f64 = 2560.0;

/// What is printed: the part of a backdrop that a picture shows, and how finely.
pub struct Page {
    source: Source,
    /// In units of the backdrop.
    shows: Rect<Held>,
    /// Which of that, and in how many pixels.
    plan: Plan,
}

impl Page {
    /// Of a picture: in its own pixels.
    pub fn of_picture(view: &BackdropView, grain: Grain) -> Self {
        let (width, height) = (view.width, view.height);
        let scale = match grain {
            Grain::Pixels => 1.0,
            Grain::Vector => DRAWN / width.max(height),
        };
        Self::whole(Source::Backdrop(view.id), (width, height), scale)
    }

    /// Of the page of a document that is shown, as a screen asks for it; `None` for what no screen of ours asks
    /// for.
    pub fn of_document(view: &BackdropView, wanted: Wanted) -> Option<Self> {
        let BackdropKind::Document { pages } = &view.kind else {
            return None;
        };
        let (w, h) = *pages.get(view.seen.page as usize)?;
        let (w, h) = (f64::from(w), f64::from(h));
        let scale = f64::from(wanted.width) / w;
        let whole_height = (h * scale).round().max(1.0) as u32;
        let part = page_parts::asked(wanted.width, whole_height, wanted.part()?)?;
        let [x, y, width, height] = part;
        let mut page = Self::whole(Source::Backdrop(view.id), (w, h), scale);
        let corner = |x: u32, y: u32| Point::new(f64::from(x) / scale, f64::from(y) / scale);
        page.plan = Plan {
            area: Rect::from_corners(corner(x, y), corner(x + width, y + height)),
            scale,
            width,
            height,
        };
        Some(page)
    }

    /// Of a picture that a moving backdrop is held at, which has so many pixels.
    pub fn of_frozen(frozen: &Frozen, (width, height): (u32, u32)) -> Self {
        Self {
            source: Source::Frozen(frozen.picture),
            shows: frozen.shows,
            plan: Plan {
                area: on_print(&frozen.shows),
                scale: f64::from(width) / frozen.shows.width(),
                width,
                height,
            },
        }
    }

    fn whole(source: Source, (width, height): (f64, f64), scale: f64) -> Self {
        let pixels = |v: f64| (v * scale).round().max(1.0) as u32;
        let shows = Rect::from_corners(Point::new(0.0, 0.0), Point::new(width, height));
        Self {
            source,
            shows,
            plan: Plan {
                area: on_print(&shows),
                scale,
                width: pixels(width),
                height: pixels(height),
            },
        }
    }
}

/// Where a part of a backdrop lies when it is printed by itself: one unit of it is one of the glass.
fn on_print(part: &Rect<Held>) -> Rect<Glass> {
    Map::coincident().apply_rect(part)
}

/// The picture of a page without the parts that are withheld.
pub async fn without(
    app: &App,
    lesson: i64,
    view: &BackdropView,
    page: &Page,
    parts: &[Rect<Held>],
    headers: &HeaderMap,
) -> Result<Response> {
    let id = view.id.0 as i64;
    let find = move |conn: &rusqlite::Connection| queries::media_of(conn, lesson, id);
    let file = app.store.read(find).await?;
    let rect = |part: &Rect<Held>| Path::of_rect(&on_print(part));
    let mut list = DisplayList::default();
    list.fill(rect(&page.shows), WHITE, Blend::Over);
    list.items.push(Item::Picture {
        source: page.source,
        to: on_print(&page.shows),
    });
    // To whole pixels: at an edge between two of them nothing shines through.
    for part in parts {
        let part = part.inflate(1.0 / page.plan.scale);
        list.fill(rect(&part), COLOUR, Blend::Over);
    }
    let plan = page.plan;
    let said = format!("{file:?}{:?}{plan:?}{:?}", page.source, covered::tag(parts));
    let tag = format!("\"covered-{}\"", &hex(&Sha256::digest(said))[..32]);
    if serving::knows(headers, &tag) {
        return Ok(serving::picture("", headers, &tag));
    }
    let pictures = backdrops::wanted(app, &[view], &list, &[]).await?;
    if pictures.is_empty() {
        return Err(AppError::NotFound);
    }
    let memory = backdrops::memory(&pictures) + u64::from(plan.width) * u64::from(plan.height) * 8;
    let job = || {
        Job::Cut(Print {
            list,
            plan,
            pictures,
        })
    };
    let bytes = app.printed.get(tag.clone(), job, memory, TO_DRAW).await?;
    Ok(serving::picture(bytes, headers, &tag))
}
