//! Finds the shape that a freehand line was meant to be.
//!
//! Each candidate is fitted by least squares, and taken only when the line stays close to it: the
//! root mean square distance must be below a share of the line's own size ([`CLOSE`]). Of those that
//! are close enough the simplest is offered: a line before an arrow, a circle before an ellipse, a
//! triangle and a box before an ellipse of the same quality.

use std::f64::consts::PI;

use crate::geometry::frames::{Ink, Point};
use crate::ink::InkPoint;
use crate::marks::shape::{Figure, Shape};

/// How far a line may stray from the shape that it is taken for: root mean square distance, as a
/// share of the line's diagonal.
pub const CLOSE: f64 = 0.045;

/// Shorter lines, in units, are not tidied: they are dots and letters.
const LEAST: f64 = 40.0;

/// How near, as a share of the whole length, the ends of a closed shape must come together.
const CLOSED: f64 = 0.18;

type P = (f64, f64);

/// The shape that a freehand line was meant to be, if there is one.
pub fn tidied(points: &[InkPoint]) -> Option<Shape> {
    let line = spread(points, 96)?;
    let (low, high) = line
        .iter()
        .fold(((f64::MAX, f64::MAX), (f64::MIN, f64::MIN)), |(l, h), p| {
            ((l.0.min(p.0), l.1.min(p.1)), (h.0.max(p.0), h.1.max(p.1)))
        });
    let diagonal = distance(low, high);
    if diagonal < LEAST {
        return None;
    }
    let length: f64 = line.windows(2).map(|w| distance(w[0], w[1])).sum();
    let gap = distance(line[0], line[line.len() - 1]);
    let closed = gap < CLOSED * length;
    if !closed {
        return straight(&line, diagonal).or_else(|| arrow(&line, diagonal));
    }
    let limit = CLOSE * diagonal;
    let round = circle(&line).filter(|c| c.off < limit);
    let corners = [triangle(&line), upright_box(&line, low, high)];
    let angular = corners
        .into_iter()
        .flatten()
        .filter(|f| f.off < limit)
        .min_by(|a, b| a.off.total_cmp(&b.off));
    let oval = ellipse(&line).filter(|e| e.off < limit);
    // A circle is an ellipse too: it is offered when it is nearly as close as the ellipse is.
    let curved = match (round, oval) {
        (Some(c), Some(e)) if c.off > e.off * 2.0 + limit * 0.25 => Some(e),
        (Some(c), _) => Some(c),
        (None, e) => e,
    };
    let best = match (curved, angular) {
        (Some(c), Some(a)) => Some(if c.off < a.off { c } else { a }),
        (c, a) => c.or(a),
    };
    best.map(|f| f.shape)
}

/// A candidate and its root mean square distance from the line.
struct Fit {
    shape: Shape,
    off: f64,
}

fn distance(a: P, b: P) -> f64 {
    (a.0 - b.0).hypot(a.1 - b.1)
}

fn shape(figure: Figure, points: &[P]) -> Shape {
    let points: Vec<Point<Ink>> = points.iter().map(|p| Point::new(p.0, p.1)).collect();
    Shape::new(figure, &points)
}

/// `n` places at equal distances along the line, so that where the hand was slow does not count
/// for more.
fn spread(points: &[InkPoint], n: usize) -> Option<Vec<P>> {
    let line: Vec<P> = points
        .iter()
        .map(|p| {
            let p = p.position();
            (p.x, p.y)
        })
        .collect();
    let whole: f64 = line.windows(2).map(|w| distance(w[0], w[1])).sum();
    if whole <= 0.0 {
        return None;
    }
    let step = whole / (n - 1) as f64;
    let mut out = vec![line[0]];
    let mut covered = 0.0;
    for w in line.windows(2) {
        let length = distance(w[0], w[1]);
        while out.len() < n && out.len() as f64 * step <= covered + length {
            let t = (out.len() as f64 * step - covered) / length;
            out.push((
                w[0].0 + (w[1].0 - w[0].0) * t,
                w[0].1 + (w[1].1 - w[0].1) * t,
            ));
        }
        covered += length;
    }
    if out.len() < n {
        out.push(line[line.len() - 1]);
    }
    Some(out)
}

