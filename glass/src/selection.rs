//! The selection: marks picked by tap or lasso, and what is done with them.

use bozzetto_core::display::DisplayList;
use bozzetto_core::edit::select::{self, Picked, Pull};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Point, Rect};
use bozzetto_core::geometry::grip::{Arrow, Grip};
use bozzetto_core::geometry::ids::MarkId;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Layer, Mark};
use bozzetto_core::paint;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::pane::{self, InView};
use bozzetto_core::wire::{decode, encode};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// What is selected, and what is being done to it.
#[derive(Default)]
pub struct Selection {
    pub picked: Picked,
    lasso: Vec<Point<GlassFrame>>,
    pulling: Option<Pulling>,
    /// Handles crop the picture that is selected instead of resizing it.
    pub crops: bool,
}

/// A pull that is under way: until it is let go, only this page shows it.
struct Pulling {
    pull: Pull,
    from: Point<GlassFrame>,
    area: Rect<GlassFrame>,
    map: Map<GlassFrame, GlassFrame>,
}

/// How near a tap must come to a mark, in CSS pixels.
const REACH: f64 = 10.0;
/// Shorter lassos, in CSS pixels, are taps.
const TAP: f64 = 8.0;
/// How far an arrow key moves a selection, in CSS pixels; with Shift ten times that.
const NUDGE: f64 = 1.0;

#[wasm_bindgen]
impl Glass {
    pub fn lasso_down(&mut self, x: f64, y: f64) {
        self.selection.lasso = vec![self.glass_point(x, y)];
    }

    pub fn lasso_move(&mut self, x: f64, y: f64) {
        let p = self.glass_point(x, y);
        self.selection.lasso.push(p);
    }

    /// The lasso as x and y in CSS pixels in turn, to be shown.
    pub fn lasso_line(&self) -> Vec<f64> {
        let line = self.selection.lasso.iter();
        line.flat_map(|p| [p.x * self.scale, p.y * self.scale])
            .collect()
    }

    /// Lets the lasso go: picks what lies in it, or what it tapped. With `add` it joins what is
    /// selected; a tap then also takes out again. Gives how many marks are selected.
    pub fn lasso_up(&mut self, add: bool) -> usize {
        let line = std::mem::take(&mut self.selection.lasso);
        let Some(first) = line.first().copied() else {
            return self.selection.picked.len();
        };
        let far = line.iter().map(|p| p.distance(first)).fold(0.0, f64::max);
        let (in_view, sheets) = (self.in_view(), self.replica.sheets());
        let tap = far * self.scale < TAP;
        let found: Picked = if tap {
            let reach = REACH / self.scale;
            select::at(sheets, &in_view, first, reach)
                .into_iter()
                .collect()
        } else {
            select::lasso(sheets, &in_view, &line)
        };
        let picked = &mut self.selection.picked;
        if !add {
            *picked = found;
        } else {
            for one in found {
                match picked.iter().position(|p| *p == one) {
                    Some(at) if tap => {
                        picked.remove(at);
                    }
                    Some(_) => {}
                    None => picked.push(one),
                }
            }
        }
        self.selection.picked.len()
    }

    /// Selects everything in view.
    pub fn select_all(&mut self) -> usize {
        let sheets = self.replica.sheets();
        self.selection.picked = select::everything(sheets, &self.in_view());
        self.selection.picked.len()
    }

    pub fn clear_selection(&mut self) {
        self.let_pull_be();
        self.selection = Selection::default();
    }

    /// How many marks are selected: those that somebody has removed since are not.
    pub fn selected(&mut self) -> usize {
        let sheets = self.replica.sheets();
        self.selection.picked = select::still_there(sheets, &self.selection.picked);
        self.selection.picked.len()
    }

    /// Whether a placed picture is selected, and nothing else.
    pub fn selected_picture(&mut self) -> bool {
        self.only_selected()
            .is_some_and(|(_, m)| matches!(m.body, Body::Picture(_)))
    }

    /// Has the handles crop the selected picture, or resize it again.
    pub fn crop_selected(&mut self, crops: bool) {
        self.selection.crops = crops && self.selected_picture();
    }

    pub fn is_cropping(&mut self) -> bool {
        self.selection.crops && self.selected_picture()
    }

    /// Whether a text is selected, and nothing else.
    pub fn selected_text(&mut self) -> bool {
        self.only_selected()
            .is_some_and(|(_, m)| matches!(m.body, Body::Text(_)))
    }

    /// The box around the selection as it is shown, in CSS pixels; empty for none.
    pub fn selection_box(&mut self) -> Vec<f64> {
        if self.selected() == 0 {
            return Vec::new();
        }
        let area = self.selected_area();
        let shown = match &self.selection.pulling {
            Some(pulling) => pulling.map.apply_rect(&pulling.area),
            None => area,
        };
        self.css_rect(&shown)
    }

