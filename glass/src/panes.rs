//! What is on stage: one backdrop or two, how each is seen, and what the page shows of them.

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Rect};
use bozzetto_core::stage::backdrop::{BackdropKind, Page};
use bozzetto_core::stage::pane::Pane;
use bozzetto_core::stage::{covered, page_parts};
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::script::{Given, given};

/// A pane as the page shows it. Boxes are x0, y0, x1, y1 in glass units.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
#[serde(rename_all = "camelCase")]
pub struct PaneShown {
    id: String,
    name: String,
    kind: &'static str,
    /// Whether it can be frozen.
    moves: bool,
    /// Whether participants get it as a stream.
    streams: bool,
    room: [f64; 4],
    /// Where what is shown of the backdrop lies, or the held picture.
    lies: [f64; 4],
    /// The same in backdrop units.
    shows: [f64; 4],
    /// Glass units to a backdrop unit.
    scale: f64,
    page: u32,
    pages: u32,
    halved: bool,
    /// The held picture.
    frozen: Option<String>,
    /// What is covered of it, as a word that differs when that differs; of what no picture can be cut in part,
    /// participants get nothing meanwhile.
    cover: Option<String>,
    /// How a web page is laid out, in CSS pixels, and how far it is scrolled.
    window: [f64; 2],
    scroll: [f64; 2],
    /// The web page that is shown.
    served: Option<String>,
    address: Option<String>,
    simulated: bool,
    active: bool,
}

/// From left to right.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct PanesShown(pub Vec<PaneShown>);

/// Which pictures of a document's page are needed.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct PartsWanted {
    /// The whole page's width, in pixels.
    whole: u32,
    part: Option<PartShown>,
}

/// How wide the smallest pictures are in which a document's pages are printed, in pixels.
#[wasm_bindgen]
pub fn least_page_width() -> u32 {
    page_parts::LEAST
}

/// See [`page_parts::PagePart`].
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct PartShown {
    width: u32,
    x: u32,
    y: u32,
    w: u32,
    h: u32,
    lies: [f64; 4],
}

#[wasm_bindgen]
impl Glass {
    /// The panes on stage.
    pub fn panes_shown(&self) -> Given<PanesShown> {
        given(PanesShown(self.all_shown()))
    }

    /// Which pictures of a document's page are needed on a screen with so many device pixels to a
    /// CSS pixel; `None` for what is not on stage.
    pub fn page_parts(
        &self,
        id: &str,
        device_pixel_ratio: f64,
    ) -> Result<Option<Ts<PartsWanted>>, JsError> {
        self.parts_of(id, device_pixel_ratio, None)
    }
}

impl Glass {
    /// The same, of a part of the glass, or of all.
    pub(crate) fn parts_of(
        &self,
        id: &str,
        device_pixel_ratio: f64,
        within: Option<Rect<GlassFrame>>,
    ) -> Result<Option<Ts<PartsWanted>>, JsError> {
        let device = device_pixel_ratio * self.picture.scale;
        let panes = self.panes();
        let found = panes.iter().find_map(|pane| {
            let backdrop = pane.backdrop?;
            let lies = backdrop
                .view(&pane.room)
                .apply_rect(&backdrop.shown(&pane.room));
            (backdrop.id.0.to_string() == id).then_some((lies, pane.room))
        });
        let Some((lies, room)) = found else {
            return Ok(None);
        };
        let seen = within.map_or(room, |part| part.intersection(&room));
        let part = page_parts::detail(&lies, &seen, device).map(|p| PartShown {
            width: p.width,
            x: p.x,
            y: p.y,
            w: p.w,
            h: p.h,
            lies: corners(&p.on_glass),
        });
        let whole = page_parts::whole(lies.width() * device, lies.height() * device);
        given(PartsWanted { whole, part }).map(Some)
    }

    /// See [`Glass::panes_shown`].
    pub fn all_shown(&self) -> Vec<PaneShown> {
        let panes = self.panes();
        let shown = panes.iter().zip(0..);
        shown
            .filter_map(|(pane, n)| self.shown(pane, n == self.active_pane()))
            .collect()
    }

    fn shown(&self, pane: &Pane, active: bool) -> Option<PaneShown> {
        let backdrop = pane.backdrop?;
        let view = backdrop.view(&pane.room);
        let whole = backdrop.shown(&pane.room);
        let shows = backdrop.seen.frozen.map_or(whole, |f| f.shows);
        let size = backdrop.size(&pane.room);
        let (served, address) = match &backdrop.kind {
            BackdropKind::Page(page) => match (page, page.file(backdrop.seen.page)) {
                (Page::Kept { .. }, Some(file)) => (Some(file.to_owned()), None),
                (Page::Address(address), _) => (None, Some(address.clone())),
                _ => (None, None),
            },
            _ => (None, None),
        };
        let board = match &backdrop.kind {
            BackdropKind::Board(board) => Some(board),
            _ => None,
        };
        Some(PaneShown {
            id: backdrop.id.0.to_string(),
            name: backdrop.name.clone(),
            kind: word(&backdrop.kind),
            moves: backdrop.kind.moves(),
            streams: backdrop.kind.streams(),
            room: corners(&pane.room),
            lies: corners(&view.apply_rect(&shows)),
            shows: corners(&shows),
            scale: view.mean_scale(),
            page: backdrop.seen.page,
            pages: backdrop.kind.pages(),
            halved: board.is_some_and(|b| b.halved),
            frozen: backdrop.seen.frozen.map(|f| f.picture.to_string()),
            cover: covered::tag(&backdrop.seen.withheld()),
            window: [size.width, size.height],
            scroll: [backdrop.seen.scroll.0, backdrop.seen.scroll.1],
            served,
            address,
            simulated: matches!(backdrop.kind, BackdropKind::Camera { simulated: true }),
            active,
        })
    }
}

/// What a kind is called in scripts.
pub(crate) fn word(kind: &BackdropKind) -> &'static str {
    match kind {
        BackdropKind::Picture { .. } => "picture",
        BackdropKind::Board(_) => "board",
        BackdropKind::Document { .. } => "document",
        BackdropKind::Video { .. } => "video",
        BackdropKind::Page(_) => "page",
        BackdropKind::Camera { .. } => "camera",
        BackdropKind::Share => "share",
    }
}

pub(crate) fn corners<F>(r: &Rect<F>) -> [f64; 4] {
    [r.x0, r.y0, r.x1, r.y1]
}
