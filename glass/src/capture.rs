//! What is captured: a box that snaps to edges in the picture, an outline, a pane, the stage. Boxes are x0, y0, x1,
//! y1 in CSS pixels of the picture area, and so are places.

use bozzetto_core::capture::edges::{Axis, Edges};
use bozzetto_core::capture::snap::{Moving, propose, snap};
use bozzetto_core::capture::way::{Outline, Way};
use bozzetto_core::capture::{
    Detail, OnStage, Plan, Request, adjust, nudged, plan, sized, to_aspect, trim,
};
use bozzetto_core::display::Verb;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Pixels, Point, Rect};
use bozzetto_core::geometry::grip::{Arrow, Grip, Side};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::pane::{Beside, Pane};
use bozzetto_core::stage::state::Stage;
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// From how far away a side snaps, in CSS pixels.
const REACH: f64 = 12.0;

/// What is to be seen beneath the marks, looked at for edges, and how many of its pixels there are to a glass unit.
pub(crate) struct Beneath {
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

/// An outline as it is drawn: the path's `d`, and the box round it; empty while it encloses nothing.
#[derive(Serialize, Tsify)]
pub struct OutlineShown {
    pub path: String,
    pub area: Vec<f64>,
}

#[wasm_bindgen]
impl Glass {
    /// Looks for edges in a picture of what lies beneath the marks: all of the picture area, as RGBA.
    pub fn look_for_edges(&mut self, rgba: Vec<u8>, width: usize, height: usize) {
        self.beneath = Some(Beneath {
            edges: Edges::find(rgba, width, height),
            fine: width as f64 / self.picture.area.width,
        });
    }

    /// Edges are not needed any more.
    pub fn forget_edges(&mut self) {
        self.beneath = None;
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
        let stage = self.picture.area;
        let (dx, dy) = (dx / self.picture.scale, dy / self.picture.scale);
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
            let reach = REACH / self.picture.scale * beneath.fine;
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
        self.css_rect(&to_aspect(&area, corner, aspect, self.picture.area))
    }

    /// The box so many pixels of the capture large, as near as that goes.
    pub fn size_box(
        &self,
        area: &[f64],
        width: f64,
        height: f64,
        device_pixel_ratio: f64,
    ) -> Vec<f64> {
        let pixel = 1.0 / self.plan(area, device_pixel_ratio).scale;
        let [width, height] = [width, height].map(|v| v.max(1.0) * pixel);
        let area = self.glass_rect(area);
        self.css_rect(&sized(&area, width, height, self.picture.area))
    }

    /// What the box would be captured as: width and height in pixels.
    pub fn box_pixels(&self, area: &[f64], device_pixel_ratio: f64) -> Vec<u32> {
        let p = self.plan(area, device_pixel_ratio);
        vec![p.width, p.height]
    }

    /// The box after an arrow key: moved by one pixel of the capture, with `far` by ten; with
    /// `edges` its right or lower edge is. An empty `area` is a box still to be made.
    pub fn nudge_box(
        &self,
        area: &[f64],
        device_pixel_ratio: f64,
        key: &str,
        far: bool,
        edges: bool,
    ) -> Vec<f64> {
        let Some(arrow) = Arrow::from_key(key) else {
            return area.to_vec();
        };
        let known = (area.len() == 4).then(|| self.glass_rect(area));
        let pixel = 1.0 / self.plan(area, device_pixel_ratio).scale;
        let step = if far { pixel * 10.0 } else { pixel };
        self.css_rect(&nudged(
            known.as_ref(),
            arrow,
            step,
            edges,
            self.picture.area,
        ))
    }

    /// What there is to be seen in the pane at a place.
    pub fn pane_box(&self, x: f64, y: f64) -> Vec<f64> {
        let at = self.glass_point(x, y);
        let panes = self.panes();
        let pane = panes.iter().find(|p| p.room.contains(at)).or(panes.first());
        let seen = pane.map(|p| p.detail(1.0).map_or(p.room, |d| d.on_glass));
        self.css_rect(&seen.unwrap_or(Rect::of_size(self.picture.area)))
    }

    /// All of the picture area.
    pub fn stage_box(&self) -> Vec<f64> {
        self.css_rect(&Rect::of_size(self.picture.area))
    }