/// The line of least squared distances (the principal axis), from end to end; with the root mean
/// square distance.
fn axis(line: &[P]) -> (P, P, f64) {
    let n = line.len() as f64;
    let (mx, my) = line
        .iter()
        .fold((0.0, 0.0), |s, p| (s.0 + p.0 / n, s.1 + p.1 / n));
    let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
    for p in line {
        let (dx, dy) = (p.0 - mx, p.1 - my);
        xx += dx * dx;
        xy += dx * dy;
        yy += dy * dy;
    }
    let angle = 0.5 * (2.0 * xy).atan2(xx - yy);
    let (ux, uy) = (angle.cos(), angle.sin());
    let across = |p: &P| (p.1 - my) * ux - (p.0 - mx) * uy;
    let off = (line.iter().map(|p| across(p).powi(2)).sum::<f64>() / n).sqrt();
    let on = |p: P| {
        let along = (p.0 - mx) * ux + (p.1 - my) * uy;
        (mx + along * ux, my + along * uy)
    };
    (on(line[0]), on(line[line.len() - 1]), off)
}

fn straight(line: &[P], diagonal: f64) -> Option<Shape> {
    let (a, b, off) = axis(line);
    let length: f64 = line.windows(2).map(|w| distance(w[0], w[1])).sum();
    // There and back again is no line.
    let direct = distance(a, b) > 0.9 * length;
    (off < CLOSE * diagonal && direct).then(|| shape(Figure::Line, &[a, b]))
}

/// A straight shaft, then back from its tip along a barb, and perhaps across to the other.
fn arrow(line: &[P], diagonal: f64) -> Option<Shape> {
    let start = line[0];
    let tip = (0..line.len())
        .max_by(|a, b| distance(start, line[*a]).total_cmp(&distance(start, line[*b])))?;
    if tip < line.len() / 2 || tip + 3 >= line.len() {
        return None;
    }
    let (a, b, off) = axis(&line[..=tip]);
    let shaft = distance(a, b);
    // The head stays near the tip, and leaves the shaft to a side.
    let head = &line[tip + 1..];
    let near = head.iter().all(|p| distance(*p, line[tip]) < 0.5 * shaft);
    let across = |p: &P| ((b.0 - a.0) * (p.1 - a.1) - (b.1 - a.1) * (p.0 - a.0)) / shaft;
    let wide = head.iter().map(across).fold(0.0f64, |m, v| m.max(v.abs()));
    let barbed = wide > 0.06 * shaft;
    (near && barbed && off < CLOSE * diagonal).then(|| shape(Figure::Arrow, &[a, b]))
}

/// The circle of least squared algebraic distances. Source: Kåsa, *A circle fitting procedure and its
/// error analysis*, IEEE Trans. Instrum. Meas. 25, 1976.
fn circle(line: &[P]) -> Option<Fit> {
    // x² + y² = 2 a x + 2 b y + c.
    let mut m = [[0.0; 4]; 3];
    for p in line {
        let row = [2.0 * p.0, 2.0 * p.1, 1.0];
        let right = p.0 * p.0 + p.1 * p.1;
        for (i, line) in m.iter_mut().enumerate() {
            for (j, cell) in line.iter_mut().take(3).enumerate() {
                *cell += row[i] * row[j];
            }
            line[3] += row[i] * right;
        }
    }
    let [a, b, c] = solve(m)?;
    let r = (c + a * a + b * b).sqrt();
    if !r.is_finite() {
        return None;
    }
    let off = rms(line.iter().map(|p| distance(*p, (a, b)) - r));
    let shape = shape(Figure::Oval, &[(a - r, b - r), (a + r, b + r)]);
    Some(Fit { shape, off })
}

