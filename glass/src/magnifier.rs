//! The magnifier: how the row shows it, what is done with it there, and what the page needs to paint what it
//! shows.

use bozzetto_core::aids::magnifier::Magnifier;
use bozzetto_core::aids::region::Form;
use bozzetto_core::display::DisplayList;
use bozzetto_core::stage::laid::Lay;
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::panes::PartsWanted;
use crate::script::given;

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct MagnifierShown {
    /// Or a box.
    pub round: bool,
    /// In glass units, across.
    pub size: f64,
    pub times: f64,
    /// It stands apart from what it shows.
    pub apart: bool,
    pub told: bool,
}

/// A lens on the glass, in glass units. Boxes are x0, y0, x1, y1.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct Lens {
    pub round: bool,
    pub x: f64,
    pub y: f64,
    /// Half its width and height.
    pub half: [f64; 2],
    /// What is at (x, y) on the glass is seen at `times` that and `moved` further.
    pub times: f64,
    pub moved: [f64; 2],
    /// What it shows lies in here.
    pub part: [f64; 4],
    /// All that is drawn of it lies in here.
    pub bounds: [f64; 4],
}

#[wasm_bindgen]
impl Glass {
    /// The magnifier comes out as it was, to where something points, or to the middle; or it is put away.
    pub fn magnifier(&mut self, out: bool) {
        let known = self.stage.shown.laid.magnifier.clone();
        let middle = self.room_in_use().middle();
        self.lay(Lay::Magnifier(match out {
            true => Magnifier::out(known, self.hand.points_at(), middle),
            false => Magnifier {
                away: true,
                ..known.unwrap_or_default()
            },
        }));
    }

    /// The lens is round, or a box.
    pub fn round_lens(&mut self, round: bool) {
        let form = if round { Form::Circle } else { Form::Box };
        self.change_magnifier(|m| m.formed(form), true);
    }

    /// The lens becomes so large across, in glass units; `done` when that is not still being pulled.
    pub fn size_lens(&mut self, size: f64, done: bool) {
        let change = |m: &Magnifier| Magnifier {
            lens: m.lens.grown(size / 2.0 / m.lens.half.0.max(m.lens.half.1)),
            ..m.clone()
        };
        self.change_magnifier(change, done);
    }

    /// It shows things so many times as large; as [`Glass::size_lens`].
    pub fn set_times(&mut self, times: f64, done: bool) {
        self.change_magnifier(|m| m.with_times(times), done);
    }

    /// The lens stands apart from what it shows, or lies over it.
    pub fn set_apart(&mut self, apart: bool) {
        let area = self.picture.area;
        self.change_magnifier(|m| m.apart(apart, area), true);
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_magnifier(&mut self, told: bool) {
        let change = |m: &Magnifier| Magnifier { told, ..m.clone() };
        self.change_magnifier(change, true);
    }

    /// The lens, unless there is none.
    pub fn lens(&self) -> Result<Option<Ts<Lens>>, JsError> {
        let Some(magnifier) = self.stage.shown.laid.lens() else {
            return Ok(None);
        };
        let [times, .., dx, dy] = magnifier.enlarges().coefficients();
        let (lens, part) = (&magnifier.lens, magnifier.part_bounds());
        let bounds = magnifier.bounds(self.picture.area);
        given(Lens {
            round: !matches!(lens.form, Form::Box),
            x: lens.at.x,
            y: lens.at.y,
            half: [lens.half.0, lens.half.1],
            times,
            moved: [dx, dy],
            part: [part.x0, part.y0, part.x1, part.y1],
            bounds: [bounds.x0, bounds.y0, bounds.x1, bounds.y1],
        })
        .map(Some)
    }

    /// Fills the display list with what a layer shows in the lens, as it lies on the glass; see
    /// [`Glass::damage`] for the layers.
    pub fn paint_in_lens(&mut self, number: u8) {
        let mut list = DisplayList::default();
        if let Some(magnifier) = self.stage.shown.laid.lens() {
            let (part, times) = (magnifier.part_bounds(), magnifier.times);
            self.picture.painter.set_times(times);
            self.paint_layer(number, &part, true, &mut list);
            self.picture.painter.set_times(1.0);
        }
        self.picture.list.set(&list);
    }

    /// Fills the display list with the rim of the lens, and for the presenter its knob.
    pub fn paint_rim(&mut self) {
        let mut list = DisplayList::default();
        if let Some(magnifier) = self.stage.shown.laid.lens() {
            magnifier.paint_rim(self.picture.area, !self.follows(), &mut list);
        }
        self.picture.list.set(&list);
    }

    /// Which pictures of a document's page the lens needs; see [`Glass::page_parts`].
    pub fn page_parts_in_lens(
        &self,
        id: &str,
        device_pixel_ratio: f64,
    ) -> Result<Option<Ts<PartsWanted>>, JsError> {
        let Some(magnifier) = self.stage.shown.laid.lens() else {
            return Ok(None);
        };
        let part = magnifier.part_bounds();
        self.parts_of(id, device_pixel_ratio * magnifier.times, Some(part))
    }
}

impl Glass {
    /// For the row.
    pub(crate) fn magnifier_shown(&self) -> Option<MagnifierShown> {
        let magnifier = self.stage.shown.laid.lens()?;
        let (w, h) = magnifier.lens.half;
        Some(MagnifierShown {
            round: !matches!(magnifier.lens.form, Form::Box),
            size: (2.0 * w.max(h)).round(),
            times: (magnifier.times * 100.0).round() / 100.0,
            apart: magnifier.shows.is_some(),
            told: magnifier.told,
        })
    }

    fn change_magnifier(&mut self, change: impl FnOnce(&Magnifier) -> Magnifier, done: bool) {
        let Some(magnifier) = &self.stage.shown.laid.magnifier else {
            return;
        };
        let lay = Lay::Magnifier(change(magnifier));
        match done {
            true => self.lay(lay),
            false => self.drag(lay),
        }
    }
}
