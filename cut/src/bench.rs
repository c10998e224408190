//! What is done to a capture on its bench, as it is seen there. Boxes are x0, y0, x1, y1 in CSS pixels of the whole
//! picture, and so are places.

use bozzetto_core::capture::Detail;
use bozzetto_core::capture::corners;
use bozzetto_core::capture::flat::Flat;
use bozzetto_core::capture::hide::{Hide, Hiding, Strength};
use bozzetto_core::capture::moment::Cut;
use bozzetto_core::capture::way::Way;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Point, Rect, Size};
use serde::Deserialize;
use wasm_bindgen::prelude::*;

use crate::cutter::Cutter;

/// The corners of a sheet in a picture: x and y of each in its pixels, from the upper left one clockwise; empty when
/// none are clear.
#[wasm_bindgen]
pub fn find_corners(rgba: &[u8], width: usize, height: usize) -> Vec<f64> {
    let found = corners::find(rgba, width, height);
    let places = found.into_iter().flatten();
    places.flat_map(|c| [c.x, c.y]).collect()
}

/// What the server says of a capture.
#[derive(Deserialize)]
struct Said {
    aspect: (f64, f64),
    details: Vec<Detail>,
    /// Device pixels to a glass unit on the presenter's screen.
    device: f64,
    cut: Cut,
}

/// A capture on its bench.
#[wasm_bindgen]
pub struct Bench {
    area: Size<GlassFrame>,
    details: Vec<Detail>,
    device: f64,
    cut: Cut,
    /// CSS pixels to a glass unit.
    scale: f64,
}

#[wasm_bindgen]
impl Bench {
    /// From what the server says of it, as JSON.
    #[wasm_bindgen(constructor)]
    pub fn new(said: &str) -> Result<Bench, JsError> {
        let said: Said = serde_json::from_str(said)?;
        Ok(Self {
            area: Size::glass(said.aspect.0, said.aspect.1),
            details: said.details,
            device: said.device,
            cut: said.cut,
            scale: 1.0,
        })
    }

    /// How wide the whole picture is seen.
    pub fn resize(&mut self, width: f64) {
        self.scale = width.max(1.0) / self.area.width;
    }

    /// The sheet that boxes are drawn on.
    pub fn cutter(&self) -> Cutter {
        Cutter::of(self.area, self.scale, self.details.clone(), self.device)
    }

    /// What is to be sent to the server.
    pub fn json(&self) -> String {
        serde_json::to_string(&self.cut).unwrap_or_default()
    }

    /// The box that is the picture.
    pub fn box_now(&self) -> Vec<f64> {
        self.css(&self.cut.area)
    }

    /// Cut by another box.
    pub fn recut(&mut self, area: &[f64]) {
        self.cut.area = self.cutter().glass_rect(area);
        self.cut.way = Way::Box;
        self.cut.bench.flat = None;
    }

    /// Turned by a right angle, clockwise.
    pub fn turn(&mut self) {
        self.cut.bench.turns = (self.cut.bench.turns + 1) % 4;
    }

    /// Whether marks, instruments or clocks are in it.
    pub fn set_part(&mut self, name: &str, is: bool) {
        let parts = &mut self.cut.parts;
        match name {
            "marks" => parts.marks = is,
            "instruments" => parts.instruments = is,
            "clocks" => parts.clocks = is,
            _ => {}
        }
    }

    /// How many parts are hidden.
    pub fn hidden(&self) -> usize {
        self.cut.bench.hidden.len()
    }

    /// Where a hidden part is; empty when there is none of this number.
    pub fn hidden_box(&self, number: usize) -> Vec<f64> {
        let part = self.cut.bench.hidden.get(number);
        part.map_or_else(Vec::new, |p| self.css(&p.area))
    }

    /// How a part is hidden: `fill`, `blur` or `pixelate`.
    pub fn hidden_how(&self, number: usize) -> String {
        let how = self.cut.bench.hidden.get(number).map(|p| p.how);
        match how.unwrap_or_default() {
            Hiding::Fill => "fill",
            Hiding::Blur => "blur",
            Hiding::Pixelate => "pixelate",
        }
        .to_owned()
    }

    /// Hides a part.
    pub fn hide(&mut self, area: &[f64], how: &str) {
        let area = self.cutter().glass_rect(area);
        let how = hiding(how);
        self.cut.bench.hidden.push(Hide { area, how });
    }

