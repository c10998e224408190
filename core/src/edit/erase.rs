//! Rubbing out: bits of strokes exactly where the eraser passed, and whole shapes and stamps.
//!
//! Ink is taken where the tip that drew it, standing there, would touch the eraser. What is left of
//! a stroke keeps its line and its width, since its curves are cut and not drawn again.

use crate::geometry::frames::{Glass, Ink, Point, Rect};
use crate::geometry::ids::MarkId;
use crate::ink::centreline::{Node, nearest_on_segment};
use crate::ink::curve::{Cubic, Curve};
use crate::ink::tip::Tip;
use crate::marks::mark::{Body, Mark};
use crate::paint::is_part;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, Step};
use crate::stage::pane::InView;

/// What is left of a stroke is kept from this length on, in units.
const LEAST: f64 = 0.5;

/// The steps that rub out what an eraser of `radius` glass units touches along a way, on all sheets in
/// view. An eraser that moves fast leaves nothing out between two points of it. `new_id` names the pieces
/// that strokes fall into.
pub fn sweep(
    sheets: &Sheets,
    in_view: &[InView],
    way: &[Point<Glass>],
    radius: f64,
    mut new_id: impl FnMut() -> MarkId,
) -> Vec<Step> {
    let mut steps = Vec::new();
    for seen in in_view {
        let InView { sheet, view, .. } = seen;
        // Beside another pane it rubs where its middle is: what lies out of sight under that one stays.
        let part = is_part(seen, in_view);
        let legs = way.windows(2).filter_map(|leg| match part {
            true => clipped(leg[0], leg[1], &seen.within),
            false => Some((leg[0], leg[1])),
        });
        let legs: Vec<(Point<Glass>, Point<Glass>)> = legs.collect();
        let Some(to_held) = view.inverse() else {
            continue;
        };
        let swept = legs.iter().fold(Rect::EMPTY, |r, (from, to)| {
            r.union(&Rect::from_corners(*from, *to).inflate(radius))
        });
        if swept.is_empty() {
            continue;
        }
        for mark in sheets.sheet(*sheet).near(&to_held.apply_rect(&swept)) {
            let Some(to_ink) = mark.transform.then(view).inverse() else {
                continue;
            };
            let erasers = legs.iter().map(|(from, to)| Eraser {
                from: to_ink.apply(*from),
                to: to_ink.apply(*to),
                radius: radius * to_ink.mean_scale(),
            });
            let Some(left) = rubbed(mark, erasers) else {
                continue;
            };
            let mut step = |op| steps.push(Step { sheet: *sheet, op });
            step(Op::Remove(mark.id));
            for curve in left {
                let mut piece = Mark::clone(mark);
                piece.id = new_id();
                piece.body = Body::Stroke(curve);
                step(Op::Add(piece));
            }
        }
    }
    steps
}

/// What erasers leave of a mark, one after the other; `None` when none touches it.
fn rubbed(mark: &Mark, mut erasers: impl Iterator<Item = Eraser>) -> Option<Vec<Curve>> {
    let Body::Stroke(curve) = &mark.body else {
        return erasers.any(|e| e.takes(mark)).then(Vec::new);
    };
    let tip = mark.style.tip;
    erasers.fold(None, |left, eraser| match left {
        None => eraser.cut(curve, tip),
        Some(left) => {
            let cut = left
                .into_iter()
                .map(|c| eraser.cut(&c, tip).unwrap_or(vec![c]));
            Some(cut.flatten().collect())
        }
    })
}

/// The part of a straight way that lies in a rectangle. Source: Liang and Barsky, "A new concept and
/// method for line clipping", ACM Transactions on Graphics 3 (1984).
fn clipped(
    from: Point<Glass>,
    to: Point<Glass>,
    area: &Rect<Glass>,
) -> Option<(Point<Glass>, Point<Glass>)> {
    let (dx, dy) = (to.x - from.x, to.y - from.y);
    let (mut first, mut last) = (0.0, 1.0);
    for (d, room) in [
        (-dx, from.x - area.x0),
        (dx, area.x1 - from.x),
        (-dy, from.y - area.y0),
        (dy, area.y1 - from.y),
    ] {
        match d {
            d if d < 0.0 => first = f64::max(first, room / d),
            d if d > 0.0 => last = f64::min(last, room / d),
            _ if room < 0.0 => return None,
            _ => {}
        }
    }
    let at = |t: f64| Point::new(from.x + t * dx, from.y + t * dy);
    (first <= last).then(|| (at(first), at(last)))
}

