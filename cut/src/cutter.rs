//! The sheet over a picture that boxes are drawn on: on the stage, and on the bench. Boxes are x0, y0, x1, y1 in CSS
//! pixels of the picture area, and so are places.

use bozzetto_core::capture::edges::{Axis, Edges};
use bozzetto_core::capture::snap::{Moving, propose, snap};
use bozzetto_core::capture::{Detail, Plan, adjust, nudged, plan, sized, to_aspect, trim};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Pixels, Point, Rect, Size};
use bozzetto_core::geometry::grip::{Arrow, Grip, Side};
use serde::{Deserialize, Serialize};
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

/// From how far away a side snaps, in CSS pixels.
const REACH: f64 = 12.0;

/// What is to be seen beneath the marks, looked at for edges, and how many of its pixels there are to a glass unit.
struct Beneath {
    edges: Edges,
    fine: f64,
}

impl Beneath {
    fn to_pixels(&self) -> Map<GlassFrame, Pixels> {
        Map::scale_then_move(self.fine, 0.0, 0.0)
    }

    fn on_glass(&self, r: &Rect<Pixels>) -> Rect<GlassFrame> {
        Map::scale_then_move(1.0 / self.fine, 0.0, 0.0).apply_rect(r)
    }
}

/// A box that a hand has pulled, and the lines that it snapped to: x0, y0, x1, y1 of each.
#[derive(Serialize, Tsify)]
pub struct Pulled {
    pub area: Vec<f64>,
    pub lines: Vec<Vec<f64>>,
}

/// Where boxes are drawn: what there is beneath, and how large it is seen.
#[wasm_bindgen]
pub struct Cutter {
    stage: Size<GlassFrame>,
    /// CSS pixels to a glass unit.
    scale: f64,
    /// What there is to be seen of the backdrops.
    details: Vec<Detail>,
    /// Device pixels to a glass unit.
    device: f64,
    beneath: Option<Beneath>,
}

/// What the page says of the sheet, as JSON.
#[derive(Deserialize)]
struct Said {
    stage: Size<GlassFrame>,
    scale: f64,
    details: Vec<Detail>,
    device: f64,
}

#[wasm_bindgen]
impl Cutter {
    /// For a stage of this size that is seen this large, with these details, as JSON.
    #[wasm_bindgen(constructor)]
    pub fn new(said: &str) -> Result<Cutter, JsError> {
        let said: Said = serde_json::from_str(said)?;
        Ok(Self::of(said.stage, said.scale, said.details, said.device))
    }

    /// Looks for edges in a picture of what lies beneath the marks: all of the picture area, as RGBA.
    pub fn look_for_edges(&mut self, rgba: Vec<u8>, width: usize, height: usize) {
        self.beneath = Some(Beneath {
            edges: Edges::find(rgba, width, height),
            fine: width as f64 / self.stage.width,
        });
    }

    /// The box with its grip (`n`, `ne`, …, `inside`; `new`: drawn from a corner) moved by so many CSS pixels.
    /// `aspect` is its width to a height of 1; 0 when it may have any.
    pub fn pull_box(
        &self,
        from: &[f64],
        grip: &str,
        dx: f64,
        dy: f64,
        snaps: bool,
        aspect: f64,
    ) -> Result<Ts<Pulled>, JsError> {
        let stage = self.stage;
        let (dx, dy) = (dx / self.scale, dy / self.scale);
        let side = |by: f64| if by < 0.0 { Side::Low } else { Side::High };
        let drawn = Grip::Edges {
            x: side(dx),
            y: side(dy),
        };
        let (grip, moving) = match Grip::from_word(grip) {
            Some(grip) => (grip, Moving::By(grip)),
            None => (drawn, Moving::All),
        };
        let mut area = adjust(&self.glass_rect(from), grip, dx, dy, stage);
        let mut lines = Vec::new();
        if let Some(beneath) = self.beneath.as_ref().filter(|_| snaps) {
            let reach = REACH / self.scale * beneath.fine;
            let rough = beneath.to_pixels().apply_rect(&area);
            let snapped = snap(&beneath.edges, &rough, moving, reach);
            let on_stage = beneath.on_glass(&snapped.area);
            area = on_stage.intersection(&Rect::of_size(stage));
            lines.extend(snapped.lines.iter().map(|(axis, at, from, to)| {
                let (a, b) = match axis {
                    Axis::Upright => (Point::new(*at, *from), Point::new(*at, *to)),
                    Axis::Level => (Point::new(*from, *at), Point::new(*to, *at)),
                };
                self.css_rect(&beneath.on_glass(&Rect::from_corners(a, b)))
            }));
        }
        if aspect > 0.0 {
            area = to_aspect(&area, grip, aspect, stage);
        }
        let area = self.css_rect(&area);
        Ok(Pulled { area, lines }.into_ts()?)
    }