    /// Hides another area, or in another way.
    pub fn set_hidden(&mut self, number: usize, area: &[f64], how: &str) {
        let area = self.cutter().glass_rect(area);
        if let Some(part) = self.cut.bench.hidden.get_mut(number) {
            *part = Hide {
                area,
                how: hiding(how),
            };
        }
    }

    /// Whether there is writing beneath a hidden part. `rgba` is the whole picture.
    pub fn has_writing(&self, number: usize, rgba: &[u8], width: usize, height: usize) -> bool {
        let Some(part) = self.cut.bench.hidden.get(number) else {
            return false;
        };
        let fine = width as f64 / self.area.width;
        let edge = |v: f64, most: usize| (v * fine).round().clamp(0.0, most as f64) as usize;
        let (x0, x1) = (edge(part.area.x0, width), edge(part.area.x1, width));
        let (y0, y1) = (edge(part.area.y0, height), edge(part.area.y1, height));
        let rows = rgba.chunks_exact(width * 4).take(y1).skip(y0);
        let beneath: Vec<u8> = rows.flat_map(|row| &row[x0 * 4..x1 * 4]).copied().collect();
        let strength = Strength::for_part(&beneath, x1 - x0, y1.saturating_sub(y0));
        strength.writing.is_some()
    }

    /// Shows a part again.
    pub fn show_again(&mut self, number: usize) {
        if number < self.hidden() {
            self.cut.bench.hidden.remove(number);
        }
    }

    /// The corners of the sheet that is made upright: x and y of each; empty when none is.
    pub fn corners(&self) -> Vec<f64> {
        let flat = self.cut.bench.flat.as_ref();
        flat.map_or_else(Vec::new, |f| {
            let places = f.corners.iter();
            places
                .flat_map(|c| [c.x * self.scale, c.y * self.scale])
                .collect()
        })
    }

    /// Looks for the corners of a sheet in the whole picture, as RGBA, and makes that upright. Whether they were
    /// found; if not, those of the box are taken, to be moved.
    pub fn flatten(&mut self, rgba: &[u8], width: usize, height: usize) -> bool {
        let found = corners::find(rgba, width, height);
        let fine = width as f64 / self.area.width;
        let r = self.cut.area;
        let inside = r.inflate(-r.width().min(r.height()) / 10.0);
        let corners = match found {
            Some(corners) => corners.map(|c| Point::new(c.x / fine, c.y / fine)),
            None => [
                Point::new(inside.x0, inside.y0),
                Point::new(inside.x1, inside.y0),
                Point::new(inside.x1, inside.y1),
                Point::new(inside.x0, inside.y1),
            ],
        };
        let clean = self.clean();
        self.cut.bench.flat = Some(Flat { corners, clean });
        found.is_some()
    }

    /// A corner has been moved.
    pub fn set_corner(&mut self, number: usize, x: f64, y: f64) {
        let whole = Rect::of_size(self.area);
        let at = Point::new(
            (x / self.scale).clamp(whole.x0, whole.x1),
            (y / self.scale).clamp(whole.y0, whole.y1),
        );
        if let Some(flat) = &mut self.cut.bench.flat
            && let Some(corner) = flat.corners.get_mut(number)
        {
            *corner = at;
        }
    }

    /// Whether the corners go round a sheet.
    pub fn can_flatten(&self) -> bool {
        let flat = self.cut.bench.flat.clone();
        flat.is_none_or(|f| f.checked(self.area).is_ok())
    }

    /// No sheet is made upright.
    pub fn leave_as_seen(&mut self) {
        self.cut.bench.flat = None;
    }

    /// Whether the sheet's light is evened.
    pub fn clean(&self) -> bool {
        self.cut.bench.flat.as_ref().is_some_and(|f| f.clean)
    }

    /// Evens the sheet's light, or leaves it.
    pub fn set_clean(&mut self, is: bool) {
        if let Some(flat) = &mut self.cut.bench.flat {
            flat.clean = is;
        }
    }
}

impl Bench {
    fn css(&self, r: &Rect<GlassFrame>) -> Vec<f64> {
        [r.x0, r.y0, r.x1, r.y1].map(|v| v * self.scale).to_vec()
    }
}

fn hiding(word: &str) -> Hiding {
    match word {
        "blur" => Hiding::Blur,
        "pixelate" => Hiding::Pixelate,
        _ => Hiding::Fill,
    }
}
