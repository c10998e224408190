//! What a pen is led along: an edge of a ruler, the rim or the arm of a protractor.

use crate::geometry::frames::{Glass, Point};

/// A line or an arc, in glass units.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Guide {
    /// From one place to another.
    Line {
        from: Point<Glass>,
        to: Point<Glass>,
    },
    /// The part of a circle from an angle on, clockwise over `sweep`; radians.
    Arc {
        centre: Point<Glass>,
        radius: f64,
        from: f64,
        sweep: f64,
    },
}

impl Guide {
    /// The place of it that is nearest.
    pub fn nearest(&self, p: Point<Glass>) -> Point<Glass> {
        match *self {
            Guide::Line { from, to } => {
                let (dx, dy) = (to.x - from.x, to.y - from.y);
                let whole = dx * dx + dy * dy;
                let along = match whole > 0.0 {
                    true => ((p.x - from.x) * dx + (p.y - from.y) * dy) / whole,
                    false => 0.0,
                };
                let t = along.clamp(0.0, 1.0);
                Point::new(from.x + t * dx, from.y + t * dy)
            }
            Guide::Arc {
                centre,
                radius,
                from,
                sweep,
            } => {
                let tau = std::f64::consts::TAU;
                let angle = (p.y - centre.y).atan2(p.x - centre.x);
                let along = (angle - from).rem_euclid(tau);
                // Beyond its ends, the nearer of them.
                let along = match along <= sweep {
                    true => along,
                    false if along - sweep < tau - along => sweep,
                    false => 0.0,
                };
                let (sin, cos) = (from + along).sin_cos();
                Point::new(centre.x + radius * cos, centre.y + radius * sin)
            }
        }
    }

    /// Whether it is all of a circle, which has no side that ink lies against.
    pub fn is_circle(&self) -> bool {
        matches!(self, Guide::Arc { sweep, .. } if *sweep >= std::f64::consts::TAU)
    }

    /// The same beside it: farther from `away` by so much, so that ink lies against an edge and not under it.
    pub fn beside(&self, by: f64, away: Point<Glass>) -> Self {
        match *self {
            Guide::Line { from, to } => {
                let length = from.distance(to).max(f64::MIN_POSITIVE);
                let (nx, ny) = (-(to.y - from.y) / length, (to.x - from.x) / length);
                let side = (away.x - from.x) * nx + (away.y - from.y) * ny;
                let by = -by * side.signum();
                let moved = |p: Point<Glass>| Point::new(p.x + nx * by, p.y + ny * by);
                Guide::Line {
                    from: moved(from),
                    to: moved(to),
                }
            }
            Guide::Arc {
                centre,
                radius,
                from,
                sweep,
            } => Guide::Arc {
                centre,
                radius: radius + by,
                from,
                sweep,
            },
        }
    }
}
