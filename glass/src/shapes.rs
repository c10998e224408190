//! Shapes and stamps on the glass.

use bozzetto_core::display::colour::{BLACK, Rgb};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Ink, Map, Point};
use bozzetto_core::geometry::ids::MarkId;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::fading::Fading;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::marks::shape::{Dash, Figure, Measure, Shape, dragged, measure, next_point};
use bozzetto_core::marks::stamp::{MOST, Sign, Stamp};
use bozzetto_core::marks::swatch::{Hold, Swatch};
use bozzetto_core::paint::wet::WetShape;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::pane;
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::pens::{LivePen, Shaping, device};

/// Half the width of a stamp, in glass units.
const STAMP: f64 = 30.0;

/// A polyline that is being set point by point.
pub struct Laying {
    mark: Mark,
    sheet: SheetId,
    points: Vec<Point<Ink>>,
}

#[wasm_bindgen]
impl Glass {
    /// The figures' names, in the order of their numbers.
    pub fn figures(&self) -> Vec<String> {
        Figure::ALL.iter().map(|f| f.word().to_owned()).collect()
    }

    /// Whether a figure is set point by point.
    pub fn by_points(&self, figure: usize) -> bool {
        Figure::ALL.get(figure).is_some_and(|f| f.by_points())
    }

    /// The stamps' names, in the order of their numbers.
    pub fn signs(&self) -> Vec<String> {
        Sign::ALL.iter().map(|s| s.word().to_owned()).collect()
    }

    /// A pointer begins to drag a figure with the looks of a swatch. `dash`: 0 solid, 1 dashed,
    /// 2 dotted.
    #[expect(clippy::too_many_arguments, reason = "plain numbers cross the border")]
    pub fn shape_down(
        &mut self,
        pointer: i32,
        device_number: u8,
        figure: usize,
        swatch: usize,
        filled: bool,
        dash: u8,
        x: f64,
        y: f64,
    ) {
        self.pen_cancel(pointer);
        let from = self.ink_point(x, y);
        let Some((figure, sheet, mark)) = self.new_shape(figure, swatch, filled, dash, from) else {
            return;
        };
        let shaping = Shaping {
            device: device(device_number),
            figure,
            from,
            mark,
            sheet,
            length: 0.0,
        };
        self.pens
            .insert(pointer, LivePen::Shaping(Box::new(shaping)));
    }

    /// The pointer moves; `even` constrains, `centred` draws from the middle.
    pub fn shape_move(&mut self, pointer: i32, x: f64, y: f64, even: bool, centred: bool) {
        let to = self.ink_point(x, y);
        let Some(LivePen::Shaping(shaping)) = self.pens.get_mut(&pointer) else {
            return;
        };
        let ends = dragged(shaping.figure, shaping.from, to, even, centred);
        shaping.mark.body = Body::Shape(Shape::new(shaping.figure, &ends));
        let (sheet, mark) = (shaping.sheet, shaping.mark.clone());
        let measure = measure(ends[0], ends[1]);
        shaping.length = measure.length;
        self.measured = Some((shaping.figure, measure, sheet));
        self.show_shape(WetShape { sheet, mark });
    }

    /// Whether a further finger at this place has to do with the figure that a pointer drags: on the
    /// other half of a board, or in the other pane, it is somebody else's.
    pub fn beside_shape(&self, pointer: i32, x: f64, y: f64) -> bool {
        let Some(LivePen::Shaping(shaping)) = self.pens.get(&pointer) else {
            return false;
        };
        let in_view = self.in_view();
        let there = pane::at(&in_view, self.glass_point(x, y)).map(|v| v.sheet);
        shaping.sheet == SheetId::Glass || there == Some(shaping.sheet)
    }

    /// What the shape in hand measures, in words: length and angle, or width and height. In pixels
    /// of the picture, or in units of a board, as wide as 1920 on the whole stage.
    pub fn read_out(&self) -> String {
        let Some((figure, m, sheet)) = &self.measured else {
            return String::new();
        };
        let view = self.view_of(*sheet);
        let per_unit = view.map_or(1.0, |view| 1.0 / view.mean_scale());
        said(*figure, m, per_unit)
    }

