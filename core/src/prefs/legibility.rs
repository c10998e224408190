//! The back-row check: what can be read from the farthest seat.
//!
//! Sizes are judged by the visual angle that they span there, `h = 2 d tan(a / 2)`. ISO 9241-303 asks
//! for characters of at least 16 arc minutes and prefers 20 to 22 (from memory). Strokes between a
//! twelfth and a tenth of that height keep letters open (common practice, no source).

use serde::{Deserialize, Serialize};

use crate::display::colour::{BLACK, LINE_CONTRAST, OKABE_ITO, Rgb};
use crate::geometry::frames::GLASS_WIDTH;
use crate::ink::tip::{Tip, rim, width_of_rim};
use crate::marks::swatch::Swatch;

/// The smallest and the preferred height of writing, in arc minutes.
pub const LEAST: f64 = 16.0;
pub const PREFERRED: f64 = 20.0;

/// Contrast of text, here of black text under a highlighter. Source: WCAG 2.2, 1.4.3.
pub const TEXT_CONTRAST: f64 = 4.5;

/// A room: how wide the picture is on the wall, and how far the last seat is from it.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Room {
    /// Millimetres.
    pub display_width: f64,
    /// Millimetres.
    pub farthest_seat: f64,
}

impl Default for Room {
    /// A 65-inch display and six metres.
    fn default() -> Self {
        Self {
            display_width: 1430.0,
            farthest_seat: 6000.0,
        }
    }
}

/// How large something must be to span an angle (arc minutes) at a distance; in its unit.
///
/// ```
/// use bozzetto_core::prefs::legibility::size_for;
/// // 20 arc minutes at 8 m are 46.5 mm.
/// assert!((size_for(20.0, 8000.0) - 46.54).abs() < 0.01);
/// ```
pub fn size_for(arc_minutes: f64, distance: f64) -> f64 {
    2.0 * distance * (arc_minutes / 60.0 / 2.0).to_radians().tan()
}

impl Room {
    /// Within what rooms are: displays from 20 cm to 30 m, seats from half a metre to 100 m.
    pub fn settled(self) -> Self {
        let sound = |v: f64, low, high, usual| match v.is_finite() {
            true => v.clamp(low, high),
            false => usual,
        };
        Self {
            display_width: sound(self.display_width, 200.0, 30_000.0, 1430.0),
            farthest_seat: sound(self.farthest_seat, 500.0, 100_000.0, 6000.0),
        }
    }

    /// Glass units that span an angle at the farthest seat.
    fn units(&self, arc_minutes: f64) -> f64 {
        size_for(arc_minutes, self.farthest_seat) * GLASS_WIDTH / self.display_width
    }

    /// The smallest height of writing that the last seat can read, in glass units.
    pub fn least_writing(&self) -> f64 {
        self.units(LEAST)
    }

    /// The height of writing that the last seat reads well.
    pub fn good_writing(&self) -> f64 {
        self.units(PREFERRED)
    }

    /// The thinnest line that the last seat sees in writing.
    pub fn least_line(&self) -> f64 {
        self.least_writing() / 12.0
    }

    /// The thinnest rim that the last seat tells from the ink: one arc minute, the gap that an eye of acuity
    /// 1.0 sees in a Landolt ring (ISO 8596, from memory).
    pub fn least_rim(&self) -> f64 {
        self.units(1.0)
    }

    /// The line that writing read well is made of.
    pub fn good_line(&self) -> f64 {
        self.good_writing() / 10.0
    }
}

/// Why a swatch falls short, and the swatch that does not.
#[derive(Clone, PartialEq, Debug)]
pub struct Short {
    /// In words for the presenter.
    pub why: String,
    /// One that can be read.
    pub instead: Swatch,
}