/// How far a point is from a rectangle; 0 inside.
fn distance_to(area: &Rect<Ink>, p: Point<Ink>) -> f64 {
    let dx = (area.x0 - p.x).max(p.x - area.x1).max(0.0);
    let dy = (area.y0 - p.y).max(p.y - area.y1).max(0.0);
    dx.hypot(dy)
}

/// An eraser's way, in a mark's own frame.
#[derive(Clone, Copy, Debug)]
pub struct Eraser {
    pub from: Point<Ink>,
    pub to: Point<Ink>,
    /// In units of that frame.
    pub radius: f64,
}

impl Eraser {
    /// Whether the eraser takes a mark that goes as a whole.
    fn takes(&self, mark: &Mark) -> bool {
        match &mark.body {
            Body::Stroke(curve) => self.cut(curve, mark.style.tip).is_some(),
            Body::Shape(shape) => {
                let reach = self.radius + f64::from(mark.style.width) / 2.0;
                let filled = mark.style.fill.is_some();
                self.touches(reach, |p| shape.distance(p, filled))
            }
            Body::Stamp(stamp) => {
                let middle = stamp.middle.position();
                self.touches(self.radius + stamp.half() * 0.8, |p| p.distance(middle))
            }
            Body::Text(_) => {
                let area = mark.block();
                area.is_some_and(|area| self.touches(self.radius, |p| distance_to(&area, p)))
            }
            // A placed picture lies there like a backdrop: what is drawn on it is erased, it is not.
            Body::Picture(_) => false,
        }
    }

    fn touches(&self, reach: f64, distance: impl Fn(Point<Ink>) -> f64) -> bool {
        // In steps of a quarter of its radius, nothing can slip between.
        let steps = (self.from.distance(self.to) / (self.radius * 0.25)).ceil();
        let steps = steps.clamp(1.0, 1024.0) as u32;
        let at = |i: u32| {
            let t = f64::from(i) / f64::from(steps);
            Point::new(
                self.from.x + (self.to.x - self.from.x) * t,
                self.from.y + (self.to.y - self.from.y) * t,
            )
        };
        (0..=steps).any(|i| distance(at(i)) <= reach)
    }

    /// How far the tip at `node` is from the eraser; negative where they overlap.
    pub fn gap(&self, node: &Node, tip: Tip) -> f64 {
        let t = nearest_on_segment(self.from, self.to, node.at);
        let near = Point::<Ink>::new(
            self.from.x + (self.to.x - self.from.x) * t,
            self.from.y + (self.to.y - self.from.y) * t,
        );
        match tip {
            Tip::Round | Tip::Rimmed => near.distance(node.at) - node.radius - self.radius,
            // A flat tip is an upright block, a third as broad as it is high.
            Tip::Flat => {
                let dx = ((near.x - node.at.x).abs() - node.radius / 3.0).max(0.0);
                let dy = ((near.y - node.at.y).abs() - node.radius).max(0.0);
                dx.hypot(dy) - self.radius
            }
        }
    }

