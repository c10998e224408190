//! Shapes that are dragged: lines, arrows, boxes, ovals.

use crate::geometry::frames::{Glass, Ink, Point};
use crate::ink::pen::Device;
use crate::instruments::reading::{Reading, of_a_pixel};
use crate::marks::mark::{Body, Mark};
use crate::marks::shape::{Figure, Shape, dragged, measure};
use crate::paint::wet::WetShape;
use crate::sheets::step::SheetId;
use crate::tools::desk::{Desk, Effect, fading};
use crate::tools::in_hand::Kind;
use crate::tools::pointer::{Modifiers, Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// What is dragged less than this, in units, was not meant.
const LEAST: f64 = 4.0;

/// A shape that is being dragged.
#[derive(Debug)]
pub struct Dragged {
    pointer: i32,
    /// A second finger that holds it even.
    even_by: Option<i32>,
    figure: Figure,
    from: Point<Ink>,
    to: Point<Ink>,
    modifiers: Modifiers,
    mark: Mark,
    sheet: SheetId,
    ends: Option<[Point<Ink>; 2]>,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    begin_as(desk, at, desk.in_hand.figure())
}

/// The same with this figure.
pub(super) fn begin_as(desk: &mut Desk, at: &Pointer, figure: Figure) -> Option<Box<dyn Tool>> {
    let (sheet, mark) = new_shape(desk, at, figure)?;
    Some(Box::new(Dragged {
        pointer: at.id,
        even_by: None,
        figure,
        from: at.sample.at,
        to: at.sample.at,
        modifiers: at.modifiers,
        mark,
        sheet,
        ends: None,
    }))
}

/// A shape of no extent, with the looks of what is in the hand.
pub(super) fn new_shape(desk: &mut Desk, at: &Pointer, figure: Figure) -> Option<(SheetId, Mark)> {
    let in_hand = desk.in_hand;
    let (swatch, sheet, transform) = desk.dipped(in_hand.swatch, at.at())?;
    let mut style = swatch.style();
    if in_hand.tool == Kind::Shape {
        style.dash = in_hand.dash();
        style.fill = (in_hand.filled && figure.closed()).then(|| swatch.colour.tint());
    }
    let body = Body::Shape(Shape::new(figure, &[at.sample.at, at.sample.at]));
    let mark = desk.new_mark(sheet, style, body, transform, fading(&swatch));
    Some((sheet, mark))
}

/// What a figure between two corners or ends measures, in words: length and angle, or width and height. A length
/// on the backdrop's plane; all in its scale; without one in pixels of the picture, or in units of a board, as
/// wide as 1920 on the whole stage.
pub(super) fn read_out(
    desk: &Desk,
    sheet: SheetId,
    figure: Figure,
    ends: [Point<Ink>; 2],
) -> String {
    let m = measure(ends[0], ends[1]);
    let view = desk.view(sheet);
    let back = view.and_then(|view| view.inverse());
    let back = back.map(|back| desk.through.then(&back));
    let per_unit = back.map_or(1.0, |back| back.mean_scale());
    let off = of_a_pixel(per_unit / desk.scale);
    let known = desk.sight.known(sheet.backdrop());
    let n = |v: f64| {
        let value = v * per_unit;
        let off = off * std::f64::consts::SQRT_2;
        match known.scale {
            Some(scale) => Reading { value, off }
                .scaled(scale)
                .rounded(scale.unit.sign()),
            None => format!("{}", value.round()),
        }
    };
    if figure.closed() {
        return format!("{} × {}", n(m.width), n(m.height));
    }
    let on_plane = known.plane.zip(back);
    let length = match on_plane {
        Some((plane, back)) => {
            let places = ends.map(|p| back.apply(p)).map(|p| (p.x, p.y));
            let reading = plane.reading(&places, off, |p| Reading::length(p, off).value);
            reading.rounded(plane.unit.sign())
        }
        None => n(m.length),
    };
    // Adding nothing makes 0 of what is 0 below the line.
    let angle = m.angle.round().rem_euclid(360.0) + 0.0;
    format!("{length} · {angle}°")
}

impl Dragged {
    fn show(&mut self, desk: &mut Desk) {
        let even = self.modifiers.even || self.even_by.is_some();
        let ends = dragged(
            self.figure,
            self.from,
            self.to,
            even,
            self.modifiers.centred,
        );
        self.mark.body = Body::Shape(Shape::new(self.figure, &ends));
        self.ends = Some(ends);
        let (sheet, mark) = (self.sheet, self.mark.clone());
        desk.want(Effect::Show(WetShape { sheet, mark }));
    }
}

impl Tool for Dragged {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        if motion.id != self.pointer {
            return;
        }
        if let Some(last) = motion.samples.last() {
            self.to = last.at;
        }
        self.modifiers = motion.modifiers;
        self.show(desk);
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        if self.even_by == Some(at.id) {
            self.even_by = None;
            return Next::GoesOn;
        }
        self.finished(desk)
    }

    fn cancelled(&mut self, desk: &mut Desk, pointer: i32) -> Next {
        if self.even_by == Some(pointer) {
            self.even_by = None;
            return Next::GoesOn;
        }
        desk.want(Effect::Forget(self.mark.id));
        Next::Ends
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        let meant = self.ends.is_some_and(|[a, b]| a.distance(b) >= LEAST);
        desk.settle(self.sheet, self.mark.clone(), meant);
        Next::Ends
    }

    /// A further finger holds the figure even, unless it is on the other half of a board, or in the other
    /// pane: then it is somebody else's.
    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        let beside = self.sheet == SheetId::Glass || desk.ground(at.at()) == Some(self.sheet);
        self.even_by.is_none() && at.device == Device::Finger && beside
    }

    fn joined(&mut self, _desk: &mut Desk, at: &Pointer) {
        self.even_by = Some(at.id);
    }

    fn overlay(&self, desk: &Desk) -> Option<Overlay> {
        let words = read_out(desk, self.sheet, self.figure, self.ends?);
        let at: Point<Glass> = Point::new(self.to.x, self.to.y);
        Some(Overlay::ReadOut { at, words })
    }

    fn by_accident(&self) -> bool {
        true
    }
}