    /// The box of the figure at a place; with a box already there, the next larger one. Empty when there is none.
    pub fn propose_box(&self, than: &[f64], x: f64, y: f64) -> Vec<f64> {
        let Some(beneath) = &self.beneath else {
            return Vec::new();
        };
        let map = beneath.to_pixels();
        let than = (than.len() == 4).then(|| map.apply_rect(&self.glass_rect(than)));
        let found = propose(
            &beneath.edges,
            map.apply(self.glass_point(x, y)),
            than.as_ref(),
        );
        found.map_or_else(Vec::new, |r| self.css_rect(&beneath.on_glass(&r)))
    }

    /// The box without plain borders.
    pub fn trim_box(&self, area: &[f64]) -> Vec<f64> {
        let Some(beneath) = &self.beneath else {
            return area.to_vec();
        };
        let inside = trim(
            &beneath.edges,
            &beneath.to_pixels().apply_rect(&self.glass_rect(area)),
        );
        self.css_rect(&beneath.on_glass(&inside))
    }

    /// The box with another shape: its width to a height of 1.
    pub fn shape_box(&self, area: &[f64], aspect: f64) -> Vec<f64> {
        let corner = Grip::Edges {
            x: Side::High,
            y: Side::High,
        };
        let area = self.glass_rect(area);
        self.css_rect(&to_aspect(&area, corner, aspect, self.stage))
    }

    /// The box so many pixels of the capture large, as near as that goes.
    pub fn size_box(&self, area: &[f64], width: f64, height: f64) -> Vec<f64> {
        let pixel = 1.0 / self.plan(area).scale;
        let [width, height] = [width, height].map(|v| v.max(1.0) * pixel);
        let area = self.glass_rect(area);
        self.css_rect(&sized(&area, width, height, self.stage))
    }

    /// What the box would be captured as: width and height in pixels.
    pub fn box_pixels(&self, area: &[f64]) -> Vec<u32> {
        let p = self.plan(area);
        vec![p.width, p.height]
    }

    /// The box after an arrow key: moved by one pixel of the capture, with `far` by ten; with
    /// `edges` its right or lower edge is. An empty `area` is a box still to be made.
    pub fn nudge_box(&self, area: &[f64], key: &str, far: bool, edges: bool) -> Vec<f64> {
        let Some(arrow) = Arrow::from_key(key) else {
            return area.to_vec();
        };
        let known = (area.len() == 4).then(|| self.glass_rect(area));
        let pixel = 1.0 / self.plan(area).scale;
        let step = if far { pixel * 10.0 } else { pixel };
        self.css_rect(&nudged(known.as_ref(), arrow, step, edges, self.stage))
    }
}

impl Cutter {
    pub(crate) fn of(
        stage: Size<GlassFrame>,
        scale: f64,
        details: Vec<Detail>,
        device: f64,
    ) -> Self {
        Self {
            stage,
            scale,
            details,
            device,
            beneath: None,
        }
    }

    fn plan(&self, area: &[f64]) -> Plan {
        plan(
            &self.glass_rect(area),
            self.stage,
            &self.details,
            self.device,
        )
    }

    fn glass_point(&self, x: f64, y: f64) -> Point<GlassFrame> {
        Point::new(x / self.scale, y / self.scale)
    }

    pub(crate) fn glass_rect(&self, css: &[f64]) -> Rect<GlassFrame> {
        match css {
            [x0, y0, x1, y1] => {
                Rect::from_corners(self.glass_point(*x0, *y0), self.glass_point(*x1, *y1))
            }
            _ => Rect::from_corners(Point::new(0.0, 0.0), Point::new(0.0, 0.0)),
        }
    }

    pub(crate) fn css_rect(&self, r: &Rect<GlassFrame>) -> Vec<f64> {
        [r.x0, r.y0, r.x1, r.y1].map(|v| v * self.scale).to_vec()
    }
}
