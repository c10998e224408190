//! A wheel, or two fingers on a touchpad: what is seen moves, or grows where the pointer is; with the
//! spotlight in the hand that grows, and with the magnifier what that shows.

use crate::geometry::frames::{Glass, Ink, Map, Point};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::in_hand::Kind;
use crate::tools::magnifier;

/// How far a wheel turns until what is seen is e times as large, in CSS pixels.
const FOLD: f64 = 400.0;

/// The wheel has turned by so many CSS pixels, as browsers count.
pub fn turned(desk: &mut Desk, at: Point<Glass>, dx: f64, dy: f64, grows: bool) {
    if let (true, Some(spotlight)) = (desk.in_hand.holds(Kind::Spotlight), &desk.laid.spotlight)
        && let Some(last) = spotlight.last()
    {
        let grown = last.grown((-dy / FOLD).exp());
        return desk.want(Effect::Drag(Lay::Spotlight(spotlight.with_last(grown))));
    }
    if let (true, Some(magnifier)) = (desk.in_hand.holds(Kind::Magnifier), &desk.laid.magnifier) {
        let times = magnifier.times * (-dy / FOLD).exp();
        let lay = Lay::Magnifier(magnifier.with_times(times));
        return desk.want(Effect::Drag(lay));
    }
    // What stays where it is, is what the pointer is on, through a lens too.
    let hand: Point<Ink> = Map::coincident().apply(at);
    let at = desk.pixels(magnifier::through(desk, hand).apply(hand));
    desk.want(match grows {
        true => Effect::Enlarge {
            by: (-dy / FOLD).exp(),
            at,
        },
        false => Effect::Move { dx: -dx, dy: -dy },
    });
}