    /// What a hand has drawn round something: x and y of each place.
    pub fn outline(&self, places: &[f64], soft: bool) -> Result<Ts<OutlineShown>, JsError> {
        let shown = match self.drawn(places, soft) {
            Some(outline) => OutlineShown {
                path: self.svg(&outline),
                area: self.css_rect(
                    &outline
                        .bounds()
                        .intersection(&Rect::of_size(self.picture.area)),
                ),
            },
            None => OutlineShown {
                path: String::new(),
                area: Vec::new(),
            },
        };
        Ok(shown.into_ts()?)
    }

    /// What the server has to know to take the capture, as JSON: where it is in glass units, how dense the screen
    /// is, and what is on stage, as it is seen here. `way` is `box`, `pane` or `stage`.
    pub fn box_request(&self, area: &[f64], way: &str, device_pixel_ratio: f64) -> String {
        let way = match way {
            "pane" => Way::Pane,
            "stage" => Way::Stage,
            _ => Way::Box,
        };
        self.request(self.glass_rect(area), way, device_pixel_ratio)
    }

    /// The same of an outline.
    pub fn outline_request(&self, places: &[f64], soft: bool, device_pixel_ratio: f64) -> String {
        let Some(outline) = self.drawn(places, soft) else {
            return String::new();
        };
        self.request(outline.bounds(), Way::Outline(outline), device_pixel_ratio)
    }
}

impl Glass {
    fn request(&self, area: Rect<GlassFrame>, way: Way, ratio: f64) -> String {
        let Stage {
            current, beside, ..
        } = &self.stage.shown;
        let seen = self.stage.shown.each();
        let request = Request {
            area,
            device: ratio * self.picture.scale,
            ratio,
            stage: OnStage {
                current: current.as_ref().map(|b| b.id),
                beside: beside.as_ref().map(|(b, divider)| Beside {
                    backdrop: b.id,
                    divider: *divider,
                }),
                seen: seen.map(|b| (b.id, b.seen.clone())).collect(),
            },
            way,
        };
        serde_json::to_string(&request).unwrap_or_default()
    }

    fn drawn(&self, places: &[f64], soft: bool) -> Option<Outline> {
        let places = places.as_chunks::<2>().0.iter();
        let on_glass = places.map(|[x, y]| self.glass_point(*x, *y));
        Outline::drawn(on_glass, soft).settled()
    }

    /// An outline as the `d` of a path.
    fn svg(&self, outline: &Outline) -> String {
        let path = outline.path();
        let mut coords = path
            .coords
            .iter()
            .map(|v| f64::from(*v) * self.picture.scale);
        let mut d = String::new();
        for verb in &path.verbs {
            d.push(match verb {
                Verb::Move => 'M',
                Verb::Line => 'L',
                Verb::Quad => 'Q',
                Verb::Cubic => 'C',
                Verb::Close => 'Z',
            });
            for v in coords.by_ref().take(verb.points() * 2) {
                d.push_str(&format!("{v:.1} "));
            }
        }
        d
    }

    fn plan(&self, area: &[f64], device_pixel_ratio: f64) -> Plan {
        let device = device_pixel_ratio * self.picture.scale;
        // A web page has the pixels that the screen shows it with.
        let known = |b: &BackdropView| self.stage.fine.get(&b.id).copied();
        let fine = |pane: &Pane| match pane.backdrop {
            Some(b) if matches!(b.kind, BackdropKind::Page(_)) => {
                pane.detail(1.0).map_or(1.0, |d| device / d.scale.max(1e-9))
            }
            other => other.and_then(known).unwrap_or(1.0),
        };
        let panes = self.panes();
        let details: Vec<Detail> = panes.iter().filter_map(|p| p.detail(fine(p))).collect();
        plan(&self.glass_rect(area), self.picture.area, &details, device)
    }

    fn glass_rect(&self, css: &[f64]) -> Rect<GlassFrame> {
        match css {
            [x0, y0, x1, y1] => {
                Rect::from_corners(self.glass_point(*x0, *y0), self.glass_point(*x1, *y1))
            }
            _ => Rect::from_corners(Point::new(0.0, 0.0), Point::new(0.0, 0.0)),
        }
    }

    pub(crate) fn css_rect(&self, r: &Rect<GlassFrame>) -> Vec<f64> {
        [r.x0, r.y0, r.x1, r.y1]
            .map(|v| v * self.picture.scale)
            .to_vec()
    }
}
