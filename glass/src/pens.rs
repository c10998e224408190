//! Pens, mice and fingers on the glass.

use bozzetto_core::change::{Intent, Op, SheetId, Step};
use bozzetto_core::erase;
use bozzetto_core::frames::{Held, Ink, Map, Point};
use bozzetto_core::ids::MarkId;
use bozzetto_core::ink::Points;
use bozzetto_core::ink::pen::{Device, Pen, Sample};
use bozzetto_core::mark::{Body, Mark, Style};
use bozzetto_core::swatch::SWATCHES;
use bozzetto_core::wet::WetInk;
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::layers::views;

/// What one pointer is doing.
pub enum LivePen {
    Drawing(Box<Drawing>),
    Erasing(Erasing),
}

pub struct Drawing {
    pen: Pen,
    mark: MarkId,
    sheet: SheetId,
    style: Style,
    transform: Map<Ink, Held>,
    /// How many points everybody else has been sent.
    sent: usize,
}

pub struct Erasing {
    at: Point<bozzetto_core::frames::Glass>,
    /// Whether something has been erased already: the rest of the sweep is undone with it.
    begun: bool,
}

/// Radius of the eraser, in glass units.
const ERASER: f64 = 14.0;

#[wasm_bindgen]
impl Glass {
    /// A pointer goes down with a swatch. `device`: 0 mouse, 1 pen, 2 finger. Positions in CSS
    /// pixels of the picture area.
    pub fn pen_down(&mut self, pointer: i32, device: u8, swatch: usize, sample: &[f64]) {
        let Some(swatch) = SWATCHES.get(swatch) else {
            return;
        };
        self.pen_cancel(pointer);
        let Some((sheet, view)) = self.in_view().into_iter().next() else {
            return;
        };
        let glass_to_held = view.inverse().unwrap_or(Map::coincident());
        let device = match device {
            1 => Device::Pen,
            2 => Device::Finger,
            _ => Device::Mouse,
        };
        let drawing = Drawing {
            pen: Pen::new(device, swatch.rule, f64::from(swatch.style.width)),
            mark: MarkId(self.ids.next_id()),
            sheet,
            style: swatch.style,
            transform: Map::<Ink, _>::coincident().then(&glass_to_held),
            sent: 0,
        };
        self.pens
            .insert(pointer, LivePen::Drawing(Box::new(drawing)));
        self.pen_move(pointer, sample, &[]);
    }

    /// A pointer moved: x, y, pressure, milliseconds for each sample, and for each that the browser
    /// predicts.
    pub fn pen_move(&mut self, pointer: i32, samples: &[f64], predicted: &[f64]) {
        let (samples, predicted) = (self.samples(samples), self.samples(predicted));
        let Some(LivePen::Drawing(drawing)) = self.pens.get_mut(&pointer) else {
            return;
        };
        samples.iter().for_each(|s| drawing.pen.push(*s));
        let ahead = drawing.pen.predict(&predicted);
        let ink = WetInk {
            mark: drawing.mark,
            sheet: drawing.sheet,
            style: drawing.style,
            transform: drawing.transform,
            from: drawing.sent as u32,
            points: Points(drawing.pen.points()[drawing.sent..].to_vec()),
        };
        drawing.sent = drawing.pen.points().len();
        let in_view = self.in_view();
        let author = self.replica.author();
        self.wet.extend(author, &ink, ahead, &views(&in_view));
        if !ink.points.0.is_empty() {
            self.send(&ToServer::Wet(ink));
        }
    }

    /// The pointer is lifted: the stroke is done.
    pub fn pen_up(&mut self, pointer: i32) {
        let Some(LivePen::Drawing(drawing)) = self.pens.remove(&pointer) else {
            return;
        };
        let in_view = self.in_view();
        self.wet.end(drawing.mark, &views(&in_view));
        let mark = Mark {
            id: drawing.mark,
            author: self.replica.author(),
            style: drawing.style,
            body: Body::Stroke(drawing.pen.lift()),
            transform: drawing.transform,
            z: self.replica.sheets().sheet(drawing.sheet).top(),
        };
        if mark.check().is_ok() {
            self.act(Intent::Do(vec![Step {
                sheet: drawing.sheet,
                op: Op::Add(mark),
            }]));
        } else {
            self.send(&ToServer::WetEnd(drawing.mark));
        }
    }

    /// The browser took the pointer away: what it drew was not meant.
    pub fn pen_cancel(&mut self, pointer: i32) {
        if let Some(LivePen::Drawing(drawing)) = self.pens.remove(&pointer) {
            let in_view = self.in_view();
            self.wet.end(drawing.mark, &views(&in_view));
            self.send(&ToServer::WetEnd(drawing.mark));
        }
    }

    /// Lifts every pen; what was drawn is kept.
    pub fn lift_all(&mut self) {
        let pointers: Vec<i32> = self.pens.keys().copied().collect();
        pointers.into_iter().for_each(|p| self.pen_up(p));
    }

    pub fn eraser_down(&mut self, pointer: i32, x: f64, y: f64) {
        let at = self.glass_point(x, y);
        let begun = false;
        self.pens
            .insert(pointer, LivePen::Erasing(Erasing { at, begun }));
        self.eraser_move(pointer, x, y);
    }

    /// Erases the marks between where the eraser was and where it is.
    pub fn eraser_move(&mut self, pointer: i32, x: f64, y: f64) {
        let to = self.glass_point(x, y);
        let Some(LivePen::Erasing(erasing)) = self.pens.get_mut(&pointer) else {
            return;
        };
        let (from, begun) = (erasing.at, erasing.begun);
        erasing.at = to;
        let in_view = self.in_view();
        let touched = erase::touched(self.replica.sheets(), &in_view, from, to, ERASER);
        if touched.is_empty() {
            return;
        }
        let steps = touched
            .into_iter()
            .map(|(sheet, id)| Step {
                sheet,
                op: Op::Remove(id),
            })
            .collect();
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
        ERASER * self.scale
    }
}

impl Glass {
    fn samples(&self, flat: &[f64]) -> Vec<Sample> {
        flat.chunks_exact(4)
            .map(|s| {
                let p = self.glass_point(s[0], s[1]);
                Sample {
                    // A stroke's own frame is the glass as it is now.
                    at: Point::new(p.x, p.y),
                    pressure: s[2],
                    t: s[3],
                }
            })
            .collect()
    }
}
