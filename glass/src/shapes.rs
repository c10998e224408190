//! What shapes and stamps there are, and pictures that are placed.

use bozzetto_core::display::colour::{BLACK, Rgb};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Ink, Map, Point};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::marks::shape::Figure;
use bozzetto_core::marks::stamp::{Sign, Stamp};
use bozzetto_core::marks::swatch::Hold;
use bozzetto_core::sheets::step::{Op, Step};
use bozzetto_core::tools::next_number;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// The figures' names, in the order of their numbers.
    pub fn figures(&self) -> Vec<String> {
        Figure::ALL.iter().map(|f| f.word().to_owned()).collect()
    }

    /// The stamps' names, in the order of their numbers.
    pub fn signs(&self) -> Vec<String> {
        Sign::ALL.iter().map(|s| s.word().to_owned()).collect()
    }

    /// Places a picture that the server has kept around a place, and selects it.
    pub fn place_picture(&mut self, picture: &str, width: u32, height: u32, x: f64, y: f64) {
        let Ok(picture) = picture.parse() else { return };
        let (at, area) = (self.glass_point(x, y), self.picture.area);
        let mark = self.at_desk(|_, desk| {
            let (sheet, transform, _) = desk.holder(Hold::Backdrop, at)?;
            let middle = Point::new(at.x, at.y);
            let placed = Placement::new(picture, (width, height), middle, area);
            let style = Style::new(Tip::Round, BLACK, 1.0);
            let mark = desk.new_mark(sheet, style, Body::Picture(placed), transform, None);
            Some((sheet, mark))
        });
        let Some((sheet, mark)) = mark else { return };
        let id = mark.id;
        if self.act(Intent::Do(vec![Step {
            sheet,
            op: Op::Add(mark),
        }])) {
            self.hand.selection.picked = vec![(sheet, id)];
        }
    }

    /// Puts another picture that the server has kept in the place of the selected one; `false` when none is selected.
    pub fn replace_picture(&mut self, picture: &str, width: u32, height: u32) -> bool {
        let Ok(picture) = picture.parse() else {
            return false;
        };
        let selected = self.only_selected();
        let Some((sheet, mark)) = selected.map(|(sheet, mark)| (sheet, mark.clone())) else {
            return false;
        };
        let Body::Picture(placed) = mark.body else {
            return false;
        };
        let body = Body::Picture(placed.replaced(picture, (width, height)));
        let op = Op::Replace(Mark { body, ..mark });
        self.act(Intent::Do(vec![Step { sheet, op }]))
    }

    /// The number that the counter sets next.
    pub fn next_number(&self) -> u16 {
        next_number(self.replica.sheets(), &self.in_view())
    }

    /// Fills the display list with a sign or figure as an icon of so many CSS pixels.
    pub fn paint_sign(&mut self, sign: usize, size: f64, colour: u32) {
        let mut list = bozzetto_core::display::DisplayList::default();
        if let Some(sign) = Sign::ALL.get(sign) {
            let middle = Point::new(size / 2.0, size / 2.0);
            let stamp = Stamp::new(*sign, middle, size / 2.0 - 1.0);
            let view = Map::<Ink, GlassFrame>::coincident();
            for (path, colour) in stamp.fills(Rgb::hex(colour)) {
                list.fill(
                    path.mapped(&view),
                    colour,
                    bozzetto_core::display::Blend::Over,
                );
            }
        }
        self.picture.list.set(&list);
    }
}
