//! The capture box. Boxes are x0, y0, x1, y1 in CSS pixels of the picture area.

use bozzetto_core::capture::{Detail, OnStage, Plan, Request, adjust, nudged, plan};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Point, Rect};
use bozzetto_core::geometry::grip::{Arrow, Grip};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::pane::{Beside, Pane};
use bozzetto_core::stage::state::Stage;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// The box with its grip (`n`, `ne`, …, `inside`) moved by so many CSS pixels.
    pub fn adjust_box(&self, area: &[f64], grip: &str, dx: f64, dy: f64) -> Vec<f64> {
        let area = self.glass_rect(area);
        let Some(grip) = Grip::from_word(grip) else {
            return self.css_rect(&area);
        };
        let moved = adjust(
            &area,
            grip,
            dx / self.picture.scale,
            dy / self.picture.scale,
            self.picture.area,
        );
        self.css_rect(&moved)
    }

    /// What the box would be captured as: width and height in pixels.
    pub fn box_pixels(&self, area: &[f64], device_pixel_ratio: f64) -> Vec<u32> {
        let p = self.plan(area, device_pixel_ratio);
        vec![p.width, p.height]
    }

    /// What the server has to know to capture the box, as JSON: where it is in glass units, how
    /// dense the screen is, and what is on stage, as it is seen here.
    pub fn box_request(&self, area: &[f64], device_pixel_ratio: f64) -> String {
        let area = self.glass_rect(area);
        let Stage {
            current, beside, ..
        } = &self.stage.shown;
        let seen = self.stage.shown.each();
        let request = Request {
            area,
            device: device_pixel_ratio * self.picture.scale,
            ratio: device_pixel_ratio,
            stage: OnStage {
                current: current.as_ref().map(|b| b.id),
                beside: beside.as_ref().map(|(b, divider)| Beside {
                    backdrop: b.id,
                    divider: *divider,
                }),
                seen: seen.map(|b| (b.id, b.seen.clone())).collect(),
            },
        };
        serde_json::to_string(&request).unwrap_or_default()
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
}

impl Glass {
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