    /// Sets the next point of a polyline; the first one begins it.
    pub fn polyline_point(
        &mut self,
        figure: usize,
        swatch: usize,
        filled: bool,
        dash: u8,
        at: &[f64],
        even: bool,
    ) {
        let [x, y] = *at else { return };
        let p = self.ink_point(x, y);
        if self.laying.is_none() {
            let begun = self.new_shape(figure, swatch, filled, dash, p);
            self.laying = begun.map(|(_, sheet, mark)| Laying {
                mark,
                sheet,
                points: vec![p],
            });
            return;
        }
        if let Some(laying) = &mut self.laying {
            let next = laying
                .points
                .last()
                .map_or(p, |last| next_point(*last, p, even));
            laying.points.push(next);
        }
        self.polyline_hover(x, y, even);
    }

    /// The pointer hovers where the next point may be: the polyline is shown as if it were set.
    pub fn polyline_hover(&mut self, x: f64, y: f64, even: bool) {
        let p = self.ink_point(x, y);
        let Some(laying) = &mut self.laying else {
            return;
        };
        let Body::Shape(shape) = &laying.mark.body else {
            return;
        };
        let figure = shape.figure;
        let last = laying.points[laying.points.len() - 1];
        let next = next_point(last, p, even);
        let mut points = laying.points.clone();
        points.push(next);
        laying.mark.body = Body::Shape(Shape::new(figure, &points));
        let (sheet, mark) = (laying.sheet, laying.mark.clone());
        self.measured = Some((Figure::Line, measure(last, next), sheet));
        self.show_shape(WetShape { sheet, mark });
    }

    /// Takes the last point of the polyline back; with the first one it is gone.
    pub fn polyline_back(&mut self) {
        let Some(laying) = &mut self.laying else {
            return;
        };
        laying.points.pop();
        let id = laying.mark.id;
        let (Some(last), Body::Shape(shape)) = (laying.points.last(), &laying.mark.body) else {
            self.laying = None;
            self.measured = None;
            self.end_wet(id);
            self.send(&ToServer::WetEnd(id));
            return;
        };
        let mut points = laying.points.clone();
        points.push(*last);
        laying.mark.body = Body::Shape(Shape::new(shape.figure, &points));
        let (sheet, mark) = (laying.sheet, laying.mark.clone());
        self.show_shape(WetShape { sheet, mark });
    }

    /// Whether a polyline is being set.
    pub fn is_laying(&self) -> bool {
        self.laying.is_some()
    }

    /// The polyline is done; with fewer than two points there is none.
    pub fn polyline_end(&mut self) {
        let Some(mut laying) = self.laying.take() else {
            return;
        };
        self.measured = None;
        let Body::Shape(shape) = &laying.mark.body else {
            return;
        };
        // A double tap sets the same point twice.
        laying.points.dedup_by(|a, b| a.distance(*b) < 2.0);
        laying.mark.body = Body::Shape(Shape::new(shape.figure, &laying.points));
        self.add_shape(laying.sheet, laying.mark, laying.points.len() > 1);
    }

    /// Sets a stamp where the pointer taps. The counter goes on from the highest number that is on
    /// the sheets in view.
    pub fn stamp(&mut self, sign: usize, swatch: usize, x: f64, y: f64) {
        let dipped = self.dipped(swatch, self.ink_point(x, y));
        let Some((sign, (swatch, sheet, transform))) = Sign::ALL.get(sign).zip(dipped) else {
            return;
        };
        let sign = match sign {
            Sign::Counter(_) => Sign::Counter(self.next_number()),
            other => *other,
        };
        let stamp = Stamp::new(sign, self.ink_point(x, y), STAMP);
        let style = Style::new(Tip::Round, swatch.colour, swatch.width);
        let fades = fading(&swatch);
        let mark = self.new_mark(sheet, style, Body::Stamp(stamp), transform, fades);
        self.act(Intent::Do(vec![Step {
            sheet,
            op: Op::Add(mark),
        }]));
    }

    /// Places a picture that the server has kept around a place, and selects it.
    pub fn place_picture(&mut self, picture: &str, width: u32, height: u32, x: f64, y: f64) {
        let holder = self.holder(Hold::Backdrop, self.ink_point(x, y));
        let Some((sheet, transform, _)) = holder else {
            return;
        };
        let Ok(picture) = picture.parse() else { return };
        let placed = Placement::new(picture, (width, height), self.ink_point(x, y), self.area);
        let style = Style::new(Tip::Round, BLACK, 1.0);
        let mark = self.new_mark(sheet, style, Body::Picture(placed), transform, None);
        let id = mark.id;
        if self.act(Intent::Do(vec![Step {
            sheet,
            op: Op::Add(mark),
        }])) {
            self.selection.picked = vec![(sheet, id)];
        }
    }

