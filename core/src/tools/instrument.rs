//! Instruments under a hand, whichever tool it holds: moved and turned by one finger or two. Near an edge a
//! pen draws along it.

use std::f64::consts::{PI, TAU};

use crate::geometry::frames::{Glass, Map, Point};
use crate::ink::InkPoint;
use crate::ink::fit::fit;
use crate::ink::pen::Sample;
use crate::instruments::compasses::{self, Compasses, Part as OfCompasses};
use crate::instruments::guide::Guide;
use crate::instruments::placed::{Lies, snapped};
use crate::instruments::protractor::{Part as OfProtractor, Protractor};
use crate::instruments::ruler::{self, Part as OfRuler, Ruler};
use crate::marks::mark::{Body, Mark};
use crate::marks::shape::Figure;
use crate::paint::wet::WetShape;
use crate::sheets::step::SheetId;
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::figure;
use crate::tools::in_hand::Kind;
use crate::tools::pointer::{Motion, Pointer, on_glass};
use crate::tools::tool::{Next, Overlay, Tool};

/// How near an edge a pen is led along it, in CSS pixels: beside the instrument, and on it.
const NEAR: (f64, f64) = (18.0, 9.0);

/// What is begun where there is an instrument; `None` elsewhere.
pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let draws = !desk.in_hand.touching && matches!(desk.in_hand.tool, Kind::Pen | Kind::Shape);
    if draws
        && !at.eraser_end
        && let Some((guide, middle)) = guide_at(desk, at.at())
    {
        return ruled(desk, at, guide, middle);
    }
    if desk.in_hand.locked || desk.in_hand.holds(Kind::Measure) {
        return None;
    }
    let held = held_at(desk, at.at())?;
    Some(Box::new(Pulling {
        held,
        fingers: vec![Finger::new(at)],
        free: at.modifiers.centred,
    }))
}

// ---- Drawing along --------------------------------------------------------------------------------

/// The edge that a pen is near, and the middle of the instrument that has it.
fn guide_at(desk: &Desk, at: Point<Glass>) -> Option<(Guide, Point<Glass>)> {
    let near = |guide: &Guide, most: f64| guide.nearest(at).distance(at) * desk.scale <= most;
    if let Some((_, lies)) = desk.laid.ruler_seen(&desk.sight) {
        let edge = ruler::edge(&lies);
        let (along, across) = lies.local(at);
        let most = if across < 0.0 { NEAR.0 } else { NEAR.1 };
        if near(&edge, most) && (0.0..=lies.size).contains(&along) {
            return Some((edge, lies.at_local((lies.size / 2.0, ruler::WIDTH / 2.0))));
        }
    }
    if let Some((_, lies)) = desk.laid.compasses_seen(&desk.sight) {
        let circle = compasses::guide(&lies);
        if near(&circle, NEAR.1 * 1.5) && compasses::part(&lies, at).is_none() {
            return Some((circle, lies.at));
        }
    }
    let (protractor, lies) = desk.laid.protractor_seen(&desk.sight)?;
    let [rim, arm, base] = protractor.guides(&lies);
    let out = at.distance(lies.at) > lies.size;
    let rim_near = near(&rim, if out { NEAR.0 } else { NEAR.1 });
    let found = [
        (rim, rim_near && out),
        (arm, near(&arm, NEAR.1) && !protractor.is_knob(&lies, at)),
        (base, near(&base, NEAR.1)),
    ];
    let guide = found.into_iter().find(|(_, near)| *near)?.0;
    Some((guide, lies.at))
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
        false => guide.beside(f64::from(swatch.width) / 2.0, middle),
    };
    let at = Pointer {
        sample: led(&guide, &at.sample),
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
                mark,
                sheet,
            }))
        }
    }
}

