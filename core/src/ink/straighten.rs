//! A highlighter run along a line of text comes out straight.

use crate::geometry::frames::{Ink, Point};
use crate::ink::InkPoint;

/// How far the hand may stray to either side, as a share of the ink's width.
const STRAY: f64 = 0.3;
/// How long the run must at least be, in widths.
const LEAST: f64 = 2.0;
/// Lines of text are level: a run that is nearly so (5°) becomes so.
const LEVEL: f64 = 0.0875;

/// The straight run that a highlighter's stroke was meant to be: from end to end at the height that
/// the hand kept on average. `None` when it was not meant straight.
///
/// ```
/// use bozzetto_core::geometry::frames::Point;
/// use bozzetto_core::ink::InkPoint;
/// use bozzetto_core::ink::straighten::straightened;
/// let run: Vec<_> = (0..30).map(|i| {
///     let wobble = if i % 2 == 0 { 3.0 } else { -3.0 };
///     InkPoint::new(Point::new(f64::from(i) * 10.0, 200.0 + wobble), 36.0)
/// }).collect();
/// let [a, b] = straightened(&run).unwrap();
/// assert_eq!((a.position(), b.position()), (Point::new(0.0, 200.0), Point::new(290.0, 200.0)));
/// ```
pub fn straightened(points: &[InkPoint]) -> Option<[InkPoint; 2]> {
    let (first, last) = (points.first()?.position(), points.last()?.position());
    let width = points[0].radius() * 2.0;
    let (dx, dy) = (last.x - first.x, last.y - first.y);
    let length = dx.hypot(dy);
    if length < LEAST * width {
        return None;
    }
    let (ux, uy) = match dy.abs() <= LEVEL * dx.abs() {
        true => (dx.signum(), 0.0),
        false => (dx / length, dy / length),
    };
    let across = |p: Point<Ink>| (p.x - first.x) * -uy + (p.y - first.y) * ux;
    let mean = points.iter().map(|p| across(p.position())).sum::<f64>() / points.len() as f64;
    let strays = |p: &InkPoint| (across(p.position()) - mean).abs() > STRAY * width;
    if points.iter().any(strays) {
        return None;
    }
    let on = |p: Point<Ink>| {
        let along = (p.x - first.x) * ux + (p.y - first.y) * uy;
        let at = Point::new(
            first.x + along * ux - mean * uy,
            first.y + along * uy + mean * ux,
        );
        InkPoint::new(at, width)
    };
    Some([on(first), on(last)])
}