/// What is wrong with a swatch for this room on what is beneath it; `None` when the last seat sees
/// it well enough.
pub fn check(swatch: &Swatch, room: &Room, beneath: Rgb) -> Option<Short> {
    let mut instead = *swatch;
    let mut reasons = Vec::new();
    if swatch.tip.is_pen() {
        let least = room.least_line();
        if f64::from(swatch.width) < least {
            // Half units, so that the number can be said.
            instead.width = ((room.good_line() * 2.0).ceil() / 2.0) as f32;
            reasons.push(format!(
                "too thin for the last seat at {}: {} instead of {} wide would do",
                metres(room.farthest_seat),
                instead.width,
                swatch.width
            ));
        }
        let contrast = swatch.colour.contrast(beneath);
        if contrast < LINE_CONTRAST && swatch.tip != Tip::Rimmed {
            instead.tip = Tip::Rimmed;
            reasons.push(format!(
                "contrast {:.1} to 1 on what is on stage, where 3 is needed: with a rim it would do",
                cut(contrast)
            ));
        }
        // A rim that cannot be told from the ink sets nothing off.
        let least = room.least_rim();
        if instead.tip == Tip::Rimmed && rim(f64::from(instead.width)) < least {
            instead.width = ((width_of_rim(least) * 2.0).ceil() / 2.0) as f32;
            reasons.push(format!(
                "its rim is too thin for the last seat at {}: {} instead of {} wide would do",
                metres(room.farthest_seat),
                instead.width,
                swatch.width
            ));
        }
    } else {
        let contrast = swatch.colour.contrast(BLACK);
        if contrast < TEXT_CONTRAST {
            instead.colour = OKABE_ITO[4].1;
            reasons.push(format!(
                "black text beneath it keeps a contrast of {:.1} to 1, where 4.5 is needed: yellow \
                 would do",
                cut(contrast)
            ));
        }
    }
    let mut why = reasons.join("; ");
    if let Some(first) = why.get_mut(..1) {
        first.make_ascii_uppercase();
    }
    (!why.is_empty()).then_some(Short { why, instead })
}

/// To tenths, never up: what falls short must not look as if it were enough.
fn cut(contrast: f64) -> f64 {
    (contrast * 10.0).floor() / 10.0
}

fn metres(mm: f64) -> String {
    format!("{:.1} m", mm / 1000.0)
}

/// The mean colour of pixels (red, green, blue, opacity), with what is clear on white.
pub fn mean_colour(pixels: &[u8]) -> Option<Rgb> {
    let mut sum = [0u64; 3];
    let mut n = 0u64;
    for p in pixels.chunks_exact(4) {
        let a = u64::from(p[3]);
        for (total, v) in sum.iter_mut().zip(p) {
            *total += (u64::from(*v) * a + 255 * (255 - a)) / 255;
        }
        n += 1;
    }
    (n > 0).then(|| {
        let [r, g, b] = sum.map(|v| (v / n) as u8);
        Rgb::new(r, g, b)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::marks::swatch::ORIGINALS;
    use proptest::prelude::*;

    proptest! {
        /// Whatever the room, the backdrop and the swatch: what is proposed instead passes the check.
        #[test]
        fn what_is_proposed_would_do(
            width in 200.0..8000.0f64, seat in 500.0..20_000.0f64,
            r: u8, g: u8, b: u8, pen in 0..6usize, w in 1.0..60.0f32,
        ) {
            let room = Room { display_width: width, farthest_seat: seat };
            let swatch = Swatch { width: w, ..ORIGINALS[pen] };
            let beneath = Rgb::new(r, g, b);
            if let Some(short) = check(&swatch, &room, beneath) {
                prop_assert!(check(&short.instead, &room, beneath).is_none(), "{}", short.why);
            }
        }
    }

    /// In a usual classroom the original pens pass on paper; yellow as a pen does not, and is not
    /// asked to as a highlighter. From 20 m the writing pen is too thin.
    #[test]
    fn the_originals_can_be_seen() {
        let paper = crate::stage::board::PAPER;
        let room = Room::default();
        for swatch in &ORIGINALS {
            assert_eq!(check(swatch, &room, paper), None, "{}", swatch.name());
        }
        let yellow = Swatch {
            tip: Tip::Round,
            ..ORIGINALS[3]
        };
        let short = check(&yellow, &room, paper).unwrap();
        assert!(short.why.starts_with("Contrast 1."));
        // The colour stays; it gets a rim.
        assert_eq!(short.instead.colour, yellow.colour);
        assert_eq!(short.instead.tip, Tip::Rimmed);
        let hall = Room {
            farthest_seat: 20_000.0,
            ..room
        };
        assert!(
            check(&ORIGINALS[0], &hall, paper)
                .unwrap()
                .why
                .starts_with("Too thin")
        );
    }
}
