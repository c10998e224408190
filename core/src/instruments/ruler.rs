//! The ruler: graduated along one edge, on which a pen draws a straight line.

use std::f64::consts::PI;

use super::guide::Guide;
use super::instrument::Grip;
use super::placed::Lies;
use super::units::Unit;
use crate::display::colour::Rgb;
use crate::display::lettering::{self, Anchor};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Point, Rect};

/// How long a ruler may be, in glass units.
pub const LENGTHS: (f64, f64) = (200.0, 3000.0);
/// How wide it is, in glass units.
pub const WIDTH: f64 = 108.0;
/// How much of its far end a hand turns it by, and how much of that lengthens it, in glass units.
const ENDS: (f64, f64) = (150.0, 72.0);

pub(super) const BODY: Rgb = Rgb::hex(0xF3F0E9);
pub(super) const LINES: Rgb = Rgb::hex(0x14181D);
/// How much of what lies beneath it hides.
pub(super) const OPACITY: f32 = 0.62;
/// The least room between two lines and between two numbers, in glass units; how large numbers are.
const LINE_ROOM: f64 = 7.0;
const NUMBER_ROOM: f64 = 84.0;
const TYPE: f64 = 27.0;

/// What lengths along an edge on the glass are read in, from its zero.
#[derive(Clone, PartialEq, Debug)]
pub struct Calibrated {
    /// How much of the unit a glass unit is, at the zero.
    pub per_unit: f64,
    /// How much less that is for each further glass unit, on a plane that is seen at an angle: see
    /// [`Calibrated::reading`]. 0 for what is seen from straight above.
    pub bend: f64,
    pub unit: Unit,
}

impl Calibrated {
    /// The same everywhere.
    pub fn even(per_unit: f64, unit: Unit) -> Self {
        let bend = 0.0;
        Self {
            per_unit,
            bend,
            unit,
        }
    }

    /// Along an edge that lies on a plane. What is seen of a line on a plane is a projective map of it: lengths
    /// at two places of the edge, `(along, length)`, say all of it. `None` when these lie beyond the horizon.
    pub fn bent([(t, a), (u, b)]: [(f64, f64); 2], unit: Unit) -> Option<Self> {
        // a (1 + bend t) = per_unit t, and the same for the other.
        let bend = (b * t - a * u) / (t * u * (a - b));
        let per_unit = a * (1.0 + bend * t) / t;
        let sound = bend.is_finite() && per_unit.is_finite() && per_unit > 0.0;
        (sound && 1.0 + bend * u.max(t) > 0.0).then_some(Self {
            per_unit,
            bend,
            unit,
        })
    }

    /// What is read so far along the edge, in glass units.
    pub fn reading(&self, along: f64) -> f64 {
        self.per_unit * along / (1.0 + self.bend * along)
    }

    /// Where a length is read, in glass units along the edge: the way back from [`Calibrated::reading`].
    pub fn place(&self, length: f64) -> f64 {
        length / (self.per_unit - self.bend * length)
    }

    /// The most of the unit that a glass unit is, anywhere on an edge of this length.
    fn most_per_unit(&self, size: f64) -> f64 {
        let far = 1.0 + self.bend * size;
        self.per_unit * (1.0 / (far * far)).max(1.0)
    }
}

/// Millimetres to a glass unit as displays have them, from a hand's size to a wall's: one that reports
/// nonsense breaks no ruler.
pub fn sound_millimetres(millimetres: f64) -> f64 {
    match millimetres.is_finite() {
        true => millimetres.clamp(0.05, 20.0),
        false => 0.75,
    }
}

/// What a hand takes hold of at a place; `None` beside it.
pub fn grip(lies: &Lies, at: Point<Glass>) -> Option<Grip> {
    let (along, across) = lies.local(at);
    let inside = (0.0..=lies.size).contains(&along) && (0.0..=WIDTH).contains(&across);
    inside.then_some(match lies.size - along {
        rest if rest < ENDS.1 => Grip::Lengthen,
        rest if rest < ENDS.0 => Grip::Turn,
        _ => Grip::Carry,
    })
}

/// Its graduated edge.
pub fn edge(lies: &Lies) -> Guide {
    Guide::Line {
        from: lies.at,
        to: lies.at_local((lies.size, 0.0)),
    }
}

/// A rectangle that contains it.
pub fn bounds(lies: &Lies) -> Rect<Glass> {
    let corners = [
        (0.0, 0.0),
        (lies.size, 0.0),
        (lies.size, WIDTH),
        (0.0, WIDTH),
    ];
    let all = corners.map(|corner| lies.at_local(corner));
    let bounds = all.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
    bounds.inflate(4.0)
}

/// How a scale is divided: from one number to the next, and into how many parts.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Division {
    /// From one number to the next, in the unit.
    pub step: f64,
    pub parts: u32,
}