    /// The pictures are here: what shows them is painted again.
    pub fn invalidate(&mut self) {
        self.invalidate_view();
    }

    /// The number that the counter sets next.
    pub fn next_number(&self) -> u16 {
        let sheets = self.replica.sheets();
        let highest = self
            .in_view()
            .iter()
            .flat_map(|seen| {
                sheets
                    .sheet(seen.sheet)
                    .marks()
                    .map(|m| m.body.clone())
                    .collect::<Vec<_>>()
            })
            .filter_map(|body| match body {
                Body::Stamp(Stamp {
                    sign: Sign::Counter(n),
                    ..
                }) => Some(n),
                _ => None,
            })
            .max();
        highest.map_or(1, |n| (n + 1).min(MOST))
    }

    /// Fills the display list with a sign or figure as an icon of so many CSS pixels.
    pub fn paint_sign(&mut self, sign: usize, size: f64, colour: u32) {
        let mut list = bozzetto_core::display::DisplayList::default();
        if let Some(sign) = Sign::ALL.get(sign) {
            let middle = Point::new(size / 2.0, size / 2.0);
            let stamp = Stamp::new(*sign, middle, size / 2.0 - 1.0);
            let view = Map::<Ink, GlassFrame>::coincident();
            for (path, colour) in stamp.fills(Rgb::hex(colour)) {
                list.fill(
                    path.mapped(&view),
                    colour,
                    bozzetto_core::display::Blend::Over,
                );
            }
        }
        self.list.set(&list);
    }
}

impl Glass {
    fn new_shape(
        &mut self,
        figure: usize,
        swatch: usize,
        filled: bool,
        dash: u8,
        at: Point<Ink>,
    ) -> Option<(Figure, SheetId, Mark)> {
        let figure = *Figure::ALL.get(figure)?;
        let (swatch, sheet, transform) = self.dipped(swatch, at)?;
        let mut style = swatch.style();
        style.dash = match dash {
            1 => Dash::Dashed,
            2 => Dash::Dotted,
            _ => Dash::Solid,
        };
        style.fill = (filled && figure.closed()).then(|| swatch.colour.tint());
        let body = Body::Shape(Shape::new(figure, &[at, at]));
        let mark = self.new_mark(sheet, style, body, transform, fading(&swatch));
        Some((figure, sheet, mark))
    }

    pub(crate) fn new_mark(
        &mut self,
        sheet: SheetId,
        style: Style,
        body: Body,
        transform: Map<Ink, bozzetto_core::geometry::frames::Held>,
        fades: Option<Fading>,
    ) -> Mark {
        let id = MarkId(self.ids.next_id());
        let z = self.replica.sheets().sheet(sheet).top();
        let mut mark = Mark::new(id, self.replica.author(), style, body, transform, z);
        mark.fades = fades;
        mark
    }

    pub(crate) fn finish_shape(&mut self, shaping: Shaping) {
        self.measured = None;
        self.add_shape(shaping.sheet, shaping.mark, shaping.length >= 4.0);
    }

    fn add_shape(&mut self, sheet: SheetId, mark: Mark, meant: bool) {
        let id = mark.id;
        self.end_wet(id);
        if meant && mark.check().is_ok() {
            self.act(Intent::Do(vec![Step {
                sheet,
                op: Op::Add(mark),
            }]));
        } else {
            self.send(&ToServer::WetEnd(id));
        }
    }
}

pub(crate) fn fading(swatch: &Swatch) -> Option<Fading> {
    let drawn_for = 0;
    swatch.stay.map(|stay| Fading { stay, drawn_for })
}

fn said(figure: Figure, m: &Measure, per_unit: f64) -> String {
    let n = |v: f64| (v * per_unit).round();
    if figure.closed() {
        format!("{} × {}", n(m.width), n(m.height))
    } else {
        format!("{} · {}°", n(m.length), m.angle.round().rem_euclid(360.0))
    }
}
