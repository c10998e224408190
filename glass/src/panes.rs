//! What is on stage: one backdrop or two, how each is seen, and what the page shows of them.

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Frozen, Page, ViewState};
use bozzetto_core::stage::page_parts;
use bozzetto_core::stage::pane::{self, Beside, InView, Pane};
use bozzetto_core::stage::state::Stage;
use bozzetto_core::stage::step::StageStep;
use serde::Serialize;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// A pane as the page shows it. Boxes are x0, y0, x1, y1 in glass units.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct PaneShown {
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
    /// How a web page is laid out, in CSS pixels, and how far it is scrolled.
    window: [f64; 2],
    scroll: [f64; 2],
    /// The web page that is shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    served: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    address: Option<String>,
    simulated: bool,
    active: bool,
}

/// See [`page_parts::PagePart`].
#[derive(Serialize)]
struct PartShown {
    width: u32,
    x: u32,
    y: u32,
    w: u32,
    h: u32,
    lies: [f64; 4],
}

#[wasm_bindgen]
impl Glass {
    /// The panes on stage, as JSON.
    pub fn panes_shown(&self) -> String {
        let shown: Vec<PaneShown> = self
            .panes()
            .iter()
            .zip(0..)
            .filter_map(|(pane, n)| self.shown(pane, n == self.active_pane()))
            .collect();
        serde_json::to_string(&shown).unwrap_or_default()
    }

    /// Which pictures of a document's page are needed on a screen with so many device pixels to a
    /// CSS pixel, as JSON: the whole page's width, and perhaps a part.
    pub fn page_parts(&self, id: &str, device_pixel_ratio: f64) -> String {
        let device = device_pixel_ratio * self.scale;
        let panes = self.panes();
        let found = panes.iter().find_map(|pane| {
            let backdrop = pane.backdrop?;
            let lies = backdrop
                .view(&pane.room)
                .apply_rect(&backdrop.shown(&pane.room));
            (backdrop.id.0.to_string() == id).then_some((lies, pane.room))
        });
        let Some((lies, room)) = found else {
            return String::new();
        };
        let part = page_parts::detail(&lies, &room, device).map(|p| PartShown {
            width: p.width,
            x: p.x,
            y: p.y,
            w: p.w,
            h: p.h,
            lies: corners(&p.on_glass),
        });
        let whole = page_parts::whole(lies.width() * device, lies.height() * device);
        serde_json::to_string(&(whole, part)).unwrap_or_default()
    }

    /// Where the divider is: x in glass units; negative for none.
    pub fn divider(&self) -> f64 {
        match &self.on_stage.beside {
            Some((_, divider)) => divider * self.area.width,
            None => -1.0,
        }
    }

    /// The hand is on the pane at this place, in CSS pixels: it is the one that keys and the rail
    /// are about. `true` when it was not before.
    pub fn touch_pane(&mut self, x: f64, y: f64) -> bool {
        let at = self.glass_point(x, y);
        let panes = self.panes();
        let hit = panes.iter().position(|p| p.room.contains(at));
        hit.is_some_and(|n| std::mem::replace(&mut self.active, n) != n)
    }

    /// The same for a pane by its number.
    pub fn choose_pane(&mut self, number: usize) {
        self.active = number;
    }

    /// Puts a backdrop in the pane in use. One that is in the
    /// other pane changes places.
    pub fn goto(&mut self, id: &str) {
        let Some(id) = id.parse().ok().map(BackdropId) else {
            return;
        };
        let (Some(current), beside) = self.arrangement() else {
            return self.arrange(id, None);
        };
        match beside {
            None => self.arrange(id, None),
            Some(b) if b.backdrop == id || current == id => {
                let there = usize::from(b.backdrop == id);
                if there != self.active_pane() {
                    self.swap();
                    self.active = 1 - there;
                }
            }
            Some(b) if self.active_pane() == 0 => self.arrange(id, Some(b)),
            Some(b) => {
                let beside = Beside { backdrop: id, ..b };
                self.arrange(current, Some(beside));
            }
        }
    }

    /// Puts a backdrop beside what is on stage.
    pub fn put_beside(&mut self, id: &str) {
        let Some(id) = id.parse().ok().map(BackdropId) else {
            return;
        };
        if let (Some(current), beside) = self.arrangement()
            && current != id
        {
            let divider = beside.map_or(0.5, |b| b.divider);
            self.active = 1;
            let backdrop = id;
            self.arrange(current, Some(Beside { backdrop, divider }));
        }
    }