    /// What is left of a stroke; `None` when it is not touched.
    pub fn cut(&self, curve: &Curve, tip: Tip) -> Option<Vec<Curve>> {
        let dot = Node {
            at: curve.start.position(),
            radius: curve.start.radius(),
        };
        if curve.pieces.is_empty() {
            return (self.gap(&dot, tip) < 0.0).then(Vec::new);
        }
        let swept = Rect::from_corners(self.from, self.to).inflate(self.radius);
        let mut left: Vec<Curve> = Vec::new();
        let mut touched = false;
        // Whether the last piece of `left` may go on.
        let mut open = false;
        for (cubic, piece) in curve.cubics().zip(&curve.pieces) {
            let clear = !around(&cubic).intersects(&swept);
            let gone = match clear {
                true => Vec::new(),
                false => self.covered(&cubic, tip),
            };
            if gone.is_empty() {
                go_on(&mut left, &mut open, &cubic).pieces.push(*piece);
                continue;
            }
            touched = true;
            let mut from = 0.0;
            for (a, b) in gone {
                if a > from {
                    let part = cubic.part(from, a);
                    go_on(&mut left, &mut open, &part).pieces.push(part.piece());
                }
                open = false;
                from = b;
            }
            if from < 1.0 {
                let part = cubic.part(from, 1.0);
                go_on(&mut left, &mut open, &part).pieces.push(part.piece());
            }
        }
        let long = |c: &Curve| {
            let nodes = c.flatten(0.1);
            let length: f64 = nodes.windows(2).map(|w| w[0].at.distance(w[1].at)).sum();
            length >= LEAST
        };
        touched.then(|| left.into_iter().filter(long).collect())
    }

    /// The stretches of a curve that are erased, as parameters from 0 to 1.
    fn covered(&self, cubic: &Cubic, tip: Tip) -> Vec<(f64, f64)> {
        let net: f64 = cubic.p.windows(2).map(|w| w[0].distance(w[1])).sum();
        let steps = (net / (self.radius * 0.12)).ceil().clamp(2.0, 256.0) as u32;
        let gap = |t: f64| self.gap(&cubic.at(t), tip);
        let edge = |mut out: f64, mut inside: f64| {
            for _ in 0..20 {
                let t = (out + inside) / 2.0;
                if gap(t) < 0.0 {
                    inside = t;
                } else {
                    out = t;
                }
            }
            out
        };
        let looks = self.looks(steps, net, &gap);
        let mut stretches: Vec<(f64, f64)> = Vec::new();
        let (mut before, mut inside) = (0.0, looks[0].1 < 0.0);
        let mut begun = 0.0;
        for &(t, here) in &looks[1..] {
            let now = here < 0.0;
            if now && !inside {
                begun = edge(before, t);
            } else if inside && !now {
                stretches.push((begun, edge(t, before)));
            }
            (before, inside) = (t, now);
        }
        if inside {
            stretches.push((begun, 1.0));
        }
        stretches
    }

    /// The gap at `steps` even distances along a curve that is at most `net` long, and where the
    /// eraser may have brushed past in between, at its nearest.
    fn looks(&self, steps: u32, net: f64, gap: &impl Fn(f64) -> f64) -> Vec<(f64, f64)> {
        let at = |i: u32| f64::from(i) / f64::from(steps);
        let even: Vec<(f64, f64)> = (0..=steps).map(|i| (at(i), gap(at(i)))).collect();
        // Within a step nothing comes nearer than it is long, but for a tip that grows.
        let near = 2.0 * net / f64::from(steps);
        let mut looks = even.clone();
        for (i, &(_, here)) in even.iter().enumerate() {
            let before = even[i.saturating_sub(1)];
            let after = even[(i + 1).min(even.len() - 1)];
            let nearest = (0.0..near).contains(&here) && here <= before.1 && here <= after.1;
            if !nearest || before.1 < 0.0 || after.1 < 0.0 {
                continue;
            }
            let (mut from, mut to) = (before.0, after.0);
            for _ in 0..24 {
                let third = (to - from) / 3.0;
                if gap(from + third) < gap(to - third) {
                    to -= third;
                } else {
                    from += third;
                }
            }
            let t = (from + to) / 2.0;
            looks.push((t, gap(t)));
        }
        looks.sort_by(|a, b| a.0.total_cmp(&b.0));
        looks
    }
}

/// The piece of a stroke that goes on with `cubic`: the last one, or a new one.
fn go_on<'a>(left: &'a mut Vec<Curve>, open: &mut bool, cubic: &Cubic) -> &'a mut Curve {
    if !*open || left.is_empty() {
        left.push(Curve {
            start: cubic.start(),
            pieces: Vec::new(),
        });
        *open = true;
    }
    left.last_mut().expect("just made sure of")
}

