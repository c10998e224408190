//! How instruments come to lie on a stage.

use crate::geometry::frames::{Glass, Rect};
use crate::geometry::ids::BackdropId;
use crate::instruments::instrument::Instrument;
use crate::instruments::measure::Measuring;
use crate::instruments::placed::Lies;
use crate::stage::sight::Sight;

impl Instrument {
    /// Where it lies on the glass; `None` while it is put away, or what holds it is not on stage.
    pub fn seen(&self, sight: &Sight) -> Option<Lies> {
        let view = sight.view(self.placed.on)?;
        (!self.away).then(|| self.placed.lies(&view))
    }

    /// It comes out as it was; one that a backdrop holds which is not on stage, into the middle of a room.
    pub fn brought(self, sight: &Sight, room: &Rect<Glass>, millimetres: f64) -> Self {
        let placed = match sight.view(self.placed.on) {
            Some(_) => self.placed,
            None => self.which().in_the_middle(room),
        };
        Self {
            placed,
            millimetres,
            away: false,
            ..self
        }
    }

    /// So large on the glass.
    pub fn sized(mut self, size: f64, sight: &Sight) -> Self {
        if let Some(view) = sight.view(self.placed.on) {
            let (least, most) = self.which().sizes();
            self.placed.size = size.clamp(least, most) / view.mean_scale();
        }
        self
    }

    /// The same place, held by the backdrop beneath its origin or by the glass; `None` where there is no
    /// backdrop.
    pub fn held(&self, by_backdrop: bool, sight: &Sight) -> Option<Self> {
        let lies = self.placed.lies(&sight.view(self.placed.on)?);
        let on = match by_backdrop {
            true => Some(sight.beneath(lies.at)?.0.id),
            false => None,
        };
        Some(self.at(lies.placed(on, &sight.view(on)?)?))
    }
}

impl Measuring {
    /// What is measured on a backdrop: what is known of it already, or nothing yet, and told as the other was.
    /// `scale` is how many CSS pixels a glass unit has.
    pub fn on(known: Option<&Self>, id: BackdropId, sight: &Sight, scale: f64) -> Self {
        match known {
            Some(known) if known.on == Some(id) => known.clone(),
            _ => Self {
                on: Some(id),
                pixel: sight.pixel(id, scale),
                told: known.is_none_or(|m| m.told),
                ..Self::default()
            },
        }
    }
}
