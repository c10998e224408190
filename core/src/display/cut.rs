//! Paths that are cut at a rectangle, for files that must not hold what lies beyond it.

use kurbo::{BezPath, PathEl};

use crate::display::Path;
use crate::geometry::frames::{Glass, Rect};

/// A side of a rectangle: which coordinate it holds, where it lies, and whether what is greater lies within.
type Side = (usize, f64, bool);

impl Path {
    /// What of a path lies in a rectangle, as a path that fills the same there and holds nothing from beyond it. One that
    /// is cut consists of straight lines, which are at most `tolerance` from its curves; one that lies within stays as it
    /// is, and of one that lies beyond nothing is left. All in the path's own units.
    ///
    /// Source: Sutherland and Hodgman, "Reentrant polygon clipping", Communications of the ACM 17 (1974): one side after
    /// the other. What folds onto a side has no area, so that no winding within changes.
    pub fn within(&self, area: &Rect<Glass>, tolerance: f64) -> Path {
        let bounds = self.bounds();
        if bounds.is_empty() || !bounds.intersects(area) {
            return Path::default();
        }
        if bounds.union(area) == *area {
            return self.clone();
        }
        let mut parts: Vec<Vec<[f64; 2]>> = Vec::new();
        kurbo::flatten(BezPath::from(self), tolerance, |step| match step {
            PathEl::MoveTo(p) => parts.push(vec![[p.x, p.y]]),
            PathEl::LineTo(p) => parts.last_mut().expect("begun").push([p.x, p.y]),
            _ => {}
        });
        let sides = [
            (0, area.x0, true),
            (0, area.x1, false),
            (1, area.y0, true),
            (1, area.y1, false),
        ];
        let mut cut = Path::default();
        for part in parts {
            let left = sides.iter().fold(part, cut_at);
            if left.len() > 2 {
                cut.polygon(left.into_iter().map(|[x, y]| (x, y)));
            }
        }
        cut
    }
}

/// What of a closed polygon lies on the inner side.
fn cut_at(corners: Vec<[f64; 2]>, &(axis, at, greater): &Side) -> Vec<[f64; 2]> {
    let inside = |p: &[f64; 2]| match greater {
        true => p[axis] >= at,
        false => p[axis] <= at,
    };
    let mut left = Vec::with_capacity(corners.len());
    let Some(mut from) = corners.last().copied() else {
        return left;
    };
    for to in corners {
        if inside(&from) != inside(&to) {
            let t = (at - from[axis]) / (to[axis] - from[axis]);
            let other = 1 - axis;
            let mut crossing = [at; 2];
            crossing[other] = from[other] + t * (to[other] - from[other]);
            left.push(crossing);
        }
        if inside(&to) {
            left.push(to);
        }
        from = to;
    }
    left
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Shape as _;
    use proptest::prelude::*;

    fn any_path() -> impl Strategy<Value = Path> {
        let at = || (-100.0..200.0, -100.0..200.0);
        let part = (at(), prop::collection::vec((at(), at(), at(), 0..3), 1..12));
        prop::collection::vec(part, 1..4).prop_map(|parts| {
            let mut path = Path::default();
            for (start, steps) in parts {
                path.move_to(start.0, start.1);
                for (a, b, p, kind) in steps {
                    match kind {
                        0 => path.line_to(p.0, p.1),
                        1 => path.quad_to(a, p),
                        _ => path.cubic_to(a, b, p),
                    }
                }
                path.close();
            }
            path
        })
    }

    proptest! {
        /// Whatever is cut goes around each point within as often as before, and nothing of it lies beyond. How often a
        /// path goes around a point is kurbo's to say.
        #[test]
        fn what_is_cut_fills_the_same_within_and_nothing_beyond(path in any_path(), at in (0.5..99.5, 0.5..59.5)) {
            let area = Rect::from_size(0.0, 0.0, 100.0, 60.0);
            // Straight lines first, so that no curve is taken for its chord on one side only.
            let mut straight = BezPath::new();
            kurbo::flatten(BezPath::from(&path), 0.1, |step| straight.push(step));
            let path = Path::from(&straight);
            let cut = path.within(&area, 0.1);
            let bounds: Rect<Glass> = cut.bounds();
            prop_assert!(cut.is_empty() || bounds.union(&area) == area);
            let at = kurbo::Point::from(at);
            // Nobody can say it of a point that lies on a line, which is rounded.
            let path = BezPath::from(&path);
            let near = path.segments().any(|s| kurbo::ParamCurveNearest::nearest(&s, at, 1e-6).distance_sq < 1e-6);
            prop_assume!(!near);
            prop_assert_eq!(BezPath::from(&cut).winding(at), path.winding(at));
        }
    }
}
