//! Shapes that come out straight: lines, arrows, boxes, ovals, polylines.
//!
//! A shape is a figure and its points in the mark's own frame. Its line is widened into an outline
//! by kurbo, which also cuts it into dashes.

use std::f64::consts::PI;

use kurbo::{BezPath, Cap, Join, Shape as _, Stroke, StrokeOpts};
use serde::{Deserialize, Serialize};

use crate::display::Path;
use crate::geometry::frames::{Ink, Point, Rect};
use crate::ink::curve::Spot;

/// What the points of a shape mean.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Figure {
    /// From the first point to the second.
    Line,
    /// A line with a head at its second point.
    Arrow,
    /// A line with a head at either end.
    TwoHeaded,
    /// Upright, between two opposite corners.
    Box,
    /// The ellipse in that box.
    Oval,
    /// Straight from point to point.
    Polyline,
    /// The same, closed.
    Polygon,
}

impl Figure {
    pub const ALL: [Figure; 7] = [
        Figure::Line,
        Figure::Arrow,
        Figure::TwoHeaded,
        Figure::Box,
        Figure::Oval,
        Figure::Polyline,
        Figure::Polygon,
    ];

    /// The trade's word for it.
    pub fn word(self) -> &'static str {
        match self {
            Figure::Line => "line",
            Figure::Arrow => "arrow",
            Figure::TwoHeaded => "two-headed arrow",
            Figure::Box => "box",
            Figure::Oval => "oval",
            Figure::Polyline => "open polyline",
            Figure::Polygon => "closed polyline",
        }
    }

    /// Whether there is an inside that can be filled.
    pub fn closed(self) -> bool {
        matches!(self, Figure::Box | Figure::Oval | Figure::Polygon)
    }

    /// Whether it is set point by point instead of dragged.
    pub fn by_points(self) -> bool {
        matches!(self, Figure::Polyline | Figure::Polygon)
    }
}

/// How a line is broken.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Dash {
    #[default]
    Solid,
    Dashed,
    Dotted,
}

impl Dash {
    /// Lengths of ink and gap, as multiples of the width.
    pub(crate) fn pattern(self) -> &'static [f64] {
        match self {
            Dash::Solid => &[],
            Dash::Dashed => &[3.0, 2.5],
            // Round ends make a dot of a dash without length.
            Dash::Dotted => &[0.01, 2.2],
        }
    }
}

/// A figure and its points, in 1/64 of an [`Ink`] unit.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Shape {
    pub figure: Figure,
    /// What it is defined by, in 1/64 unit: two corners or ends, or the points of a polyline.
    pub points: Vec<Spot>,
}

/// The most points a polyline may have.
pub const MAX_POINTS: usize = 500;

impl Shape {
    /// A figure through these points, in units; see [`Shape::points`].
    pub fn new(figure: Figure, points: &[Point<Ink>]) -> Self {
        Self {
            figure,
            points: points.iter().map(|p| Spot::new(*p)).collect(),
        }
    }

    /// The points in units.
    pub fn positions(&self) -> Vec<Point<Ink>> {
        self.points.iter().map(|p| p.position()).collect()
    }

    /// Whether it has as many points as its figure needs.
    pub fn complete(&self) -> bool {
        match self.figure.by_points() {
            true => (2..=MAX_POINTS).contains(&self.points.len()),
            false => self.points.len() == 2,
        }
    }

    /// A rectangle that contains the shape, heads and corners included.
    pub fn bounds(&self, width: f64) -> Rect<Ink> {
        let around = self
            .positions()
            .into_iter()
            .fold(Rect::EMPTY, |r, p| r.include(p));
        around.inflate(head_length(width).max(width))
    }

    /// The line itself, without width, in units.
    pub fn line(&self) -> BezPath {
        let p: Vec<kurbo::Point> = self.points.iter().map(|p| kurbo_point(*p)).collect();
        match (self.figure, p.as_slice()) {
            (Figure::Box, [a, b]) => kurbo::Rect::from_points(*a, *b).to_path(0.1),
            (Figure::Oval, [a, b]) => {
                let r = kurbo::Rect::from_points(*a, *b);
                kurbo::Ellipse::new(r.center(), (r.width() / 2.0, r.height() / 2.0), 0.0)
                    .to_path(0.01)
            }
            (_, []) => BezPath::new(),
            (figure, points) => {
                let mut path = BezPath::new();
                path.move_to(points[0]);
                points[1..].iter().for_each(|p| path.line_to(*p));
                if figure == Figure::Polygon {
                    path.close_path();
                }
                path
            }
        }
    }

    /// The inside, for figures that have one.
    pub fn inside(&self) -> Option<Path> {
        self.figure.closed().then(|| Path::from(&self.line()))
    }

