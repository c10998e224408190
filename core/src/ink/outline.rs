//! The outline of a stroke: the path that is filled to show it.
//!
//! A stroke is the union of pieces that are each easy to get right, all wound the same way, so that
//! the non-zero rule fills their union without holes or seams: a ribbon along every stretch that
//! bends gently, and a disc wherever it does not (at the ends, at corners, where the line turns more
//! tightly than it is wide, and where its width changes at once).

use std::f64::consts::{PI, TAU};

use super::InkPoint;
use super::centreline::{Node, flatten_run};
use crate::display::Path;
use crate::geometry::frames::length;
use crate::ink::tip::Tip;

/// How far a polygon may stray from the disc that it stands for, in units.
const TOLERANCE: f64 = 0.06;

/// Joints that turn further than by the angle of this cosine (25°) get a disc.
const SHARP: f64 = 0.906;

/// Joints where the half width changes faster than by this share of the way get a disc: a ribbon, cut
/// square to the line, would leave out what lies behind a pen that is pressed down at once.
const STEEP: f64 = 0.3;

/// The outline of the ink along `points`, in [`crate::geometry::frames::Ink`] units.
pub fn outline(points: &[InkPoint], tip: Tip) -> Path {
    outline_run(points, tip, true, true)
}

/// The outline of a run of a longer stroke: see [`flatten_run`].
pub fn outline_run(points: &[InkPoint], tip: Tip, has_start: bool, has_end: bool) -> Path {
    outline_of(&flatten_run(points, has_start, has_end), tip)
}

/// The outline of the ink along straight pieces.
pub fn outline_of(nodes: &[Node], tip: Tip) -> Path {
    match tip {
        Tip::Round | Tip::Rimmed => round(nodes),
        Tip::Flat => flat(nodes),
    }
}

/// What lies beneath ink along straight pieces and reaches `wide` beyond it.
pub fn rim_of(nodes: &[Node], wide: f64) -> Path {
    let wider = |node: &Node| Node {
        radius: node.radius + wide,
        ..*node
    };
    round(&nodes.iter().map(wider).collect::<Vec<_>>())
}

fn round(nodes: &[Node]) -> Path {
    let mut path = Path::default();
    let Some((first, last)) = nodes.first().zip(nodes.last()) else {
        return path;
    };
    disc(&mut path, first);
    let directions: Vec<Dir> = nodes.windows(2).map(Dir::between).collect();
    let across = &mut Vec::with_capacity(nodes.len());
    let mut start = 0;
    for joint in 1..directions.len() {
        if !gentle(
            nodes[joint].radius,
            directions[joint - 1],
            directions[joint],
        ) {
            ribbon(&mut path, across, nodes, &directions, (start, joint));
            disc(&mut path, &nodes[joint]);
            start = joint;
        }
    }
    if !directions.is_empty() {
        let end = directions.len();
        ribbon(&mut path, across, nodes, &directions, (start, end));
        disc(&mut path, last);
    }
    path
}

/// The unit vector along a piece, the piece's length, and how its half width grows along it.
#[derive(Clone, Copy)]
pub(crate) struct Dir {
    x: f64,
    y: f64,
    length: f64,
    grows: f64,
}

impl Dir {
    pub(crate) fn between(w: &[Node]) -> Self {
        let (dx, dy) = (w[1].at.x - w[0].at.x, w[1].at.y - w[0].at.y);
        let length = length(dx, dy);
        Self {
            x: dx / length,
            y: dy / length,
            length,
            grows: (w[1].radius - w[0].radius) / length,
        }
    }
}

/// Whether the ribbon can pass the joint without folding over itself: the inner edge loses
/// r tan(θ/2) to the turn on either side, and each piece can give half of itself.
pub(crate) fn gentle(radius: f64, a: Dir, b: Dir) -> bool {
    let (sine, cosine) = ((a.x * b.y - a.y * b.x).abs(), a.x * b.x + a.y * b.y);
    // tan(θ/2) = sin θ / (1 + cos θ)
    let steady = a.grows.abs().max(b.grows.abs()) <= STEEP;
    steady && cosine > SHARP && radius * sine <= 0.5 * a.length.min(b.length) * (1.0 + cosine)
}

