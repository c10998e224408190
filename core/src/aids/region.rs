//! A part of the glass that an aid is about: what a spotlight lights, what a magnifier lies over. Hands move
//! and resize it.

use kurbo::{BezPath, Shape as _};
use serde::{Deserialize, Serialize};

use super::within;
use crate::geometry::frames::{Glass, Point, Rect, Size};

/// Half the width or height of a region, in glass units.
pub const HALVES: (f64, f64) = (20.0, 1500.0);
/// How far from a region's edge a hand may be that takes hold of it, as a fraction of its smaller
/// half, and at the most in glass units.
const EDGE: (f64, f64) = (0.35, 40.0);
/// The most corners of a region that has a mark's shape.
const MOST_CORNERS: usize = 400;

/// What form a region has.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    Oval,
    /// As wide as it is high, however it is resized.
    Circle,
    Box,
    /// What a mark encloses: corners round the middle, in halves of the width and height.
    Loop(Vec<(f64, f64)>),
}

/// A part of the glass, about a middle.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Region {
    pub form: Form,
    /// Its middle, in glass units.
    pub at: Point<Glass>,
    /// Half its width and height, in glass units.
    pub half: (f64, f64),
}

/// What of a region a hand has hold of.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Hold {
    Whole,
    /// Its edge: pulling makes it wider, higher, or both.
    Edge {
        wide: bool,
        high: bool,
    },
}

impl Region {
    /// The region that a line encloses: out to where the line is farthest in each direction from
    /// the middle, since what a hand has drawn crosses itself. `None` for fewer than three places.
    ///
    /// Cost: the square of the number of places, up to [`MOST_CORNERS`] of them.
    pub fn enclosed(line: &[Point<Glass>]) -> Option<Self> {
        let bounds = line.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
        if line.len() < 3 || bounds.is_empty() {
            return None;
        }
        let every = line.len().div_ceil(MOST_CORNERS);
        let line: Vec<Point<Glass>> = line.iter().copied().step_by(every).collect();
        let at = bounds.middle();
        let half = (bounds.width() / 2.0, bounds.height() / 2.0);
        let mut angles: Vec<f64> = line
            .iter()
            .map(|p| (p.y - at.y).atan2(p.x - at.x))
            .collect();
        angles.sort_by(f64::total_cmp);
        let edges = || line.iter().zip(line.iter().cycle().skip(1));
        let farthest = |angle: f64| {
            let (sin, cos) = angle.sin_cos();
            let out = edges().filter_map(|(a, b)| crossing(at, (cos, sin), *a, *b));
            let out = out.fold(0.0, f64::max);
            (out * cos / half.0, out * sin / half.1)
        };
        let form = Form::Loop(angles.into_iter().map(farthest).collect());
        let half = (half.0.max(HALVES.0), half.1.max(HALVES.0));
        Some(Self { form, at, half })
    }

    /// The upright rectangle about it.
    pub fn bounds(&self) -> Rect<Glass> {
        let (w, h) = self.half;
        Rect::from_size(self.at.x - w, self.at.y - h, 2.0 * w, 2.0 * h)
    }

    /// Whether a place is in it.
    pub fn has(&self, at: Point<Glass>) -> bool {
        self.path().winding(kurbo::Point::new(at.x, at.y)) != 0
    }

    /// What a hand takes hold of at a place, if anything.
    pub fn hold(&self, at: Point<Glass>) -> Option<Hold> {
        let (x, y) = (
            (at.x - self.at.x).abs() / self.half.0,
            (at.y - self.at.y).abs() / self.half.1,
        );
        // How far out it is, 1 on the edge.
        let out = match self.form {
            Form::Oval | Form::Circle => x.hypot(y),
            Form::Box | Form::Loop(_) => x.max(y),
        };
        let reach = EDGE.0.min(EDGE.1 / self.half.0.min(self.half.1));
        if (out - 1.0).abs() <= reach {
            // Near a corner both grow.
            let (wide, high) = (x >= 0.5 * out, y >= 0.5 * out);
            return Some(Hold::Edge { wide, high });
        }
        (out < 1.0).then_some(Hold::Whole)
    }

