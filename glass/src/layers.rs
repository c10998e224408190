//! The picture area: its four layers of marks, what lies over them, and the layer of what is pointed with;
//! and what of each is out of date.

use bozzetto_core::aids::pointing::{Pointers, Pointing};
use bozzetto_core::display::DisplayList;
use bozzetto_core::geometry::frames::{
    GLASS_WIDTH, Glass as GlassFrame, Held, Map, Point, Rect, Size,
};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::InkPoint;
use bozzetto_core::marks::mark::Layer;
use bozzetto_core::paint::wet::{WetInk, WetShape, WetStrokes};
use bozzetto_core::paint::{Painter, is_part, reach};
use bozzetto_core::sheets::sheet::Touched;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::covered::{self, Eyes};
use bozzetto_core::stage::pane::{self, InView};
use bozzetto_core::tools::in_hand::Kind;
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use bozzetto_core::display::flat::Flat;

/// What is painted, and where.
pub(crate) struct Picture {
    pub(crate) wet: WetStrokes,
    pub(crate) painter: Painter,
    pub(crate) pointers: Pointers,
    settled: [Settled; 2],
    /// What is out of date of what lies over the picture, and when some of it looks otherwise by itself, by
    /// the server's clock.
    laid: Rect<GlassFrame>,
    laid_due: Option<u64>,
    /// What is to be printed next.
    pub(crate) list: Flat,
    pub(crate) area: Size<GlassFrame>,
    /// CSS pixels to a glass unit.
    pub(crate) scale: f64,
}

impl Default for Picture {
    fn default() -> Self {
        Self {
            wet: WetStrokes::default(),
            painter: Painter::default(),
            pointers: Pointers::default(),
            settled: Default::default(),
            laid: Rect::EMPTY,
            laid_due: None,
            list: Flat::default(),
            area: Size::glass(16.0, 9.0),
            scale: 1.0,
        }
    }
}

impl Picture {
    /// Somebody's stroke in progress has gone on; `ahead` is what is expected of it next.
    pub(crate) fn extend(
        &mut self,
        in_view: &[InView],
        author: AuthorId,
        ink: &WetInk,
        ahead: Vec<InkPoint>,
        now: u64,
    ) {
        self.wet.extend(author, ink, ahead, now, &views(in_view));
    }

    /// The marks are as they were, but are seen elsewhere.
    fn invalidate_view(&mut self) {
        for settled in &mut self.settled {
            settled.damage = Rect::of_size(self.area).inflate(10.0);
            settled.added.clear();
        }
        self.wet.invalidate_everything();
        self.pointers.invalidate_everything();
        self.laid = Rect::of_size(self.area);
    }

    /// Something that lies over the picture there is otherwise.
    pub(crate) fn invalidate_laid(&mut self, part: &Rect<GlassFrame>) {
        self.laid = self.laid.union(part);
        self.laid_due = None;
    }
}

/// What of a layer of settled marks is out of date.
struct Settled {
    /// To be cleared and painted again.
    damage: Rect<GlassFrame>,
    /// Marks that lie on top of all others and only need to be added.
    added: Vec<(SheetId, MarkId)>,
}

impl Default for Settled {
    fn default() -> Self {
        Self {
            damage: Rect::EMPTY,
            added: Vec::new(),
        }
    }
}

/// The layers above all marks: what lies over the picture, and what is pointed with.
const LAID: u8 = 4;
const AIDS: u8 = 5;

/// The layers of marks in the order in which they lie on the page, from the bottom up.
fn layer(number: u8) -> (Layer, bool) {
    match number {
        0 => (Layer::Highlighter, false),
        1 => (Layer::Highlighter, true),
        2 => (Layer::Ink, false),
        _ => (Layer::Ink, true),
    }
}