/// The division of a scale of which a glass unit is `per_unit`: numbers and lines as near to each other as
/// can be read, at 1, 2 or 5 times a power of ten.
///
/// ```
/// use bozzetto_core::instruments::ruler::{Division, division};
/// // A centimetre of 100 units has its millimetres.
/// assert_eq!(division(0.01), Division { step: 1.0, parts: 10 });
/// assert_eq!(division(0.02), Division { step: 2.0, parts: 10 });
/// ```
pub fn division(per_unit: f64) -> Division {
    let least = NUMBER_ROOM * per_unit;
    let power = 10f64.powf(least.log10().floor());
    let lead = [1.0, 2.0, 5.0, 10.0];
    let lead = lead.into_iter().find(|l| l * power >= least * (1.0 - 1e-9));
    let lead = lead.unwrap_or(10.0);
    let step = lead * power;
    // 2 is divided into tenths or halves of 1, 5 into ones or halves of 1, so that a line is a round number.
    let parts: &[u32] = match lead {
        2.0 => &[10, 4, 2],
        5.0 => &[10, 5],
        _ => &[10, 5, 2],
    };
    let fits = |n: &u32| step / f64::from(*n) / per_unit >= LINE_ROOM;
    let parts = parts.iter().copied().find(fits).unwrap_or(1);
    Division { step, parts }
}

/// A number on a scale: as many decimals as its step has.
pub fn number(value: f64, step: f64) -> String {
    let decimals = (-step.log10().floor()).clamp(0.0, 9.0) as usize;
    format!("{value:.decimals$}")
}

/// Draws it, graduated in what it reads in.
pub fn paint(lies: &Lies, calibrated: &Calibrated, list: &mut DisplayList) {
    let map = lies.map();
    let mut put = |path: Path, colour: Rgb, opacity: f32| {
        list.fade(path.mapped(&map), colour, Blend::Over, opacity);
    };
    let length = lies.size;
    let mut rim = Path::default();
    rim.rect(&Rect::from_size(-2.0, -2.0, length + 4.0, WIDTH + 4.0));
    // The other way round: a hole, so that the body is as clear as it is.
    rim.polygon([(0.0, 0.0), (0.0, WIDTH), (length, WIDTH), (length, 0.0)]);
    put(rim, LINES, 0.7);
    let mut body = Path::default();
    body.rect(&Rect::from_size(0.0, 0.0, length, WIDTH));
    put(body, BODY, OPACITY);
    let Division { step, parts } = division(calibrated.most_per_unit(length));
    let line = step / f64::from(parts);
    let count = (calibrated.reading(length) / line).floor() as u32;
    let mut lines = Path::default();
    for n in 0..=count {
        let (x, high) = (
            calibrated.place(f64::from(n) * line),
            match n % parts {
                0 => 36.0,
                rest if rest * 2 == parts => 27.0,
                _ => 18.0,
            },
        );
        lines.rect(&Rect::from_size(x - 1.0, 0.0, 2.0, high));
    }
    put(lines, LINES, 1.0);
    let mut numbers = Path::default();
    for n in 0..=count / parts {
        let x = calibrated.place(f64::from(n) * step);
        let words = match n {
            0 => format!("0 {}", calibrated.unit.sign()),
            n => number(f64::from(n) * step, step),
        };
        let (anchor, x) = match n {
            0 => (Anchor::Start, 5.0),
            _ => (Anchor::Middle, x),
        };
        // Near the far end there is no room for a number that stands on its middle.
        if x + lettering::length(&words) * TYPE / 2.0 < length {
            numbers.append(&lettering::words(&words, (x, 62.0), TYPE, anchor, 0.0));
        }
    }
    put(numbers, LINES, 1.0);
    put(turn_sign(length - (ENDS.0 + ENDS.1) / 2.0), LINES, 0.9);
    put(end_sign(length - ENDS.1 / 2.0), LINES, 0.9);
}

/// Two heads on a bow: here it is turned.
fn turn_sign(x: f64) -> Path {
    let (y, r) = (WIDTH - 22.0, 18.0);
    let at = |degrees: f64, r: f64| {
        let a = degrees.to_radians();
        (x + r * a.cos(), y + r * a.sin())
    };
    let outer = (0..=10).map(|n| at(-150.0 + 12.0 * f64::from(n), r + 2.0));
    let inner = (0..=10)
        .rev()
        .map(|n| at(-150.0 + 12.0 * f64::from(n), r - 2.0));
    let mut sign = Path::default();
    sign.polygon(outer.chain(inner));
    for (angle, way) in [(-150.0, -1.0), (-30.0, 1.0)] {
        sign.polygon([
            at(angle, r + 7.0),
            at(angle + 24.0 * way, r),
            at(angle, r - 7.0),
        ]);
    }
    sign
}

/// An arrow out of the end: here it is made longer.
fn end_sign(x: f64) -> Path {
    let y = WIDTH - 22.0;
    let mut sign = Path::default();
    sign.polygon([
        (x - 20.0, y - 2.0),
        (x + 8.0, y - 2.0),
        (x + 8.0, y - 10.0),
        (x + 24.0, y),
        (x + 8.0, y + 10.0),
        (x + 8.0, y + 2.0),
        (x - 20.0, y + 2.0),
    ]);
    sign
}

/// How it is turned, as is said: degrees above the horizontal, 0 to 180.
pub fn incline(angle: f64) -> f64 {
    (-angle).rem_euclid(PI).to_degrees()
}
