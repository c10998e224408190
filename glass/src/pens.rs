//! Pens, mice and fingers on the glass.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::edit::erase;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Ink, Map, Point};
use bozzetto_core::geometry::ids::MarkId;
use bozzetto_core::ink::curve::Curve;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::pen::{Device, Pen, Sample};
use bozzetto_core::ink::straighten::straightened;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::fading::Fading;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::recognise;
use bozzetto_core::marks::shape::{Figure, Shape};
use bozzetto_core::marks::swatch::{Hold, Swatch};
use bozzetto_core::paint::wet::{WetInk, WetShape};
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::pane;
use bozzetto_core::tools::dwell::{Dwell, HOLD};
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::layers::views;

/// What one pointer is doing.
pub enum LivePen {
    Drawing(Box<Drawing>),
    Shaping(Box<Shaping>),
    Erasing(Erasing),
}

/// A stroke that is being drawn.
pub struct Drawing {
    pen: Pen,
    device: Device,
    swatch: Swatch,
    mark: MarkId,
    sheet: SheetId,
    transform: Map<Ink, Held>,
    /// How many points everybody else has been sent.
    sent: usize,
    /// When the pen went down, and when it was last heard of.
    began: f64,
    latest: f64,
    dwell: Dwell,
    /// The shape that the stroke was perhaps meant to be, on show under another name.
    offer: Option<(MarkId, Shape)>,
}

/// A shape that is being dragged.
pub struct Shaping {
    pub device: Device,
    pub figure: Figure,
    pub from: Point<Ink>,
    pub mark: Mark,
    pub sheet: SheetId,
    /// How far it has been dragged, in units: hardly at all was not meant.
    pub length: f64,
}

pub struct Erasing {
    at: Point<GlassFrame>,
    /// Whether something has been erased already: the rest of the sweep is undone with it.
    begun: bool,
}

pub fn device(number: u8) -> Device {
    match number {
        1 => Device::Pen,
        2 => Device::Finger,
        _ => Device::Mouse,
    }
}

#[wasm_bindgen]
impl Glass {
    /// A pen hovers or touches at `t` milliseconds: what hands rest on the glass was not meant.
    pub fn pen_seen(&mut self, t: f64) {
        self.palm.pen_seen(t);
        let palms: Vec<i32> = self
            .pens
            .iter()
            .filter(|(_, pen)| match pen {
                LivePen::Drawing(d) => d.device == Device::Finger,
                LivePen::Shaping(s) => s.device == Device::Finger,
                LivePen::Erasing(_) => false,
            })
            .map(|(id, _)| *id)
            .collect();
        palms.into_iter().for_each(|id| self.pen_cancel(id));
    }

    /// Whether a pointer may do something: 0 mouse, 1 pen, 2 finger. A palm may not.
    pub fn admits(&self, device_number: u8, t: f64) -> bool {
        self.palm.admits(device(device_number), t)
    }

    /// A pointer goes down with a swatch. `device`: 0 mouse, 1 pen, 2 finger. Positions in CSS
    /// pixels of the picture area.
    pub fn pen_down(&mut self, pointer: i32, device_number: u8, swatch: usize, sample: &[f64]) {
        self.pen_cancel(pointer);
        let Some(first) = self.samples(sample).first().copied() else {
            return;
        };
        let Some((swatch, sheet, transform)) = self.dipped(swatch, first.at) else {
            return;
        };
        let device = device(device_number);
        let drawing = Drawing {
            pen: Pen::new(device, swatch.rule, f64::from(swatch.width)),
            device,
            swatch,
            mark: MarkId(self.ids.next_id()),
            sheet,
            transform,
            sent: 0,
            began: first.t,
            latest: first.t,
            dwell: Dwell::new(first.at, first.t),
            offer: None,
        };
        self.pens
            .insert(pointer, LivePen::Drawing(Box::new(drawing)));
        self.pen_move(pointer, sample, &[]);
    }

    /// A pointer moved: x, y, pressure, milliseconds for each sample, and for each that the browser
    /// predicts. `true` when it has gone on, and not only trembled where it rests.
    pub fn pen_move(&mut self, pointer: i32, samples: &[f64], predicted: &[f64]) -> bool {
        let (samples, predicted) = (self.samples(samples), self.samples(predicted));
        let Some(LivePen::Drawing(drawing)) = self.pens.get_mut(&pointer) else {
            return false;
        };
        let mut moved = false;
        for sample in &samples {
            drawing.pen.push(*sample);
            drawing.latest = drawing.latest.max(sample.t);
            moved |= drawing.dwell.moved(sample.at, sample.t);
        }
        if drawing.offer.is_some() {
            if !moved {
                return false;
            }
            // The hand goes on: it meant what it draws.
            let (offer, _) = drawing.offer.take().expect("just seen");
            drawing.sent = 0;
            self.stop_showing(offer);
        }
        let Some(LivePen::Drawing(drawing)) = self.pens.get_mut(&pointer) else {
            return false;
        };
        let ahead = drawing.pen.predict(&predicted);
        let ink = WetInk {
            mark: drawing.mark,
            sheet: drawing.sheet,
            style: drawing.swatch.style(),
            transform: drawing.transform,
            fades: drawing.swatch.stay.is_some(),
            from: drawing.sent as u32,
            points: Points(drawing.pen.points()[drawing.sent..].to_vec()),
        };
        drawing.sent = drawing.pen.points().len();
        let (in_view, now) = (self.in_view(), self.now());
        let author = self.replica.author();
        self.wet.extend(author, &ink, ahead, now, &views(&in_view));
        if !ink.points.0.is_empty() {
            self.send(&ToServer::Wet(ink));
        }
        moved
    }

