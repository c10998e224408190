//! Finding the marks that an eraser touches.

use crate::change::SheetId;
use crate::frames::{Glass, Held, Ink, Map, Point, Rect};
use crate::ids::MarkId;
use crate::ink::centreline::{distance_to_ink, flatten};
use crate::mark::{Body, Mark};
use crate::sheet::Sheets;

/// The marks of the sheets in view that an eraser of `radius` glass units touches on its way from
/// `from` to `to`, with the sheets that hold them. An eraser that moves fast leaves nothing out.
pub fn touched(
    sheets: &Sheets,
    in_view: &[(SheetId, Map<Held, Glass>)],
    from: Point<Glass>,
    to: Point<Glass>,
    radius: f64,
) -> Vec<(SheetId, MarkId)> {
    let swept = Rect::from_corners(from, to).inflate(radius);
    let mut found = Vec::new();
    for (sheet, view) in in_view {
        for mark in sheets.sheet(*sheet).marks() {
            if view.apply_rect(&mark.bounds()).intersects(&swept)
                && touches(mark, view, from, to, radius)
            {
                found.push((*sheet, mark.id));
            }
        }
    }
    found
}

fn touches(
    mark: &Mark,
    view: &Map<Held, Glass>,
    from: Point<Glass>,
    to: Point<Glass>,
    radius: f64,
) -> bool {
    let to_glass = mark.transform.then(view);
    let Some(to_ink) = to_glass.inverse() else {
        return false;
    };
    let Body::Stroke(points) = &mark.body;
    let nodes = flatten(&points.0);
    let (a, b): (Point<Ink>, Point<Ink>) = (to_ink.apply(from), to_ink.apply(to));
    let radius = radius * to_ink.mean_scale();
    // The path of the eraser in steps of a quarter of its radius.
    let steps = (a.distance(b) / (radius * 0.25)).ceil().clamp(1.0, 4096.0) as u32;
    (0..=steps).any(|i| {
        let t = f64::from(i) / f64::from(steps);
        let p = Point::new(a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t);
        distance_to_ink(&nodes, p) <= radius
    })
}
