//! Instruments under a hand, whichever tool it holds: moved and turned by one finger or two. Near an edge a
//! pen draws along it.

use std::f64::consts::{PI, TAU};

use crate::edit::straight;
use crate::geometry::frames::{Glass, Ink, Map, Point};
use crate::ink::InkPoint;
use crate::ink::fit::fit;
use crate::ink::pen::Sample;
use crate::instruments::guide::Guide;
use crate::instruments::instrument::{Grip, Instrument, Snaps};
use crate::instruments::nearby::Segment;
use crate::instruments::placed::{Lies, way};
use crate::marks::mark::{Body, Mark};
use crate::marks::shape::Figure;
use crate::paint::wet::WetShape;
use crate::sheets::step::SheetId;
use crate::stage::laid::Lay;
use crate::tools::cover;
use crate::tools::desk::{Desk, Effect};
use crate::tools::figure;
use crate::tools::in_hand::Kind;
use crate::tools::pointer::{Finger, Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// What is begun where there is an instrument; `None` elsewhere.
pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let draws = !desk.in_hand.touching && matches!(desk.in_hand.tool, Kind::Pen | Kind::Shape);
    if draws
        && !at.eraser_end
        && !cover::is_on(desk, at.at())
        && let Some((guide, middle)) = guide_at(desk, at.at())
    {
        return ruled(desk, at, guide, middle);
    }
    if desk.in_hand.locked || desk.in_hand.holds(Kind::Measure) {
        return None;
    }
    let (instrument, lies, grip) = held_at(desk, at.at())?;
    Some(Box::new(Pulling {
        instrument,
        lies,
        grip,
        fingers: vec![Finger::new(at)],
        free: at.modifiers.centred,
        lines: straight::segments(desk.sheets, desk.in_view),
    }))
}

// ---- Drawing along --------------------------------------------------------------------------------

/// The edge that a pen is near, and the middle of the instrument that has it.
fn guide_at(desk: &Desk, at: Point<Glass>) -> Option<(Guide, Point<Glass>)> {
    let mut seen = desk.laid.instruments_seen(&desk.sight).rev();
    seen.find_map(|(instrument, lies)| instrument.leads(&lies, at, desk.per_unit()))
}

fn ruled(
    desk: &mut Desk,
    at: &Pointer,
    guide: Guide,
    middle: Point<Glass>,
) -> Option<Box<dyn Tool>> {
    let swatch = desk.settings.swatches.get(desk.in_hand.swatch)?;
    // Ink lies against an edge; along the arm, through a centre and on a circle it lies on the line.
    let on_it = guide.is_circle() || guide.nearest(middle).distance(middle) < 1.0;
    let guide = match on_it {
        true => guide,
        false => {
            let width = f64::from(swatch.width) * desk.through.mean_scale();
            guide.beside(width / 2.0, middle)
        }
    };
    let at = Pointer {
        sample: led(&guide, &at.sample, &at.through),
        ..*at
    };
    match guide {
        Guide::Line { .. } => {
            let inner = figure::begin_as(desk, &at, Figure::Line)?;
            Some(Box::new(Ruled { guide, inner }))
        }
        Guide::Arc { centre, radius, .. } => {
            let (sheet, mark) = figure::new_shape(desk, &at, Figure::Line)?;
            Some(Box::new(Bowed {
                guide,
                centre,
                radius,
                from: way(centre, at.at()),
                swept: 0.0,
                width: f64::from(mark.style.width),
                ink: at.through.inverse()?,
                mark,
                sheet,
            }))
        }
    }
}

/// A sample as near to the edge as it gets.
fn led(guide: &Guide, sample: &Sample, through: &Map<Ink, Glass>) -> Sample {
    let on = guide.nearest(through.apply(sample.at));
    let at = through.inverse().map_or(sample.at, |back| back.apply(on));
    Sample { at, ..*sample }
}

/// A line that is drawn along a straight edge.
#[derive(Debug)]
struct Ruled {
    guide: Guide,
    inner: Box<dyn Tool>,
}

impl Tool for Ruled {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let lead = |all: &[Sample]| -> Vec<Sample> {
            all.iter()
                .map(|sample| led(&self.guide, sample, &motion.through))
                .collect()
        };
        let (samples, ahead) = (lead(motion.samples), lead(motion.ahead));
        let led = Motion {
            samples: &samples,
            ahead: &ahead,
            // The edge says the direction.
            modifiers: Default::default(),
            ..*motion
        };
        self.inner.moved(desk, &led);
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        self.inner.lifted(desk, at)
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        self.inner.cancelled(desk, pointer)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        self.inner.finished(desk)
    }

    fn overlay(&self, desk: &Desk) -> Option<Overlay> {
        self.inner.overlay(desk)
    }

    fn by_accident(&self) -> bool {
        true
    }
}

/// An arc that is drawn along a circle: as exact as it is, whatever the hand does.
#[derive(Debug)]
struct Bowed {
    guide: Guide,
    centre: Point<Glass>,
    radius: f64,
    /// Where it begins, and how far it goes round from there, clockwise; radians.
    from: f64,
    swept: f64,
    width: f64,
    /// From the glass to the stroke's own frame.
    ink: Map<Glass, Ink>,
    mark: Mark,
    sheet: SheetId,
}