    /// For how many milliseconds a pointer is to be held still before [`Glass::pen_rests`] is worth asking.
    pub fn dwell(&self) -> f64 {
        HOLD
    }

    /// The pointer has perhaps been held still at the end of its line: if so, shows the shape that
    /// the line was meant to be. `true` when it does.
    pub fn pen_rests(&mut self, pointer: i32, t: f64) -> bool {
        let Some(LivePen::Drawing(drawing)) = self.pens.get_mut(&pointer) else {
            return false;
        };
        if drawing.offer.is_some()
            || !drawing.dwell.long_enough(t)
            || drawing.swatch.tip == Tip::Flat
        {
            return false;
        }
        let Some(shape) = recognise::tidied(drawing.pen.points()) else {
            return false;
        };
        let id = MarkId(self.ids.next_id());
        drawing.offer = Some((id, shape.clone()));
        let (freehand, sheet) = (drawing.mark, drawing.sheet);
        let (style, transform) = (drawing.swatch.style(), drawing.transform);
        self.stop_showing(freehand);
        let body = Body::Shape(shape);
        let mark = Mark::new(id, self.replica.author(), style, body, transform, i64::MAX);
        self.show_shape(WetShape { sheet, mark });
        true
    }

    /// The pointer is lifted: the stroke or shape is done.
    pub fn pen_up(&mut self, pointer: i32) {
        match self.pens.remove(&pointer) {
            Some(LivePen::Drawing(drawing)) => self.finish_stroke(*drawing),
            Some(LivePen::Shaping(shaping)) => self.finish_shape(*shaping),
            Some(LivePen::Erasing(_)) | None => {}
        }
    }

    /// The browser took the pointer away: what it drew was not meant.
    pub fn pen_cancel(&mut self, pointer: i32) {
        match self.pens.remove(&pointer) {
            Some(LivePen::Drawing(drawing)) => {
                self.stop_showing(drawing.mark);
                if let Some((offer, _)) = drawing.offer {
                    self.stop_showing(offer);
                }
            }
            Some(LivePen::Shaping(shaping)) => self.stop_showing(shaping.mark.id),
            Some(LivePen::Erasing(_)) | None => {}
        }
    }

    /// Lifts every pen; what was drawn is kept.
    pub fn lift_all(&mut self) {
        let pointers: Vec<i32> = self.pens.keys().copied().collect();
        pointers.into_iter().for_each(|p| self.pen_up(p));
        self.polyline_end();
        self.text_end();
    }

    pub fn eraser_down(&mut self, pointer: i32, x: f64, y: f64) {
        let at = self.glass_point(x, y);
        let begun = false;
        self.pens
            .insert(pointer, LivePen::Erasing(Erasing { at, begun }));
        self.eraser_move(pointer, x, y);
    }

    /// Erases what lies between where the eraser was and where it is.
    pub fn eraser_move(&mut self, pointer: i32, x: f64, y: f64) {
        let to = self.glass_point(x, y);
        let Some(LivePen::Erasing(erasing)) = self.pens.get_mut(&pointer) else {
            return;
        };
        let (from, begun) = (erasing.at, erasing.begun);
        erasing.at = to;
        let (in_view, radius) = (self.in_view(), self.settings.eraser);
        let (sheets, ids) = (self.replica.sheets(), &mut self.ids);
        let new_id = || MarkId(ids.next_id());
        let steps = erase::sweep(sheets, &in_view, from, to, radius, new_id);
        if steps.is_empty() {
            return;
        }
        self.act(if begun {
            Intent::More(steps)
        } else {
            Intent::Do(steps)
        });
        if let Some(LivePen::Erasing(erasing)) = self.pens.get_mut(&pointer) {
            erasing.begun = true;
        }
    }

    pub fn eraser_up(&mut self, pointer: i32) {
        self.pens.remove(&pointer);
    }

    /// Radius of the eraser in CSS pixels.
    pub fn eraser_radius(&self) -> f64 {
        self.settings.eraser * self.scale
    }
}