/// The ribbon from node `from` to node `to`, both sides at the ink's half width. `across` is room to
/// work in.
fn ribbon(
    path: &mut Path,
    across: &mut Vec<(f64, f64)>,
    nodes: &[Node],
    directions: &[Dir],
    (from, to): (usize, usize),
) {
    across.clear();
    across.extend((from..=to).map(|i| {
        let before = directions[if i > from { i - 1 } else { i }];
        let after = directions[if i < to { i } else { i - 1 }];
        let (nx, ny) = (-(before.y + after.y), before.x + after.x);
        let r = nodes[i].radius / length(nx, ny);
        (nx * r, ny * r)
    }));
    let side = |sign: f64| {
        let beside = move |(n, d): (&Node, &(f64, f64))| (n.at.x + sign * d.0, n.at.y + sign * d.1);
        nodes[from..=to].iter().zip(&*across).map(beside)
    };
    path.polygon(side(1.0).chain(side(-1.0).rev()));
}

/// How many points the polygon has that stands for a disc: 8 at least, 287 at a radius of 1000 units.
pub(crate) fn disc_points(radius: f64) -> usize {
    (PI / (1.0 - (TOLERANCE / radius).min(0.5)).acos())
        .ceil()
        .max(8.0) as usize
}

/// A disc, wound like the ribbons: its angle runs downwards.
fn disc(path: &mut Path, node: &Node) {
    let steps = disc_points(node.radius);
    // Each point is the one before it, turned: sines are dear where there is no instruction for them.
    let (sin, cos) = (-TAU / steps as f64).sin_cos();
    let (mut x, mut y) = (node.radius, 0.0);
    path.polygon((0..steps).map(|_| {
        let at = (node.at.x + x, node.at.y + y);
        (x, y) = (x * cos - y * sin, x * sin + y * cos);
        at
    }));
}

/// A highlighter's nib: upright, as high as the ink is wide and a third as broad, corners cut. Along
/// each piece it sweeps the convex hull of itself at both ends.
fn flat(nodes: &[Node]) -> Path {
    let mut path = Path::default();
    if let [only] = nodes {
        path.polygon(nib(only.radius).map(|(x, y)| (only.at.x + x, only.at.y + y)));
    }
    for w in nodes.windows(2) {
        sweep(&mut path, &w[0], &w[1]);
    }
    path
}

/// The nib around its middle, in the order of growing angle.
fn nib(radius: f64) -> [(f64, f64); 8] {
    let (h, w) = (radius, radius / 3.0);
    let c = w * 0.6;
    [
        (w, -h + c),
        (w, h - c),
        (w - c, h),
        (c - w, h),
        (-w, h - c),
        (-w, c - h),
        (c - w, -h),
        (w - c, -h),
    ]
}

