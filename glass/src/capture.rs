//! What is captured: a box, an outline, a pane, the stage. Boxes are x0, y0, x1, y1 in CSS pixels of the picture area,
//! and so are places.

use bozzetto_core::capture::way::{Outline, Way};
use bozzetto_core::capture::{Detail, OnStage, Request};
use bozzetto_core::display::Verb;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Point, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::pane::{Beside, Pane};
use bozzetto_core::stage::state::Stage;
use bozzetto_core::wire::decode;
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// What boxes are drawn on: the stage, how large it is seen, and what there is to be seen of it.
#[derive(Serialize)]
struct Cutting {
    stage: Size<GlassFrame>,
    /// CSS pixels to a glass unit.
    scale: f64,
    details: Vec<Detail>,
    /// Device pixels to a glass unit.
    device: f64,
}

/// An outline as it is drawn: the path's `d`, and whether it encloses something.
#[derive(Serialize, Tsify)]
pub struct OutlineShown {
    pub path: String,
    pub encloses: bool,
}

impl Glass {
    /// The backdrop in the pane at the middle of a part of the picture area, in CSS pixels.
    fn backdrop_in<'a>(&self, panes: &[Pane<'a>], area: &[f64]) -> Option<&'a BackdropView> {
        let at = self.glass_rect(area).middle();
        let pane = panes.iter().find(|p| p.room.contains(at));
        pane.and_then(|p| p.backdrop)
    }
}

#[wasm_bindgen]
impl Glass {
    /// The sheet that boxes are drawn on, for what is on stage now, as JSON.
    pub fn cutting(&self, device_pixel_ratio: f64) -> String {
        let device = device_pixel_ratio * self.picture.scale;
        let panes = self.panes();
        let details = panes.iter().filter_map(|p| p.detail(self.fine(p, device)));
        let cutting = Cutting {
            stage: self.picture.area,
            scale: self.picture.scale,
            details: details.collect(),
            device,
        };
        serde_json::to_string(&cutting).unwrap_or_default()
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
        let drawn = self.drawn(places, soft);
        let shown = OutlineShown {
            path: self.svg(&drawn),
            encloses: drawn.settled().is_some(),
        };
        Ok(shown.into_ts()?)
    }

    /// What the server has to know to take the capture, as JSON: where it is in glass units, how dense the screen
    /// is, and what is on stage, as it is seen here. `way` is `box`, `pane`, `stage` or `whole`.
    pub fn box_request(&self, area: &[f64], way: &str, device_pixel_ratio: f64) -> String {
        let way = match way {
            "pane" => Way::Pane,
            "stage" => Way::Stage,
            "whole" => Way::Whole,
            _ => Way::Box,
        };
        self.request(self.glass_rect(area), way, device_pixel_ratio)
    }

    /// The same of the whole of the backdrop in the pane at the middle of `area`: its page in view, or one for each of
    /// its pages.
    pub fn whole_requests(
        &self,
        area: &[f64],
        all_pages: bool,
        device_pixel_ratio: f64,
    ) -> Vec<String> {
        let panes = self.panes();
        let Some(backdrop) = self.backdrop_in(&panes, area).filter(|_| all_pages) else {
            return vec![self.box_request(area, "whole", device_pixel_ratio)];
        };
        let pages = 0..backdrop.kind.pages();
        let of_page = |page| {
            let mut request = self.asked(self.glass_rect(area), Way::Whole, device_pixel_ratio);
            let mut seen = request.stage.seen.iter_mut();
            if let Some((_, seen)) = seen.find(|(id, _)| *id == backdrop.id) {
                seen.page = page;
            }
            serde_json::to_string(&request).unwrap_or_default()
        };
        pages.map(of_page).collect()
    }

    /// How many pages the backdrop in the pane at the middle of `area` has.
    pub fn pages_at(&self, area: &[f64]) -> u32 {
        let panes = self.panes();
        self.backdrop_in(&panes, area).map_or(0, |b| b.kind.pages())
    }

    /// The backdrop that a request of [`Glass::whole_requests`] is about, by its id.
    pub fn whole_of(&self, area: &[f64]) -> Option<String> {
        let panes = self.panes();
        self.backdrop_in(&panes, area).map(|b| b.id.0.to_string())
    }

    /// Shows what was on stage at the moment of a capture, seen as it was then; `on_stage` as core encodes it. What is
    /// no longer in the running order is left out; `false` when that is all.
    pub fn return_to(&mut self, on_stage: &[u8]) -> bool {
        let Some(then) = decode::<OnStage>(on_stage) else {
            return false;
        };
        let here = |id: &BackdropId| self.replica.stage().backdrop(*id).is_some();
        let beside = then.beside.filter(|b| here(&b.backdrop));
        let current = then.current.filter(here);
        let (current, beside) = match (current, beside) {
            (Some(current), beside) => (current, beside),
            (None, Some(beside)) => (beside.backdrop, None),
            (None, None) => return false,
        };
        self.arrange(current, beside);
        for (id, seen) in then.seen {
            self.see(&id.0.to_string(), |now| {
                (now.zoom, now.page, now.scroll) = (seen.zoom, seen.page, seen.scroll);
            });
        }
        true
    }

    /// What is on stage, and how it is seen, as it stands in a request: JSON.
    pub fn stage_asked(&self) -> String {
        serde_json::to_string(&self.on_stage()).unwrap_or_default()
    }

    /// The same of an outline.
    pub fn outline_request(&self, places: &[f64], soft: bool, device_pixel_ratio: f64) -> String {
        let Some(outline) = self.drawn(places, soft).settled() else {
            return String::new();
        };
        self.request(outline.bounds(), Way::Outline(outline), device_pixel_ratio)
    }
}

impl Glass {
    fn request(&self, area: Rect<GlassFrame>, way: Way, ratio: f64) -> String {
        serde_json::to_string(&self.asked(area, way, ratio)).unwrap_or_default()
    }

    fn asked(&self, area: Rect<GlassFrame>, way: Way, ratio: f64) -> Request {
        Request {
            area,
            device: ratio * self.picture.scale,
            ratio,
            stage: self.on_stage(),
            way,
        }
    }

    fn on_stage(&self) -> OnStage {
        let Stage {
            current, beside, ..
        } = &self.stage.shown;
        let seen = self.stage.shown.each();
        OnStage {
            current: current.as_ref().map(|b| b.id),
            beside: beside.as_ref().map(|(b, divider)| Beside {
                backdrop: b.id,
                divider: *divider,
            }),
            seen: seen.map(|b| (b.id, b.seen.clone())).collect(),
        }
    }

    fn drawn(&self, places: &[f64], soft: bool) -> Outline {
        let places = places.as_chunks::<2>().0.iter();
        let on_glass = places.map(|[x, y]| self.glass_point(*x, *y));
        Outline::drawn(on_glass, soft)
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

    /// How many pixels a backdrop has to a unit of its own.
    fn fine(&self, pane: &Pane, device: f64) -> f64 {
        let Some(backdrop) = pane.backdrop else {
            return 1.0;
        };
        match backdrop.kind {
            // A web page has the pixels that the screen shows it with.
            BackdropKind::Page(_) => pane.detail(1.0).map_or(1.0, |d| device / d.scale.max(1e-9)),
            _ => self.stage.fine.get(&backdrop.id).copied().unwrap_or(1.0),
        }
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
