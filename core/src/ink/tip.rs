//! The shape of a pen's end.

use serde::{Deserialize, Serialize};

/// The shape of a pen's end.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Tip {
    /// A pen: covers what is beneath.
    Round,
    /// A highlighter: multiplies with what is beneath, which stays readable.
    Flat,
}