/// Edges that face forwards belong to the far end, those that face backwards to the near one; where
/// the two meet, both ends have a corner.
fn sweep(path: &mut Path, a: &Node, b: &Node) {
    let nib = nib(a.radius.max(b.radius));
    let (dx, dy) = (b.at.x - a.at.x, b.at.y - a.at.y);
    let forward = |i: usize| {
        let (p, q) = (nib[i % 8], nib[(i + 1) % 8]);
        (q.1 - p.1) * dx - (q.0 - p.0) * dy > 0.0
    };
    let mut hull = Vec::with_capacity(10);
    for (i, (x, y)) in nib.iter().enumerate() {
        let (before, after) = (forward(i + 7), forward(i));
        let mut corner = |end: &Node| hull.push((end.at.x + x, end.at.y + y));
        corner(if before { b } else { a });
        if before != after {
            corner(if after { b } else { a });
        }
    }
    path.polygon(hull);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::display::Verb;
    use crate::geometry::frames::Point;
    use crate::ink::centreline::flatten;
    use proptest::prelude::*;

    /// The winding number of `path` around a point, by crossings of a ray.
    fn winding(path: &Path, x: f64, y: f64) -> i32 {
        let mut n = 0;
        let (mut first, mut last, mut i) = ((0.0, 0.0), (0.0, 0.0), 0);
        let mut edge = |a: (f64, f64), b: (f64, f64)| {
            let up = a.1 <= y && b.1 > y;
            let down = b.1 <= y && a.1 > y;
            if up || down {
                let cross = a.0 + (y - a.1) / (b.1 - a.1) * (b.0 - a.0);
                if cross > x {
                    n += if up { 1 } else { -1 };
                }
            }
        };
        for verb in &path.verbs {
            let p = |i: usize| (f64::from(path.coords[i]), f64::from(path.coords[i + 1]));
            match verb {
                Verb::Move => (first, last) = (p(i), p(i)),
                Verb::Line => {
                    edge(last, p(i));
                    last = p(i);
                }
                Verb::Close => edge(last, first),
                _ => unreachable!("outlines are polygons"),
            }
            i += verb.points() * 2;
        }
        n
    }

    fn stroke(points: &[(f64, f64, f64)]) -> Vec<InkPoint> {
        points
            .iter()
            .map(|(x, y, w)| InkPoint::new(Point::new(*x, *y), *w))
            .collect()
    }

    proptest! {
        /// Whatever the hand does, the outline covers what a disc of the ink's width would cover
        /// when it is pushed along the line, and nothing beyond; and no winding cancels another.
        #[test]
        fn covers_exactly_what_a_round_tip_sweeps(
            points in prop::collection::vec((0.0..200.0f64, 0.0..200.0f64, 1.0..40.0f64), 1..12),
            probes in prop::collection::vec((-30.0..230.0f64, -30.0..230.0f64), 60),
        ) {
            let points = stroke(&points);
            let nodes = flatten(&points);
            let path = outline(&points, Tip::Round);
            for (x, y) in probes {
                let swept = nodes.windows(2).flat_map(|w| (0..=40).map(move |i| {
                    let t = f64::from(i) / 40.0;
                    (w[0].at.x + t * (w[1].at.x - w[0].at.x), w[0].at.y + t * (w[1].at.y - w[0].at.y),
                     w[0].radius + t * (w[1].radius - w[0].radius))
                })).chain(nodes.first().map(|n| (n.at.x, n.at.y, n.radius)))
                .map(|(cx, cy, r)| (x - cx).hypot(y - cy) - r).fold(f64::INFINITY, f64::min);
                // Ribbons are cut square to the line and widths change along it: a unit either way.
                let w = winding(&path, x, y);
                prop_assert!(w <= 0, "a piece is wound the wrong way");
                if swept < -1.5 { prop_assert!(w != 0, "hole at {x},{y}: {swept}"); }
                if swept > 1.5 { prop_assert!(w == 0, "ink outside at {x},{y}: {swept}"); }
            }
        }
    }

    /// Closed forms: a dot is a disc, a straight run is a rectangle and a disc; a flat tip pulled
    /// sideways covers a band exactly as high as the ink is wide.
    #[test]
    fn areas_agree_with_closed_forms() {
        let covered = |path: &Path| {
            let step = 0.25;
            let mut n = 0u32;
            for i in 0..800 {
                for j in 0..400 {
                    n += u32::from(
                        winding(path, f64::from(i) * step - 50.0, f64::from(j) * step - 50.0) != 0,
                    );
                }
            }
            f64::from(n) * step * step
        };
        let dot = covered(&outline(&stroke(&[(0.0, 0.0, 40.0)]), Tip::Round));
        assert!((dot / (PI * 400.0) - 1.0).abs() < 0.01, "{dot}");
        let run = covered(&outline(
            &stroke(&[(0.0, 0.0, 20.0), (50.0, 0.0, 20.0), (100.0, 0.0, 20.0)]),
            Tip::Round,
        ));
        assert!((run / (2000.0 + PI * 100.0) - 1.0).abs() < 0.01, "{run}");
        let band = outline(&stroke(&[(0.0, 0.0, 30.0), (80.0, 0.0, 30.0)]), Tip::Flat);
        let bounds = band.bounds::<crate::geometry::frames::Ink>();
        assert_eq!((bounds.y0, bounds.y1), (-15.0, 15.0));
        assert!(winding(&band, 40.0, 14.9) != 0 && winding(&band, 40.0, 15.1) == 0);
    }
}
