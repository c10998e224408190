//! The selection: marks picked by tap or lasso, and what is done with them.

use bozzetto_core::edit::select;
use bozzetto_core::edit::selection::Selection;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Point, Rect};
use bozzetto_core::geometry::grip::Arrow;
use bozzetto_core::geometry::ids::MarkId;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::pane;
use bozzetto_core::wire::{decode, encode};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// How far an arrow key moves a selection, in CSS pixels; with Shift ten times that.
const NUDGE: f64 = 1.0;

#[wasm_bindgen]
impl Glass {
    /// Selects everything in view.
    pub fn select_all(&mut self) -> usize {
        let mut picked = select::everything(self.replica.sheets(), &self.in_view());
        picked.retain(|(sheet, mark)| self.may_touch(*sheet, *mark));
        self.hand.selection.picked = picked;
        self.hand.selection.picked.len()
    }

    pub fn clear_selection(&mut self) {
        self.show_pulled(None);
        self.hand.selection = Selection::default();
    }

    /// How many marks are selected: those that somebody has removed since are not.
    pub fn selected(&mut self) -> usize {
        self.hand.selection.still_there(self.replica.sheets())
    }

    /// Whether a placed picture is selected, and nothing else.
    pub fn selected_picture(&mut self) -> bool {
        self.only_selected()
            .is_some_and(|(_, m)| matches!(m.body, Body::Picture(_)))
    }

    /// Has the handles crop the selected picture, or resize it again.
    pub fn crop_selected(&mut self, crops: bool) {
        self.hand.selection.crops = crops && self.selected_picture();
    }

    pub fn is_cropping(&mut self) -> bool {
        self.hand.selection.crops && self.selected_picture()
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
        let shown = match &self.hand.selection.pulled {
            Some(pulled) => pulled.map.apply_rect(&pulled.area),
            None => area,
        };
        self.css_rect(&shown)
    }

    /// Whether the selection is being pulled.
    pub fn is_pulled(&self) -> bool {
        self.hand.selection.pulled.is_some()
    }

    /// An arrow key moves the selection by a CSS pixel, or by ten.
    pub fn nudge_selection(&mut self, key: &str, far: bool) {
        let Some(arrow) = Arrow::from_key(key) else {
            return;
        };
        let (dx, dy) = arrow.step(NUDGE * if far { 10.0 } else { 1.0 } / self.picture.scale);
        let map = Map::scale_then_move(1.0, dx, dy);
        let steps = select::moved(&self.in_view(), &self.hand.selection.picked, &map);
        self.act_on_selection(steps);
    }

    pub fn delete_selection(&mut self) {
        self.selected();
        let steps = select::removed(&self.hand.selection.picked);
        self.act_on_selection(steps);
        self.hand.selection.picked.clear();
    }

    /// Copies lie a little aside, and are selected instead.
    pub fn duplicate_selection(&mut self) {
        let (in_view, picked) = (self.in_view(), self.hand.selection.picked.clone());
        let (sheets, ids) = (self.replica.sheets(), &mut self.session.ids);
        let aside = (select::ASIDE, select::ASIDE);
        let new_id = || MarkId(ids.next_id());
        let (steps, copies) = select::copies(sheets, &in_view, &picked, aside, new_id);
        self.act_on_selection(steps);
        self.hand.selection.picked = copies;
    }

    /// To the front, or to the back.
    pub fn reorder_selection(&mut self, forward: bool) {
        let steps = select::reordered(self.replica.sheets(), &self.hand.selection.picked, forward);
        self.act_on_selection(steps);
    }

    /// Whether all that is selected is held by the glass.
    pub fn selection_on_glass(&self) -> bool {
        let mut picked = self.hand.selection.picked.iter();
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
        let picked = &self.hand.selection.picked;
        let steps = select::held_by(self.replica.sheets(), &in_view, picked, holder);
        self.act_on_selection(steps);
        for (sheet, _) in &mut self.hand.selection.picked {
            *sheet = holder;
        }
    }

    /// Gives the selection the colour and width of the swatch in the hand. A stroke keeps the width that its hand
    /// gave it, in proportion.
    pub fn restyle_selection(&mut self) {
        let steps = self.at_desk(|_, desk| {
            let steps = desk.selection.picked.iter().filter_map(|(sheet, id)| {
                let swatch = desk.offered(desk.in_hand.swatch, *sheet)?;
                let mark = desk.sheets.sheet(*sheet).get(*id)?;
                let op = Op::Replace(mark.restyled(&swatch.style()));
                Some(Step { sheet: *sheet, op })
            });
            steps.collect()
        });
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
            &self.hand.selection.picked,
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
        let (sheets, ids) = (self.replica.sheets(), &mut self.session.ids);
        let new_id = || MarkId(ids.next_id());
        let (steps, picked) = select::pasted(sheets, onto, marks, new_id);
        self.act_on_selection(steps);
        self.hand.selection.picked = picked;
        true
    }
}

impl Glass {
    /// The mark that is selected, when it is the only one.
    pub(crate) fn only_selected(&mut self) -> Option<(SheetId, Mark)> {
        self.hand.selection.only(self.replica.sheets())
    }

    fn selected_area(&self) -> Rect<GlassFrame> {
        let selection = &self.hand.selection;
        selection.area(self.replica.sheets(), &self.in_view())
    }

    fn act_on_selection(&mut self, steps: Vec<Step>) {
        if !steps.is_empty() {
            self.act(Intent::Do(steps));
        }
    }
}
