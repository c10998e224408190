//! Measuring: each tap is a place; it can be pushed to where it belongs before the finger is lifted.

use crate::geometry::frames::{Glass, Ink, Point};
use crate::ink::tip::Tip;
use crate::instruments::measure::{BETWEEN, Measuring};
use crate::marks::mark::{Body, Style};
use crate::marks::shape::{Figure, Shape};
use crate::marks::swatch::Hold;
use crate::marks::text::{CAPITALS, Text};
use crate::sheets::step::{Op, Step};
use crate::stage::laid::Lay;
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// How near the first place the last must come to close the path, in CSS pixels.
const CLOSES: f64 = 14.0;

/// A place that is not lifted yet.
#[derive(Debug)]
pub struct Placing {
    before: Measuring,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let (backdrop, _) = desk.sight.beneath(at.at())?;
    let known = desk.laid.measuring.as_ref().filter(|m| !m.away);
    let before = Measuring::on(known, backdrop.id, &desk.sight, desk.per_unit());
    let placing = Placing { before };
    if let Some(lay) = placing.with(desk, at.at()) {
        desk.want(Effect::Drag(lay));
    }
    Some(Box::new(placing))
}

/// What was measured as it stays on the picture: its line and what is said, as marks; `None` when nothing is
/// measured that could stay.
pub fn left(desk: &mut Desk) -> Option<Vec<Step>> {
    /// From the last place to where the words begin, in glass units.
    const BESIDE: (f64, f64) = (18.0, -52.0);
    let measuring = desk.laid.measuring.as_ref()?;
    let view = desk.sight.view(measuring.on)?;
    let said = measuring.said(&view, desk.sight.known(measuring.on))?;
    let ink = |p: &Point<Glass>| Point::<Ink>::new(p.x, p.y);
    let line: Vec<Point<Ink>> = measuring.on_glass(&view).iter().map(ink).collect();
    let figure = match (measuring.closed, line.len()) {
        (true, _) => Figure::Polygon,
        (false, 2) => Figure::Line,
        _ => Figure::Polyline,
    };
    let size = desk.settings.room.good_writing() / CAPITALS;
    // A line for each reading: side by side they would soon be wider than the picture.
    let lines = said.words.replace(BETWEEN, "\n");
    let lettered = |at| Text::lettered(&lines, at, size);
    let all = desk.sight.all();
    let area = lettered(Point::new(0.0, 0.0)).area();
    // Beside the last place, or as near to it as it is whole.
    let within = |wanted: f64, long: f64, from: f64, to: f64| wanted.min(to - long).max(from);
    let words = lettered(Point::new(
        within(said.at.x + BESIDE.0, area.x1, all.x0, all.x1),
        within(said.at.y + BESIDE.1, area.y1, all.y0, all.y1),
    ));
    let (sheet, transform, _) = desk.holder(Hold::Backdrop, said.at)?;
    let swatch = desk.offered(desk.in_hand.swatch, sheet)?;
    let style = Style::new(Tip::Round, swatch.colour, swatch.width);
    let line = Body::Shape(Shape::new(figure, &line));
    let words = Body::Text(words);
    let line = desk.new_mark(sheet, style, line, transform, None);
    let mut words = desk.new_mark(sheet, style, words, transform, None);
    // Both were made on top of what was there; the words lie above the line.
    words.z += 1;
    let add = |mark| Step {
        sheet,
        op: Op::Add(mark),
    };
    Some(vec![add(line), add(words)])
}

impl Placing {
    fn with(&self, desk: &Desk, at: Point<Glass>) -> Option<Lay> {
        let view = desk.sight.view(self.before.on)?;
        let place = view.inverse()?.apply(at);
        let reach = CLOSES / desk.per_unit() / view.mean_scale();
        Some(Lay::Measuring(self.before.with((place.x, place.y), reach)))
    }
}

impl Tool for Placing {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        if let Some(lay) = self.with(desk, motion.at()) {
            desk.want(Effect::Drag(lay));
        }
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        if let Some(lay) = self.with(desk, at.at()) {
            desk.want(Effect::Lay(lay));
        }
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Lay(Lay::Measuring(self.before.clone())));
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }
}
