//! Instruments: how the row shows them, and what is done with them there.

use std::f64::consts::{PI, TAU};

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Ink, Point};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::instruments::compasses::{Compasses, RADII as SPANS};
use bozzetto_core::instruments::measure::Measuring;
use bozzetto_core::instruments::placed::{Lies, Placed};
use bozzetto_core::instruments::plane::Plane;
use bozzetto_core::instruments::protractor::{Protractor, RADII, Says};
use bozzetto_core::instruments::reading::of_a_pixel;
use bozzetto_core::instruments::ruler::{LENGTHS, Ruler, incline};
use bozzetto_core::instruments::scale::Scale;
use bozzetto_core::instruments::units::Unit;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Style};
use bozzetto_core::marks::shape::{Figure, Shape};
use bozzetto_core::marks::swatch::Hold;
use bozzetto_core::marks::text::{CAPITALS, Text};
use bozzetto_core::sheets::step::{Op, Step};
use bozzetto_core::stage::laid::Lay;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct RulerShown {
    /// Degrees above the horizontal.
    pub turned: f64,
    /// In glass units.
    pub length: f64,
    /// A backdrop holds it, and not the glass.
    pub held: bool,
    pub told: bool,
}

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct ProtractorShown {
    /// What its arm reads, in degrees.
    pub angle: f64,
    /// Its radius, in glass units.
    pub size: f64,
    pub full: bool,
    pub bearing: bool,
    /// Degrees clockwise from the top of the picture.
    pub north: f64,
    pub held: bool,
    pub told: bool,
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

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct CompassesShown {
    /// How far they are opened, in glass units.
    pub radius: f64,
    pub held: bool,
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

impl Glass {
    pub(crate) fn ruler_shown(&self) -> Option<RulerShown> {
        self.seeing(|sight| {
            let (ruler, lies) = self.stage.shown.laid.ruler_seen(sight)?;
            Some(RulerShown {
                turned: tenth(incline(lies.angle)),
                length: lies.size.round(),
                held: ruler.placed.on.is_some(),
                told: ruler.told,
            })
        })
    }

    pub(crate) fn protractor_shown(&self) -> Option<ProtractorShown> {
        self.seeing(|sight| {
            let (protractor, lies) = self.stage.shown.laid.protractor_seen(sight)?;
            Some(ProtractorShown {
                angle: tenth(protractor.degrees()),
                size: lies.size.round(),
                full: protractor.full,
                bearing: protractor.says == Says::Bearing,
                north: tenth(protractor.north.to_degrees()),
                held: protractor.placed.on.is_some(),
                told: protractor.told,
            })
        })
    }

    pub(crate) fn compasses_shown(&self) -> Option<CompassesShown> {
        self.seeing(|sight| {
            let (compasses, lies) = self.stage.shown.laid.compasses_seen(sight)?;
            Some(CompassesShown {
                radius: tenth(lies.size),
                held: compasses.placed.on.is_some(),
                told: compasses.told,
            })
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
    // ---- The ruler ----

    /// The ruler comes out as it was, or is put away.
    pub fn ruler(&mut self, out: bool) {
        let known = self.stage.shown.laid.ruler.clone();
        let room = self.prefs.settings.room;
        let millimetres = room.display_width / self.picture.area.width;
        let fresh = Ruler {
            placed: self.in_the_middle(1100.0, 0.0),
            millimetres,
            away: false,
            told: true,
        };
        let away = !out;
        let ruler = known.unwrap_or(fresh);
        let seen = self.seeing(|sight| sight.view(ruler.placed.on).is_some());
        // One that a backdrop holds which is not on stage comes onto this glass.
        let placed = match seen {
            true => ruler.placed,
            false => self.in_the_middle(1100.0, 0.0),
        };
        self.lay_ruler(Ruler {
            placed,
            away,
            millimetres,
            ..ruler
        });
    }

    /// It is turned to so many degrees above the horizontal.
    pub fn turn_ruler(&mut self, degrees: f64) {
        self.change_ruler(|r| r.placed.angle = -degrees.to_radians());
    }

    /// It is so long, in glass units.
    pub fn size_ruler(&mut self, length: f64) {
        let view = |glass: &Self, on| glass.seeing(|sight| sight.view(on));
        let Some(on) = self.stage.shown.laid.ruler.as_ref().map(|r| r.placed.on) else {
            return;
        };
        let scale = view(self, on).map_or(1.0, |v| v.mean_scale());
        let length = length.clamp(LENGTHS.0, LENGTHS.1) / scale;
        self.change_ruler(|r| r.placed.size = length);
    }

    /// The backdrop beneath holds it, or the glass.
    pub fn hold_ruler(&mut self, by_backdrop: bool) {
        let Some(ruler) = self.stage.shown.laid.ruler.clone() else {
            return;
        };
        if let Some(placed) = self.held_by(&ruler.placed, by_backdrop) {
            self.lay_ruler(Ruler { placed, ..ruler });
        }
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_ruler(&mut self, told: bool) {
        self.change_ruler(|r| r.told = told);
    }

    // ---- The protractor ----

    /// The protractor comes out as it was, or is put away.
    pub fn protractor(&mut self, out: bool) {
        let fresh = Protractor {
            placed: self.in_the_middle(380.0, 0.5),
            arm: -PI / 4.0,
            full: false,
            says: Says::Degrees,
            north: 0.0,
            away: false,
            told: true,
        };
        let known = self.stage.shown.laid.protractor.clone();
        let protractor = known.unwrap_or(fresh);
        let seen = self.seeing(|sight| sight.view(protractor.placed.on).is_some());
        let placed = match seen {
            true => protractor.placed,
            false => self.in_the_middle(380.0, 0.5),
        };
        self.lay_protractor(Protractor {
            placed,
            away: !out,
            ..protractor
        });
    }

    /// Its arm reads so many degrees.
    pub fn set_arm(&mut self, degrees: f64) {
        self.change_protractor(|p| {
            let angle = degrees.to_radians();
            p.arm = match p.says {
                Says::Degrees => p.placed.angle - angle,
                Says::Bearing => angle + p.north - PI / 2.0,
            };
        });
    }

    /// Its radius, in glass units.
    pub fn size_protractor(&mut self, radius: f64) {
        let known = self.stage.shown.laid.protractor.as_ref();
        let Some(on) = known.map(|p| p.placed.on) else {
            return;
        };
        let scale = self
            .seeing(|sight| sight.view(on))
            .map_or(1.0, |v| v.mean_scale());
        let radius = radius.clamp(RADII.0, RADII.1) / scale;
        self.change_protractor(|p| p.placed.size = radius);
    }

    /// All of a circle, or half.
    pub fn set_full(&mut self, full: bool) {
        self.change_protractor(|p| p.full = full);
    }

    /// It says bearings, or degrees from its baseline.
    pub fn say_bearings(&mut self, bearings: bool) {
        self.change_protractor(|p| {
            p.says = if bearings {
                Says::Bearing
            } else {
                Says::Degrees
            };
        });
    }

    /// The north is so many degrees clockwise from the top of the picture.
    pub fn set_north(&mut self, degrees: f64) {
        self.change_protractor(|p| p.north = degrees.to_radians().rem_euclid(TAU));
    }

    /// The backdrop beneath holds it, or the glass.
    pub fn hold_protractor(&mut self, by_backdrop: bool) {
        let Some(protractor) = self.stage.shown.laid.protractor.clone() else {
            return;
        };
        if let Some(placed) = self.held_by(&protractor.placed, by_backdrop) {
            self.lay_protractor(Protractor {
                placed,
                ..protractor
            });
        }
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_protractor(&mut self, told: bool) {
        self.change_protractor(|p| p.told = told);
    }

    // ---- Compasses ----

    /// The compasses come out as they were, or are put away.
    pub fn compasses(&mut self, out: bool) {
        let millimetres = self.prefs.settings.room.display_width / self.picture.area.width;
        let fresh = Compasses {
            placed: self.in_the_middle(260.0, 0.5),
            millimetres,
            away: false,
            told: true,
        };
        let known = self.stage.shown.laid.compasses.clone();
        let compasses = known.unwrap_or(fresh);
        let seen = self.seeing(|sight| sight.view(compasses.placed.on).is_some());
        let placed = match seen {
            true => compasses.placed,
            false => self.in_the_middle(260.0, 0.5),
        };
        self.lay_compasses(Compasses {
            placed,
            millimetres,
            away: !out,
            ..compasses
        });
    }

    /// How far they are opened, in glass units.
    pub fn open_compasses(&mut self, radius: f64) {
        let known = self.stage.shown.laid.compasses.clone();
        let Some(mut compasses) = known else {
            return;
        };
        let view = self.seeing(|sight| sight.view(compasses.placed.on));
        let scale = view.map_or(1.0, |v| v.mean_scale());
        compasses.placed.size = radius.clamp(SPANS.0, SPANS.1) / scale;
        self.lay_compasses(compasses);
    }

    /// The backdrop beneath holds them, or the glass.
    pub fn hold_compasses(&mut self, by_backdrop: bool) {
        let Some(compasses) = self.stage.shown.laid.compasses.clone() else {
            return;
        };
        if let Some(placed) = self.held_by(&compasses.placed, by_backdrop) {
            self.lay_compasses(Compasses {
                placed,
                ..compasses
            });
        }
    }

    /// Participants see them, or they are kept to the stage.
    pub fn tell_compasses(&mut self, told: bool) {
        if let Some(compasses) = self.stage.shown.laid.compasses.clone() {
            self.lay_compasses(Compasses { told, ..compasses });
        }
    }

    // ---- Measuring ----

    /// What is measured comes out as it was, or is put away.
    pub fn measuring(&mut self, out: bool) {
        let on = self.active_backdrop().map(|b| b.id);
        let known = self.stage.shown.laid.measuring.clone();
        let known = known.filter(|m| m.on == on).unwrap_or(Measuring {
            on,
            pixel: self.pixel(on),
            told: true,
            ..Measuring::default()
        });
        let away = !out;
        self.lay(Lay::Measuring(Measuring { away, ..known }));
    }

    /// One place fewer, or none at all.
    pub fn unmeasure(&mut self, all: bool) {
        self.change_measuring(|m| {
            let open = std::mem::take(&mut m.closed);
            if all {
                m.places.clear();
            } else if !open {
                m.places.pop();
            }
        });
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_measuring(&mut self, told: bool) {
        self.change_measuring(|m| m.told = told);
    }

    /// What was measured stays on the picture: its line and what was read, as marks. `false` when there is
    /// nothing to leave.
    pub fn leave_reading(&mut self) -> bool {
        let Some(measuring) = self.stage.shown.laid.measuring.clone() else {
            return false;
        };
        let found = self.seeing(|sight| {
            let view = sight.view(measuring.on)?;
            let said = measuring.said(&view, sight.known(measuring.on))?;
            Some((measuring.on_glass(&view), said))
        });
        let Some((places, said)) = found else {
            return false;
        };
        let ink = |p: &Point<GlassFrame>| Point::<Ink>::new(p.x, p.y);
        let figure = match (measuring.closed, places.len()) {
            (true, _) => Figure::Polygon,
            (false, 2) => Figure::Line,
            _ => Figure::Polyline,
        };
        let line: Vec<Point<Ink>> = places.iter().map(ink).collect();
        let at = Point::new(said.at.x + 18.0, said.at.y - 52.0);
        let size = self.prefs.settings.room.good_writing() / CAPITALS;
        let steps = self.at_desk(|_, desk| {
            let (sheet, transform, _) = desk.holder(Hold::Backdrop, said.at)?;
            let swatch = desk.offered(desk.in_hand.swatch, sheet)?;
            let style = Style::new(
                bozzetto_core::ink::tip::Tip::Round,
                swatch.colour,
                swatch.width,
            );
            let bodies = [
                Body::Shape(Shape::new(figure, &line)),
                Body::Text(Text::lettered(&said.words, at, size)),
            ];
            let marks = bodies.map(|body| desk.new_mark(sheet, style, body, transform, None));
            Some(marks.map(|mark| Step {
                sheet,
                op: Op::Add(mark),
            }))
        });
        let Some(mut steps) = steps else {
            return false;
        };
        // Both were made on top of what was there; the words lie above the line.
        if let Op::Add(words) = &mut steps[1].op {
            words.z += 1;
        }
        let left = self.act(Intent::Do(steps.to_vec()));
        if left {
            self.unmeasure(true);
        }
        left
    }

    /// What was measured, or all of the picture's width, is so long; gives why that cannot be, if it cannot.
    /// `unit` is the word of a known unit, or a name of one's own.
    pub fn set_scale(&mut self, length: f64, unit_name: &str) -> Option<String> {
        let measuring = self.stage.shown.laid.measuring.as_ref();
        let drawn = measuring.filter(|m| !m.away && m.places.len() > 1);
        let (id, on_backdrop, off) = match drawn {
            Some(m) => {
                let off = of_a_pixel(m.pixel);
                let path = bozzetto_core::instruments::reading::Reading::length(&m.places, off);
                (m.on?, path.value, path.off)
            }
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
        let (id, corners) = (measuring.on?, measuring.places.clone());
        let Ok(corners) = <[_; 4]>::try_from(corners) else {
            return Some("Tap the four corners of a rectangle that you know.".to_owned());
        };
        let plane = Plane {
            corners,
            sides: (long, wide),
            unit: unit(unit_name),
            off: of_a_pixel(measuring.pixel),
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
    /// In the middle of the pane in use: so long, with its middle there, or its origin with `origin` 0.5.
    fn in_the_middle(&self, size: f64, origin: f64) -> Placed {
        let room = self.panes().get(self.active_pane()).map(|p| p.room);
        let room = room.unwrap_or(bozzetto_core::geometry::frames::Rect::of_size(
            self.picture.area,
        ));
        let size = size.min(room.width() * if origin > 0.0 { 0.4 } else { 0.8 });
        let middle = room.middle();
        let at = match origin > 0.0 {
            true => (middle.x, middle.y + size / 2.0),
            false => (middle.x - size / 2.0, middle.y),
        };
        Placed {
            on: None,
            at,
            angle: 0.0,
            size,
        }
    }

    /// The same place, held by the backdrop beneath it or by the glass.
    fn held_by(&self, placed: &Placed, by_backdrop: bool) -> Option<Placed> {
        self.seeing(|sight| {
            let lies: Lies = placed.lies(&sight.view(placed.on)?);
            let on: Option<BackdropId> = match by_backdrop {
                true => Some(sight.beneath(lies.at)?.0.id),
                false => None,
            };
            lies.placed(on, &sight.view(on)?)
        })
    }

    fn pixel(&self, on: Option<BackdropId>) -> f64 {
        on.map_or(1.0, |id| {
            self.seeing(|sight| sight.pixel(id, self.picture.scale))
        })
    }

    fn lay_ruler(&mut self, ruler: Ruler) {
        self.lay(Lay::Ruler(ruler).settled(self.picture.area));
    }

    fn change_ruler(&mut self, change: impl FnOnce(&mut Ruler)) {
        if let Some(mut ruler) = self.stage.shown.laid.ruler.clone() {
            change(&mut ruler);
            self.lay_ruler(ruler);
        }
    }

    fn lay_compasses(&mut self, compasses: Compasses) {
        self.lay(Lay::Compasses(compasses).settled(self.picture.area));
    }

    fn lay_protractor(&mut self, protractor: Protractor) {
        self.lay(Lay::Protractor(protractor).settled(self.picture.area));
    }

    fn change_protractor(&mut self, change: impl FnOnce(&mut Protractor)) {
        if let Some(mut protractor) = self.stage.shown.laid.protractor.clone() {
            change(&mut protractor);
            self.lay_protractor(protractor);
        }
    }

    fn change_measuring(&mut self, change: impl FnOnce(&mut Measuring)) {
        if let Some(mut measuring) = self.stage.shown.laid.measuring.clone() {
            change(&mut measuring);
            self.lay(Lay::Measuring(measuring.settled()));
        }
    }
}
