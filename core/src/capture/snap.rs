//! A capture box whose edges snap to edges in the picture, and boxes proposed round what lies beneath a pointer.

use crate::geometry::frames::{Pixels, Point, Rect};
use crate::geometry::grip::{Grip, Side};

use super::edges::{Axis, CELL, Edges};
use super::trim::trim;

/// How much of a side of the box has to run along a line for it to snap there.
const ALONG: f64 = 0.6;
/// The shortest side that tells where it is meant to lie, in pixels.
const SHORTEST: f64 = 24.0;
/// What a line loses by being far away, against one that runs along more of the side.
const FAR: f64 = 0.3;
/// What it loses by going on past the ends of the side: a figure's own border ends there.
const GOES_ON: f64 = 0.5;
/// How wide a border is at the most that is a line, in pixels.
const BORDER_LINE: f64 = 3.0;
/// How much of each side of a proposed box has to be a line.
const BORDER: f64 = 0.8;
/// How much the corners of a border are rounded at the most, and how unlike both of its lines may be there, in pixels.
const ROUND: f64 = 28.0;
const UNLIKE: f64 = 4.0;
/// How far past a corner it is looked whether a line goes on, in pixels.
const PAST: f64 = 16.0;
/// The smallest box that is proposed, in pixels; and how much larger the next has to be, on one of its sides.
const SMALLEST: f64 = 40.0;
const LARGER: f64 = 8.0;
/// How many lines on each side of the pointer are looked at for borders.
const LOOKED_AT: usize = 40;
/// How far apart things lie that do not belong together, in pixels: what lies nearer is one figure.
const GAPS: [f64; 4] = [8.0, 16.0, 32.0, 48.0];

/// A box that has snapped, and the lines that it lies along: each with where it is, from and to.
#[derive(Clone, PartialEq, Debug)]
pub struct Snapped {
    pub area: Rect<Pixels>,
    pub lines: Vec<(Axis, f64, f64, f64)>,
}

/// What of a box may snap.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Moving {
    /// It is drawn anew: all of its sides.
    All,
    /// A hand moves it by this.
    By(Grip),
}

/// The box as two stretches: along x, along y.
type Stretches = [[f64; 2]; 2];

const AXES: [Axis; 2] = [Axis::Upright, Axis::Level];

fn stretches(r: &Rect<Pixels>) -> Stretches {
    [[r.x0, r.x1], [r.y0, r.y1]]
}

fn rect([[x0, x1], [y0, y1]]: Stretches) -> Rect<Pixels> {
    Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1))
}

/// The box with those of its sides that move snapped to lines within `reach` pixels. A box that is moved as a
/// whole keeps its size and snaps by one side of each direction.
pub fn snap(edges: &Edges, area: &Rect<Pixels>, moving: Moving, reach: f64) -> Snapped {
    let was = stretches(area);
    let mut now = was;
    let mut lines = Vec::new();
    for (i, axis) in AXES.into_iter().enumerate() {
        let across = was[1 - i];
        let sides: &[usize] = match moving {
            Moving::All | Moving::By(Grip::Inside) => &[0, 1],
            Moving::By(Grip::Edges { x, y }) => match if i == 0 { x } else { y } {
                Side::Low => &[0],
                Side::High => &[1],
                Side::Neither => &[],
            },
        };
        let found = sides.iter().filter_map(|side| {
            let out = if *side == 0 { -1.0 } else { 1.0 };
            let at = was[i][*side];
            let line = best(edges, axis, at, out, across, reach);
            // The picture itself ends somewhere, too.
            let end = [0.0, stretches(&Rect::of_size(edges.size()))[i][1]][*side];
            let (to, good) = line.or(((at - end).abs() <= reach).then_some((end, 0.0)))?;
            Some((*side, to, good))
        });
        if moving == Moving::By(Grip::Inside) {
            let Some((side, to, _)) = found.max_by(|a, b| a.2.total_cmp(&b.2)) else {
                continue;
            };
            let by = to - was[i][side];
            now[i] = now[i].map(|v| v + by);
            lines.push((axis, to, across[0], across[1]));
        } else {
            for (side, to, _) in found {
                now[i][side] = to;
                lines.push((axis, to, across[0], across[1]));
            }
        }
    }
    Snapped {
        area: rect(now),
        lines,
    }
}

