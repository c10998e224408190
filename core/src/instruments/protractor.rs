//! The protractor: half or all of a circle, with an arm that reads the angle.

use std::f64::consts::{PI, TAU};

use serde::{Deserialize, Serialize};

use super::guide::Guide;
use super::instrument::Grip;
use super::placed::Lies;
use super::ruler::{BODY, LINES, OPACITY};
use crate::display::colour::Rgb;
use crate::display::lettering::{self, Anchor};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Map, Point, Rect};

/// How large its radius may be, in glass units.
pub const RADII: (f64, f64) = (150.0, 1200.0);
/// How wide its baseline is below the centre, and its rim, in glass units.
const FOOT: f64 = 46.0;
const RIM: f64 = 64.0;
/// Its arm: how far it goes beyond the rim, and how large the knob at its end is.
const ARM: (f64, f64) = (70.0, 26.0);
/// The arm, and what it reads.
const ARM_COLOUR: Rgb = Rgb::hex(0xD55E00);

/// How an angle is said.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Says {
    /// Degrees from the baseline, against the clock.
    #[default]
    Degrees,
    /// A bearing: degrees clockwise from the north, in three figures.
    Bearing,
}

/// What only a protractor has.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Protractor {
    /// Where its arm points, in radians clockwise from the right.
    pub arm: f64,
    /// All of a circle.
    pub full: bool,
    pub says: Says,
    /// Where the north is, in radians clockwise from the top of the picture.
    pub north: f64,
}

impl Default for Protractor {
    fn default() -> Self {
        Self {
            arm: -PI / 4.0,
            full: false,
            says: Says::Degrees,
            north: 0.0,
        }
    }
}

impl Protractor {
    /// What the arm reads, in degrees: 0 to 360; `baseline` is the direction of that.
    ///
    /// A bearing is counted clockwise from the north; what is read from the other end differs by 180, modulo
    /// 360 (the reciprocal bearing).
    pub fn degrees(&self, baseline: f64) -> f64 {
        let turned = match self.says {
            Says::Degrees => baseline - self.arm,
            Says::Bearing => self.arm + PI / 2.0 - self.north,
        };
        turned.rem_euclid(TAU).to_degrees()
    }

    /// With its arm where it reads so many degrees: the way back from [`Protractor::degrees`].
    pub fn reading_degrees(&self, baseline: f64, degrees: f64) -> Self {
        let angle = degrees.to_radians();
        let arm = match self.says {
            Says::Degrees => baseline - angle,
            Says::Bearing => angle + self.north - PI / 2.0,
        };
        Self {
            arm,
            ..self.clone()
        }
    }

    /// What the arm reads, in words: to half a degree, a bearing in three figures.
    pub fn reading(&self, baseline: f64) -> String {
        let degrees = (self.degrees(baseline) * 2.0).round() / 2.0 % 360.0;
        match self.says {
            Says::Degrees => format!("{degrees}°"),
            Says::Bearing => format!("{:03.0}°", degrees.round() % 360.0),
        }
    }

    /// What a hand takes hold of at a place: the arm's knob, the rim, or the rest; `None` beside it.
    pub fn grip(&self, lies: &Lies, at: Point<Glass>) -> Option<Grip> {
        if self.is_knob(lies, at) {
            return Some(Grip::Arm);
        }
        let (along, across) = lies.local(at);
        let out = along.hypot(across);
        let inside = out <= lies.size && (self.full || across <= FOOT);
        inside.then_some(
            match out > lies.size - RIM && (self.full || across <= 0.0) {
                true => Grip::Turn,
                false => Grip::Carry,
            },
        )
    }

    /// Whether a place is on the knob of the arm.
    pub fn is_knob(&self, lies: &Lies, at: Point<Glass>) -> bool {
        at.distance(self.knob(lies)) < ARM.1
    }

    fn knob(&self, lies: &Lies) -> Point<Glass> {
        let out = lies.size + ARM.0;
        let (sin, cos) = self.arm.sin_cos();
        Point::new(lies.at.x + out * cos, lies.at.y + out * sin)
    }

    /// What a pen is led along: the rim, the arm from the centre out, and the line through the centre that
    /// the baseline lies on.
    pub fn guides(&self, lies: &Lies) -> [Guide; 3] {
        let (from, sweep) = match self.full {
            true => (0.0, TAU),
            false => (lies.angle + PI, PI),
        };
        let rim = Guide::Arc {
            centre: lies.at,
            radius: lies.size,
            from,
            sweep,
        };
        let arm = Guide::Line {
            from: lies.at,
            to: self.knob(lies),
        };
        let base = Guide::Line {
            from: lies.at_local((-lies.size, 0.0)),
            to: lies.at_local((lies.size, 0.0)),
        };
        [rim, arm, base]
    }

