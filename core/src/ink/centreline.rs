//! The smooth line through the points of a stroke.
//!
//! The points are the control points of a uniform quadratic B-spline: the line runs from the middle
//! of one step to the middle of the next, bent towards the point between them, and from the first
//! point and to the last in straight halves. It needs only three neighbouring points at a time, so
//! what has been drawn never moves when more is added.

use super::InkPoint;
use crate::geometry::frames::{Ink, Point, length};

/// How far the straight pieces may stray from the true curve, in units.
const TOLERANCE: f64 = 0.06;

/// A place on the line and half the width of the ink there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Node {
    pub at: Point<Ink>,
    pub radius: f64,
}

/// The line through `points` as straight pieces, at most 0.06 units off the curve. Neighbouring
/// nodes never coincide.
pub fn flatten(points: &[InkPoint]) -> Vec<Node> {
    flatten_run(points, true, true)
}

/// The line through a run of a longer stroke. Where the run does not hold the stroke's own start or
/// end, it begins or ends in the middle of a step, where the neighbouring run takes over.
pub fn flatten_run(points: &[InkPoint], has_start: bool, has_end: bool) -> Vec<Node> {
    let mut nodes = Vec::with_capacity(points.len() * 3);
    let Some((first, last)) = points.first().zip(points.last()) else {
        return nodes;
    };
    if has_start {
        add(&mut nodes, node(*first));
    }
    for step in points.windows(3) {
        let [a, b, c] = [node(step[0]), node(step[1]), node(step[2])];
        curve(&mut nodes, middle(a, b), b, middle(b, c));
    }
    if has_end {
        if let [.., a, b] = points {
            add(&mut nodes, middle(node(*a), node(*b)));
        }
        add(&mut nodes, node(*last));
    }
    nodes
}

/// The distance from `p` to the ink along `nodes`: zero or less where there is ink.
pub fn distance_to_ink(nodes: &[Node], p: Point<Ink>) -> f64 {
    let single = nodes
        .first()
        .map_or(f64::INFINITY, |n| n.at.distance(p) - n.radius);
    nodes.windows(2).fold(single, |least, w| {
        let t = nearest_on_segment(w[0].at, w[1].at, p);
        let near = lerp(w[0], w[1], t);
        least.min(near.at.distance(p) - near.radius)
    })
}

/// Where on the segment from `a` (0) to `b` (1) the point nearest to `p` lies.
pub fn nearest_on_segment(a: Point<Ink>, b: Point<Ink>, p: Point<Ink>) -> f64 {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    let length_squared = dx * dx + dy * dy;
    if length_squared == 0.0 {
        return 0.0;
    }
    (((p.x - a.x) * dx + (p.y - a.y) * dy) / length_squared).clamp(0.0, 1.0)
}

fn node(p: InkPoint) -> Node {
    Node {
        at: p.position(),
        radius: p.radius(),
    }
}

fn lerp(a: Node, b: Node, t: f64) -> Node {
    Node {
        at: Point::new(
            a.at.x + (b.at.x - a.at.x) * t,
            a.at.y + (b.at.y - a.at.y) * t,
        ),
        radius: a.radius + (b.radius - a.radius) * t,
    }
}

fn middle(a: Node, b: Node) -> Node {
    lerp(a, b, 0.5)
}

/// Adds a quadratic Bézier curve. Its greatest distance from the chord is a quarter of the second
/// difference of its control points, and n pieces divide that by n².
fn curve(nodes: &mut Vec<Node>, a: Node, control: Node, b: Node) {
    let second = length(
        a.at.x - 2.0 * control.at.x + b.at.x,
        a.at.y - 2.0 * control.at.y + b.at.y,
    );
    let pieces = (second / (4.0 * TOLERANCE)).sqrt().ceil().clamp(1.0, 64.0);
    add(nodes, a);
    for i in 1..=pieces as u32 {
        let t = f64::from(i) / pieces;
        add(nodes, lerp(lerp(a, control, t), lerp(control, b, t), t));
    }
}

fn add(nodes: &mut Vec<Node>, node: Node) {
    match nodes.last_mut() {
        Some(last) if last.at.distance(node.at) < 1e-3 => {
            last.radius = last.radius.max(node.radius);
        }
        _ => nodes.push(node),
    }
}