/// The upright ellipse of least squared algebraic distances; its residual is measured along the
/// direction to its middle.
fn ellipse(line: &[P]) -> Option<Fit> {
    // A x² + B y² + C x + D y = 1, about the middle for accuracy.
    let n = line.len() as f64;
    let (mx, my) = line
        .iter()
        .fold((0.0, 0.0), |s, p| (s.0 + p.0 / n, s.1 + p.1 / n));
    let mut m = [[0.0; 5]; 4];
    for p in line {
        let (x, y) = (p.0 - mx, p.1 - my);
        let row = [x * x, y * y, x, y];
        for (i, line) in m.iter_mut().enumerate() {
            for (j, cell) in line.iter_mut().take(4).enumerate() {
                *cell += row[i] * row[j];
            }
            line[4] += row[i];
        }
    }
    let [a, b, c, d] = solve(m)?;
    if a <= 0.0 || b <= 0.0 {
        return None;
    }
    let (cx, cy) = (-c / (2.0 * a), -d / (2.0 * b));
    let k = 1.0 + a * cx * cx + b * cy * cy;
    let (rx, ry) = ((k / a).sqrt(), (k / b).sqrt());
    let (cx, cy) = (cx + mx, cy + my);
    let off = rms(line.iter().map(|p| {
        let (x, y) = (p.0 - cx, p.1 - cy);
        let t = ((x / rx).powi(2) + (y / ry).powi(2)).sqrt();
        x.hypot(y) * (1.0 - 1.0 / t.max(1e-9))
    }));
    let shape = shape(Figure::Oval, &[(cx - rx, cy - ry), (cx + rx, cy + ry)]);
    off.is_finite().then_some(Fit { shape, off })
}

/// The upright box: each side where the points next to it are on average.
fn upright_box(line: &[P], low: P, high: P) -> Option<Fit> {
    let (w, h) = (high.0 - low.0, high.1 - low.1);
    if w.min(h) < 0.08 * w.max(h) {
        return None;
    }
    // The side that each point is nearest to, in turn: left, right, top, bottom.
    let mut sides = [(0.0, 0u32); 4];
    for p in line {
        let to = [p.0 - low.0, high.0 - p.0, p.1 - low.1, high.1 - p.1];
        let nearest = (0..4).min_by(|a, b| to[*a].total_cmp(&to[*b]))?;
        let value = if nearest < 2 { p.0 } else { p.1 };
        sides[nearest].0 += value;
        sides[nearest].1 += 1;
    }
    if sides.iter().any(|s| s.1 == 0) {
        return None;
    }
    let [x0, x1, y0, y1] = sides.map(|(sum, n)| sum / f64::from(n));
    let corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)];
    let off = rms(line.iter().map(|p| to_polygon(*p, &corners)));
    let shape = shape(Figure::Box, &[(x0, y0), (x1, y1)]);
    Some(Fit { shape, off })
}

/// The triangle whose sides are the lines of least squares between three corners of the line.
fn triangle(line: &[P]) -> Option<Fit> {
    // Corners: the two places furthest apart, and the one furthest from the line between them.
    let n = line.len();
    let mut best = (0, 0, 0.0);
    for i in 0..n {
        for j in i + 1..n {
            let d = distance(line[i], line[j]);
            if d > best.2 {
                best = (i, j, d);
            }
        }
    }
    let (i, j, base) = best;
    let off_base = |k: usize| {
        let (a, b, p) = (line[i], line[j], line[k]);
        ((b.0 - a.0) * (p.1 - a.1) - (b.1 - a.1) * (p.0 - a.0)).abs() / base
    };
    let k = (0..n).max_by(|a, b| off_base(*a).total_cmp(&off_base(*b)))?;
    if off_base(k) < 0.15 * base {
        return None;
    }
    let mut at = [i, j, k];
    at.sort_unstable();
    // Each side's own line, away from the rounded corners; the corners are where these meet.
    let side = |from: usize, to: usize| -> Option<(P, P)> {
        let count = (to + n - from) % n;
        let trim = count / 6;
        let points: Vec<P> = (from + trim..=from + count - trim)
            .map(|q| line[q % n])
            .collect();
        (points.len() >= 3).then(|| {
            let (a, b, _) = axis(&points);
            (a, b)
        })
    };
    let sides = [
        side(at[0], at[1])?,
        side(at[1], at[2])?,
        side(at[2], at[0])?,
    ];
    let corners = [
        meet(sides[2], sides[0])?,
        meet(sides[0], sides[1])?,
        meet(sides[1], sides[2])?,
    ];
    let off = rms(line.iter().map(|p| to_polygon(*p, &corners)));
    Some(Fit {
        shape: shape(Figure::Polygon, &corners),
        off,
    })
}

