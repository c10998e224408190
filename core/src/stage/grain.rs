//! What backdrops are made of.

use serde::{Deserialize, Serialize};

/// What a backdrop is made of, as far as resolution goes.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Grain {
    /// Pixels, one to a backdrop unit.
    Pixels,
    /// Lines and areas that are sharp at every resolution.
    Vector,
}