#[wasm_bindgen]
impl Glass {
    /// How wide the picture area is, in CSS pixels.
    pub fn set_width(&mut self, css: f64) {
        self.picture.scale = css / GLASS_WIDTH;
        // Outlines are in glass units, and stay.
        self.invalidate_view();
    }

    /// Height of the picture area as a fraction of its width.
    pub fn aspect(&self) -> f64 {
        self.picture.area.height / self.picture.area.width
    }

    /// The pictures are here: what shows them is painted again.
    pub fn invalidate(&mut self) {
        self.picture.invalidate_view();
    }

    /// What of a layer (0 highlighter, 1 wet highlighter, 2 ink, 3 wet ink, 4 what lies over the picture, 5 what
    /// is pointed with) is out of date, as
    /// x0, y0, x1, y1 in glass units; empty when nothing is. Asking clears it.
    pub fn damage(&mut self, number: u8) -> Vec<f64> {
        let (layer, wet) = layer(number);
        let rect = if number == AIDS {
            self.picture.pointers.take_damage()
        } else if number == LAID {
            std::mem::replace(&mut self.picture.laid, Rect::EMPTY)
        } else if wet {
            self.picture.wet.take_damage(layer)
        } else {
            let settled = &mut self.picture.settled[layer as usize];
            if !settled.damage.is_empty() {
                settled.added.clear();
            }
            std::mem::replace(&mut settled.damage, Rect::EMPTY)
        };
        let rect = rect.intersection(&Rect::of_size(self.picture.area));
        if rect.is_empty() {
            return Vec::new();
        }
        vec![rect.x0, rect.y0, rect.x1, rect.y1]
    }

    /// Fills the display list with what a layer shows inside a rectangle.
    pub fn paint(&mut self, number: u8, x0: f64, y0: f64, x1: f64, y1: f64) {
        let within = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
        let mut list = DisplayList::default();
        self.paint_layer(number, &within, false, &mut list);
        self.picture.list.set(&list);
    }

    /// Fills the display list with the marks that only need to be added on top of a settled layer;
    /// `false` when there are none.
    pub fn paint_added(&mut self, number: u8) -> bool {
        let (layer, wet) = layer(number);
        if wet || number == AIDS || number == LAID {
            return false;
        }
        let added = std::mem::take(&mut self.picture.settled[layer as usize].added);
        if added.is_empty() {
            return false;
        }
        let in_view = self.in_view();
        let mut list = DisplayList::default();
        for (sheet, id) in added {
            let mark = self.replica.sheets().sheet(sheet).get(id);
            let seen = in_view.iter().find(|v| v.sheet == sheet);
            if let Some((mark, seen)) = mark.zip(seen) {
                let mut here = DisplayList::default();
                self.picture.painter.paint_mark(mark, seen, &mut here);
                list.cut(here, &seen.within, is_part(seen, &in_view));
            }
        }
        self.picture.list.set(&list);
        true
    }

    /// Whether a layer shows nothing: an empty one need not be mixed with what is beneath, which
    /// costs a browser more than all else on the page.
    pub fn is_clear(&mut self, number: u8) -> bool {
        if number == AIDS {
            return self.picture.pointers.is_clear();
        }
        if number == LAID {
            return self.stage.shown.laid.is_clear() && !self.is_covered();
        }
        let (layer, wet) = layer(number);
        if wet {
            let pulled = self.hand.selection.pulled.is_some();
            return self.picture.wet.is_clear(layer) && !pulled;
        }
        let sheets = self.replica.sheets();
        let in_view = self.in_view();
        let mut marks = in_view
            .iter()
            .flat_map(|v| sheets.sheet(v.sheet).layer(layer));
        marks.next().is_none()
    }

    /// Fills the display list with the backdrops, as far as they are drawn and no pictures.
    pub fn paint_backdrop(&mut self) {
        let mut list = DisplayList::default();
        pane::paint(self.picture.area, &self.panes(), &mut list);
        self.picture.list.set(&list);
    }
}