fn rms(distances: impl Iterator<Item = f64>) -> f64 {
    let (sum, n) = distances.fold((0.0, 0u32), |(s, n), d| (s + d * d, n + 1));
    (sum / f64::from(n.max(1))).sqrt()
}

fn to_polygon(p: P, corners: &[P]) -> f64 {
    let point = |p: P| Point::<Ink>::new(p.0, p.1);
    (0..corners.len())
        .map(|i| {
            let (a, b) = (corners[i], corners[(i + 1) % corners.len()]);
            let t = crate::ink::centreline::nearest_on_segment(point(a), point(b), point(p));
            distance(p, (a.0 + (b.0 - a.0) * t, a.1 + (b.1 - a.1) * t))
        })
        .fold(f64::INFINITY, f64::min)
}

/// Where two lines meet.
fn meet((a, b): (P, P), (c, d): (P, P)) -> Option<P> {
    let (ux, uy, vx, vy) = (b.0 - a.0, b.1 - a.1, d.0 - c.0, d.1 - c.1);
    let cross = ux * vy - uy * vx;
    if cross.abs() < (PI / 60.0).sin() * ux.hypot(uy) * vx.hypot(vy) {
        return None;
    }
    let t = ((c.0 - a.0) * vy - (c.1 - a.1) * vx) / cross;
    Some((a.0 + ux * t, a.1 + uy * t))
}