fn around(cubic: &Cubic) -> Rect<Ink> {
    let r = cubic.r[0].max(cubic.r[1]);
    let net = cubic.p.iter().fold(Rect::EMPTY, |b, p| b.include(*p));
    net.inflate(r)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ink::InkPoint;
    use crate::ink::fit::fit;
    use proptest::prelude::*;

    proptest! {
        /// What is left of a stroke is exactly what the eraser did not touch: every place of the
        /// stroke that is clear of it lies on a piece, with its width; every place under it lies on
        /// none.
        #[test]
        fn pieces_are_what_the_eraser_left(
            steps in prop::collection::vec((-25.0..25.0f64, -25.0..25.0f64, 1.0..12.0f64), 2..40),
            a in (0.0..200.0f64, 0.0..200.0f64), b in (0.0..200.0f64, 0.0..200.0f64),
            radius in 4.0..30.0f64,
        ) {
            let (mut x, mut y) = (100.0, 100.0);
            let points: Vec<InkPoint> = steps.iter().map(|(dx, dy, w)| {
                (x, y) = (x + dx, y + dy);
                InkPoint::new(Point::new(x, y), *w)
            }).collect();
            let curve = fit(&points).unwrap();
            let eraser = Eraser { from: Point::new(a.0, a.1), to: Point::new(b.0, b.1), radius };
            let left = eraser.cut(&curve, Tip::Round).unwrap_or(vec![curve.clone()]);
            let nodes: Vec<Vec<Node>> = left.iter().map(|c| c.flatten(0.01)).collect();
            // 1/64 unit of rounding on either side, and pieces too short to keep.
            for node in nodes.iter().flatten() {
                prop_assert!(eraser.gap(node, Tip::Round) > -0.12, "ink under the eraser");
            }
            for cubic in curve.cubics() {
                for i in 0..=20 {
                    let node = cubic.at(f64::from(i) / 20.0);
                    if eraser.gap(&node, Tip::Round) < LEAST { continue }
                    let kept = nodes.iter().any(|n| n.windows(2).any(|w| {
                        let t = nearest_on_segment(w[0].at, w[1].at, node.at);
                        let at = Point::<Ink>::new(w[0].at.x + (w[1].at.x - w[0].at.x) * t, w[0].at.y + (w[1].at.y - w[0].at.y) * t);
                        let r = w[0].radius + (w[1].radius - w[0].radius) * t;
                        at.distance(node.at) < 0.05 && (r - node.radius).abs() < 0.3
                    }));
                    // A bit shorter than is worth keeping goes: then the eraser is this near on it.
                    let near = || curve.cubics().any(|c| (0..=400).any(|i| {
                        let other = c.at(f64::from(i) / 400.0);
                        other.at.distance(node.at) < LEAST + 0.1 && eraser.gap(&other, Tip::Round) < 0.02
                    }));
                    prop_assert!(kept || near(), "ink lost at {:?}", node);
                }
            }
        }
    }

    /// A straight line of width 4 from 0 to 100, and an eraser of radius 10 set down at 50: 12 units
    /// on either side go, and the round ends of what is left just touch the eraser.
    #[test]
    fn a_gap_is_as_wide_as_the_eraser() {
        let line = Curve::through(
            &[(0.0, 4.0), (100.0, 4.0)].map(|(x, w)| InkPoint::new(Point::new(x, 0.0), w)),
        )
        .unwrap();
        let eraser = Eraser {
            from: Point::new(50.0, 0.0),
            to: Point::new(50.0, 0.0),
            radius: 10.0,
        };
        let left = eraser.cut(&line, Tip::Round).unwrap();
        let ends: Vec<f64> = left
            .iter()
            .flat_map(|c| {
                [
                    c.start.position().x,
                    c.joints().last().unwrap().position().x,
                ]
            })
            .collect();
        for (found, expected) in ends.iter().zip([0.0, 38.0, 62.0, 100.0]) {
            assert!((found - expected).abs() < 0.02, "{ends:?}");
        }
        assert_eq!(left.len(), 2);
        let past = Eraser {
            from: Point::new(50.0, 13.0),
            to: Point::new(60.0, 13.0),
            radius: 10.0,
        };
        assert_eq!(past.cut(&line, Tip::Round), None);
    }
}