fn led(guide: &Guide, sample: &Sample) -> Sample {
    let on = guide.nearest(Point::new(sample.at.x, sample.at.y));
    Sample {
        at: Point::new(on.x, on.y),
        ..*sample
    }
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
            all.iter().map(|sample| led(&self.guide, sample)).collect()
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
                let at = (
                    self.centre.x + self.radius * cos,
                    self.centre.y + self.radius * sin,
                );
                InkPoint::new(Point::new(at.0, at.1), self.width)
            })
            .collect();
        fit(&points).map(Body::Stroke)
    }
}

impl Tool for Bowed {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        for sample in motion.samples {
            let to = way(self.centre, on_glass(&led(&self.guide, sample)));
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

/// What a hand has hold of, as it was when the fingers that hold it now had come.
#[derive(Debug)]
enum Held {
    Ruler(OfRuler, Ruler, Lies),
    Protractor(OfProtractor, Protractor, Lies),
    Compasses(OfCompasses, Compasses, Lies),
}

fn held_at(desk: &Desk, at: Point<Glass>) -> Option<Held> {
    if let Some((ruler, lies)) = desk.laid.ruler_seen(&desk.sight)
        && let Some(part) = ruler::part(&lies, at)
    {
        return Some(Held::Ruler(part, ruler.clone(), lies));
    }
    if let Some((compasses, lies)) = desk.laid.compasses_seen(&desk.sight)
        && let Some(part) = compasses::part(&lies, at)
    {
        return Some(Held::Compasses(part, compasses.clone(), lies));
    }
    let (protractor, lies) = desk.laid.protractor_seen(&desk.sight)?;
    let part = protractor.part(&lies, at)?;
    Some(Held::Protractor(part, protractor.clone(), lies))
}

#[derive(Debug)]
struct Finger {
    pointer: i32,
    from: Point<Glass>,
    at: Point<Glass>,
}

impl Finger {
    fn new(at: &Pointer) -> Self {
        Self {
            pointer: at.id,
            from: at.at(),
            at: at.at(),
        }
    }
}

/// An instrument that is being moved.
#[derive(Debug)]
struct Pulling {
    held: Held,
    fingers: Vec<Finger>,
    /// It turns as it is turned, and snaps to nothing.
    free: bool,
}

/// The angle of the way from one place to another.
fn way(from: Point<Glass>, to: Point<Glass>) -> f64 {
    (to.y - from.y).atan2(to.x - from.x)
}

impl Pulling {
    fn snap(&self, angle: f64) -> f64 {
        match self.free {
            true => angle,
            false => snapped(angle),
        }
    }