/// Gauss's elimination with the largest pivot; the last column is the right side.
fn solve<const N: usize, const M: usize>(mut m: [[f64; M]; N]) -> Option<[f64; N]> {
    for col in 0..N {
        let pivot = (col..N).max_by(|a, b| m[*a][col].abs().total_cmp(&m[*b][col].abs()))?;
        m.swap(col, pivot);
        let top = m[col];
        if top[col].abs() < 1e-12 {
            return None;
        }
        for (row, line) in m.iter_mut().enumerate() {
            if row != col {
                let f = line[col] / top[col];
                for (cell, above) in line.iter_mut().zip(top).skip(col) {
                    *cell -= f * above;
                }
            }
        }
    }
    let mut x = [0.0; N];
    for (i, line) in m.iter().enumerate() {
        x[i] = line[M - 1] / line[i];
    }
    Some(x)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A hand that wavers by up to `tremble` units, several times along the line.
    fn drawn(line: &[P], tremble: f64, seed: u64) -> Vec<InkPoint> {
        let phase = |k: u64| (seed >> (k * 8) & 255) as f64;
        let waver = |i: f64, k: u64| {
            0.6 * (i * 0.31 + phase(k)).sin() + 0.4 * (i * 0.83 + phase(k + 1)).sin()
        };
        (0..)
            .zip(line)
            .map(|(i, p)| {
                let i = f64::from(i);
                let at = Point::new(p.0 + tremble * waver(i, 0), p.1 + tremble * waver(i, 2));
                InkPoint::new(at, 4.0)
            })
            .collect()
    }

    fn along(corners: &[P]) -> Vec<P> {
        corners
            .windows(2)
            .flat_map(|w| {
                (0..30).map(move |i| {
                    let t = f64::from(i) / 30.0;
                    (
                        w[0].0 + (w[1].0 - w[0].0) * t,
                        w[0].1 + (w[1].1 - w[0].1) * t,
                    )
                })
            })
            .chain(corners.last().copied())
            .collect()
    }

    fn around(cx: f64, cy: f64, rx: f64, ry: f64) -> Vec<P> {
        (0..=90)
            .map(|i| {
                let a = f64::from(i) * 4.0_f64.to_radians();
                (cx + rx * a.cos(), cy + ry * a.sin())
            })
            .collect()
    }

    proptest! {
        /// What a trembling hand draws is recognised, and its measures are found to within the
        /// tremble.
        #[test]
        fn shapes_are_found_with_their_measures(seed: u64, x in 100.0..900.0f64, y in 100.0..900.0f64, s in 60.0..300.0f64) {
            let t = s * 0.02;
            let found = |line: &[P]| tidied(&drawn(line, t, seed));
            let line = found(&along(&[(x, y), (x + s, y + s / 2.0)])).unwrap();
            prop_assert_eq!(line.figure, Figure::Line);
            prop_assert!(line.positions()[1].distance(Point::new(x + s, y + s / 2.0)) < 3.0 * t);

            let round = found(&around(x, y, s, s)).unwrap();
            prop_assert_eq!(round.figure, Figure::Oval);
            let r = (round.positions()[1].x - round.positions()[0].x) / 2.0;
            prop_assert!((r - s).abs() < t && (round.positions()[1].y - round.positions()[0].y - 2.0 * r).abs() < 1.0);

            let oval = found(&around(x, y, s, s * 0.5)).unwrap();
            prop_assert_eq!(oval.figure, Figure::Oval);
            prop_assert!((oval.positions()[1].y - y - s * 0.5).abs() < 2.0 * t);

            let b = found(&along(&[(x, y), (x + s, y), (x + s, y + s * 0.7), (x, y + s * 0.7), (x, y)])).unwrap();
            prop_assert_eq!(b.figure, Figure::Box);
            prop_assert!(b.positions()[1].distance(Point::new(x + s, y + s * 0.7)) < 2.0 * t);

            let tri = found(&along(&[(x, y), (x + s, y + s * 0.3), (x + s * 0.2, y + s), (x, y)])).unwrap();
            prop_assert_eq!(tri.figure, Figure::Polygon);
            for corner in [(x, y), (x + s, y + s * 0.3), (x + s * 0.2, y + s)] {
                let near = tri.positions().iter().map(|p| p.distance(Point::new(corner.0, corner.1))).fold(f64::INFINITY, f64::min);
                prop_assert!(near < 5.0 * t, "{near}");
            }

            let arrow = found(&along(&[(x, y), (x + s, y), (x + s * 0.8, y - s * 0.15), (x + s, y), (x + s * 0.8, y + s * 0.15)])).unwrap();
            prop_assert_eq!(arrow.figure, Figure::Arrow);
            prop_assert!(arrow.positions()[1].distance(Point::new(x + s, y)) < 4.0 * t);
        }
    }

    /// Writing, a spiral and a zigzag are left as they are.
    #[test]
    fn what_is_no_shape_is_left_alone() {
        let wave: Vec<P> = (0..100)
            .map(|i| (f64::from(i) * 4.0, (f64::from(i) * 0.3).sin() * 40.0))
            .collect();
        let spiral: Vec<P> = (0..200)
            .map(|i| {
                let a = f64::from(i) * 0.1;
                (200.0 + a * 8.0 * a.cos(), 200.0 + a * 8.0 * a.sin())
            })
            .collect();
        let zigzag = along(&[
            (0.0, 0.0),
            (50.0, 90.0),
            (100.0, 0.0),
            (150.0, 90.0),
            (200.0, 0.0),
        ]);
        for line in [&wave, &spiral, &zigzag] {
            assert_eq!(tidied(&drawn(line, 0.5, 7)), None);
        }
    }
}
