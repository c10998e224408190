//! A wheel, or two fingers on a touchpad: what is seen moves, or grows where the pointer is.

use crate::geometry::frames::{Glass, Point};
use crate::tools::desk::{Desk, Effect};

/// How far a wheel turns until what is seen is e times as large, in CSS pixels.
const FOLD: f64 = 400.0;

/// The wheel has turned by so many CSS pixels, as browsers count.
pub fn turned(desk: &mut Desk, at: Point<Glass>, dx: f64, dy: f64, grows: bool) {
    let at = desk.pixels(at);
    desk.want(match grows {
        true => Effect::Enlarge {
            by: (-dy / FOLD).exp(),
            at,
        },
        false => Effect::Move { dx: -dx, dy: -dy },
    });
}