/// The line that a side at `at`, from `across[0]` to `across[1]`, snaps to, and how good it is. `out` is which way is
/// out of the box: -1 or 1.
fn best(
    edges: &Edges,
    axis: Axis,
    at: f64,
    out: f64,
    across: [f64; 2],
    reach: f64,
) -> Option<(f64, f64)> {
    let long = across[1] - across[0];
    if long < SHORTEST {
        return None;
    }
    // Where the box ends is as uncertain as where it begins.
    let less = reach.min(long / 4.0);
    let along = |line| edges.covers(axis, line, across[0] + less, across[1] - less);
    let goes_on = |line| {
        let before = edges.covers(axis, line, across[0] - 2.5 * reach, across[0] - 1.1 * reach);
        let after = edges.covers(axis, line, across[1] + 1.1 * reach, across[1] + 2.5 * reach);
        (before + after) / 2.0
    };
    let near = edges.between(axis, at - reach, at + reach);
    let rated = near.filter_map(|line| {
        let along = along(line);
        let good = along - FAR * (line - at).abs() / reach - GOES_ON * goes_on(line);
        (along >= ALONG).then_some((line, good))
    });
    let (line, good) = rated.max_by(|a, b| a.1.total_cmp(&b.1))?;
    // A border that is a thin line has two edges: what it encloses goes to the outer one.
    let outer = line + out * BORDER_LINE;
    let (low, high) = (line.min(outer), line.max(outer));
    let outer = edges
        .between(axis, low, high)
        .filter(|l| along(*l) >= ALONG);
    let outermost = outer.max_by(|a, b| (a * out).total_cmp(&(b * out)));
    Some((outermost.unwrap_or(line), good))
}

/// The box of the figure at a place: of those that hold it, the smallest that is larger than `than`.
///
/// A figure has a border, or nothing round it.
pub fn propose(
    edges: &Edges,
    at: Point<Pixels>,
    than: Option<&Rect<Pixels>>,
) -> Option<Rect<Pixels>> {
    let whole = Rect::of_size(edges.size());
    if !whole.contains(at) {
        return None;
    }
    let mut found = bordered(edges, at);
    let together = GAPS.iter().filter_map(|gap| edges.together(at, *gap));
    found.extend(together.map(|r| trim(edges, &r.inflate(CELL as f64).intersection(&whole))));
    found.retain(|r| r.contains(at) && r.width() >= SMALLEST && r.height() >= SMALLEST);
    found.push(whole);
    let area = |r: &Rect<Pixels>| r.width() * r.height();
    let larger = |r: &Rect<Pixels>| {
        than.is_none_or(|t| {
            let out = [t.x0 - r.x0, t.y0 - r.y0, r.x1 - t.x1, r.y1 - t.y1];
            let further = out.iter().all(|o| *o >= -LARGER) && out.iter().any(|o| *o > LARGER);
            further && area(r) > area(t)
        })
    };
    found
        .into_iter()
        .filter(larger)
        .min_by(|a, b| area(a).total_cmp(&area(b)))
}

/// Boxes round a place whose four sides are lines.
fn bordered(edges: &Edges, at: Point<Pixels>) -> Vec<Rect<Pixels>> {
    let size = edges.size();
    let sides = |axis, v: f64, most: f64| {
        let low: Vec<f64> = edges.between(axis, 0.0, v).rev().collect();
        let high: Vec<f64> = edges.between(axis, v, most).collect();
        (low, high)
    };
    let crosses =
        |axis, v: &f64, through: f64| edges.covers(axis, *v, through - 1.0, through + 1.0) > 0.0;
    let (mut left, mut right) = sides(Axis::Upright, at.x, size.width);
    let (mut top, mut bottom) = sides(Axis::Level, at.y, size.height);
    for (lines, axis, through) in [
        (&mut left, Axis::Upright, at.y),
        (&mut right, Axis::Upright, at.y),
        (&mut top, Axis::Level, at.x),
        (&mut bottom, Axis::Level, at.x),
    ] {
        lines.retain(|v| crosses(axis, v, through));
        lines.truncate(LOOKED_AT);
    }
    let mut found = Vec::new();
    for y0 in &top {
        for y1 in &bottom {
            let stands = |x: &&f64| edges.covers(Axis::Upright, **x, *y0, *y1) >= BORDER;
            let right: Vec<&f64> = right.iter().filter(stands).collect();
            if right.is_empty() {
                continue;
            }
            for x0 in left.iter().filter(stands) {
                for x1 in &right {
                    let lies = |y: f64| edges.covers(Axis::Level, y, *x0, **x1) >= BORDER;
                    let area = rect([[*x0, **x1], [*y0, *y1]]);
                    if lies(*y0) && lies(*y1) && has_corners(edges, &area) {
                        found.push(area);
                    }
                }
            }
        }
    }
    found
}

/// Whether the lines of its sides meet at its corners and end there, or leave alike room for a rounding. Within a table
/// they go on.
fn has_corners(edges: &Edges, area: &Rect<Pixels>) -> bool {
    let xs = [(area.x0, area.x1), (area.x1, area.x0)];
    let ys = [(area.y0, area.y1), (area.y1, area.y0)];
    xs.iter().all(|(x, far_x)| {
        ys.iter().all(|(y, far_y)| {
            let level = edges.begins(Axis::Level, *y, *x, *far_x);
            let upright = edges.begins(Axis::Upright, *x, *y, *far_y);
            let ends = |axis, at: f64, corner: f64, far: f64| {
                let out = (corner - far).signum();
                let [a, b] = [corner + out * BORDER_LINE, corner + out * PAST];
                edges.covers(axis, at, a.min(b), a.max(b)) < 0.5
            };
            (level - upright).abs() <= UNLIKE
                && level <= ROUND
                && upright <= ROUND
                && ends(Axis::Level, *y, *x, *far_x)
                && ends(Axis::Upright, *x, *y, *far_y)
        })
    })
}
