//! Plain borders taken away from a capture box.

use crate::geometry::frames::{Pixels, Rect};

use super::edges::{Edges, differ};

/// How much the pixels of a plain border may differ, of 255: paper is never quite even.
const EVEN: u8 = 12;
/// How many of the pixels along a side may be specks.
const SPECKS: f64 = 0.005;

/// The box without the plain borders at its sides; each goes as far as it has the colour that it begins with. A
/// box that is plain throughout stays.
pub fn trim(edges: &Edges, area: &Rect<Pixels>) -> Rect<Pixels> {
    let whole = area.intersection(&Rect::of_size(edges.size()));
    let edge = |v: f64| v.round().max(0.0) as usize;
    let mut now = [
        [edge(whole.x0), edge(whole.x1)],
        [edge(whole.y0), edge(whole.y1)],
    ];
    for along in [1, 0] {
        for side in [0, 1] {
            let mut colour = None;
            while now[along][0] < now[along][1] {
                let at = now[along][side] - side;
                let of = plain(edges, along, at, now[1 - along]);
                match (of, colour) {
                    (Some(c), None) => colour = Some(c),
                    (Some(c), Some(first)) if differ(c, first) <= EVEN => {}
                    _ => break,
                }
                if side == 0 {
                    now[along][0] += 1;
                } else {
                    now[along][1] -= 1;
                }
            }
            if now[along][0] >= now[along][1] {
                return *area;
            }
        }
    }
    let [[x0, x1], [y0, y1]] = now.map(|s| s.map(|v| v as f64));
    Rect::from_size(x0, y0, x1 - x0, y1 - y0)
}

/// The colour of a row (`along` 1) or a column (0) of pixels between two others, if it has but one.
fn plain(edges: &Edges, along: usize, at: usize, between: [usize; 2]) -> Option<u32> {
    let pixel = |v: usize| {
        if along == 1 {
            edges.pixel(v, at)
        } else {
            edges.pixel(at, v)
        }
    };
    let colour = pixel((between[0] + between[1]) / 2)?;
    let may_be = ((between[1] - between[0]) as f64 * SPECKS) as usize;
    let all = (between[0]..between[1]).filter_map(pixel);
    let specks = all.filter(|p| differ(*p, colour) > EVEN).take(may_be + 1);
    (specks.count() <= may_be).then_some(colour)
}
