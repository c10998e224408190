//! Maps of a plane as a camera sees it: straight lines stay straight, parallel ones need not stay parallel.
//!
//! Source: P. Heckbert, *Fundamentals of Texture Mapping and Image Warping*, 1989, 2.2.3 (from a square to a
//! quadrilateral; its adjugate is the way back).

/// A place in either plane.
pub type Place = (f64, f64);

/// A homography, row by row.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Homography([[f64; 3]; 3]);

impl Homography {
    /// From the unit square to four corners, those of (0, 0), (1, 0), (1, 1) and (0, 1) in this order; `None` when
    /// they are on a line.
    pub fn from_square([p, q, r, s]: [Place; 4]) -> Option<Self> {
        let (dx1, dx2) = (q.0 - r.0, s.0 - r.0);
        let (dy1, dy2) = (q.1 - r.1, s.1 - r.1);
        let (sx, sy) = (p.0 - q.0 + r.0 - s.0, p.1 - q.1 + r.1 - s.1);
        let det = dx1 * dy2 - dx2 * dy1;
        if det.abs() < 1e-9 {
            return None;
        }
        let g = (sx * dy2 - dx2 * sy) / det;
        let h = (dx1 * sy - sx * dy1) / det;
        Some(Self([
            [q.0 - p.0 + g * q.0, s.0 - p.0 + h * s.0, p.0],
            [q.1 - p.1 + g * q.1, s.1 - p.1 + h * s.1, p.1],
            [g, h, 1.0],
        ]))
    }

    /// The way back, up to a factor, which a homography does not have.
    pub fn inverse(&self) -> Self {
        let [[a, b, c], [d, e, f], [g, h, i]] = self.0;
        Self([
            [e * i - f * h, c * h - b * i, b * f - c * e],
            [f * g - d * i, a * i - c * g, c * d - a * f],
            [d * h - e * g, b * g - a * h, a * e - b * d],
        ])
    }

    /// Where a place goes.
    pub fn apply(&self, (x, y): Place) -> Place {
        let row = |r: &[f64; 3]| r[0] * x + r[1] * y + r[2];
        let w = row(&self.0[2]);
        (row(&self.0[0]) / w, row(&self.0[1]) / w)
    }
}