    /// The two panes change places.
    pub fn swap(&mut self) {
        if let (Some(current), Some(beside)) = self.arrangement() {
            self.active = 1 - self.active_pane();
            let other = Beside {
                backdrop: current,
                ..beside
            };
            self.arrange(beside.backdrop, Some(other));
        }
    }

    /// Only one pane stays: the one with this number.
    pub fn keep_pane(&mut self, number: usize) {
        if let (Some(current), Some(beside)) = self.arrangement() {
            self.active = 0;
            let stays = if number == 0 {
                current
            } else {
                beside.backdrop
            };
            self.arrange(stays, None);
        }
    }

    /// Moves the divider to `x` CSS pixels. Only the last of a drag is to be `sent`.
    pub fn divide(&mut self, x: f64, sent: bool) {
        let divider = self.glass_point(x, 0.0).x / self.area.width;
        if let (_, Some(beside)) = self.arrangement()
            && let Some((_, shown)) = &mut self.on_stage.beside
        {
            *shown = Beside { divider, ..beside }.settled().divider;
            let divider = *shown;
            self.moments.divider = (!sent).then_some(divider);
            self.invalidate_view();
            if sent {
                self.act(Intent::Stage(vec![StageStep::Divide(divider)]));
            }
        }
    }

    /// Turns to another page of a backdrop; `false` when there is none that far.
    pub fn turn_page(&mut self, id: &str, by: i32) -> bool {
        let Some(backdrop) = self.backdrop(id) else {
            return false;
        };
        let (page, pages) = (backdrop.seen.page, backdrop.kind.pages());
        match page.checked_add_signed(by) {
            Some(next) if next < pages => self.show_page(id, next),
            Some(_) if by == 1 && matches!(backdrop.kind, BackdropKind::Board(_)) => {
                let (backdrop, pages) = (backdrop.id, pages + 1);
                let seen = Box::new(ViewState {
                    page: page + 1,
                    ..ViewState::default()
                });
                self.lift_all();
                let steps = vec![
                    StageStep::Pages { backdrop, pages },
                    StageStep::See { backdrop, seen },
                ];
                self.act(Intent::Stage(steps));
            }
            _ => return false,
        }
        true
    }

    /// Shows a page of a backdrop, counted from 0, whole.
    pub fn show_page(&mut self, id: &str, page: u32) {
        self.lift_all();
        self.clear_selection();
        self.see(id, |seen| {
            seen.page = page;
            seen.zoom = Zoom::WHOLE;
        });
    }

    /// A web page shows this file of its own, scrolled so far, in CSS pixels. Nothing comes of it
    /// while its picture is held: that stays, and its marks with it.
    pub fn scrolled(&mut self, id: &str, file: &str, x: f64, y: f64) {
        let Some(known) = self.backdrop(id).filter(|b| b.seen.frozen.is_none()) else {
            return;
        };
        let BackdropKind::Page(page) = &known.kind else {
            return;
        };
        let before = known.seen.page;
        let page = page.page_of(file).unwrap_or(before);
        if page != before {
            self.lift_all();
            self.clear_selection();
        }
        self.see(id, |seen| (seen.page, seen.scroll) = (page, (x, y)));
    }

    /// Holds a picture of a moving backdrop: the server's name for it, and which part it shows in
    /// backdrop units (x0, y0, x1, y1).
    pub fn freeze(&mut self, id: &str, picture: &str, shows: &[f64]) {
        let (Ok(picture), &[x0, y0, x1, y1]) = (picture.parse(), shows) else {
            return;
        };
        let shows = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
        self.see(id, |seen| seen.frozen = Some(Frozen { picture, shows }));
    }

    /// Lets a held backdrop go on.
    pub fn thaw(&mut self, id: &str) {
        self.see(id, |seen| seen.frozen = None);
    }

    /// A camera or a shared screen has this many pixels; a capture of it has them too.
    pub fn has_size(&mut self, id: &str, width: u32, height: u32) {
        let Some(known) = self.backdrop(id) else {
            return;
        };
        let (w, h) = known.kind.units_of(width, height);
        let other = (known.width, known.height) != (w, h);
        let backdrop = known.id;
        self.fine.insert(backdrop, f64::from(width) / w);
        if other {
            let size = StageStep::Size {
                backdrop,
                width: w,
                height: h,
            };
            self.act(Intent::Stage(vec![size]));
        }
    }