    /// The outline of the line with its width, dashes and heads, at most `tolerance` units off; with a rim, of
    /// all that lies no further than `rim` from that.
    pub fn outline(&self, width: f64, rim: f64, dash: Dash, tolerance: f64) -> Path {
        let mut line = self.line();
        let mut heads = BezPath::new();
        let ends: Vec<kurbo::Point> = self.points.iter().map(|p| kurbo_point(*p)).collect();
        if let (Figure::Arrow | Figure::TwoHeaded, [a, b]) = (self.figure, ends.as_slice()) {
            // The line stops inside the head, so that it does not stick out at the tip.
            let along = (*b - *a).normalize();
            let inset = (head_length(width) * 0.7).min((*b - *a).hypot() / 2.0);
            let (mut from, to) = (*a, *b - along * inset);
            if along.x.is_finite() {
                head(&mut heads, *b, along, width);
                if self.figure == Figure::TwoHeaded {
                    from = *a + along * inset;
                    head(&mut heads, *a, -along, width);
                }
                line = BezPath::new();
                line.move_to(from);
                line.line_to(to);
            }
        }
        let join = match self.figure {
            Figure::Box => Join::Miter,
            _ => Join::Round,
        };
        let style = Stroke::new(width + 2.0 * rim)
            .with_caps(Cap::Round)
            .with_join(join)
            .with_dashes(0.0, dash.pattern().iter().map(|v| v * width));
        let outline = kurbo::stroke(line, &style, &StrokeOpts::default(), tolerance);
        let mut path = Path::from(&outline);
        if rim > 0.0 {
            let edge = Stroke::new(2.0 * rim).with_join(Join::Round);
            let heads = kurbo::stroke(&heads, &edge, &StrokeOpts::default(), tolerance);
            path.append(&Path::from(&heads));
        } else {
            path.append(&Path::from(&heads));
        }
        path
    }

    /// How far a point is from the line; zero inside a closed figure when `filled`.
    pub fn distance(&self, p: Point<Ink>, filled: bool) -> f64 {
        let (line, at) = (self.line(), kurbo::Point::new(p.x, p.y));
        if filled && self.figure.closed() && line.winding(at) != 0 {
            return 0.0;
        }
        let nearest = line.segments().map(|s| {
            use kurbo::ParamCurveNearest;
            s.nearest(at, 0.01).distance_sq
        });
        nearest.fold(f64::INFINITY, f64::min).sqrt()
    }
}

/// How long an arrow's head is for a line of this width.
fn head_length(width: f64) -> f64 {
    (width * 4.0).max(16.0)
}

/// A head with a notched back.
fn head(path: &mut BezPath, tip: kurbo::Point, along: kurbo::Vec2, width: f64) {
    let (length, across) = (head_length(width), kurbo::Vec2::new(-along.y, along.x));
    let back = tip - along * length;
    let (left, right) = (back + across * length * 0.42, back - across * length * 0.42);
    let notch = tip - along * length * 0.78;
    // The same way round as kurbo's outlines.
    path.move_to(tip);
    for corner in [left, notch, right] {
        path.line_to(corner);
    }
    path.close_path();
}

fn kurbo_point(s: Spot) -> kurbo::Point {
    let p = s.position();
    kurbo::Point::new(p.x, p.y)
}

/// The two points of a figure that is dragged from `from` to `to`.
///
/// `even` makes boxes square and ovals round, and turns lines to multiples of 15°; `centred` draws
/// from the middle.
///
/// ```
/// use bozzetto_core::geometry::frames::Point;
/// use bozzetto_core::marks::shape::{dragged, Figure};
/// let (from, to) = (Point::new(100.0, 100.0), Point::new(160.0, 130.0));
/// let square = dragged(Figure::Box, from, to, true, false);
/// assert_eq!(square[1], Point::new(160.0, 160.0));
/// let around = dragged(Figure::Box, from, to, false, true);
/// assert_eq!(around[0], Point::new(40.0, 70.0));
/// ```
pub fn dragged(
    figure: Figure,
    from: Point<Ink>,
    to: Point<Ink>,
    even: bool,
    centred: bool,
) -> [Point<Ink>; 2] {
    let (mut dx, mut dy) = (to.x - from.x, to.y - from.y);
    if even && figure.closed() {
        let side = dx.abs().max(dy.abs());
        (dx, dy) = (side.copysign(dx), side.copysign(dy));
    } else if even {
        (dx, dy) = to_15_degrees(dx, dy);
    }
    let start = match centred {
        true => Point::new(from.x - dx, from.y - dy),
        false => from,
    };
    [start, Point::new(from.x + dx, from.y + dy)]
}

/// The next point of a polyline after `last`; `even` turns the piece to a multiple of 15°.
pub fn next_point(last: Point<Ink>, to: Point<Ink>, even: bool) -> Point<Ink> {
    if !even {
        return to;
    }
    let (dx, dy) = to_15_degrees(to.x - last.x, to.y - last.y);
    Point::new(last.x + dx, last.y + dy)
}

