//! What the presenter's hand holds.

use serde::{Deserialize, Serialize};

use crate::marks::shape::{Dash, Figure};
use crate::marks::stamp::Sign;

/// A tool, as keys and the rail name it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Kind {
    #[default]
    Pen,
    Erase,
    Select,
    Shape,
    Stamp,
    Text,
    Laser,
    Spotlight,
    Magnifier,
    Measure,
    Hide,
}

/// Touch or Mark, and in Mark which tool and what it draws.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct InHand {
    /// Pointers move what is seen, and mark nothing.
    pub touching: bool,
    pub tool: Kind,
    /// Which of the settings' swatches.
    pub swatch: usize,
    /// Which of [`Figure::ALL`].
    pub figure: usize,
    /// Shapes that have an inside are filled.
    pub filled: bool,
    /// 0 solid, 1 dashed, 2 dotted.
    pub dash: u8,
    /// Which of [`Sign::ALL`].
    pub sign: usize,
    /// A ring goes round what points.
    pub ring: bool,
    /// Each press spreads.
    pub ripples: bool,
    /// What goes along with what points: the spotlight, or the magnifier.
    pub follows: Option<Kind>,
    /// The child lock is on: nothing is moved or enlarged.
    pub locked: bool,
}

impl InHand {
    /// Whether this tool is in the hand, and marks.
    pub fn holds(&self, kind: Kind) -> bool {
        !self.touching && self.tool == kind
    }

    /// The figure that shapes have.
    pub fn figure(&self) -> Figure {
        *Figure::ALL.get(self.figure).unwrap_or(&Figure::Line)
    }

    /// How the lines of shapes are broken.
    pub fn dash(&self) -> Dash {
        match self.dash {
            1 => Dash::Dashed,
            2 => Dash::Dotted,
            _ => Dash::Solid,
        }
    }

    /// What stamps show.
    pub fn sign(&self) -> Sign {
        *Sign::ALL.get(self.sign).unwrap_or(&Sign::Tick)
    }

    /// Whether one tap is all that the tool takes.
    pub fn taps(&self) -> bool {
        match self.tool {
            Kind::Stamp | Kind::Text | Kind::Measure => true,
            Kind::Shape => self.figure().by_points(),
            Kind::Pen
            | Kind::Erase
            | Kind::Select
            | Kind::Laser
            | Kind::Spotlight
            | Kind::Magnifier
            | Kind::Hide => false,
        }
    }
}
