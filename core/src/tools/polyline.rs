//! Polylines: set point by point, each with a tap, until they are said to be done.

use crate::geometry::frames::{Glass, Ink, Point};
use crate::marks::mark::{Body, Mark};
use crate::marks::shape::{Figure, Shape, next_point};
use crate::paint::wet::WetShape;
use crate::sheets::step::SheetId;
use crate::tools::desk::{Desk, Effect};
use crate::tools::figure::{new_shape, read_out};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// Points nearer together than this, in units, are one: a double tap sets the same twice.
const SAME: f64 = 2.0;

/// A polyline that is being set.
#[derive(Debug)]
pub struct Polyline {
    figure: Figure,
    mark: Mark,
    sheet: SheetId,
    points: Vec<Point<Ink>>,
    /// The last point, and where the next may be.
    next: Option<[Point<Ink>; 2]>,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let (sheet, mark) = new_shape(desk, at, desk.in_hand.figure())?;
    Some(Box::new(Polyline {
        figure: desk.in_hand.figure(),
        mark,
        sheet,
        points: vec![at.sample.at],
        next: None,
    }))
}

impl Polyline {
    /// Another pane, or the other half of a board, has a polyline of its own.
    fn is_here(&self, desk: &Desk, at: Point<Glass>) -> bool {
        self.sheet == SheetId::Glass || desk.ground(at) == Some(self.sheet)
    }

    fn last(&self) -> Point<Ink> {
        self.points.last().copied().unwrap_or(Point::new(0.0, 0.0))
    }

    /// Shows the polyline as if its next point were set at `next`.
    fn show(&mut self, desk: &mut Desk, next: Point<Ink>) {
        let mut points = self.points.clone();
        points.push(next);
        self.mark.body = Body::Shape(Shape::new(self.figure, &points));
        let (sheet, mark) = (self.sheet, self.mark.clone());
        desk.want(Effect::Show(WetShape { sheet, mark }));
    }
}

impl Tool for Polyline {
    /// Set by tapping: what a finger does before it is lifted changes nothing.
    fn moved(&mut self, _desk: &mut Desk, _motion: &Motion) {}

    fn lifted(&mut self, _desk: &mut Desk, _at: &Pointer) -> Next {
        Next::GoesOn
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        self.back(desk)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        self.points.dedup_by(|a, b| a.distance(*b) < SAME);
        self.mark.body = Body::Shape(Shape::new(self.figure, &self.points));
        desk.settle(self.sheet, self.mark.clone(), self.points.len() > 1);
        Next::Ends
    }

    /// Not what erases, pulls at the selection or moves what is seen meanwhile.
    fn joins(&self, desk: &Desk, at: &Pointer) -> bool {
        let other = at.eraser_end || at.grip.is_some() || desk.moves(at);
        !other && self.is_here(desk, at.at())
    }

    fn joined(&mut self, desk: &mut Desk, at: &Pointer) {
        let next = next_point(self.last(), at.sample.at, at.modifiers.even);
        self.points.push(next);
        self.next = None;
        self.show(desk, next);
    }

    fn hovered(&mut self, desk: &mut Desk, motion: &Motion) {
        let at = motion.at();
        if !self.is_here(desk, at) {
            return;
        }
        let last = self.last();
        let next = next_point(last, Point::new(at.x, at.y), motion.modifiers.even);
        self.next = Some([last, next]);
        self.show(desk, next);
    }

    /// With its first point it is gone.
    fn back(&mut self, desk: &mut Desk) -> Next {
        self.points.pop();
        if self.points.is_empty() {
            desk.want(Effect::Forget(self.mark.id));
            return Next::Ends;
        }
        self.next = None;
        self.show(desk, self.last());
        Next::GoesOn
    }

    fn overlay(&self, desk: &Desk) -> Option<Overlay> {
        let [from, to] = self.next?;
        let words = read_out(desk, self.sheet, Figure::Line, [from, to]);
        let at = Point::new(to.x, to.y);
        Some(Overlay::ReadOut { at, words })
    }
}
