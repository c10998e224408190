//! Strokes as somebody might have drawn them.

use bozzetto_core::geometry::frames::{Held, Ink, Map, Point};
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId};
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::swatch::ORIGINALS;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};

/// The first changes of a lesson: lines, each with the number of its swatch.
pub fn strokes(
    sheet: SheetId,
    to_held: Map<Ink, Held>,
    author: AuthorId,
    drawn: impl IntoIterator<Item = (usize, Vec<Point<Ink>>)>,
) -> Vec<(u64, Change)> {
    let change = |(seq, (swatch, line)): (u64, (usize, Vec<Point<Ink>>))| {
        let style = ORIGINALS[swatch].style();
        let width = f64::from(style.width);
        let points: Vec<InkPoint> = line.iter().map(|p| InkPoint::new(*p, width)).collect();
        let body = Body::Stroke(fit(&points).expect("there are points"));
        let mark = Mark::new(MarkId(seq), author, style, body, to_held, seq as i64);
        let steps = vec![Step {
            sheet,
            op: Op::Add(mark),
        }];
        let change = Change {
            id: ChangeId(seq),
            author,
            at: crate::now() as u64,
            what: What::Marks {
                deed: Deed::Do,
                steps,
            },
        };
        (seq, change)
    };
    (1..).zip(drawn).map(change).collect()
}

/// Points of a hand-like curve through a few places (Catmull and Rom).
pub fn curve(through: &[(f64, f64)]) -> Vec<Point<Ink>> {
    let at = |i: isize| through[i.clamp(0, through.len() as isize - 1) as usize];
    let mut points = Vec::new();
    for i in 0..through.len() as isize - 1 {
        let [p0, p1, p2, p3] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
        let blend = |a: f64, b: f64, c: f64, d: f64, t: f64| {
            0.5 * (2. * b
                + (c - a) * t
                + (2. * a - 5. * b + 4. * c - d) * t * t
                + (3. * b - a - 3. * c + d) * t * t * t)
        };
        for step in 0..12 {
            let t = f64::from(step) / 12.0;
            points.push(Point::new(
                blend(p0.0, p1.0, p2.0, p3.0, t),
                blend(p0.1, p1.1, p2.1, p3.1, t),
            ));
        }
    }
    points.extend(through.last().map(|(x, y)| Point::new(*x, *y)));
    points
}
