//! The cover: an opaque sheet on a page of a backdrop, that is pulled back from any of its edges, or line by
//! line.
//!
//! What it covers, and what is marked there, participants do not get: they are sent pictures in which it is cut
//! out.

use serde::{Deserialize, Serialize};

use crate::display::colour::Rgb;
use crate::geometry::frames::{Glass, Held, Point, Rect};

/// What a cover looks like.
pub const COLOUR: Rgb = Rgb::hex(0x3B4651);
/// How much of a page is left when the cover counts as pulled off, as a fraction of its height or width.
const REST: f64 = 0.02;
/// In how many equal steps a cover is pulled back when no lines are known.
const STEPS: u32 = 12;
/// The most lines that are kept.
const MOST: usize = 500;

/// A cover on one page.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Cover {
    /// The page, counted from 0.
    pub page: u32,
    /// What it covers, in units of the backdrop.
    pub covers: Rect<Held>,
    /// Where it stops when it is pulled back line by line, from the top down, in units of the backdrop; empty
    /// for equal steps.
    pub stops: Vec<f64>,
    /// It is put away, and comes back as it was.
    pub away: bool,
}

/// What of a cover is pulled.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Edge {
    Left,
    Right,
    Top,
    Bottom,
}

impl Cover {
    /// One over all of a page, which stops at these heights.
    pub fn over(page: u32, whole: Rect<Held>, stops: Vec<f64>) -> Self {
        Self {
            page,
            covers: whole,
            stops,
            away: false,
        }
    }

    /// With an edge pulled by so much, in units of the backdrop. What is nearly pulled off is put
    /// away, and covers all when it comes back.
    pub fn pulled(&self, edge: Edge, by: f64, whole: &Rect<Held>) -> Self {
        let mut pulled = self.clone();
        let r = &mut pulled.covers;
        let (width, height) = (REST * whole.width(), REST * whole.height());
        match edge {
            Edge::Left => r.x0 = (r.x0 + by).clamp(whole.x0, r.x1),
            Edge::Right => r.x1 = (r.x1 + by).clamp(r.x0, whole.x1),
            Edge::Top => r.y0 = (r.y0 + by).clamp(whole.y0, r.y1),
            Edge::Bottom => r.y1 = (r.y1 + by).clamp(r.y0, whole.y1),
        }
        match r.width() < width || r.height() < height {
            true => self.off(whole),
            false => pulled,
        }
    }

    /// Put away, to cover all when it comes back.
    fn off(&self, whole: &Rect<Held>) -> Self {
        Self {
            covers: *whole,
            away: true,
            ..self.clone()
        }
    }

    /// From this height down.
    fn from(&self, y: f64) -> Self {
        let mut from = self.clone();
        from.covers.y0 = y;
        from
    }

    /// With the next line uncovered, from the top; after the last it is put away, and covers all when it comes
    /// back.
    pub fn with_next(&self, whole: &Rect<Held>) -> Self {
        let upper = self.covers.y0;
        let stops = self.stops_on(whole);
        let next = stops.into_iter().find(|y| *y > upper + 1e-6);
        let next = next.filter(|y| *y < self.covers.y1);
        match next {
            Some(y) => self.from(y),
            None => self.off(whole),
        }
    }

    /// With the line covered again that was uncovered last.
    pub fn with_one_fewer(&self, whole: &Rect<Held>) -> Self {
        let upper = self.covers.y0;
        let stops = self.stops_on(whole);
        let before = stops.into_iter().rev().find(|y| *y < upper - 1e-6);
        self.from(before.unwrap_or(whole.y0))
    }

    fn stops_on(&self, whole: &Rect<Held>) -> Vec<f64> {
        if !self.stops.is_empty() {
            return self.stops.clone();
        }
        let step = whole.height() / f64::from(STEPS);
        let all = (1..STEPS).map(|n| whole.y0 + f64::from(n) * step);
        all.collect()
    }

    /// The edge that is nearest to a place on the cover, which lies at `at` on the glass.
    pub fn edge(at: &Rect<Glass>, place: Point<Glass>) -> Edge {
        let edges = [
            (Edge::Top, place.y - at.y0),
            (Edge::Bottom, at.y1 - place.y),
            (Edge::Left, place.x - at.x0),
            (Edge::Right, at.x1 - place.x),
        ];
        let nearest = edges.into_iter().min_by(|a, b| a.1.total_cmp(&b.1));
        nearest.map_or(Edge::Top, |(edge, _)| edge)
    }

    /// Within its page, whatever was sent; `None` for what covers nothing.
    pub fn settled(mut self, whole: &Rect<Held>) -> Option<Self> {
        let r = self.covers;
        let sound = [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite());
        self.covers = r.intersection(whole);
        self.stops.retain(|y| y.is_finite());
        self.stops.sort_by(f64::total_cmp);
        self.stops.truncate(MOST);
        (sound && self.covers.width() > 0.0 && self.covers.height() > 0.0).then_some(self)
    }
}
