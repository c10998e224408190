//! Aids: what steers attention. They lie over everything and leave no mark.
//!
//! What is of the moment is [`pointing`]: a [laser](laser) dot, a [ring](ring) round the pointer,
//! [ripples](ripple) of presses. It is told and not kept. A [spotlight] and a [magnifier] stay where
//! they are laid: see [`crate::stage::laid`]. A [cover] belongs to a page of a backdrop, and is there when that comes.

pub mod cover;
pub mod laser;
pub mod lines;
pub mod magnifier;
pub mod pointing;
pub mod region;
pub mod ring;
pub mod ripple;
pub mod spotlight;

use serde::{Deserialize, Serialize};

use laser::LaserLook;
use ring::RingLook;

/// How aids are set; kept with the presenter's settings.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Aids {
    pub laser: LaserLook,
    pub ring: RingLook,
    /// Participants see what is pointed with.
    pub told: bool,
}

impl Default for Aids {
    fn default() -> Self {
        Self {
            laser: LaserLook::default(),
            ring: RingLook::default(),
            told: true,
        }
    }
}

impl Aids {
    /// Within what aids may be, whatever was sent.
    pub fn settled(self) -> Self {
        Self {
            laser: self.laser.settled(),
            ring: self.ring.settled(),
            ..self
        }
    }
}

/// `v` within a range; `otherwise` for what is no number.
fn within(v: f64, (least, most): (f64, f64), otherwise: f64) -> f64 {
    if v.is_finite() {
        v.clamp(least, most)
    } else {
        otherwise
    }
}