    /// Clears one half of a board for two: 0 the left, 1 the right.
    pub fn wipe_half(&mut self, id: &str, half: u32) -> bool {
        let Some(sheet) = self.half(id, half) else {
            return false;
        };
        if self.replica.sheets().sheet(sheet).is_empty() {
            return false;
        }
        let op = Op::Wipe;
        self.act(Intent::Do(vec![Step { sheet, op }]))
    }

    pub fn undo_half(&mut self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.act(Intent::UndoOn(sheet)))
    }

    pub fn redo_half(&mut self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.act(Intent::RedoOn(sheet)))
    }

    pub fn can_redo_half(&self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.replica.can_redo_on(sheet))
    }

    pub fn can_undo_half(&self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.replica.can_undo_on(sheet))
    }
}

impl Glass {
    pub(crate) fn panes(&self) -> Vec<Pane<'_>> {
        let Stage { current, beside } = &self.on_stage;
        let beside = beside
            .as_ref()
            .map(|(backdrop, divider)| (backdrop, *divider));
        pane::panes(self.area, current.as_ref(), beside)
    }

    /// The sheets in view, from the bottom up.
    pub(crate) fn in_view(&self) -> Vec<InView> {
        pane::in_view(self.area, &self.panes())
    }

    /// How a sheet is seen; `None` when it is not in view.
    pub(crate) fn view_of(&self, sheet: SheetId) -> Option<Map<Held, GlassFrame>> {
        let seen = self.in_view().into_iter().find(|v| v.sheet == sheet)?;
        Some(seen.view)
    }

    /// The sheet that new things go on which no hand has put anywhere.
    pub(crate) fn active_view(&self) -> Option<InView> {
        let room = self.panes().get(self.active_pane())?.room;
        let middle = Point::new((room.x0 + room.x1) / 2.0, (room.y0 + room.y1) / 2.0);
        let in_view = self.in_view();
        let here = pane::at(&in_view, middle).or(in_view.first());
        here.copied()
    }

    pub(crate) fn active_pane(&self) -> usize {
        self.active.min(usize::from(self.on_stage.beside.is_some()))
    }

    /// The backdrop in the pane in use.
    pub(crate) fn active_backdrop(&self) -> Option<&BackdropView> {
        match (&self.on_stage.beside, self.active_pane()) {
            (Some((backdrop, _)), 1) => Some(backdrop),
            _ => self.on_stage.current.as_ref(),
        }
    }

    /// A backdrop on stage.
    pub(crate) fn backdrop(&self, id: &str) -> Option<&BackdropView> {
        let id = id.parse().ok().map(BackdropId)?;
        self.on_stage.each().find(|b| b.id == id)
    }

    fn half(&self, id: &str, half: u32) -> Option<SheetId> {
        self.backdrop(id)?.sheets().nth(half as usize)
    }

    fn arrangement(&self) -> (Option<BackdropId>, Option<Beside>) {
        let Stage { current, beside } = &self.on_stage;
        let beside = beside.as_ref().map(|(backdrop, divider)| Beside {
            backdrop: backdrop.id,
            divider: *divider,
        });
        (current.as_ref().map(|b| b.id), beside)
    }

    fn arrange(&mut self, current: BackdropId, beside: Option<Beside>) {
        self.lift_all();
        self.act(Intent::Stage(vec![StageStep::Arrange { current, beside }]));
    }

    /// The room of the pane that a backdrop is in.
    pub(crate) fn room_of(&self, id: BackdropId) -> Option<Rect<GlassFrame>> {
        let panes = self.panes();
        let is_it = |p: &&Pane| p.backdrop.is_some_and(|b| b.id == id);
        panes.iter().find(is_it).map(|p| p.room)
    }

    /// Changes how large the backdrop in the pane in use is seen.
    pub(crate) fn zoom_backdrop(
        &mut self,
        change: impl FnOnce(Zoom, Size<Held>, &Rect<GlassFrame>) -> Zoom,
    ) {
        let Some(backdrop) = self.active_backdrop() else {
            return;
        };
        let Some(room) = self.room_of(backdrop.id) else {
            return;
        };
        let zoom = change(backdrop.seen.zoom, backdrop.size(&room), &room);
        let id = backdrop.id.0.to_string();
        self.see(&id, |seen| seen.zoom = zoom);
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
