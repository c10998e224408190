//! Fits the fewest cubic curves to a stroke that stay within a tolerance of it.
//!
//! What is fitted is the smooth line that was shown while the stroke was wet (see
//! [`super::centreline`]), so nothing jumps when it dries. The method is Schneider's: least squares
//! for the lengths of the two end tangents, parameters improved by Newton's method, and a split
//! where the line strays furthest. Source: P. J. Schneider, *An Algorithm for Automatically Fitting
//! Digitized Curves*, Graphics Gems, 1990. Long strokes are cut into windows first, so that the work
//! grows with their length and no faster.

use super::centreline::Node;
use super::curve::{Cubic, Curve};
use super::points::InkPoint;
use crate::geometry::frames::{Ink, Point, length};

/// How far a fitted stroke may stray from the line that was drawn, in units: less than a fifth of a
/// pixel on a stage 1280 pixels wide.
pub const TOLERANCE: f64 = 0.25;

/// How far half the width may be off, in units.
const WIDTH_TOLERANCE: f64 = 0.2;

/// How many samples are fitted in one go at most.
const WINDOW: usize = 40;

/// What rounding to 1/64 unit, and what lies between the samples, may add.
const ROUNDING: f64 = 0.04;

/// Up to how many samples are few.
const FEW: usize = 8;

/// The cosine of how far (35°) neighbouring samples under one curve may differ in direction.
const SHARP: f64 = 0.82;

/// A sample of the line: where it is, its direction, its radius, and how long the line is up to it.
#[derive(Clone, Copy)]
struct Sample {
    at: (f64, f64),
    towards: (f64, f64),
    radius: f64,
    length: f64,
    /// The control point of the quadratic curve that leads here from the sample before.
    control: (f64, f64),
}

/// The stroke through `points` as a finished curve, within [`TOLERANCE`]. `None` for no points.
pub fn fit(points: &[InkPoint]) -> Option<Curve> {
    fit_within(points, TOLERANCE - ROUNDING)
}

/// As [`fit`], with another tolerance, in units.
pub fn fit_within(points: &[InkPoint], tolerance: f64) -> Option<Curve> {
    let start = *points.first()?;
    let samples = sample(points);
    let mut pieces = Vec::with_capacity(samples.len() / 8 + 1);
    let mut fitter = Fitter {
        samples: &samples,
        tolerance,
        t: Vec::with_capacity(WINDOW),
        pieces: &mut pieces,
    };
    let mut from = 0;
    while from + 1 < samples.len() {
        let mut to = (from + WINDOW).min(samples.len() - 1);
        // A short rest is shared with the window before it.
        let rest = samples.len() - 1 - to;
        if rest > 0 && rest < WINDOW / 2 {
            to = from + (samples.len() - 1 - from) / 2;
        }
        fitter.window(from, to);
        from = to;
    }
    Some(Curve {
        start,
        pieces: pieces.iter().map(Cubic::piece).collect(),
    })
}

