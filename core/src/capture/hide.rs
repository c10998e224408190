//! Parts of a capture that are hidden: how, and how strongly, so that nothing can be read beneath.
//!
//! A picture that is made coarser can be guessed at: whoever knows the letters tries what might be written, makes it
//! as coarse and compares. So one colour is made of a square that is much larger than the writing is high, of which
//! little more is left than how much ink there is, and that is rounded. A blur is made of the same squares: a Gaussian
//! alone, however wide, leaves differences that can be compared.

use serde::{Deserialize, Serialize};

use crate::aids::lines::highest;
use crate::geometry::frames::{Glass, Rect};

use super::plan::Plan;

/// How a part is hidden.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Hiding {
    /// One colour, that tells nothing of what is beneath.
    #[default]
    Fill,
    Blur,
    Pixelate,
}

/// A part that is hidden.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Hide {
    pub area: Rect<Glass>,
    pub how: Hiding,
}

/// The most parts of one capture.
pub const MOST_HIDDEN: usize = 100;

impl Hide {
    /// The part in whole pixels of the picture: x, y, width, height, grown to their edges. `None` where it is not in
    /// it.
    pub fn pixels(&self, plan: &Plan) -> Option<[u32; 4]> {
        let area = plan.to_pixels().apply_rect(&self.area);
        let within = |v: f64, most: u32| v.clamp(0.0, f64::from(most)) as u32;
        // What lies on an edge to within rounding is on it.
        let low = |v: f64| (v + 1e-6).floor();
        let high = |v: f64| (v - 1e-6).ceil();
        let (x0, x1) = (
            within(low(area.x0), plan.width),
            within(high(area.x1), plan.width),
        );
        let (y0, y1) = (
            within(low(area.y0), plan.height),
            within(high(area.y1), plan.height),
        );
        (x0 < x1 && y0 < y1).then(|| [x0, y0, x1 - x0, y1 - y0])
    }
}

/// How many times the height of the writing one pixel becomes, at the least.
const CELL: f64 = 2.5;
/// The standard deviation of a blur, in sides of the squares that it softens.
const DEVIATION: f64 = 0.5;
/// The height that is assumed at the least, as a fraction of the shorter side, and in pixels: something to read may
/// not have been found.
const ASSUMED: f64 = 0.1;
const LEAST: f64 = 8.0;
/// To how many levels a colour is rounded.
const LEVELS: u32 = 15;

/// How strongly a part is hidden, in its pixels.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Strength {
    /// The height of the highest line that was found, if there may be writing.
    pub writing: Option<u32>,
    /// The least side of the squares of one colour.
    pub cell: u32,
    /// The standard deviation of the Gaussian that softens them, for a blur.
    pub deviation: f64,
}

impl Strength {
    /// For a part of these pixels, four bytes each, row by row.
    pub fn for_part(rgba: &[u8], width: usize, height: usize) -> Self {
        let writing = highest(rgba, width, height);
        let assumed = (width.min(height) as f64 * ASSUMED).max(LEAST);
        let high = writing.map_or(0.0, f64::from).max(assumed);
        let cell = (high * CELL).ceil();
        Self {
            writing,
            cell: cell as u32,
            deviation: cell * DEVIATION,
        }
    }
}

/// Makes each square of at least `cell` pixels one colour, their mean, rounded. `rgba` has four bytes to a pixel, row
/// by row.
pub fn pixelate(rgba: &mut [u8], width: usize, height: usize, cell: u32) {
    let parts = |side: usize| (side / cell.max(1) as usize).max(1);
    let (columns, rows) = (parts(width), parts(height));
    for row in 0..rows {
        for column in 0..columns {
            let across = width * column / columns..width * (column + 1) / columns;
            let down = height * row / rows..height * (row + 1) / rows;
            let mut sum = [0u64; 4];
            for y in down.clone() {
                let line = &rgba[(y * width + across.start) * 4..(y * width + across.end) * 4];
                for p in line.as_chunks::<4>().0 {
                    for (sum, v) in sum.iter_mut().zip(p) {
                        *sum += u64::from(*v);
                    }
                }
            }
            let count = (across.len() * down.len()) as u64;
            let one = sum.map(|s| rounded((s / count.max(1)) as u8));
            for y in down {
                let line = &mut rgba[(y * width + across.start) * 4..(y * width + across.end) * 4];
                line.as_chunks_mut::<4>().0.fill(one);
            }
        }
    }
}

fn rounded(v: u8) -> u8 {
    let level = (u32::from(v) * LEVELS + 127) / 255;
    (level * 255 / LEVELS) as u8
}
