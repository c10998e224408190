//! Which pixels of a worksheet ink covers: those whose centre lies in it, as runs along their rows.

use kurbo::{BezPath, PathEl};

use crate::display::Path;
use crate::geometry::frames::{Held, Map, Pixels, Size};

/// How many pixels the longer side of a worksheet has here: a pixel is about what a thin pen covers.
const FINE: f64 = 1920.0;
/// How far straight pieces may stray from a curve, in pixels.
const TOLERANCE: f64 = 0.25;

/// The pixels of a worksheet.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Grid {
    /// From the worksheet's units.
    pub to_pixels: Map<Held, Pixels>,
    pub width: u32,
    pub height: u32,
}

impl Grid {
    /// Those of a worksheet of this size.
    pub fn of(size: Size<Held>) -> Self {
        let scale = FINE / size.width.max(size.height).max(1e-9);
        let side = |v: f64| (v * scale).round().clamp(1.0, FINE) as u32;
        Self {
            to_pixels: Map::scale_then_move(scale, 0.0, 0.0),
            width: side(size.width),
            height: side(size.height),
        }
    }
}

/// Pixels of one row, from one to before another.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Span {
    pub row: u16,
    pub from: u16,
    pub to: u16,
}

impl Span {
    /// How many pixels.
    pub fn pixels(&self) -> u32 {
        u32::from(self.to - self.from)
    }
}

/// What of the grid lies in a path that is given in its pixels, filled by the non-zero rule: no pixel twice, from above.
///
/// Cost: as the rows that its edges cross, sorted.
pub fn spans(path: &Path, grid: &Grid) -> Vec<Span> {
    let (width, height) = (f64::from(grid.width), f64::from(grid.height));
    // Where edges cross the middle of rows, and whether downwards.
    let mut crossings: Vec<(u16, f64, i8)> = Vec::new();
    let mut edge = |a: kurbo::Point, b: kurbo::Point| {
        let (top, end, way) = if a.y < b.y { (a, b, 1) } else { (b, a, -1) };
        let first = (top.y - 0.5).ceil().max(0.0);
        let last = (end.y - 0.5).ceil().min(height);
        let by = (end.x - top.x) / (end.y - top.y);
        for row in first as u32..last.max(0.0) as u32 {
            let x = top.x + (f64::from(row) + 0.5 - top.y) * by;
            crossings.push((row as u16, x, way));
        }
    };
    let (mut start, mut at) = (kurbo::Point::ZERO, kurbo::Point::ZERO);
    kurbo::flatten(BezPath::from(path), TOLERANCE, |step| match step {
        PathEl::MoveTo(p) => {
            // An open part is filled as if it were closed.
            edge(at, start);
            (start, at) = (p, p);
        }
        PathEl::LineTo(p) => {
            edge(at, p);
            at = p;
        }
        PathEl::ClosePath => {
            edge(at, start);
            at = start;
        }
        PathEl::QuadTo(..) | PathEl::CurveTo(..) => {}
    });
    edge(at, start);
    crossings.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut spans: Vec<Span> = Vec::new();
    let mut winding = 0i32;
    for pair in crossings.windows(2) {
        let ((row, x0, way), (next, x1, _)) = (pair[0], pair[1]);
        winding += i32::from(way);
        if row != next {
            winding = 0;
            continue;
        }
        if winding == 0 {
            continue;
        }
        let pixel = |x: f64| (x - 0.5).ceil().clamp(0.0, width) as u16;
        let (from, to) = (pixel(x0), pixel(x1));
        match spans.last_mut() {
            Some(last) if last.row == row && last.to == from => last.to = to,
            _ if from < to => spans.push(Span { row, from, to }),
            _ => {}
        }
    }
    spans
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Shape;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is drawn, a pixel is in it just when the winding number of its centre is not zero. Outside reference:
        /// kurbo's winding numbers of the same straight pieces.
        #[test]
        fn pixels_are_those_whose_centres_are_inside(
            points in prop::collection::vec((-20.0..90.0f64, -20.0..70.0f64), 3..40), breaks in 2usize..9,
        ) {
            let mut path = Path::default();
            for (n, (x, y)) in points.iter().enumerate() {
                match n % breaks {
                    0 => path.move_to(*x, *y),
                    1 => path.line_to(*x, *y),
                    _ => path.quad_to(points[n - 1], (*x, *y)),
                }
            }
            path.close();
            let grid = Grid { to_pixels: Map::scale_then_move(1.0, 0.0, 0.0), width: 64, height: 48 };
            let found = spans(&path, &grid);
            let mut straight = BezPath::new();
            kurbo::flatten(BezPath::from(&path), TOLERANCE, |step| {
                if matches!(step, PathEl::MoveTo(_)) && !straight.elements().is_empty() {
                    straight.close_path();
                }
                straight.push(step);
            });
            let mut seen = vec![0; 64 * 48];
            for span in &found {
                for x in span.from..span.to {
                    seen[usize::from(span.row) * 64 + usize::from(x)] += 1;
                }
            }
            for y in 0..48 {
                for x in 0..64 {
                    let inside = straight.winding(kurbo::Point::new(f64::from(x) + 0.5, f64::from(y) + 0.5)) != 0;
                    prop_assert_eq!(seen[y as usize * 64 + x as usize], i32::from(inside), "{} {}", x, y);
                }
            }
        }
    }
}
