//! Straight lines near by, along which a ruler is laid.

use std::f64::consts::PI;

use super::placed::{Lies, TURN, way};
use crate::geometry::frames::{Glass, Point};

/// How near its edge a line has to be that a ruler snaps to, in glass units.
const NEAR: f64 = 14.0;

/// A straight line, from one end to the other.
pub type Segment = [Point<Glass>; 2];

/// A ruler along the line that its edge is nearest to, if there is one near it and nearly in its direction.
pub fn along(lies: &Lies, segments: &[Segment]) -> Option<Lies> {
    let laid = segments.iter().filter_map(|[a, b]| {
        let off = (lies.angle - way(*a, *b) + PI / 2.0).rem_euclid(PI) - PI / 2.0;
        let turned = Lies {
            angle: lies.angle - off,
            ..*lies
        };
        let ((from, across), (to, _)) = (turned.local(*a), turned.local(*b));
        let beside = from.min(to) < lies.size && from.max(to) > 0.0;
        let laid = Lies {
            at: turned.at_local((0.0, across)),
            ..turned
        };
        (off.abs() < TURN && across.abs() < NEAR && beside).then_some((across.abs(), laid))
    });
    let nearest = laid.min_by(|a, b| a.0.total_cmp(&b.0));
    nearest.map(|(_, laid)| laid)
}
