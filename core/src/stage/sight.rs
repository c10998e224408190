//! How what is held by the glass and by backdrops is seen, for what lies over the picture.

use crate::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use crate::geometry::ids::BackdropId;
use crate::instruments::measure::Known;
use crate::instruments::placed::Lies;
use crate::instruments::plane::Plane;
use crate::instruments::ruler::{Calibrated, sound_millimetres};
use crate::instruments::units::Unit;
use crate::stage::backdrop::{BackdropView, ViewState};
use crate::stage::grain::Grain;
use crate::stage::pane::Pane;

/// The panes of the picture area.
#[derive(Clone, Copy, Debug)]
pub struct Sight<'a> {
    pub area: Size<Glass>,
    pub panes: &'a [Pane<'a>],
}

impl<'a> Sight<'a> {
    /// All of the picture area.
    pub fn all(&self) -> Rect<Glass> {
        Rect::of_size(self.area)
    }

    /// From what holds something to the glass; `None` for a backdrop that is not on stage.
    pub fn view(&self, on: Option<BackdropId>) -> Option<Map<Held, Glass>> {
        match on {
            None => Some(Map::coincident()),
            Some(id) => self
                .pane_of(id)
                .map(|(backdrop, pane)| backdrop.view(&pane.room)),
        }
    }

    /// A backdrop that is on stage, and its pane.
    pub fn pane_of(&self, id: BackdropId) -> Option<(&'a BackdropView, &'a Pane<'a>)> {
        let all = self.panes.iter().filter_map(|p| Some((p.backdrop?, p)));
        all.into_iter().find(|(backdrop, _)| backdrop.id == id)
    }

    /// The backdrop at a place, and how it is seen.
    pub fn beneath(&self, at: Point<Glass>) -> Option<(&'a BackdropView, Map<Held, Glass>)> {
        let pane = self.panes.iter().find(|p| p.room.contains(at));
        let pane = pane.or(self.panes.first())?;
        let backdrop = pane.backdrop?;
        Some((backdrop, backdrop.view(&pane.room)))
    }

    /// What lengths are read in along an instrument that `on` holds: on the plane of the backdrop, in its scale,
    /// or in centimetres on the presenter's display.
    pub fn calibrated(&self, on: Option<BackdropId>, lies: &Lies, millimetres: f64) -> Calibrated {
        let beneath = match on {
            Some(id) => self.pane_of(id).map(|(b, pane)| (b, b.view(&pane.room))),
            None => self.beneath(lies.at),
        };
        let known = beneath.and_then(|(backdrop, view)| match &backdrop.seen {
            ViewState {
                plane: Some(plane), ..
            } => on_plane(plane, &view, lies),
            ViewState {
                scale: Some(scale), ..
            } => {
                let per_unit = scale.per_unit() / view.mean_scale();
                Some(Calibrated::even(per_unit, scale.unit.clone()))
            }
            _ => None,
        });
        let centimetres = sound_millimetres(millimetres) / 10.0;
        known.unwrap_or(Calibrated::even(centimetres, Unit::Centimetre))
    }

    /// What is known of lengths on a backdrop.
    pub fn known(&self, on: Option<BackdropId>) -> Known<'a> {
        let seen = on.and_then(|id| self.pane_of(id)).map(|(b, _)| &b.seen);
        Known {
            scale: seen.and_then(|seen| seen.scale.as_ref()),
            plane: seen.and_then(|seen| seen.plane.as_ref()),
        }
    }

    /// How large a pixel is that a place is known to, in units of a backdrop: one of the screen, of `scale`
    /// to a glass unit, or one of the backdrop where that is coarser.
    pub fn pixel(&self, on: BackdropId, scale: f64) -> f64 {
        let Some((backdrop, pane)) = self.pane_of(on) else {
            return 1.0;
        };
        let of_screen = 1.0 / (scale * backdrop.view(&pane.room).mean_scale());
        match backdrop.kind.grain() {
            Grain::Pixels => of_screen.max(1.0),
            Grain::Vector => of_screen,
        }
    }
}

/// What lengths are along an instrument that lies on a plane; `None` beyond its horizon.
fn on_plane(plane: &Plane, view: &Map<Held, Glass>, lies: &Lies) -> Option<Calibrated> {
    let back = view.inverse()?;
    let place = |along: f64| {
        let p = back.apply(lies.at_local((along, 0.0)));
        plane.place((p.x, p.y))
    };
    let zero = place(0.0);
    let read = |along: f64| {
        let p = place(along);
        (along, (p.0 - zero.0).hypot(p.1 - zero.1))
    };
    Calibrated::bent([read(lies.size / 2.0), read(lies.size)], plane.unit.clone())
}