impl Glass {
    fn finish_stroke(&mut self, drawing: Drawing) {
        self.end_wet(drawing.mark);
        let points = drawing.pen.lift().0;
        let Some(curve) = dried(&points, drawing.swatch.tip) else {
            return self.send(&ToServer::WetEnd(drawing.mark));
        };
        let sheet = drawing.sheet;
        let z = self.replica.sheets().sheet(sheet).top();
        let author = self.replica.author();
        let style = drawing.swatch.style();
        let body = Body::Stroke(curve);
        let mut mark = Mark::new(drawing.mark, author, style, body, drawing.transform, z);
        mark.fades = drawing.swatch.stay.map(|stay| Fading {
            stay,
            drawn_for: (drawing.latest - drawing.began).clamp(0.0, 1e7) as u32,
        });
        if mark.check().is_err() {
            return self.send(&ToServer::WetEnd(drawing.mark));
        }
        let step = |op| Step { sheet, op };
        self.act(Intent::Do(vec![step(Op::Add(mark.clone()))]));
        if let Some((id, shape)) = drawing.offer {
            // A change of its own, so that undoing it gives the freehand line back.
            self.end_wet(id);
            let freehand = Op::Remove(mark.id);
            mark.id = id;
            mark.body = Body::Shape(shape);
            self.act(Intent::Do(vec![step(freehand), step(Op::Add(mark))]));
        }
    }

    /// The sheet that is to hold a mark made at a place, the way from the glass as it is now to it,
    /// and the ink that hands take on there.
    pub(crate) fn holder(
        &self,
        hold: Hold,
        at: Point<Ink>,
    ) -> Option<(SheetId, Map<Ink, Held>, Option<Rgb>)> {
        let in_view = self.in_view();
        let glass = in_view.iter().find(|v| v.sheet == SheetId::Glass);
        let seen = match hold {
            Hold::Backdrop => pane::at(&in_view, Point::new(at.x, at.y)).or(glass)?,
            Hold::Glass => glass?,
        };
        let to_held = Map::<Ink, _>::coincident().then(&seen.view.inverse()?);
        Some((seen.sheet, to_held, seen.colour))
    }

    /// A swatch as it draws at a place, and what holds what it draws there.
    pub(crate) fn dipped(
        &self,
        swatch: usize,
        at: Point<Ink>,
    ) -> Option<(Swatch, SheetId, Map<Ink, Held>)> {
        let hold = self.settings.swatches.get(swatch)?.hold;
        let (sheet, transform, ink) = self.holder(hold, at)?;
        let mut swatch = self.offered(swatch, sheet)?;
        if let (Some(ink), Tip::Round) = (ink, swatch.tip) {
            swatch.colour = ink;
        }
        Some((swatch, sheet, transform))
    }

    /// A swatch as it is offered on a sheet.
    pub(crate) fn offered(&self, swatch: usize, sheet: SheetId) -> Option<Swatch> {
        let swatch = *self.settings.swatches.get(swatch)?;
        let panes = self.panes();
        let mut backdrops = panes.iter().filter_map(|pane| pane.backdrop);
        let on = backdrops.find(|b| Some(b.id) == sheet.backdrop());
        Some(on.map_or(swatch, |backdrop| backdrop.offered(swatch)))
    }

    /// Shows everybody a shape in the making.
    pub(crate) fn show_shape(&mut self, shape: WetShape) {
        self.put_wet(shape.clone());
        self.send(&ToServer::WetShape(Box::new(shape)));
    }

    /// Shows a mark in the making; one of the same name that is on the sheet already is hidden.
    pub(crate) fn put_wet(&mut self, shape: WetShape) {
        let (sheet, id) = (shape.sheet, shape.mark.id);
        let in_view = self.in_view();
        self.wet.put(shape, &views(&in_view));
        if self.painter.opacity(id) > 0.0 && self.replica.sheets().sheet(sheet).get(id).is_some() {
            self.painter.set_opacity(id, 0.0);
            self.invalidate_where(&in_view, sheet, id);
        }
    }

    /// Nobody is to see this wet ink or shape any more.
    pub(crate) fn stop_showing(&mut self, mark: MarkId) {
        self.end_wet(mark);
        self.send(&ToServer::WetEnd(mark));
    }

    pub(crate) fn end_wet(&mut self, mark: MarkId) {
        let in_view = self.in_view();
        self.wet.end(mark, &views(&in_view));
        if self.painter.opacity(mark) < 1.0 {
            self.painter.set_opacity(mark, 1.0);
            for seen in &in_view {
                self.invalidate_where(&in_view, seen.sheet, mark);
            }
        }
    }

    fn samples(&self, flat: &[f64]) -> Vec<Sample> {
        flat.chunks_exact(4)
            .map(|s| Sample {
                at: self.ink_point(s[0], s[1]),
                pressure: s[2],
                t: s[3],
            })
            .collect()
    }

    /// A stroke's own frame is the glass as it is now.
    pub(crate) fn ink_point(&self, x: f64, y: f64) -> Point<Ink> {
        let p = self.glass_point(x, y);
        Point::new(p.x, p.y)
    }
}

/// The finished stroke: a highlighter's straight where it was meant to be, everything else fitted.
fn dried(points: &[InkPoint], tip: Tip) -> Option<Curve> {
    match (tip, straightened(points)) {
        (Tip::Flat, Some(ends)) => Curve::through(&ends),
        _ => fit(points),
    }
}