/// Two samples to a point: where pieces of the line meet, and their middles. The line is a uniform
/// quadratic B-spline, of which places and directions are known exactly.
fn sample(points: &[InkPoint]) -> Vec<Sample> {
    let mut samples: Vec<Sample> = Vec::with_capacity(points.len() * 2 + 2);
    let node = |p: InkPoint| (p.position(), p.radius());
    let mut push = |at: (f64, f64), towards: (f64, f64), radius: f64, control: (f64, f64)| {
        let along = match samples.last() {
            Some(last) => {
                let step = length(at.0 - last.at.0, at.1 - last.at.1);
                if step < 1e-6 {
                    return;
                }
                last.length + step
            }
            None => 0.0,
        };
        let size = length(towards.0, towards.1);
        let towards = if size > 0.0 {
            (towards.0 / size, towards.1 / size)
        } else {
            (1.0, 0.0)
        };
        samples.push(Sample {
            at,
            towards,
            radius,
            length: along,
            control,
        });
    };
    let halfway = |a: (f64, f64), b: (f64, f64)| ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
    let Some(first) = points.first() else {
        return samples;
    };
    let (p, r) = node(*first);
    let second = points.get(1).map_or((1.0, 0.0), |q| {
        let q = q.position();
        (q.x - p.x, q.y - p.y)
    });
    push((p.x, p.y), second, r, (p.x, p.y));
    let mut control = None;
    for step in points.windows(3) {
        let [(a, ra), (b, rb), (c, rc)] = [node(step[0]), node(step[1]), node(step[2])];
        let (a, b, c) = ((a.x, a.y), (b.x, b.y), (c.x, c.y));
        let (m, n) = (halfway(a, b), halfway(b, c));
        let from = control.unwrap_or(halfway(a, m));
        push(m, (b.0 - a.0, b.1 - a.1), (ra + rb) / 2.0, from);
        // The middle of the piece from m over b to n.
        let apex = halfway(halfway(m, b), halfway(b, n));
        let radius = ra / 8.0 + rb * 0.75 + rc / 8.0;
        push(apex, (c.0 - a.0, c.1 - a.1), radius, halfway(m, b));
        // The second half of the piece, and the straight half that ends the stroke.
        control = Some(halfway(b, n));
    }
    if let [.., a, b] = points {
        let ((a, ra), (b, rb)) = (node(*a), node(*b));
        let (a, b) = ((a.x, a.y), (b.x, b.y));
        let (m, d) = (halfway(a, b), (b.0 - a.0, b.1 - a.1));
        push(m, d, (ra + rb) / 2.0, control.unwrap_or(halfway(a, m)));
        push(b, d, rb, halfway(m, b));
    }
    samples
}

struct Fitter<'a> {
    samples: &'a [Sample],
    tolerance: f64,
    /// Parameters of the samples between the two ends that are being fitted.
    t: Vec<f64>,
    pieces: &'a mut Vec<Cubic>,
}

/// How far a try was off, and where the most.
struct Off {
    by: f64,
    at: usize,
}

