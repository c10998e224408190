//! Turning pages, scrolling, freezing: how one backdrop is seen.

use bozzetto_core::geometry::frames::{Point, Rect};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::stage::backdrop::{BackdropKind, Frozen, ViewState};
use bozzetto_core::stage::step::StageStep;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
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
        self.stage.fine.insert(backdrop, f64::from(width) / w);
        if other {
            let size = StageStep::Size {
                backdrop,
                width: w,
                height: h,
            };
            self.act(Intent::Stage(vec![size]));
        }
    }
}
