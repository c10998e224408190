//! The part of a picture that is drawn on.

use bozzetto_core::display::Path;
use bozzetto_core::geometry::frames::{self, Glass, Map, Size};
use resvg::tiny_skia::{FillRule, Mask};

use super::skia::{skia_path, transform};

/// The part that is drawn on.
pub struct Clip {
    pub mask: Mask,
    /// The rectangle that contains it: left, top, right, bottom.
    pub within: [i32; 4],
    /// It is that rectangle.
    pub whole: bool,
}

impl Clip {
    /// A rectangle is cut at whole pixels: panes lie side by side without a seam. A part that is empty
    /// lets nothing through.
    pub fn new(path: &Path, map: &Map<Glass, frames::Pixels>, room: Size<frames::Pixels>) -> Self {
        let (width, height) = (room.width as u32, room.height as u32);
        let mut mask = Mask::new(width, height).expect("as large as what is drawn on");
        let edge = |v: f64, most: u32| v.round().clamp(0.0, f64::from(most)) as i32;
        let [_, b, c, ..] = map.coefficients();
        let upright = path.as_rect().filter(|_| b == 0.0 && c == 0.0);
        let Some(rect) = upright else {
            if let Some(path) = skia_path(path) {
                mask.fill_path(&path, FillRule::Winding, true, transform(map));
            }
            return Self {
                mask,
                within: [0, 0, width as i32, height as i32],
                whole: false,
            };
        };
        let at = map.apply_rect(&rect);
        let within = [
            edge(at.x0, width),
            edge(at.y0, height),
            edge(at.x1, width),
            edge(at.y1, height),
        ];
        let [x0, y0, x1, y1] = within.map(|v| v as usize);
        if x0 < x1 {
            for y in y0..y1 {
                let row = y * width as usize;
                mask.data_mut()[row + x0..row + x1].fill(255);
            }
        }
        Self {
            mask,
            within,
            whole: true,
        }
    }

    /// Where it lies in a room of this size; `None` where it is all of it.
    pub fn part_of(&self, width: u16, height: u16) -> Option<[f64; 4]> {
        let all = [0, 0, i32::from(width), i32::from(height)];
        (self.within != all).then(|| self.within.map(f64::from))
    }

    /// What lies in both.
    pub fn and(mut self, other: &Self) -> Self {
        for (a, b) in self.mask.data_mut().iter_mut().zip(other.mask.data()) {
            *a = (u16::from(*a) * u16::from(*b) / 255) as u8;
        }
        let [x0, y0, x1, y1] = self.within;
        let [left, top, right, bottom] = other.within;
        Self {
            mask: self.mask,
            within: [x0.max(left), y0.max(top), x1.min(right), y1.min(bottom)],
            whole: self.whole && other.whole,
        }
    }
}
