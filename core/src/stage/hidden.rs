//! Parts of a backdrop that only the presenter sees: participants, captures and small pictures have one colour there.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Held, Rect};

/// A part of a page of a backdrop that is hidden; it moves and grows with the backdrop.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct HiddenPart {
    /// The page, counted from 0.
    pub page: u32,
    /// In units of the backdrop.
    pub area: Rect<Held>,
}

/// The most parts of one backdrop.
pub const MOST_PARTS: usize = 100;

impl HiddenPart {
    /// Within its page, whatever was sent; `None` for what hides nothing.
    pub fn settled(self, whole: &Rect<Held>) -> Option<Self> {
        let r = self.area;
        let sound = [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite());
        let area = r.intersection(whole);
        let hides = sound && area.width() > 0.0 && area.height() > 0.0;
        hides.then_some(Self { area, ..self })
    }
}