    /// Whether a place lies in the box around the selection.
    pub fn on_selection(&mut self, x: f64, y: f64) -> bool {
        self.selected() > 0 && {
            let margin = REACH / self.scale;
            let p = self.glass_point(x, y);
            self.selected_area().inflate(margin).contains(p)
        }
    }

    /// Takes hold of the selection by its inside (`inside`), a handle (`n`, `ne`, …), the knob that
    /// turns it (`turn`).
    pub fn pull_down(&mut self, by: &str, x: f64, y: f64) {
        let pull = match by {
            "turn" => Pull::Turn,
            "inside" => Pull::Inside,
            grip => match Grip::from_word(grip) {
                Some(grip) => Pull::Handle(grip),
                None => return,
            },
        };
        self.selected();
        let area = self.selected_area();
        self.selection.pulling = Some(Pulling {
            pull,
            from: self.glass_point(x, y),
            area,
            map: Map::coincident(),
        });
        self.hide_selected(true);
    }

    /// Pulls; `even` constrains.
    pub fn pull_move(&mut self, x: f64, y: f64, even: bool) {
        let to = self.glass_point(x, y);
        if let Some(p) = &mut self.selection.pulling {
            let even = even || self.selection.crops;
            p.map = select::pulled(&p.area, p.pull, p.from, to, even);
            self.wet.invalidate_everything();
        }
    }

    /// Two fingers on the selection move, turn and resize it: where both were and are, x and y each.
    pub fn pull_pinch(&mut self, was: &[f64], is: &[f64]) {
        let point = |c: &[f64], i: usize| self.glass_point(c[i], c[i + 1]);
        if was.len() != 4 || is.len() != 4 {
            return;
        }
        let was = [point(was, 0), point(was, 2)];
        let is = [point(is, 0), point(is, 2)];
        if let (Some(p), Some(map)) = (&mut self.selection.pulling, select::pinched(was, is)) {
            p.map = map;
            self.wet.invalidate_everything();
        }
    }

    /// Lets go: the selection stays where it was pulled to.
    pub fn pull_up(&mut self) {
        let map = self.selection.pulling.as_ref().map(|p| p.map);
        let cropped = map.and_then(|map| self.cropped(&map));
        self.let_pull_be();
        if let Some((sheet, mark)) = cropped {
            let op = Op::Replace(mark);
            return self.act_on_selection(vec![Step { sheet, op }]);
        }
        let Some(map) = map.filter(|m| *m != Map::coincident()) else {
            return;
        };
        let steps = select::moved(&self.in_view(), &self.selection.picked, &map);
        self.act_on_selection(steps);
    }

    /// Gives up pulling; the selection is where it was.
    pub fn let_pull_be(&mut self) {
        if self.selection.pulling.take().is_some() {
            self.hide_selected(false);
            self.wet.invalidate_everything();
        }
    }

    /// An arrow key moves the selection by a CSS pixel, or by ten.
    pub fn nudge_selection(&mut self, key: &str, far: bool) {
        let Some(arrow) = Arrow::from_key(key) else {
            return;
        };
        let (dx, dy) = arrow.step(NUDGE * if far { 10.0 } else { 1.0 } / self.scale);
        let map = Map::scale_then_move(1.0, dx, dy);
        let steps = select::moved(&self.in_view(), &self.selection.picked, &map);
        self.act_on_selection(steps);
    }

    pub fn delete_selection(&mut self) {
        self.selected();
        let steps = select::removed(&self.selection.picked);
        self.act_on_selection(steps);
        self.selection.picked.clear();
    }

    /// Copies lie a little aside, and are selected instead.
    pub fn duplicate_selection(&mut self) {
        let (in_view, picked) = (self.in_view(), self.selection.picked.clone());
        let (sheets, ids) = (self.replica.sheets(), &mut self.ids);
        let aside = (select::ASIDE, select::ASIDE);
        let new_id = || MarkId(ids.next_id());
        let (steps, copies) = select::copies(sheets, &in_view, &picked, aside, new_id);
        self.act_on_selection(steps);
        self.selection.picked = copies;
    }

    /// To the front, or to the back.
    pub fn reorder_selection(&mut self, forward: bool) {
        let steps = select::reordered(self.replica.sheets(), &self.selection.picked, forward);
        self.act_on_selection(steps);
    }

    /// Whether all that is selected is held by the glass.
    pub fn selection_on_glass(&self) -> bool {
        let mut picked = self.selection.picked.iter();
        picked.all(|(sheet, _)| *sheet == SheetId::Glass)
    }

    /// Has the selection held by the glass, or by the backdrop; it does not move on the screen.
    pub fn hold_selection(&mut self, by_glass: bool) {
        let in_view = self.in_view();
        let holder = match by_glass {
            true => Some(SheetId::Glass),
            false => {
                let area = self.selected_area();
                let middle = Point::new((area.x0 + area.x1) / 2.0, (area.y0 + area.y1) / 2.0);
                pane::at(&in_view, middle).map(|seen| seen.sheet)
            }
        };
        let Some(holder) = holder else { return };
        let picked = &self.selection.picked;
        let steps = select::held_by(self.replica.sheets(), &in_view, picked, holder);
        self.act_on_selection(steps);
        for (sheet, _) in &mut self.selection.picked {
            *sheet = holder;
        }
    }

