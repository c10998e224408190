//! A finished stroke: cubic Bézier pieces with a width at every joint.
//!
//! Coordinates are whole multiples of 1/64 unit, as in [`super::points`]. Along a piece the width
//! changes evenly with the curve's parameter, so a piece can be cut anywhere and both parts keep
//! their shape and their width.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::centreline::Node;
use super::points::{InkPoint, MAX_POINTS, UNITS, steps};
use crate::geometry::frames::{Ink, Point, Rect, length};

/// A control point, in 1/64 unit.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Spot {
    pub x: i32,
    pub y: i32,
}

impl Spot {
    /// Rounds to the nearest 1/64 unit.
    pub fn new(p: Point<Ink>) -> Self {
        Self {
            x: steps(p.x),
            y: steps(p.y),
        }
    }

    /// In units.
    pub fn position(self) -> Point<Ink> {
        Point::new(f64::from(self.x) / UNITS, f64::from(self.y) / UNITS)
    }
}

/// A cubic Bézier curve that begins where the one before it ended.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Piece {
    /// The two control points.
    pub c1: Spot,
    pub c2: Spot,
    /// Where it ends, and how wide the ink is there.
    pub end: InkPoint,
}

/// A stroke. Without pieces it is a dot.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Curve {
    pub start: InkPoint,
    pub pieces: Vec<Piece>,
}

/// The four control points of a piece and the radius at its ends, in units.
#[derive(Clone, Copy, Debug)]
pub struct Cubic {
    pub p: [Point<Ink>; 4],
    pub r: [f64; 2],
}

impl Curve {
    /// The pieces with their control points.
    pub fn cubics(&self) -> impl Iterator<Item = Cubic> + '_ {
        let mut from = self.start;
        self.pieces.iter().map(move |piece| {
            let p = [
                from.position(),
                piece.c1.position(),
                piece.c2.position(),
                piece.end.position(),
            ];
            let r = [from.radius(), piece.end.radius()];
            from = piece.end;
            Cubic { p, r }
        })
    }

    /// A rectangle that contains the ink.
    pub fn bounds(&self) -> Rect<Ink> {
        let around = |p: Point<Ink>, r: f64| Rect::from_corners(p, p).inflate(r);
        let dot = around(self.start.position(), self.start.radius());
        self.cubics().fold(dot, |bounds, c| {
            let r = c.r[0].max(c.r[1]);
            c.p.iter().fold(bounds, |b, p| b.union(&around(*p, r)))
        })
    }

    /// The line as straight pieces, at most `tolerance` units off the curve. Neighbouring nodes
    /// never coincide.
    pub fn flatten(&self, tolerance: f64) -> Vec<Node> {
        let mut nodes = Vec::with_capacity(self.pieces.len() * 6 + 1);
        nodes.push(Node {
            at: self.start.position(),
            radius: self.start.radius(),
        });
        for cubic in self.cubics() {
            let steps = cubic.steps(tolerance);
            for i in 1..=steps {
                push(&mut nodes, cubic.at(f64::from(i) / f64::from(steps)));
            }
        }
        nodes
    }

    /// Makes the ink wider, or thinner, everywhere by a factor.
    pub fn widen(&mut self, by: f64) {
        let ends = self.pieces.iter_mut().map(|p| &mut p.end);
        for p in std::iter::once(&mut self.start).chain(ends) {
            *p = InkPoint::new(p.position(), p.radius() * 2.0 * by);
        }
    }

    /// The points where pieces meet, and the ends.
    pub fn joints(&self) -> impl Iterator<Item = InkPoint> + '_ {
        std::iter::once(self.start).chain(self.pieces.iter().map(|p| p.end))
    }

    /// Straight pieces through these points: for text-book shapes and for what was never curved.
    pub fn through(points: &[InkPoint]) -> Option<Self> {
        let (start, rest) = points.split_first()?;
        let mut from = *start;
        let pieces = rest
            .iter()
            .map(|end| {
                let third = |t: f64| {
                    let (a, b) = (from.position(), end.position());
                    Spot::new(Point::new(a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t))
                };
                let piece = Piece {
                    c1: third(1.0 / 3.0),
                    c2: third(2.0 / 3.0),
                    end: *end,
                };
                from = *end;
                piece
            })
            .collect();
        Some(Self {
            start: *start,
            pieces,
        })
    }
}

fn push(nodes: &mut Vec<Node>, node: Node) {
    match nodes.last_mut() {
        Some(last) if last.at.distance(node.at) < 1e-3 => {
            last.radius = last.radius.max(node.radius);
        }
        _ => nodes.push(node),
    }
}

fn mix(a: Point<Ink>, b: Point<Ink>, t: f64) -> Point<Ink> {
    Point::new(a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t)
}

