//! The straight lines on the picture: those of shapes.

use crate::geometry::frames::Point;
use crate::instruments::nearby::Segment;
use crate::marks::mark::{Body, Mark};
use crate::sheets::sheet::Sheets;
use crate::stage::pane::InView;

/// How long a line has to be at least, in glass units.
const SHORTEST: f64 = 40.0;
/// The most lines that are looked at.
const MOST: usize = 2000;

/// All straight lines of the shapes in view. Cost: once through the marks in view.
pub fn segments(sheets: &Sheets, in_view: &[InView]) -> Vec<Segment> {
    let mut all = Vec::new();
    for seen in in_view {
        for mark in sheets.sheet(seen.sheet).marks() {
            let lines = straight(mark, seen);
            all.extend(lines.filter(|[a, b]| a.distance(*b) >= SHORTEST));
        }
    }
    all.truncate(MOST);
    all
}

fn straight(mark: &Mark, seen: &InView) -> impl Iterator<Item = Segment> {
    let line = match &mark.body {
        Body::Shape(shape) => Some(shape.line()),
        _ => None,
    };
    let to_glass = mark.transform.then(&seen.view);
    let on_glass = move |p: kurbo::Point| to_glass.apply(Point::new(p.x, p.y));
    let pieces = line.map(|line| line.segments().collect::<Vec<_>>());
    pieces
        .into_iter()
        .flatten()
        .filter_map(move |piece| match piece {
            kurbo::PathSeg::Line(line) => Some([on_glass(line.p0), on_glass(line.p1)]),
            _ => None,
        })
}
