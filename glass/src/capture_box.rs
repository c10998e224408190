//! The capture box. Boxes are x0, y0, x1, y1 in CSS pixels of the picture area.

use bozzetto_core::capture::{Grip, Plan, adjust, plan};
use bozzetto_core::frames::{Glass as GlassFrame, Point, Rect};
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
        let moved = adjust(&area, grip, dx / self.scale, dy / self.scale, self.area);
        self.css_rect(&moved)
    }

    /// What the box would be captured as: width and height in pixels.
    pub fn box_pixels(&self, area: &[f64], device_pixel_ratio: f64) -> Vec<u32> {
        let p = self.plan(area, device_pixel_ratio);
        vec![p.width, p.height]
    }

    /// What the server has to know to capture the box: x0, y0, x1, y1 in glass units, and the
    /// device pixels to a glass unit.
    pub fn box_request(&self, area: &[f64], device_pixel_ratio: f64) -> Vec<f64> {
        let r = self.glass_rect(area);
        vec![r.x0, r.y0, r.x1, r.y1, device_pixel_ratio * self.scale]
    }

    /// One pixel of the capture, in CSS pixels: how far an arrow key moves the box.
    pub fn box_step(&self, area: &[f64], device_pixel_ratio: f64) -> f64 {
        self.scale / self.plan(area, device_pixel_ratio).scale
    }
}

impl Glass {
    fn plan(&self, area: &[f64], device_pixel_ratio: f64) -> Plan {
        let backdrop = self
            .current
            .as_ref()
            .map(|b| (b.size(), b.view(self.area), b.kind.grain()));
        let device = device_pixel_ratio * self.scale;
        plan(&self.glass_rect(area), self.area, backdrop, device)
    }

    fn glass_rect(&self, css: &[f64]) -> Rect<GlassFrame> {
        match css {
            [x0, y0, x1, y1] => {
                Rect::from_corners(self.glass_point(*x0, *y0), self.glass_point(*x1, *y1))
            }
            _ => Rect::from_corners(Point::new(0.0, 0.0), Point::new(0.0, 0.0)),
        }
    }

    fn css_rect(&self, r: &Rect<GlassFrame>) -> Vec<f64> {
        [r.x0, r.y0, r.x1, r.y1].map(|v| v * self.scale).to_vec()
    }
}