    /// Draws it.
    pub fn paint(&self, lies: &Lies, list: &mut DisplayList) {
        let map = lies.map();
        let r = lies.size;
        let outline = |grown: f64, hole: bool| {
            let mut path = Path::default();
            let (from, to) = if self.full { (0, 360) } else { (180, 360) };
            let round = (from..=to).step_by(2).map(|degrees| {
                let (sin, cos) = f64::from(degrees).to_radians().sin_cos();
                ((r + grown) * cos, (r + grown) * sin)
            });
            let foot = [(r + grown, FOOT + grown), (-r - grown, FOOT + grown)];
            let foot = foot.into_iter().filter(|_| !self.full);
            let mut corners: Vec<(f64, f64)> = round.chain(foot).collect();
            if hole {
                corners.reverse();
            }
            path.polygon(corners);
            path
        };
        let mut rim = outline(2.0, false);
        rim.append(&outline(0.0, true));
        list.fade(rim.mapped(&map), LINES, Blend::Over, 0.7);
        list.fade(outline(0.0, false).mapped(&map), BODY, Blend::Over, OPACITY);
        self.paint_degrees(lies, &map, list);
        // The centre: two hairs.
        let mut hairs = Path::default();
        hairs.rect(&Rect::from_size(-r, -1.0, 2.0 * r, 2.0));
        hairs.rect(&Rect::from_size(-1.0, -16.0, 2.0, 32.0));
        list.fill(hairs.mapped(&map), LINES, Blend::Over);
        self.paint_arm(lies, list);
    }

    fn paint_degrees(&self, lies: &Lies, map: &Map<Glass, Glass>, list: &mut DisplayList) {
        let r = lies.size;
        let (mut lines, mut numbers) = (Path::default(), Path::default());
        let whole = if self.full { 360 } else { 181 };
        // As many lines as there is room for.
        let fine = match r {
            r if r > 420.0 => 1,
            r if r > 210.0 => 2,
            _ => 5,
        };
        for degree in (0..whole).step_by(fine) {
            let long = match degree {
                d if d % 10 == 0 => 26.0,
                d if d % 5 == 0 => 19.0,
                _ => 13.0,
            };
            let (sin, cos) = (-f64::from(degree)).to_radians().sin_cos();
            let (nx, ny) = (-sin, cos);
            let half = 1.0;
            let corner = |out: f64, side: f64| (out * cos + side * nx, out * sin + side * ny);
            lines.polygon([
                corner(r, -half),
                corner(r - long, -half),
                corner(r - long, half),
                corner(r, half),
            ]);
            let every = if r > 260.0 { 10 } else { 30 };
            if degree % every == 0 {
                let words = self.number(lies.angle, f64::from(degree));
                let out = r - 44.0;
                let size = 20.0;
                let turned = -f64::from(degree).to_radians() + PI / 2.0;
                let down = size * lettering::HEIGHT / 2.0;
                let (s, c) = turned.sin_cos();
                let at = (out * cos - down * s, out * sin + down * c);
                numbers.append(&lettering::words(&words, at, size, Anchor::Middle, turned));
            }
        }
        list.fill(lines.mapped(map), LINES, Blend::Over);
        list.fill(numbers.mapped(map), LINES, Blend::Over);
    }

    /// What stands at a degree from the baseline.
    fn number(&self, baseline: f64, degree: f64) -> String {
        match self.says {
            Says::Degrees => format!("{degree}"),
            Says::Bearing => {
                let arm = baseline - degree.to_radians();
                let there = Self {
                    arm,
                    ..self.clone()
                };
                format!("{}", there.degrees(baseline).round() % 360.0)
            }
        }
    }

    fn paint_arm(&self, lies: &Lies, list: &mut DisplayList) {
        let (sin, cos) = self.arm.sin_cos();
        let map =
            Map::<Glass, Glass>::from_coefficients([cos, sin, -sin, cos, lies.at.x, lies.at.y]);
        let out = lies.size + ARM.0;
        let mut line = Path::default();
        line.rect(&Rect::from_size(0.0, -2.0, out, 4.0));
        list.fill(line.mapped(&map), ARM_COLOUR, Blend::Over);
        let knob = self.knob(lies);
        for (radius, colour) in [(ARM.1, LINES), (ARM.1 - 3.0, BODY), (9.0, ARM_COLOUR)] {
            list.fill(Path::disc(knob, radius), colour, Blend::Over);
        }
        // What it reads, on the plate, upright, on the other side of the arm.
        let size = (lies.size * 0.16).clamp(34.0, 90.0);
        let side = lies.at_local((0.0, -lies.size * 0.42));
        let at = (side.x, side.y + size * lettering::HEIGHT / 2.0);
        let reading = self.reading(lies.angle);
        let wide = lettering::length(&reading) * size + 24.0;
        let mut plate = Path::default();
        plate.rect(&Rect::from_size(
            at.0 - wide / 2.0,
            at.1 - size * 0.84,
            wide,
            size * 1.05,
        ));
        list.fade(plate, BODY, Blend::Over, 0.92);
        let words = lettering::words(&reading, at, size, Anchor::Middle, 0.0);
        list.fill(words, LINES, Blend::Over);
    }

    /// Its angles are numbers from now on.
    pub fn settle(&mut self) {
        for angle in [&mut self.arm, &mut self.north] {
            *angle = if angle.is_finite() {
                angle.rem_euclid(TAU)
            } else {
                0.0
            };
        }
    }
}

/// A rectangle that contains it.
pub fn bounds(lies: &Lies) -> Rect<Glass> {
    let reach = lies.size + ARM.0 + ARM.1 + 6.0;
    Rect::from_corners(lies.at, lies.at).inflate(reach)
}
