//! Instruments: how the row shows them, and what is done with them there.

use bozzetto_core::instruments::instrument::{Instrument, Kind, Which};
use bozzetto_core::instruments::measure::Measuring;
use bozzetto_core::instruments::plane::Plane;
use bozzetto_core::instruments::protractor::{Protractor, Says};
use bozzetto_core::instruments::ruler::incline;
use bozzetto_core::instruments::scale::Scale;
use bozzetto_core::instruments::units::Unit;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::stage::laid::Lay;
use bozzetto_core::tools::measure;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// An instrument that is not put away.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct InstrumentShown {
    /// Degrees above the horizontal.
    pub turned: f64,
    /// How long it is, its radius, or how far it is opened; in glass units.
    pub size: f64,
    /// A backdrop holds it, and not the glass.
    pub held: bool,
    pub told: bool,
    /// Of a protractor.
    pub arm: Option<ArmShown>,
}

#[derive(Serialize, Tsify)]
pub struct ArmShown {
    /// What the arm reads, in degrees.
    pub angle: f64,
    pub full: bool,
    pub bearing: bool,
    /// Degrees clockwise from the top of the picture.
    pub north: f64,
}

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct MeasuringShown {
    pub readings: Vec<String>,
    pub places: usize,
    /// The scale or the plane of the backdrop, in words; empty when it has none.
    pub scale: String,
    pub told: bool,
}

/// Names of units that are known lengths, in their order.
#[wasm_bindgen]
pub fn unit_names() -> Vec<String> {
    Unit::KNOWN.iter().map(|u| u.word().to_owned()).collect()
}

fn unit(name: &str) -> Unit {
    let known = Unit::KNOWN.into_iter().find(|u| u.word() == name);
    known.unwrap_or_else(|| Unit::Own(name.trim().to_owned()))
}

fn which(name: &str) -> Which {
    match name {
        "protractor" => Which::Protractor,
        "compasses" => Which::Compasses,
        _ => Which::Ruler,
    }
}

impl Glass {
    pub(crate) fn instrument_shown(&self, which: Which) -> Option<InstrumentShown> {
        let instrument = self.stage.shown.laid.instrument(which)?;
        let lies = self.seeing(|sight| instrument.seen(sight))?;
        let arm = |p: &Protractor| ArmShown {
            angle: tenth(p.degrees(instrument.placed.angle)),
            full: p.full,
            bearing: p.says == Says::Bearing,
            north: tenth(p.north.to_degrees()),
        };
        Some(InstrumentShown {
            turned: tenth(incline(lies.angle)),
            size: tenth(lies.size),
            held: instrument.placed.on.is_some(),
            told: instrument.told,
            arm: match &instrument.kind {
                Kind::Protractor(protractor) => Some(arm(protractor)),
                _ => None,
            },
        })
    }

    pub(crate) fn measuring_shown(&self) -> Option<MeasuringShown> {
        let measuring = self.stage.shown.laid.measuring.as_ref();
        let measuring = measuring.filter(|m| !m.away)?;
        self.seeing(|sight| {
            let known = sight.known(measuring.on);
            Some(MeasuringShown {
                readings: measuring.readings(known),
                places: measuring.places.len(),
                scale: match (known.plane, known.scale) {
                    (Some(plane), _) => said_plane(plane),
                    (None, Some(scale)) => said(scale),
                    (None, None) => String::new(),
                },
                told: measuring.told,
            })
        })
    }
}