    /// Gives the selection the colour and width of a swatch. A stroke keeps the width that its hand
    /// gave it, in proportion.
    pub fn restyle_selection(&mut self, swatch: usize) {
        let sheets = self.replica.sheets();
        let steps = self.selection.picked.iter().filter_map(|(sheet, id)| {
            let swatch = self.offered(swatch, *sheet)?;
            let mark = sheets.sheet(*sheet).get(*id)?;
            let op = Op::Replace(mark.restyled(&swatch.style()));
            Some(Step { sheet: *sheet, op })
        });
        let steps = steps.collect();
        self.act_on_selection(steps);
    }

    /// The selection as bytes for a clipboard; empty for none.
    pub fn copy_selection(&mut self) -> Vec<u8> {
        if self.selected() == 0 {
            return Vec::new();
        }
        let marks = select::packed(
            self.replica.sheets(),
            &self.in_view(),
            &self.selection.picked,
        );
        encode(&marks)
    }

    /// Sets marks from a clipboard on what is on stage, and selects them; `false` when these are no
    /// marks.
    pub fn paste_marks(&mut self, bytes: &[u8]) -> bool {
        let Some(marks) = decode::<Vec<Mark>>(bytes) else {
            return false;
        };
        let author = self.replica.author();
        let mine = |mut mark: Mark| {
            mark.author = author;
            mark
        };
        let sound = |mark: &Mark| mark.check().is_ok();
        let marks: Vec<Mark> = marks.into_iter().filter(sound).map(mine).collect();
        let Some(onto) = self.active_view() else {
            return false;
        };
        let (sheets, ids) = (self.replica.sheets(), &mut self.ids);
        let new_id = || MarkId(ids.next_id());
        let (steps, picked) = select::pasted(sheets, onto, marks, new_id);
        self.act_on_selection(steps);
        self.selection.picked = picked;
        true
    }
}

impl Glass {
    /// The selected picture as a pull by a handle crops it.
    fn cropped(&mut self, map: &Map<GlassFrame, GlassFrame>) -> Option<(SheetId, Mark)> {
        let pulling = self.selection.pulling.as_ref()?;
        if !self.selection.crops || !matches!(pulling.pull, Pull::Handle(_)) {
            return None;
        }
        let wanted = map.apply_rect(&pulling.area);
        let (sheet, mut mark) = self.only_selected()?;
        let view = self.view_of(sheet)?;
        let back = mark.transform.then(&view).inverse()?;
        let Body::Picture(placed) = &mut mark.body else {
            return None;
        };
        *placed = placed.cropped(&back.apply_rect(&wanted));
        Some((sheet, mark))
    }

    /// The mark that is selected, when it is the only one.
    pub(crate) fn only_selected(&mut self) -> Option<(SheetId, Mark)> {
        if self.selected() != 1 {
            return None;
        }
        let (sheet, id) = *self.selection.picked.first()?;
        let mark = self.replica.sheets().sheet(sheet).get(id)?;
        Some((sheet, Mark::clone(mark)))
    }

    fn selected_area(&self) -> Rect<GlassFrame> {
        select::bounds(
            self.replica.sheets(),
            &self.in_view(),
            &self.selection.picked,
        )
    }

    fn act_on_selection(&mut self, steps: Vec<Step>) {
        if !steps.is_empty() {
            self.act(Intent::Do(steps));
        }
    }

    fn hide_selected(&mut self, hidden: bool) {
        let in_view = self.in_view();
        for (sheet, id) in self.selection.picked.clone() {
            self.painter.set_opacity(id, if hidden { 0.0 } else { 1.0 });
            self.invalidate_where(&in_view, sheet, id);
        }
        self.wet.invalidate_everything();
    }

    /// What is being pulled, as it would be if it were let go now.
    pub(crate) fn paint_pulled(&mut self, layer: Layer, list: &mut DisplayList) {
        let map = self.selection.pulling.as_ref().map(|p| p.map);
        if let Some((sheet, mark)) = map.and_then(|map| self.cropped(&map)) {
            let seen = self.in_view().into_iter().find(|v| v.sheet == sheet);
            if let Some(seen) = seen.filter(|_| mark.style.layer() == layer) {
                paint::alone(&mark, &seen, &mark.transform.then(&seen.view), list);
            }
            return;
        }
        let Some(pulling) = &self.selection.pulling else {
            return;
        };
        for seen in self.in_view() {
            let InView { sheet, view, .. } = seen;
            for (_, id) in self.selection.picked.iter().filter(|(s, _)| *s == sheet) {
                let Some(mark) = self.replica.sheets().sheet(sheet).get(*id) else {
                    continue;
                };
                if mark.style.layer() == layer {
                    let map = mark.transform.then(&view).then(&pulling.map);
                    paint::alone(mark, &seen, &map, list);
                }
            }
        }
    }
}
