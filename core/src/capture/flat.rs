//! A sheet or a board photographed at an angle, as an upright page.
//!
//! How wide it is to its height follows from the perspective alone, for a camera without distortion that looks
//! through the middle of its picture. Source: Z. Zhang and L.-W. He, *Whiteboard scanning and image enhancement*,
//! Digital Signal Processing 17 (2007), section 3 (equations 11, 12, 19 and 20).

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Glass, Pixels, Point, Rect, Size};
use crate::geometry::homography::{Homography, Place};

use super::plan::{MAX_PIXELS, MAX_SIDE, Plan};

/// The corners of a sheet in a picture.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Flat {
    /// Upper left, upper right, lower right, lower left of the sheet.
    pub corners: [Point<Glass>; 4],
    /// Its light is evened, so that writing stands on white.
    #[serde(default)]
    pub clean: bool,
}

/// Why it cannot be flattened.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[error(
    "The four corners do not go round a sheet: move them to its corners, one after another round it."
)]
pub struct FlatFault;

/// The smallest area of the four corners, in square glass units.
const SMALLEST: f64 = 400.0;
/// Sides meet at such an angle at the least (its sine), or hardly anything is to be seen of the sheet.
const FLATTEST: f64 = 0.1;
/// The focal lengths that are believed, in widths of the picture: from very wide to very narrow.
const FOCAL: (f64, f64) = (0.35, 12.0);

impl Flat {
    /// One that can be flattened, its corners on the stage.
    ///
    /// # Errors
    /// For corners that do not go round a sheet, or lie nearly on a line.
    pub fn checked(mut self, stage: Size<Glass>) -> Result<Self, FlatFault> {
        if self.corners.iter().any(|c| !c.is_finite()) {
            return Err(FlatFault);
        }
        self.corners = self
            .corners
            .map(|c| Point::new(c.x.clamp(0.0, stage.width), c.y.clamp(0.0, stage.height)));
        let c = self.places();
        let turn = |i: usize| {
            let (a, b, d) = (c[i], c[(i + 1) % 4], c[(i + 2) % 4]);
            let (one, other) = ((b.0 - a.0, b.1 - a.1), (d.0 - b.0, d.1 - b.1));
            let cross = one.0 * other.1 - one.1 * other.0;
            cross / (one.0.hypot(one.1) * other.0.hypot(other.1)).max(1e-9)
        };
        let area = (0..4).map(|i| {
            let (a, b) = (c[i], c[(i + 1) % 4]);
            a.0 * b.1 - a.1 * b.0
        });
        let round = (0..4).map(turn).all(|t| t > FLATTEST);
        if !round || area.sum::<f64>() / 2.0 < SMALLEST {
            return Err(FlatFault);
        }
        Ok(self)
    }

    fn places(&self) -> [Place; 4] {
        self.corners.map(|c| (c.x, c.y))
    }

    /// The box that contains it.
    pub fn bounds(&self) -> Rect<Glass> {
        self.corners
            .iter()
            .fold(Rect::EMPTY, |r, corner| r.include(*corner))
    }

    /// How wide the sheet is to a height of 1. `seen` is what the camera saw: all of its picture.
    pub fn shape(&self, seen: &Rect<Glass>) -> f64 {
        let (mx, my) = ((seen.x0 + seen.x1) / 2.0, (seen.y0 + seen.y1) / 2.0);
        let scale = seen.width().max(seen.height()) / 2.0;
        let place = |i: usize| {
            let c = self.corners[i];
            [(c.x - mx) / scale, (c.y - my) / scale, 1.0]
        };
        // The paper's order: along the upper side, then along the lower one.
        let (m1, m2, m3, m4) = (place(0), place(1), place(3), place(2));
        let k2 = dot(cross(m1, m4), m3) / dot(cross(m2, m4), m3);
        let k3 = dot(cross(m1, m4), m2) / dot(cross(m3, m4), m2);
        let n2 = std::array::from_fn(|i| k2 * m2[i] - m1[i]);
        let n3 = std::array::from_fn(|i| k3 * m3[i] - m1[i]);
        let squared = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2]);
        let focal = (squared > 0.0).then(|| squared.sqrt() / 2.0);
        match focal.filter(|f| (FOCAL.0..FOCAL.1).contains(f)) {
            Some(_) => {
                let length = |n: [f64; 3]| (n[0] * n[0] + n[1] * n[1]) / squared + n[2] * n[2];
                (length(n2) / length(n3)).sqrt()
            }
            // A pair of sides is parallel in the picture, or nearly: the camera's lens does not show. What is
            // parallel in both ways is seen from far away.
            None => {
                let [a, b, c, d] = self.sides();
                (a + c) / (b + d)
            }
        }
    }

    /// The lengths of its sides in the picture, from the upper one round, in glass units.
    fn sides(&self) -> [f64; 4] {
        std::array::from_fn(|i| self.corners[i].distance(self.corners[(i + 1) % 4]))
    }

    /// Its width and height in pixels: no side is coarser than in the picture.
    pub fn size(&self, plan: &Plan, seen: &Rect<Glass>) -> (u32, u32) {
        let [top, right, bottom, left] = self.sides().map(|v| v * plan.scale);
        let shape = self.shape(seen).clamp(0.02, 50.0);
        let height = left.max(right).max(top.max(bottom) / shape).max(1.0);
        let width = height * shape;
        let most = (MAX_PIXELS / (width * height)).sqrt();
        let by = most.min(MAX_SIDE / width.max(height)).min(1.0);
        let pixels = |v: f64| (v * by).round().max(1.0) as u32;
        (pixels(width), pixels(height))
    }

    /// From a page of this many pixels to the pixels of the picture that was planned. `None` for corners on a line,
    /// which [`Flat::checked`] does not let through.
    pub fn to_picture(&self, plan: &Plan) -> Option<Homography> {
        let to = plan.to_pixels();
        Homography::from_square(self.corners.map(|c| {
            let p: Point<Pixels> = to.apply(c);
            (p.x, p.y)
        }))
    }
}

fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [
        a[1] * b[2] - a[2] * b[1],
        a[2] * b[0] - a[0] * b[2],
        a[0] * b[1] - a[1] * b[0],
    ]
}