/// An arc shorter than this, in glass units, was not meant.
const LEAST: f64 = 4.0;

impl Bowed {
    fn body(&self) -> Option<Body> {
        /// From one place of the arc to the next.
        const STEP: f64 = 2.0 * PI / 180.0;
        let steps = (self.swept.abs() / STEP).ceil().max(1.0);
        let points: Vec<InkPoint> = (0..=steps as u32)
            .map(|n| {
                let angle = self.from + self.swept * f64::from(n) / steps;
                let (sin, cos) = angle.sin_cos();
                let at = Point::new(
                    self.centre.x + self.radius * cos,
                    self.centre.y + self.radius * sin,
                );
                InkPoint::new(self.ink.apply(at), self.width)
            })
            .collect();
        fit(&points).map(Body::Stroke)
    }
}

impl Tool for Bowed {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        for place in motion.places() {
            let to = way(self.centre, self.guide.nearest(place));
            // The shorter way round from where it has come to, and once round at the most.
            let by = (to - self.from - self.swept + PI).rem_euclid(TAU) - PI;
            self.swept = (self.swept + by).clamp(-TAU, TAU);
        }
        if let Some(body) = self.body() {
            self.mark.body = body;
            let (sheet, mark) = (self.sheet, self.mark.clone());
            desk.want(Effect::Show(WetShape { sheet, mark }));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        self.finished(desk)
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Forget(self.mark.id));
        Next::Ends
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        let meant = self.swept.abs() * self.radius >= LEAST;
        desk.settle(self.sheet, self.mark.clone(), meant);
        Next::Ends
    }

    fn by_accident(&self) -> bool {
        true
    }
}

// ---- Moving ---------------------------------------------------------------------------------------

/// The uppermost instrument at a place, where it lies, and what a hand takes hold of there.
fn held_at(desk: &Desk, at: Point<Glass>) -> Option<(Instrument, Lies, Grip)> {
    let mut seen = desk.laid.instruments_seen(&desk.sight).rev();
    seen.find_map(|(instrument, lies)| {
        let grip = instrument.grip(&lies, at)?;
        Some((instrument.clone(), lies, grip))
    })
}

/// An instrument that is being moved.
#[derive(Debug)]
struct Pulling {
    /// As it was when the fingers that hold it now had come.
    instrument: Instrument,
    lies: Lies,
    grip: Grip,
    fingers: Vec<Finger>,
    /// It turns as it is turned, and snaps to nothing.
    free: bool,
    /// Lines on the picture, when it was taken hold of.
    lines: Vec<Segment>,
}

impl Pulling {
    /// It as the fingers have it now.
    fn pulled(&self, desk: &Desk) -> Option<Instrument> {
        let view = desk.sight.view(self.instrument.placed.on)?;
        let snaps = Snaps {
            free: self.free,
            lines: &self.lines,
        };
        let pulled = match &self.fingers[..] {
            [] => None,
            [one] => {
                let (from, to) = (one.from, one.at);
                let held = (&self.lies, self.grip);
                self.instrument.pulled(held, (from, to), &snaps, &view)
            }
            [one, two, ..] => {
                let (from, to) = ([one.from, two.from], [one.at, two.at]);
                self.instrument.carried(&self.lies, from, to, &snaps, &view)
            }
        };
        Some(pulled?.settled(desk.sight.area))
    }

    /// Begins anew from where the fingers have brought it.
    fn settle(&mut self, desk: &Desk) {
        if let Some(now) = self.pulled(desk)
            && let Some(view) = desk.sight.view(now.placed.on)
        {
            self.lies = now.placed.lies(&view);
            self.instrument = now;
        }
        for finger in &mut self.fingers {
            finger.from = finger.at;
        }
    }
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        self.free = motion.modifiers.centred;
        let Some(finger) = self.fingers.iter_mut().find(|f| f.pointer == motion.id) else {
            return;
        };
        finger.at = motion.at();
        if let Some(now) = self.pulled(desk) {
            desk.want(Effect::Drag(Lay::Instrument(now)));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        self.cancelled(desk, at.id)
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        if self.fingers.len() == 1 {
            return self.finished(desk);
        }
        self.settle(desk);
        self.fingers.retain(|f| f.pointer != pointer);
        // With the finger that stays it is moved.
        self.grip = Grip::Carry;
        Next::GoesOn
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        if self.fingers.iter().any(|f| f.at != f.from)
            && let Some(now) = self.pulled(desk)
        {
            desk.want(Effect::Lay(Lay::Instrument(now)));
        }
        Next::Ends
    }

    /// A second finger on the same instrument turns it.
    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        let which = self.instrument.which();
        let same = |(other, ..): (Instrument, _, _)| other.which() == which;
        self.fingers.len() == 1 && held_at(desk, at.at()).is_some_and(same)
    }

    fn joined(&mut self, desk: &mut Desk, at: &Pointer) {
        self.settle(desk);
        self.fingers.push(Finger::new(at));
    }
}