impl Glass {
    /// Draws what a layer shows inside a rectangle, or what the magnifier shows of it there.
    pub(crate) fn paint_layer(
        &mut self,
        number: u8,
        within: &Rect<GlassFrame>,
        in_lens: bool,
        list: &mut DisplayList,
    ) {
        let (layer, wet) = layer(number);
        let in_view = self.in_view();
        if number == AIDS {
            self.picture.pointers.paint(list);
        } else if number == LAID {
            let still = self.picture.pointers.still;
            let laid = &self.stage.shown.laid;
            let theirs = self.follows();
            let hides = self.hand.in_hand.holds(Kind::Hide);
            self.seeing(|sight| {
                for pane in sight.panes {
                    let eyes = match theirs {
                        true => Eyes::Participants,
                        false => Eyes::Presenter,
                    };
                    covered::paint(pane, eyes, list);
                    if !theirs {
                        covered::paint_grips(pane, list);
                    }
                    if hides {
                        covered::paint_crosses(pane, list);
                    }
                }
                match in_lens {
                    true => laid.paint_in_lens(sight, self.now(), still, list),
                    false => laid.paint(sight, self.now(), still, list),
                }
            });
        } else if wet {
            self.picture.wet.paint(layer, within, &in_view, list);
            let (sheets, selection) = (self.replica.sheets(), &self.hand.selection);
            selection.paint(sheets, &in_view, layer, list);
        } else {
            let sheets = self.replica.sheets();
            self.picture
                .painter
                .paint(sheets, &in_view, layer, within, list);
        }
    }

    pub(crate) fn invalidate_everything(&mut self) {
        self.picture.painter.forget_all();
        self.invalidate_view();
    }

    /// The marks are as they were, but are seen elsewhere, and so is what lies beneath them.
    pub(crate) fn invalidate_view(&mut self) {
        self.picture.invalidate_view();
        self.stale.view = true;
        self.stale.changed = true;
    }

    /// One mark is seen differently now.
    pub(crate) fn invalidate_where(&mut self, in_view: &[InView], sheet: SheetId, id: MarkId) {
        if let Some(mark) = self.replica.sheets().sheet(sheet).get(id).cloned() {
            let same = Some(mark);
            self.invalidate_seen(
                in_view,
                &Touched {
                    sheet,
                    before: same.clone(),
                    after: same,
                },
            );
        }
    }

    /// One mark was changed.
    pub(crate) fn invalidate_mark(&mut self, in_view: &[InView], touched: &Touched) {
        for mark in [&touched.before, &touched.after].into_iter().flatten() {
            self.picture.painter.forget(mark.id);
        }
        if let (Some(gone), None) = (&touched.before, &touched.after) {
            self.picture.painter.set_opacity(gone.id, 1.0);
        }
        self.invalidate_seen(in_view, touched);
    }

    fn invalidate_seen(&mut self, in_view: &[InView], touched: &Touched) {
        let Some(InView { view, .. }) = in_view.iter().find(|v| v.sheet == touched.sheet) else {
            return;
        };
        for mark in [&touched.before, &touched.after].into_iter().flatten() {
            let layer = mark.style.layer();
            let top = self
                .replica
                .sheets()
                .sheet(touched.sheet)
                .layer(layer)
                .next_back();
            let on_top = touched.before.is_none()
                && top.is_some_and(|t| t.id == mark.id)
                && self.nothing_above(touched.sheet, in_view, layer);
            let settled = &mut self.picture.settled[layer as usize];
            if on_top && settled.damage.is_empty() {
                settled.added.push((touched.sheet, mark.id));
            } else {
                settled.damage = settled.damage.union(&reach(mark, view));
                for (sheet, id) in settled.added.drain(..) {
                    let added = self.replica.sheets().sheet(sheet).get(id);
                    let seen = in_view.iter().find(|v| v.sheet == sheet);
                    if let Some((mark, seen)) = added.zip(seen) {
                        settled.damage = settled.damage.union(&reach(mark, &seen.view));
                    }
                }
            }
        }
    }