    /// As it is when what was taken hold of at `from` is pulled to `to`.
    pub fn pulled(&self, hold: Hold, from: Point<Glass>, to: Point<Glass>) -> Self {
        let (dx, dy) = (to.x - from.x, to.y - from.y);
        let mut pulled = self.clone();
        match hold {
            Hold::Whole => pulled.at = Point::new(self.at.x + dx, self.at.y + dy),
            Hold::Edge { wide, high } => {
                // Away from the middle it grows, whichever side it is held at.
                let (outx, outy) = ((from.x - self.at.x).signum(), (from.y - self.at.y).signum());
                let grown = |half: f64, by: f64| within(half + by, HALVES, half);
                let (w, h) = (self.half.0, self.half.1);
                pulled.half = (
                    if wide { grown(w, dx * outx) } else { w },
                    if high { grown(h, dy * outy) } else { h },
                );
                if matches!(self.form, Form::Circle) {
                    let radius = from.distance(self.at);
                    let grows = to.distance(self.at) - radius;
                    pulled.half = (grown(w, grows), grown(w, grows));
                }
            }
        }
        pulled
    }

    /// Larger by a factor, about its middle; its form stays.
    pub fn grown(&self, by: f64) -> Self {
        // Both sides by the same, as far as either can go.
        let (least, most) = (self.half.0.min(self.half.1), self.half.0.max(self.half.1));
        let by = within(by, (HALVES.0 / least, HALVES.1 / most), 1.0);
        Self {
            half: (self.half.0 * by, self.half.1 * by),
            ..self.clone()
        }
    }

    /// Of another form, in the same place.
    pub fn formed(&self, form: Form) -> Self {
        let half = match form {
            Form::Circle => {
                let radius = (self.half.0 * self.half.1).sqrt();
                (radius, radius)
            }
            _ => self.half,
        };
        Self {
            form,
            half,
            ..self.clone()
        }
    }

    /// Its outline.
    pub(crate) fn path(&self) -> BezPath {
        /// How far the curves may be off, in units.
        const TOLERANCE: f64 = 0.05;
        let (x, y) = (self.at.x, self.at.y);
        let (w, h) = self.half;
        match &self.form {
            Form::Oval | Form::Circle => {
                kurbo::Ellipse::new((x, y), (w, h), 0.0).to_path(TOLERANCE)
            }
            Form::Box => kurbo::Rect::new(x - w, y - h, x + w, y + h).to_path(TOLERANCE),
            Form::Loop(corners) => {
                let mut path = BezPath::new();
                for (i, (cx, cy)) in corners.iter().enumerate() {
                    let at = (x + cx * w, y + cy * h);
                    match i {
                        0 => path.move_to(at),
                        _ => path.line_to(at),
                    }
                }
                path.close_path();
                path
            }
        }
    }

    pub(super) fn settled(mut self, area: Size<Glass>) -> Self {
        let at = self.at;
        self.at = Point::new(
            within(at.x, (0.0, area.width), area.width / 2.0),
            within(at.y, (0.0, area.height), area.height / 2.0),
        );
        let (w, h) = self.half;
        self.half = (within(w, HALVES, 200.0), within(h, HALVES, 200.0));
        if let Form::Loop(corners) = &mut self.form {
            corners.truncate(MOST_CORNERS);
            for (x, y) in corners {
                (*x, *y) = (within(*x, (-1.0, 1.0), 0.0), within(*y, (-1.0, 1.0), 0.0));
            }
        }
        self
    }
}

/// How far from `at` in a direction of length 1 an edge is crossed, its ends included; `None` when it is
/// not.
fn crossing(
    at: Point<Glass>,
    (cos, sin): (f64, f64),
    a: Point<Glass>,
    b: Point<Glass>,
) -> Option<f64> {
    /// How far beside an end still counts, in units.
    const SLACK: f64 = 1e-6;
    let along = |p: Point<Glass>| (p.x - at.x) * cos + (p.y - at.y) * sin;
    let beside = |p: Point<Glass>| (p.y - at.y) * cos - (p.x - at.x) * sin;
    let (from, to) = (beside(a), beside(b));
    if (from > SLACK && to > SLACK) || (from < -SLACK && to < -SLACK) {
        return None;
    }
    let t = match (to - from).abs() > SLACK {
        true => (-from / (to - from)).clamp(0.0, 1.0),
        false => 1.0,
    };
    let out = along(a) + t * (along(b) - along(a));
    (out >= 0.0).then_some(out)
}
