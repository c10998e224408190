//! The four layers that a page paints, and what of each is out of date.

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Map, Point, Rect};
use bozzetto_core::geometry::ids::MarkId;
use bozzetto_core::marks::mark::Layer;
use bozzetto_core::paint::{is_part, reach};
use bozzetto_core::sheets::sheet::Touched;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::pane::{self, InView};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// What of a layer of settled marks is out of date.
pub struct Settled {
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

/// The layers in the order in which they lie on the page, from the bottom up.
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
    /// What of a layer (0 highlighter, 1 wet highlighter, 2 ink, 3 wet ink) is out of date, as
    /// x0, y0, x1, y1 in glass units; empty when nothing is. Asking clears it.
    pub fn damage(&mut self, number: u8) -> Vec<f64> {
        let (layer, wet) = layer(number);
        let rect = if wet {
            self.wet.take_damage(layer)
        } else {
            let settled = &mut self.settled[layer as usize];
            if !settled.damage.is_empty() {
                settled.added.clear();
            }
            std::mem::replace(&mut settled.damage, Rect::EMPTY)
        };
        let rect = rect.intersection(&self.stage());
        if rect.is_empty() {
            return Vec::new();
        }
        vec![rect.x0, rect.y0, rect.x1, rect.y1]
    }

    /// Fills the display list with what a layer shows inside a rectangle.
    pub fn paint(&mut self, number: u8, x0: f64, y0: f64, x1: f64, y1: f64) {
        let within = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
        let (layer, wet) = layer(number);
        let in_view = self.in_view();
        let mut list = bozzetto_core::display::DisplayList::default();
        if wet {
            self.wet.paint(layer, &within, &in_view, &mut list);
            self.paint_pulled(layer, &mut list);
        } else {
            let sheets = self.replica.sheets();
            self.painter
                .paint(sheets, &in_view, layer, &within, &mut list);
        }
        self.list.set(&list);
    }

    /// Fills the display list with the marks that only need to be added on top of a settled layer;
    /// `false` when there are none.
    pub fn paint_added(&mut self, number: u8) -> bool {
        let (layer, wet) = layer(number);
        if wet {
            return false;
        }
        let added = std::mem::take(&mut self.settled[layer as usize].added);
        if added.is_empty() {
            return false;
        }
        let in_view = self.in_view();
        let mut list = bozzetto_core::display::DisplayList::default();
        for (sheet, id) in added {
            let mark = self.replica.sheets().sheet(sheet).get(id);
            let seen = in_view.iter().find(|v| v.sheet == sheet);
            if let Some((mark, seen)) = mark.zip(seen) {
                let mut here = bozzetto_core::display::DisplayList::default();
                self.painter.paint_mark(mark, seen, &mut here);
                list.cut(here, &seen.within, is_part(seen, &in_view));
            }
        }
        self.list.set(&list);
        true
    }

    /// Whether a layer shows nothing: an empty one need not be mixed with what is beneath, which
    /// costs a browser more than all else on the page.
    pub fn is_clear(&mut self, number: u8) -> bool {
        let (layer, wet) = layer(number);
        if wet {
            let mut pulled = bozzetto_core::display::DisplayList::default();
            self.paint_pulled(layer, &mut pulled);
            return self.wet.is_clear(layer) && pulled.items.is_empty();
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
        let mut list = bozzetto_core::display::DisplayList::default();
        pane::paint(self.area, &self.panes(), &mut list);
        self.list.set(&list);
    }
}

impl Glass {
    pub(crate) fn invalidate_everything(&mut self) {
        self.painter.forget_all();
        self.invalidate_view();
    }

    /// The marks are as they were, but are seen elsewhere.
    pub(crate) fn invalidate_view(&mut self) {
        for settled in &mut self.settled {
            settled.damage = Rect::of_size(self.area).inflate(10.0);
            settled.added.clear();
        }
        self.wet.invalidate_everything();
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
            self.painter.forget(mark.id);
        }
        if let (Some(gone), None) = (&touched.before, &touched.after) {
            self.painter.set_opacity(gone.id, 1.0);
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
            let settled = &mut self.settled[layer as usize];
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

/// How sheets are seen, for core.
pub(crate) fn views(in_view: &[InView]) -> impl Fn(SheetId) -> Option<Map<Held, GlassFrame>> + '_ {
    |sheet| in_view.iter().find(|v| v.sheet == sheet).map(|v| v.view)
}