impl Cubic {
    /// The place at parameter `t`, 0 to 1, and the radius there.
    pub fn at(&self, t: f64) -> Node {
        let [a, b, c, d] = self.p;
        let s = 1.0 - t;
        let (w0, w1, w2, w3) = (s * s * s, 3.0 * s * s * t, 3.0 * s * t * t, t * t * t);
        Node {
            at: Point::new(
                w0 * a.x + w1 * b.x + w2 * c.x + w3 * d.x,
                w0 * a.y + w1 * b.y + w2 * c.y + w3 * d.y,
            ),
            radius: self.r[0] + (self.r[1] - self.r[0]) * t,
        }
    }

    /// How many straight pieces of equal parameter stay within `tolerance` of the curve.
    /// Source: Wang's bound by the second differences of the control points (G. Wang, *The
    /// subdivision method for finding the intersection between two Bézier curves or surfaces*, 1984).
    pub fn steps(&self, tolerance: f64) -> u32 {
        let second = |a: Point<Ink>, b: Point<Ink>, c: Point<Ink>| {
            length(a.x - 2.0 * b.x + c.x, a.y - 2.0 * b.y + c.y)
        };
        let [a, b, c, d] = self.p;
        let most = second(a, b, c).max(second(b, c, d));
        (0.75 * most / tolerance).sqrt().ceil().clamp(1.0, 128.0) as u32
    }

    /// The part between two parameters, by de Casteljau's construction.
    pub fn part(&self, from: f64, to: f64) -> Self {
        let late = self.split(from).1;
        let rest = if from < 1.0 {
            (to - from) / (1.0 - from)
        } else {
            1.0
        };
        late.split(rest).0
    }

    fn split(&self, t: f64) -> (Self, Self) {
        let [a, b, c, d] = self.p;
        let (ab, bc, cd) = (mix(a, b, t), mix(b, c, t), mix(c, d, t));
        let (abc, bcd) = (mix(ab, bc, t), mix(bc, cd, t));
        let m = mix(abc, bcd, t);
        let r = self.r[0] + (self.r[1] - self.r[0]) * t;
        (
            Self {
                p: [a, ab, abc, m],
                r: [self.r[0], r],
            },
            Self {
                p: [m, bcd, cd, d],
                r: [r, self.r[1]],
            },
        )
    }

    /// Its start as a point with a width.
    pub fn start(&self) -> InkPoint {
        InkPoint::new(self.p[0], self.r[0] * 2.0)
    }

    /// Rounded to 1/64 unit, to go on from its start.
    pub fn piece(&self) -> Piece {
        Piece {
            c1: Spot::new(self.p[1]),
            c2: Spot::new(self.p[2]),
            end: InkPoint::new(self.p[3], self.r[1] * 2.0),
        }
    }
}

/// On the wire a piece is seven differences: its control points from where it begins and ends, its
/// end from its beginning.
type Packed = (InkTriple, Vec<[i32; 7]>);
type InkTriple = (i32, i32, i32);

impl Serialize for Curve {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut from = self.start;
        let pieces: Vec<[i32; 7]> = self
            .pieces
            .iter()
            .map(|p| {
                let d = [
                    p.c1.x.wrapping_sub(from.x),
                    p.c1.y.wrapping_sub(from.y),
                    p.c2.x.wrapping_sub(p.end.x),
                    p.c2.y.wrapping_sub(p.end.y),
                    p.end.x.wrapping_sub(from.x),
                    p.end.y.wrapping_sub(from.y),
                    p.end.w.wrapping_sub(from.w),
                ];
                from = p.end;
                d
            })
            .collect();
        let start = (self.start.x, self.start.y, self.start.w);
        (start, pieces).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for Curve {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let ((x, y, w), packed) = Packed::deserialize(deserializer)?;
        if packed.len() > MAX_POINTS {
            return Err(serde::de::Error::custom("too many pieces in one stroke"));
        }
        let start = InkPoint { x, y, w };
        let mut from = start;
        let pieces = packed
            .into_iter()
            .map(|d| {
                let end = InkPoint {
                    x: from.x.wrapping_add(d[4]),
                    y: from.y.wrapping_add(d[5]),
                    w: from.w.wrapping_add(d[6]),
                };
                let piece = Piece {
                    c1: Spot {
                        x: from.x.wrapping_add(d[0]),
                        y: from.y.wrapping_add(d[1]),
                    },
                    c2: Spot {
                        x: end.x.wrapping_add(d[2]),
                        y: end.y.wrapping_add(d[3]),
                    },
                    end,
                };
                from = end;
                piece
            })
            .collect();
        Ok(Self { start, pieces })
    }
}
