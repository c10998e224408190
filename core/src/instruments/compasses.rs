//! Compasses: a needle, a pencil, and the distance between them, which is carried from one place to another.

use std::f64::consts::TAU;

use super::guide::Guide;
use super::instrument::Grip;
use super::placed::Lies;
use super::ruler::{BODY, Calibrated, LINES};
use crate::display::colour::Rgb;
use crate::display::lettering::{self, Anchor};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Point, Rect};

/// How far they open, in glass units.
pub const RADII: (f64, f64) = (30.0, 1500.0);
/// How large the needle and the knob are to a hand, and how far beyond the pencil the knob is.
const NEEDLE: f64 = 34.0;
const KNOB: (f64, f64) = (30.0, 74.0);
const PENCIL: Rgb = Rgb::hex(0xD55E00);

/// What a hand takes hold of at a place: the needle, by which they are carried as they are opened, or the knob
/// beyond the pencil; `None` beside them.
pub fn grip(lies: &Lies, at: Point<Glass>) -> Option<Grip> {
    if at.distance(knob(lies)) < KNOB.0 {
        return Some(Grip::Open);
    }
    (at.distance(lies.at) < NEEDLE).then_some(Grip::Carry)
}

fn knob(lies: &Lies) -> Point<Glass> {
    lies.at_local((lies.size + KNOB.1, 0.0))
}

/// The circle that a pen is led along.
pub fn guide(lies: &Lies) -> Guide {
    Guide::Arc {
        centre: lies.at,
        radius: lies.size,
        from: 0.0,
        sweep: TAU,
    }
}

/// A rectangle that contains them and their circle.
pub fn bounds(lies: &Lies) -> Rect<Glass> {
    Rect::from_corners(lies.at, lies.at).inflate(lies.size + KNOB.1 + KNOB.0 + 4.0)
}

/// Draws them, with how far they are opened.
pub fn paint(lies: &Lies, calibrated: &Calibrated, list: &mut DisplayList) {
    // The circle to come, in dashes.
    let dashes = ((lies.size * TAU / 26.0) as u32).max(12);
    let mut circle = Path::default();
    for n in 0..dashes {
        let turn = f64::from(n) / f64::from(dashes) * TAU;
        let corner = |r: f64, along: f64| {
            let (sin, cos) = (turn + along / lies.size).sin_cos();
            (lies.at.x + r * cos, lies.at.y + r * sin)
        };
        let (near, far) = (lies.size - 1.0, lies.size + 1.0);
        circle.polygon([
            corner(near, 0.0),
            corner(far, 0.0),
            corner(far, 12.0),
            corner(near, 12.0),
        ]);
    }
    list.fade(circle, LINES, Blend::Over, 0.7);
    // Two legs to a hinge above their middle.
    let high = (lies.size * 0.55).clamp(90.0, 260.0);
    let map = lies.map();
    let hinge = (lies.size / 2.0, -high);
    for (foot, colour) in [((0.0, 0.0), LINES), ((lies.size, 0.0), PENCIL)] {
        for (wide, colour) in [(12.0, BODY), (8.0, colour)] {
            let (dx, dy) = (foot.0 - hinge.0, foot.1 - hinge.1);
            let length = dx.hypot(dy);
            let (nx, ny) = (-dy / length * wide / 2.0, dx / length * wide / 2.0);
            let mut leg = Path::default();
            leg.polygon([
                (hinge.0 + nx, hinge.1 + ny),
                foot,
                (hinge.0 - nx, hinge.1 - ny),
            ]);
            list.fade(leg.mapped(&map), colour, Blend::Over, 0.85);
        }
    }
    let top = lies.at_local(hinge);
    list.fill(Path::disc(top, 16.0), LINES, Blend::Over);
    list.fill(Path::disc(top, 12.0), BODY, Blend::Over);
    for (at, radius, colour) in [
        (lies.at, 9.0, BODY),
        (lies.at, 6.0, LINES),
        (knob(lies), KNOB.0 - 4.0, LINES),
        (knob(lies), KNOB.0 - 7.0, BODY),
        (knob(lies), 8.0, PENCIL),
    ] {
        list.fill(Path::disc(at, radius), colour, Blend::Over);
    }
    let size = 28.0;
    let words = format!(
        "r = {} {}",
        rounded(calibrated.reading(lies.size)),
        calibrated.unit.sign()
    );
    let wide = lettering::length(&words) * size + 20.0;
    let at = (top.x, top.y - 30.0);
    let mut plate = Path::default();
    plate.rect(&Rect::from_size(
        at.0 - wide / 2.0,
        at.1 - size * 0.9,
        wide,
        size * 1.25,
    ));
    list.fade(plate, BODY, Blend::Over, 0.92);
    let words = lettering::words(&words, at, size, Anchor::Middle, 0.0);
    list.fill(words, LINES, Blend::Over);
}

/// Three figures, as far as the point allows.
fn rounded(v: f64) -> String {
    let decimals = (2.0 - v.abs().max(1e-9).log10().floor()).clamp(0.0, 6.0) as usize;
    format!("{v:.decimals$}")
}