    /// Whether no sheet above `sheet` has marks on this layer.
    fn nothing_above(&self, sheet: SheetId, in_view: &[InView], layer: Layer) -> bool {
        in_view
            .iter()
            .skip_while(|v| v.sheet != sheet)
            .skip(1)
            .all(|v| {
                self.replica
                    .sheets()
                    .sheet(v.sheet)
                    .layer(layer)
                    .next()
                    .is_none()
            })
    }
}

impl Glass {
    /// Shows everybody a shape in the making.
    pub(crate) fn show_shape(&mut self, shape: WetShape) {
        self.put_wet(shape.clone());
        self.post.send(&ToServer::WetShape(Box::new(shape)));
    }

    /// Shows a mark in the making; one of the same name that is on the sheet already is hidden.
    pub(crate) fn put_wet(&mut self, shape: WetShape) {
        let (sheet, id) = (shape.sheet, shape.mark.id);
        let in_view = self.in_view();
        self.picture.wet.put(shape, &views(&in_view));
        let known = self.replica.sheets().sheet(sheet).get(id).is_some();
        if self.picture.painter.opacity(id) > 0.0 && known {
            self.picture.painter.set_opacity(id, 0.0);
            self.invalidate_where(&in_view, sheet, id);
        }
    }

    /// Shows everybody what is pointed with, if it is to be told.
    pub(crate) fn point(&mut self, pointing: Pointing) {
        self.picture.pointers.take(self.replica.author(), &pointing);
        if self.prefs.settings.aids.told {
            self.post.send(&ToServer::Point(pointing));
        }
    }

    /// What is pointed with is kept to the stage from now on.
    pub(crate) fn stop_telling(&mut self) {
        for gone in [Pointing::NoLaser, Pointing::NoRing] {
            self.post.send(&ToServer::Point(gone));
        }
    }

    /// It is the moment `now`: what is pointed with fades, and is told again. Gives for how long it looks
    /// the same.
    pub(crate) fn show_pointing(&mut self, now: f64) -> Option<f64> {
        let own = self.replica.author();
        let wait = self.picture.pointers.tick(now, own);
        for pointing in self.picture.pointers.again(own) {
            if self.prefs.settings.aids.told {
                self.post.send(&ToServer::Point(pointing));
            }
        }
        wait
    }

    /// Clocks go on. Gives for how many milliseconds what lies over the picture looks the same.
    pub(crate) fn show_clocks(&mut self) -> Option<f64> {
        let now = self.now();
        let (wait, faces) = self.stage.shown.laid.changes_in(now)?;
        if self.picture.laid_due.is_none_or(|due| now >= due) {
            self.picture.laid = self.picture.laid.union(&faces);
            self.picture.laid_due = Some(now + wait);
            self.stale.changed = true;
        }
        Some(wait as f64)
    }

    /// Nobody is to see this wet ink or shape any more.
    pub(crate) fn stop_showing(&mut self, mark: MarkId) {
        self.end_wet(mark);
        self.post.send(&ToServer::WetEnd(mark));
    }

    /// Wet ink or a shape in the making is gone, or has become a mark.
    pub(crate) fn end_wet(&mut self, mark: MarkId) {
        let in_view = self.in_view();
        self.picture.wet.end(mark, &views(&in_view));
        if self.picture.painter.opacity(mark) < 1.0 {
            self.picture.painter.set_opacity(mark, 1.0);
            for seen in &in_view {
                self.invalidate_where(&in_view, seen.sheet, mark);
            }
        }
    }
}

/// How sheets are seen, for core.
pub(crate) fn views(in_view: &[InView]) -> impl Fn(SheetId) -> Option<Map<Held, GlassFrame>> + '_ {
    |sheet| in_view.iter().find(|v| v.sheet == sheet).map(|v| v.view)
}