/// The projection of a vector onto the nearest multiple of 15°.
fn to_15_degrees(dx: f64, dy: f64) -> (f64, f64) {
    let step = PI / 12.0;
    let angle = (dy.atan2(dx) / step).round() * step;
    let length = dx * angle.cos() + dy * angle.sin();
    (length * angle.cos(), length * angle.sin())
}

/// What a shape measures between two points.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Measure {
    /// From one to the other, in units.
    pub length: f64,
    /// How far they are apart across and along, in units; never negative.
    pub width: f64,
    pub height: f64,
    /// Degrees above the horizontal, as a protractor shows them: 0 to the right, counted against the
    /// clock, 0 to 360.
    pub angle: f64,
}

/// ```
/// use bozzetto_core::geometry::frames::Point;
/// use bozzetto_core::marks::shape::measure;
/// let m = measure(Point::new(0.0, 0.0), Point::new(30.0, -40.0));
/// assert_eq!((m.length, m.width, m.height), (50.0, 30.0, 40.0));
/// assert!((m.angle - 53.13).abs() < 0.01);
/// ```
pub fn measure(a: Point<Ink>, b: Point<Ink>) -> Measure {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    Measure {
        length: dx.hypot(dy),
        width: dx.abs(),
        height: dy.abs(),
        angle: (-dy).atan2(dx).to_degrees().rem_euclid(360.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Held even, a line's angle is a multiple of 15° and a box is square, whichever way it is
        /// dragged; drawn from the centre, the centre stays where the pen went down.
        #[test]
        fn constraints_hold(x in -500.0..500.0f64, y in -500.0..500.0f64, centred: bool) {
            let (from, to) = (Point::new(10.0, 20.0), Point::new(x, y));
            let [a, b] = dragged(Figure::Arrow, from, to, true, centred);
            if a.distance(b) > 1e-6 {
                let off = measure(a, b).angle.rem_euclid(15.0);
                prop_assert!(off.min(15.0 - off) < 1e-6, "{off}");
            }
            let [a, b] = dragged(Figure::Oval, from, to, true, centred);
            prop_assert!((measure(a, b).width - measure(a, b).height).abs() < 1e-9);
            if centred {
                let middle = Point::new((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
                prop_assert!(middle.distance(from) < 1e-9);
            }
        }
    }

    /// Closed forms: the outline of a solid line covers length times width and a disc; dashes of 3
    /// widths with gaps of 2.5 cover their share; an arrow reaches its tip exactly.
    #[test]
    fn outlines_agree_with_closed_forms() {
        let area = |path: &Path| {
            let mut b = BezPath::new();
            let mut c = path
                .coords
                .chunks_exact(2)
                .map(|c| (f64::from(c[0]), f64::from(c[1])));
            for verb in &path.verbs {
                use crate::display::Verb;
                let mut p = || c.next().unwrap();
                match verb {
                    Verb::Move => b.move_to(p()),
                    Verb::Line => b.line_to(p()),
                    Verb::Quad => b.quad_to(p(), p()),
                    Verb::Cubic => b.curve_to(p(), p(), p()),
                    Verb::Close => b.close_path(),
                }
            }
            b.area().abs()
        };
        let line = Shape::new(
            Figure::Line,
            &[Point::new(0.0, 0.0), Point::new(110.0, 0.0)],
        );
        let solid = area(&line.outline(10.0, 0.0, Dash::Solid, 0.01));
        assert!((solid / (1100.0 + PI * 25.0) - 1.0).abs() < 1e-3, "{solid}");
        // Dashes begin at 0 and 55: two of 30, each with a disc's worth of ends.
        let dashed = area(&line.outline(10.0, 0.0, Dash::Dashed, 0.01));
        assert!(
            (dashed / (2.0 * (300.0 + PI * 25.0)) - 1.0).abs() < 1e-2,
            "{dashed}"
        );
        let arrow = Shape::new(
            Figure::Arrow,
            &[Point::new(0.0, 0.0), Point::new(110.0, 0.0)],
        );
        assert_eq!(
            arrow
                .outline(10.0, 0.0, Dash::Solid, 0.01)
                .bounds::<Ink>()
                .x1,
            110.0
        );
        let oval = Shape::new(
            Figure::Oval,
            &[Point::new(0.0, 0.0), Point::new(80.0, 60.0)],
        );
        assert!((area(&oval.inside().unwrap()) / (PI * 40.0 * 30.0) - 1.0).abs() < 1e-3);
        assert!(oval.distance(Point::new(40.0, 30.0), false) > 29.9);
        assert_eq!(oval.distance(Point::new(40.0, 30.0), true), 0.0);
    }
}