    /// It as the fingers have it now.
    fn pulled(&self, desk: &Desk) -> Option<Lay> {
        let lies = match &self.held {
            Held::Ruler(_, _, lies)
            | Held::Protractor(_, _, lies)
            | Held::Compasses(_, _, lies) => *lies,
        };
        let (one, two) = (self.fingers.first()?, self.fingers.get(1));
        let by_two = two.map(|two| {
            let grows = !matches!(self.held, Held::Ruler(..));
            let carried = lies.carried([one.from, two.from], [one.at, two.at], grows);
            Lies {
                angle: self.snap(carried.angle),
                size: carried.size.clamp(compasses::RADII.0, ruler::LENGTHS.1),
                ..carried
            }
        });
        let moved = Lies {
            at: Point::new(
                lies.at.x + one.at.x - one.from.x,
                lies.at.y + one.at.y - one.from.y,
            ),
            ..lies
        };
        let turned = Lies {
            angle: self.snap(lies.angle + way(lies.at, one.at) - way(lies.at, one.from)),
            ..lies
        };
        let sight = &desk.sight;
        let lay = match &self.held {
            Held::Ruler(part, ruler, _) => {
                let now = by_two.unwrap_or(match part {
                    OfRuler::Body => moved,
                    OfRuler::Turn => turned,
                    OfRuler::End => {
                        let by = lies.local(one.at).0 - lies.local(one.from).0;
                        let (least, most) = ruler::LENGTHS;
                        Lies {
                            size: (lies.size + by).clamp(least, most),
                            ..lies
                        }
                    }
                });
                let on = ruler.placed.on;
                let placed = now.placed(on, &sight.view(on)?)?;
                Lay::Ruler(Ruler {
                    placed,
                    ..ruler.clone()
                })
            }
            Held::Protractor(part, protractor, _) => {
                let now = by_two.unwrap_or(match part {
                    OfProtractor::Body => moved,
                    OfProtractor::Turn => turned,
                    OfProtractor::Arm => lies,
                });
                // The arm is fixed to it, and turns with it.
                let arm = match (part, two) {
                    (OfProtractor::Arm, None) => {
                        let to = way(lies.at, one.at);
                        lies.angle + self.snap_fine(to - lies.angle)
                    }
                    _ => protractor.arm + now.angle - lies.angle,
                };
                let on = protractor.placed.on;
                let view: Map<_, _> = sight.view(on)?;
                let placed = now.placed(on, &view)?;
                Lay::Protractor(Protractor {
                    placed,
                    arm,
                    ..protractor.clone()
                })
            }
            Held::Compasses(part, compasses, _) => {
                let opened = Lies {
                    angle: way(lies.at, one.at),
                    size: (lies.size + one.at.distance(lies.at) - one.from.distance(lies.at))
                        .clamp(compasses::RADII.0, compasses::RADII.1),
                    ..lies
                };
                let now = by_two.unwrap_or(match part {
                    OfCompasses::Needle => moved,
                    OfCompasses::Knob => opened,
                });
                let on = compasses.placed.on;
                let placed = now.placed(on, &sight.view(on)?)?;
                Lay::Compasses(Compasses {
                    placed,
                    ..compasses.clone()
                })
            }
        };
        Some(lay.settled(sight.area))
    }

    /// An arm rests on whole degrees, since its lines are there.
    fn snap_fine(&self, angle: f64) -> f64 {
        match self.free {
            true => angle,
            false => angle.to_degrees().round().to_radians(),
        }
    }

    /// Begins anew from where the fingers have brought it.
    fn settle(&mut self, desk: &Desk) {
        match (self.pulled(desk), &mut self.held) {
            (Some(Lay::Ruler(now)), Held::Ruler(_, ruler, lies)) => {
                if let Some(view) = desk.sight.view(now.placed.on) {
                    *lies = now.placed.lies(&view);
                }
                *ruler = now;
            }
            (Some(Lay::Protractor(now)), Held::Protractor(_, protractor, lies)) => {
                if let Some(view) = desk.sight.view(now.placed.on) {
                    *lies = now.placed.lies(&view);
                }
                *protractor = now;
            }
            (Some(Lay::Compasses(now)), Held::Compasses(_, compasses, lies)) => {
                if let Some(view) = desk.sight.view(now.placed.on) {
                    *lies = now.placed.lies(&view);
                }
                *compasses = now;
            }
            _ => {}
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
        if let Some(lay) = self.pulled(desk) {
            desk.want(Effect::Drag(lay));
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
        match &mut self.held {
            Held::Ruler(part, ..) => *part = OfRuler::Body,
            Held::Protractor(part, ..) => *part = OfProtractor::Body,
            Held::Compasses(part, ..) => *part = OfCompasses::Needle,
        }
        Next::GoesOn
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        if self.fingers.iter().any(|f| f.at != f.from)
            && let Some(lay) = self.pulled(desk)
        {
            desk.want(Effect::Lay(lay));
        }
        Next::Ends
    }

    /// A second finger on the same instrument turns it.
    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        let same = |held: Held| std::mem::discriminant(&held) == std::mem::discriminant(&self.held);
        self.fingers.len() == 1 && held_at(desk, at.at()).is_some_and(same)
    }

    fn joined(&mut self, desk: &mut Desk, at: &Pointer) {
        self.settle(desk);
        self.fingers.push(Finger::new(at));
    }
}
