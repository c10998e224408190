//! The pen, and the highlighter: a stroke, from the first touch to the mark that it becomes.

use crate::geometry::frames::{Held, Ink, Map};
use crate::geometry::ids::MarkId;
use crate::ink::curve::Curve;
use crate::ink::fit::fit;
use crate::ink::pen::{Pen, Sample};
use crate::ink::straighten::straightened;
use crate::ink::tip::Tip;
use crate::ink::{InkPoint, Points};
use crate::lesson::change::Intent;
use crate::marks::fading::Fading;
use crate::marks::mark::{Body, Mark};
use crate::marks::recognise;
use crate::marks::shape::Shape;
use crate::marks::swatch::Swatch;
use crate::paint::wet::{WetInk, WetShape};
use crate::sheets::step::{Op, SheetId, Step};
use crate::tools::desk::{Desk, Effect};
use crate::tools::dwell::Dwell;
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// A stroke that is being drawn.
#[derive(Debug)]
pub struct Stroke {
    pen: Pen,
    swatch: Swatch,
    mark: MarkId,
    sheet: SheetId,
    transform: Map<Ink, Held>,
    /// How many points everybody else has been sent.
    sent: usize,
    /// When the pen went down, and when it was last heard of.
    began: f64,
    latest: f64,
    /// Whether it is being held still; `None` for what asks for no shape.
    dwell: Option<Dwell>,
    /// The shape that the stroke was perhaps meant to be, on show under another name.
    offer: Option<(MarkId, Shape)>,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let (swatch, sheet, transform) = desk.dipped(desk.in_hand.swatch, at.at())?;
    let first = at.sample;
    // Keys rest between any two strokes of theirs, and a highlighter straightens by itself.
    let offers = !at.by_keys && swatch.tip != Tip::Flat;
    let mut stroke = Stroke {
        pen: Pen::new(at.device, swatch.rule, f64::from(swatch.width)),
        swatch,
        mark: desk.new_id(),
        sheet,
        transform,
        sent: 0,
        began: first.t,
        latest: first.t,
        dwell: offers.then(|| Dwell::new(first.at, first.t)),
        offer: None,
    };
    stroke.draw(desk, &[first], &[]);
    Some(Box::new(stroke))
}

impl Stroke {
    fn draw(&mut self, desk: &mut Desk, samples: &[Sample], ahead: &[Sample]) {
        for sample in samples {
            self.pen.push(*sample);
            self.latest = self.latest.max(sample.t);
        }
        let ink = WetInk {
            mark: self.mark,
            sheet: self.sheet,
            style: self.swatch.style(),
            transform: self.transform,
            fades: self.swatch.stay.is_some(),
            from: self.sent as u32,
            points: Points(self.pen.points()[self.sent..].to_vec()),
        };
        self.sent = self.pen.points().len();
        let ahead = self.pen.predict(ahead);
        desk.want(Effect::Ink { ink, ahead });
    }

    /// The finished stroke: a highlighter's straight where it was meant to be, everything else fitted.
    fn dried(&self, points: &[InkPoint]) -> Option<Curve> {
        match (self.swatch.tip, straightened(points)) {
            (Tip::Flat, Some(ends)) => Curve::through(&ends),
            _ => fit(points),
        }
    }
}

impl Tool for Stroke {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        // A pen reports without pause, and trembles: that is no reason to wait anew.
        let on = self.dwell.as_mut().is_some_and(|dwell| {
            let moved = motion.samples.iter().map(|s| dwell.moved(s.at, s.t));
            moved.fold(false, |on, moved| on | moved)
        });
        if self.offer.is_some() {
            if !on {
                for sample in motion.samples {
                    self.pen.push(*sample);
                }
                return;
            }
            // The hand goes on: it meant what it draws.
            if let Some((offer, _)) = self.offer.take() {
                desk.want(Effect::Forget(offer));
            }
            self.sent = 0;
        }
        self.draw(desk, motion.samples, motion.ahead);
    }

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        self.finished(desk)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        let points = self.pen.clone().lift().0;
        let z = desk.sheets.sheet(self.sheet).top();
        let mark = self.dried(&points).map(|curve| {
            let (style, body) = (self.swatch.style(), Body::Stroke(curve));
            let mut mark = Mark::new(self.mark, desk.author, style, body, self.transform, z);
            mark.fades = self.swatch.stay.map(|stay| Fading {
                stay,
                drawn_for: (self.latest - self.began).clamp(0.0, 1e7) as u32,
            });
            mark
        });
        let Some(mut mark) = mark.filter(|mark| mark.check().is_ok()) else {
            desk.want(Effect::Forget(self.mark));
            return Next::Ends;
        };
        desk.settle(self.sheet, mark.clone(), true);
        if let Some((id, shape)) = self.offer.take() {
            // A change of its own, so that undoing it gives the freehand line back.
            desk.want(Effect::Settle(id));
            let freehand = Op::Remove(mark.id);
            mark.id = id;
            mark.body = Body::Shape(shape);
            let sheet = self.sheet;
            let steps = [freehand, Op::Add(mark)].map(|op| Step { sheet, op });
            desk.want(Effect::Act(Intent::Do(steps.to_vec())));
        }
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Forget(self.mark));
        if let Some((offer, _)) = self.offer.take() {
            desk.want(Effect::Forget(offer));
        }
        Next::Ends
    }

    fn wakes_at(&self) -> Option<f64> {
        let dwell = self.dwell.as_ref().filter(|_| self.offer.is_none())?;
        dwell.asks_at()
    }

    /// The pen is held still at the end of its line: shows the shape that the line was meant to be.
    fn woken(&mut self, desk: &mut Desk, now: f64) {
        let Some(dwell) = self.dwell.as_mut().filter(|_| self.offer.is_none()) else {
            return;
        };
        if !dwell.ask(now) {
            return;
        }
        let Some(shape) = recognise::tidied(self.pen.points()) else {
            return;
        };
        let id = desk.new_id();
        self.offer = Some((id, shape.clone()));
        desk.want(Effect::Forget(self.mark));
        let (style, body) = (self.swatch.style(), Body::Shape(shape));
        let mark = Mark::new(id, desk.author, style, body, self.transform, i64::MAX);
        let sheet = self.sheet;
        desk.want(Effect::Show(WetShape { sheet, mark }));
    }

    fn by_accident(&self) -> bool {
        true
    }
}