fn tenth(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

/// A scale in words: what a hundred units of the backdrop are.
fn said(scale: &Scale) -> String {
    let value = scale.per_unit() * 100.0;
    let figures = (2 - value.log10().floor() as i32).clamp(0, 9) as usize;
    format!("100 px = {value:.figures$} {}", scale.unit.sign())
}

/// A plane in words.
fn said_plane(plane: &Plane) -> String {
    let ((long, wide), unit) = (plane.sides, plane.unit.sign());
    format!("A rectangle of {long} × {wide} {unit}, seen at an angle")
}

#[wasm_bindgen]
impl Glass {
    // ---- Ruler, protractor, compasses: by these words ----

    /// It comes out as it was, or is put away.
    pub fn instrument(&mut self, name: &str, out: bool) {
        let (which, room) = (which(name), self.room_in_use());
        let millimetres = self.prefs.settings.room.display_width / self.picture.area.width;
        let known = self.stage.shown.laid.instrument(which).cloned();
        let instrument = known.unwrap_or_else(|| which.fresh(&room, millimetres));
        self.lay(Lay::Instrument(match out {
            true => self.seeing(|sight| instrument.brought(sight, &room, millimetres)),
            false => Instrument {
                away: true,
                ..instrument
            },
        }));
    }

    /// It is so large, in glass units.
    pub fn size_instrument(&mut self, name: &str, size: f64) {
        self.change_instrument(name, |glass, i| {
            Some(glass.seeing(|sight| i.sized(size, sight)))
        });
    }

    /// It is turned to so many degrees above the horizontal.
    pub fn turn_instrument(&mut self, name: &str, degrees: f64) {
        self.change_instrument(name, |_, i| Some(i.turned(degrees)));
    }

    /// The backdrop beneath holds it, or the glass.
    pub fn hold_instrument(&mut self, name: &str, by_backdrop: bool) {
        self.change_instrument(name, |glass, i| {
            glass.seeing(|sight| i.held(by_backdrop, sight))
        });
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_instrument(&mut self, name: &str, told: bool) {
        self.change_instrument(name, |_, i| Some(Instrument { told, ..i }));
    }

    /// The protractor's arm reads so many degrees.
    pub fn set_arm(&mut self, degrees: f64) {
        self.change_protractor(|p, baseline| *p = p.reading_degrees(baseline, degrees));
    }

    /// All of a circle, or half.
    pub fn set_full(&mut self, full: bool) {
        self.change_protractor(|p, _| p.full = full);
    }

    /// It says bearings, or degrees from its baseline.
    pub fn say_bearings(&mut self, bearings: bool) {
        self.change_protractor(|p, _| {
            p.says = match bearings {
                true => Says::Bearing,
                false => Says::Degrees,
            };
        });
    }

    /// The north is so many degrees clockwise from the top of the picture.
    pub fn set_north(&mut self, degrees: f64) {
        self.change_protractor(|p, _| p.north = degrees.to_radians());
    }

    // ---- Measuring ----

    /// What is measured comes out as it was, or is put away.
    pub fn measuring(&mut self, out: bool) {
        let Some(id) = self.active_backdrop().map(|b| b.id) else {
            return;
        };
        let known = self.stage.shown.laid.measuring.as_ref();
        let scale = self.picture.scale;
        let known = self.seeing(|sight| Measuring::on(known, id, sight, scale));
        let away = !out;
        self.lay(Lay::Measuring(Measuring { away, ..known }));
    }

    /// One place fewer, or none at all.
    pub fn unmeasure(&mut self, all: bool) {
        self.change_measuring(|m| if all { m.emptied() } else { m.shorter() });
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_measuring(&mut self, told: bool) {
        self.change_measuring(|m| Measuring { told, ..m });
    }

    /// What was measured stays on the picture: its line and what was read, as marks. `false` when there is
    /// nothing to leave.
    pub fn leave_reading(&mut self) -> bool {
        let steps = self.at_desk(|_, desk| measure::left(desk));
        let left = steps.is_some_and(|steps| self.act(Intent::Do(steps)));
        if left {
            self.unmeasure(true);
        }
        left
    }

    /// What was measured, or all of the picture's width, is so long; gives why that cannot be, if it cannot.
    /// `unit` is the word of a known unit, or a name of one's own.
    pub fn set_scale(&mut self, length: f64, unit_name: &str) -> Option<String> {
        let measuring = self.stage.shown.laid.measuring.as_ref();
        let drawn = measuring.filter(|m| !m.away);
        let drawn = drawn.and_then(|m| Some((m.on?, m.path()?)));
        let (id, on_backdrop, off) = match drawn {
            Some((id, path)) => (id, path.value, path.off),
            None => {
                let backdrop = self.active_backdrop()?;
                let room = self.room_of(backdrop.id)?;
                (backdrop.id, backdrop.size(&room).width, 0.0)
            }
        };
        let scale = Scale {
            length,
            unit: unit(unit_name),
            on_backdrop,
            off,
        };
        match scale.checked() {
            Ok(scale) => {
                self.see(&id.0.to_string(), |seen| seen.scale = Some(scale));
                None
            }
            Err(why) => Some(why.to_string()),
        }
    }

    /// The four places that were tapped are the corners of a rectangle, so long from the first to the second and
    /// so wide; gives why that cannot be, if it cannot.
    pub fn set_plane(&mut self, long: f64, wide: f64, unit_name: &str) -> Option<String> {
        let measuring = self.stage.shown.laid.measuring.as_ref()?;
        let id = measuring.on?;
        let Some((corners, off)) = measuring.corners() else {
            return Some("Tap the four corners of a rectangle that you know.".to_owned());
        };
        let plane = Plane {
            corners,
            sides: (long, wide),
            unit: unit(unit_name),
            off,
        };
        match plane.checked() {
            Ok(plane) => {
                self.see(&id.0.to_string(), |seen| seen.plane = Some(plane));
                None
            }
            Err(why) => Some(why.to_string()),
        }
    }

    /// The backdrop in use has no scale any more, and no plane.
    pub fn clear_scale(&mut self) {
        if let Some(id) = self.active_backdrop().map(|b| b.id) {
            self.see(&id.0.to_string(), |seen| {
                (seen.scale, seen.plane) = (None, None);
            });
        }
    }
}

impl Glass {
    fn change_instrument(
        &mut self,
        name: &str,
        change: impl FnOnce(&Self, Instrument) -> Option<Instrument>,
    ) {
        let known = self.stage.shown.laid.instrument(which(name)).cloned();
        if let Some(changed) = known.and_then(|instrument| change(self, instrument)) {
            self.lay(Lay::Instrument(changed));
        }
    }

    /// Changes what only a protractor has; the direction of its baseline goes along.
    fn change_protractor(&mut self, change: impl FnOnce(&mut Protractor, f64)) {
        self.change_instrument("protractor", |_, mut instrument| {
            if let Kind::Protractor(protractor) = &mut instrument.kind {
                change(protractor, instrument.placed.angle);
            }
            Some(instrument)
        });
    }

    fn change_measuring(&mut self, change: impl FnOnce(Measuring) -> Measuring) {
        if let Some(measuring) = self.stage.shown.laid.measuring.clone() {
            self.lay(Lay::Measuring(change(measuring)));
        }
    }
}