impl Fitter<'_> {
    /// Fits the samples from `from` to `to` with one curve or, where one does not do, with more.
    fn window(&mut self, from: usize, to: usize) {
        let cubic = self.best(from, to);
        match cubic {
            Ok(cubic) => self.pieces.push(cubic),
            Err(split) => {
                self.window(from, split);
                self.window(split, to);
            }
        }
    }

    fn best(&mut self, from: usize, to: usize) -> Result<Cubic, usize> {
        let (a, b) = (self.samples[from], self.samples[to]);
        let radii = [a.radius, b.radius];
        if to == from + 1 {
            // One piece of the line: a quadratic curve, which a cubic repeats exactly.
            let q = b.control;
            let bend = |(x, y): (f64, f64)| {
                Point::new(x + (q.0 - x) * 2.0 / 3.0, y + (q.1 - y) * 2.0 / 3.0)
            };
            let point = |(x, y): (f64, f64)| Point::new(x, y);
            return Ok(Cubic {
                p: [point(a.at), bend(a.at), bend(b.at), point(b.at)],
                r: radii,
            });
        }
        let whole = b.length - a.length;
        self.t.clear();
        let mut before = a.towards;
        for (i, s) in self.samples[from + 1..=to].iter().enumerate() {
            // Between samples nothing is looked at, so they must not be far apart in direction.
            if s.towards.0 * before.0 + s.towards.1 * before.1 < SHARP {
                return Err((from + i).max(from + 1));
            }
            before = s.towards;
            self.t.push((s.length - a.length) / whole);
        }
        self.t.pop();
        let mut off = Off {
            by: f64::INFINITY,
            at: usize::midpoint(from, to),
        };
        for _ in 0..3 {
            let tried = self.least_squares(from, to, whole);
            off = self.off(&tried, from, to);
            if off.by <= 1.0 {
                return Ok(tried);
            }
            // Far off, other parameters will not help.
            if off.by > 6.0 {
                break;
            }
            self.improve(&tried, from);
        }
        Err(off.at)
    }

    /// The lengths of both tangents that come nearest to the samples for the present parameters.
    fn least_squares(&self, from: usize, to: usize, whole: f64) -> Cubic {
        let (a, b) = (self.samples[from], self.samples[to]);
        let (u, v) = (a.towards, (-b.towards.0, -b.towards.1));
        let (mut c00, mut c01, mut c11, mut x0, mut x1) = (0.0, 0.0, 0.0, 0.0, 0.0);
        let uv = u.0 * v.0 + u.1 * v.1;
        for (s, t) in self.samples[from + 1..to].iter().zip(&self.t) {
            let r = 1.0 - t;
            let (b1, b2) = (3.0 * t * r * r, 3.0 * t * t * r);
            let (b0, b3) = (r * r * r, t * t * t);
            let dx = s.at.0 - a.at.0 * (b0 + b1) - b.at.0 * (b2 + b3);
            let dy = s.at.1 - a.at.1 * (b0 + b1) - b.at.1 * (b2 + b3);
            c00 += b1 * b1;
            c01 += b1 * b2 * uv;
            c11 += b2 * b2;
            x0 += b1 * (dx * u.0 + dy * u.1);
            x1 += b2 * (dx * v.0 + dy * v.1);
        }
        let det = c00 * c11 - c01 * c01;
        let (alpha, beta) = if det.abs() > 1e-9 * c00 * c11 {
            ((x0 * c11 - x1 * c01) / det, (x1 * c00 - x0 * c01) / det)
        } else {
            (whole / 3.0, whole / 3.0)
        };
        let sound = |v: f64| {
            if v > whole * 1e-3 && v < whole * 3.0 {
                v
            } else {
                whole / 3.0
            }
        };
        cubic(&a, &b, sound(alpha), sound(beta), [a.radius, b.radius])
    }

    /// The greatest distance of a sample from the curve, in tolerances.
    fn off(&self, tried: &Cubic, from: usize, to: usize) -> Off {
        let mut off = Off {
            by: 0.0,
            at: usize::midpoint(from, to),
        };
        for (i, (s, t)) in self.samples[from + 1..to].iter().zip(&self.t).enumerate() {
            let node = tried.at(*t);
            let (dx, dy) = (node.at.x - s.at.0, node.at.y - s.at.1);
            let astray = (dx * dx + dy * dy).sqrt() / self.tolerance;
            let wide = (node.radius - s.radius).abs() / WIDTH_TOLERANCE;
            let by = astray.max(wide);
            if by > off.by {
                off = Off {
                    by,
                    at: from + 1 + i,
                };
            }
        }
        if to - from > FEW || off.by > 1.0 {
            return off;
        }
        // With few samples the curve can swing between them: look halfway as well.
        let mut before = 0.0;
        for i in from + 1..=to {
            let (a, b) = (&self.samples[i - 1], &self.samples[i]);
            let t = self.t.get(i - from - 1).copied().unwrap_or(1.0);
            let at = tried.at((before + t) / 2.0).at;
            let halfway = |a: f64, q: f64, b: f64| (a + 2.0 * q + b) / 4.0;
            let dx = at.x - halfway(a.at.0, b.control.0, b.at.0);
            let dy = at.y - halfway(a.at.1, b.control.1, b.at.1);
            // Along the line it may be elsewhere: only what is beside it counts.
            let beside = (dx * a.towards.1 - dy * a.towards.0).abs() / self.tolerance;
            if beside > off.by.max(1.0) {
                off = Off {
                    by: beside,
                    at: i.min(to - 1),
                };
            }
            before = t;
        }
        off
    }

    /// One step of Newton's method for each parameter towards the nearest place on the curve.
    fn improve(&mut self, tried: &Cubic, from: usize) {
        let [a, b, c, d] = tried.p;
        for (s, t) in self.samples[from + 1..].iter().zip(&mut self.t) {
            let r = 1.0 - *t;
            let at = tried.at(*t).at;
            let first = |a: f64, b: f64, c: f64, d: f64| {
                3.0 * ((b - a) * r * r + 2.0 * (c - b) * r * *t + (d - c) * *t * *t)
            };
            let second = |a: f64, b: f64, c: f64, d: f64| {
                6.0 * ((c - 2.0 * b + a) * r + (d - 2.0 * c + b) * *t)
            };
            let (dx, dy) = (at.x - s.at.0, at.y - s.at.1);
            let (x1, y1) = (first(a.x, b.x, c.x, d.x), first(a.y, b.y, c.y, d.y));
            let (x2, y2) = (second(a.x, b.x, c.x, d.x), second(a.y, b.y, c.y, d.y));
            let slope = x1 * x1 + y1 * y1 + dx * x2 + dy * y2;
            if slope > 1e-9 {
                *t = (*t - (dx * x1 + dy * y1) / slope).clamp(0.0, 1.0);
            }
        }
    }
}

fn cubic(a: &Sample, b: &Sample, alpha: f64, beta: f64, r: [f64; 2]) -> Cubic {
    let point = |(x, y): (f64, f64)| Point::<Ink>::new(x, y);
    Cubic {
        p: [
            point(a.at),
            point((a.at.0 + a.towards.0 * alpha, a.at.1 + a.towards.1 * alpha)),
            point((b.at.0 - b.towards.0 * beta, b.at.1 - b.towards.1 * beta)),
            point(b.at),
        ],
        r,
    }
}

/// The greatest distance from a node of `line` to the curve's own line, in units; for tests and
/// figures.
pub fn deviation(curve: &Curve, line: &[Node]) -> f64 {
    let flat = curve.flatten(0.01);
    line.iter()
        .map(|node| {
            let single = flat
                .first()
                .map_or(f64::INFINITY, |n| n.at.distance(node.at));
            flat.windows(2).fold(single, |least, w| {
                let t = super::centreline::nearest_on_segment(w[0].at, w[1].at, node.at);
                let near = Point::<Ink>::new(
                    w[0].at.x + (w[1].at.x - w[0].at.x) * t,
                    w[0].at.y + (w[1].at.y - w[0].at.y) * t,
                );
                least.min(near.distance(node.at))
            })
        })
        .fold(0.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ink::centreline::flatten;
    use proptest::prelude::*;

    proptest! {
        /// Whatever the hand does, corners and reversals included, the curve stays within the
        /// tolerance of the line (and 1/64 unit of rounding), ends where the line ends, and is
        /// written and read back as it was.
        #[test]
        fn stays_within_its_tolerance(
            steps in prop::collection::vec((-30.0..30.0f64, -30.0..30.0f64, 1.0..20.0f64), 1..60),
        ) {
            let (mut x, mut y) = (100.0, 100.0);
            let points: Vec<InkPoint> = steps.iter().map(|(dx, dy, w)| {
                (x, y) = (x + dx, y + dy);
                InkPoint::new(Point::new(x, y), *w)
            }).collect();
            let curve = fit(&points).unwrap();
            let off = deviation(&curve, &flatten(&points));
            prop_assert!(off < TOLERANCE * 1.6 + 0.06 + 0.03, "{off}");
            prop_assert_eq!(curve.start, points[0]);
            prop_assert_eq!(curve.joints().last().unwrap().position(), points.last().unwrap().position());
            let packed = postcard::to_allocvec(&curve).unwrap();
            prop_assert_eq!(postcard::from_bytes::<Curve>(&packed), Ok(curve));
        }
    }

    /// A circle of 300 samples needs few curves: a quarter of a circle as one cubic is off by
    /// 2.7e-4 of its radius (closed form), so 100 units of radius allow quarters within 0.25.
    #[test]
    fn a_circle_needs_few_curves() {
        let points: Vec<InkPoint> = (0..=300)
            .map(|i| {
                let a = f64::from(i) / 300.0 * std::f64::consts::TAU;
                InkPoint::new(Point::new(100.0 * a.cos(), 100.0 * a.sin()), 4.0)
            })
            .collect();
        let curve = fit(&points).unwrap();
        assert!(curve.pieces.len() <= 16, "{}", curve.pieces.len());
        let off = curve
            .flatten(0.01)
            .iter()
            .map(|n| (n.at.x.hypot(n.at.y) - 100.0).abs())
            .fold(0.0, f64::max);
        assert!(off < TOLERANCE, "{off}");
    }

    /// A part of a cubic is that cubic between the two parameters, and its width goes on evenly.
    #[test]
    fn parts_lie_on_the_whole() {
        let c = Cubic {
            p: [(0.0, 0.0), (30.0, 80.0), (90.0, -40.0), (120.0, 10.0)]
                .map(|(x, y)| Point::new(x, y)),
            r: [2.0, 6.0],
        };
        let part = c.part(0.25, 0.75);
        for i in 0..=10 {
            let t = f64::from(i) / 10.0;
            let (a, b) = (part.at(t), c.at(0.25 + t * 0.5));
            assert!(a.at.distance(b.at) < 1e-9 && (a.radius - b.radius).abs() < 1e-9);
        }
    }
}
