//! Wet ink: strokes that are still being drawn, one's own and other people's.
//!
//! Ink is added at the end of a stroke, and what the browser predicts is drawn and taken back. Only
//! the part of the glass that changed is painted again: each layer keeps the rectangle that is out
//! of date, and a stroke is painted in short runs, of which only those that reach into the
//! rectangle are worked out.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Held, Ink, Map, Point, Rect};
use crate::geometry::ids::{AuthorId, MarkId};
use crate::ink::centreline::flatten_run;
use crate::ink::outline::{outline_of, rim_of};
use crate::ink::{InkPoint, MAX_POINTS, Points};
use crate::marks::mark::{
    Body, Layer, Mark, MarkFault, Style, check_points, check_style, check_transform,
};
use crate::paint::is_part;
use crate::sheets::step::SheetId;
use crate::stage::pane::InView;

/// A stroke's newest points, on their way to everybody.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct WetInk {
    /// The mark that the stroke will become.
    pub mark: MarkId,
    pub sheet: SheetId,
    pub style: Style,
    /// From the stroke's own frame to what holds it.
    pub transform: Map<Ink, Held>,
    /// Whether it is fading ink: what was drawn just before waits for it.
    pub fades: bool,
    /// How many points came before these.
    pub from: u32,
    /// Those that are new.
    pub points: Points,
}

impl WetInk {
    /// Refuses what no hand can have drawn.
    pub fn check(&self) -> Result<(), MarkFault> {
        check_style(&self.style)?;
        check_transform(&self.transform)?;
        check_points(&self.points)?;
        if self.from as usize + self.points.0.len() > MAX_POINTS {
            return Err(MarkFault::TooManyPoints);
        }
        Ok(())
    }
}

/// A stroke that is being drawn.
#[derive(Clone, PartialEq, Debug)]
pub struct WetStroke {
    pub author: AuthorId,
    pub sheet: SheetId,
    pub style: Style,
    /// From the stroke's own frame to what holds it.
    pub transform: Map<Ink, Held>,
    fades: bool,
    /// When its first points came, in milliseconds by the caller's clock.
    began: u64,
    /// The first point's place in the whole stroke: more than 0 for who came late.
    from: u32,
    points: Vec<InkPoint>,
    predicted: Vec<InkPoint>,
}

impl WetStroke {
    /// What ink through some of its points reaches at most, with its rim.
    fn reach(&self, points: &[InkPoint]) -> Rect<Ink> {
        let rim = self.style.rim().map_or(0.0, |(_, wide)| wide);
        reach_of(points).inflate(rim)
    }

    /// Where the pen is.
    pub fn tip(&self) -> Option<Point<Ink>> {
        self.points.last().map(|point| point.position())
    }

    /// Everything known of the stroke, as one message for who comes late.
    pub fn so_far(&self, mark: MarkId) -> WetInk {
        WetInk {
            mark,
            sheet: self.sheet,
            style: self.style,
            transform: self.transform,
            fades: self.fades,
            from: self.from,
            points: Points(self.points.clone()),
        }
    }

    fn all_points(&self) -> Vec<InkPoint> {
        let mut all = self.points.clone();
        all.extend_from_slice(&self.predicted);
        all
    }
}

/// A shape that is still being dragged.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct WetShape {
    pub sheet: SheetId,
    pub mark: Mark,
}

/// How much of a text that is being typed goes out in a second, in bytes: with a whole class
/// following, the line has other things to carry.
const TOLD_A_SECOND: f64 = 60_000.0;

/// How long to wait, in milliseconds, before a text that is so many bytes long is told again: a few
/// words at every key, a page about twice a second.
///
/// ```
/// use bozzetto_core::paint::wet::pause_after;
/// assert!(pause_after(900) < 16.0);
/// assert_eq!(pause_after(30_000), 500.0);
/// ```
pub fn pause_after(bytes: usize) -> f64 {
    bytes as f64 / TOLD_A_SECOND * 1000.0
}

/// How many control points are painted in one go.
const RUN: usize = 16;

/// All strokes that are being drawn, and what has to be painted again for them.
#[derive(Clone, Debug, Default)]
pub struct WetStrokes {
    strokes: BTreeMap<MarkId, WetStroke>,
    /// Shapes that are still being dragged: each message replaces the one before.
    shapes: BTreeMap<MarkId, WetShape>,
    damage: BTreeMap<u8, Rect<Glass>>,
}

/// What ink through these points reaches at most. A flat tip is drawn from one point to the next as
/// thick as it is at the thicker one, so the thickest counts everywhere.
fn reach_of(points: &[InkPoint]) -> Rect<Ink> {
    let thickest = points.iter().map(|p| p.radius()).fold(0.0, f64::max);
    let places = points.iter().map(|p| p.position());
    places
        .fold(Rect::EMPTY, |r, p| r.include(p))
        .inflate(thickest)
}

/// How a sheet is seen; `None` for sheets that are not in view.
pub trait Views {
    fn view(&self, sheet: SheetId) -> Option<Map<Held, Glass>>;
}

impl<F: Fn(SheetId) -> Option<Map<Held, Glass>>> Views for F {
    fn view(&self, sheet: SheetId) -> Option<Map<Held, Glass>> {
        self(sheet)
    }
}

/// Which part of a text that is being typed is otherwise than before; `None` for what is no text, or
/// otherwise as a whole.
fn changed(before: &WetShape, now: &WetShape) -> Option<Rect<Ink>> {
    let (a, b) = (&before.mark, &now.mark);
    let alike = (a.style, a.transform, before.sheet) == (b.style, b.transform, now.sheet);
    match (&a.body, &b.body) {
        (Body::Text(before), Body::Text(now)) if alike => Some(now.changed_since(before)),
        _ => None,
    }
}

impl WetStrokes {
    /// Shows a shape as it is now. Somebody else's shape of that name stays as it was.
    pub fn put(&mut self, shape: WetShape, views: &impl Views) {
        let known = self.shapes.get(&shape.mark.id);
        if known.is_some_and(|s| s.mark.author != shape.mark.author) {
            return;
        }
        match known.and_then(|before| changed(before, &shape)) {
            Some(bounds) => {
                let (layer, transform) = (shape.mark.style.layer(), shape.mark.transform);
                self.invalidate(layer, shape.sheet, &transform, &bounds, views);
            }
            None => {
                self.end(shape.mark.id, views);
                self.invalidate_shape(&shape, views);
            }
        }
        self.shapes.insert(shape.mark.id, shape);
    }

    /// Whether there is anything on a layer, seen or not.
    pub fn is_clear(&self, layer: Layer) -> bool {
        let strokes = self.strokes.values().map(|s| s.style.layer());
        let shapes = self.shapes.values().map(|s| s.mark.style.layer());
        strokes.chain(shapes).all(|l| l != layer)
    }

    /// Who draws this stroke, or drags this shape, just now.
    pub fn author_of(&self, mark: MarkId) -> Option<AuthorId> {
        let stroke = self.strokes.get(&mark).map(|s| s.author);
        stroke.or_else(|| self.shapes.get(&mark).map(|s| s.mark.author))
    }

    /// The shapes that are being dragged.
    pub fn shapes(&self) -> impl Iterator<Item = &WetShape> {
        self.shapes.values()
    }

    fn invalidate_shape(&mut self, shape: &WetShape, views: &impl Views) {
        let (layer, transform) = (shape.mark.style.layer(), shape.mark.transform);
        let bounds = shape.mark.own_bounds();
        self.invalidate(layer, shape.sheet, &transform, &bounds, views);
    }

    /// The authors of strokes in fading ink, and when they began them.
    pub fn fading(&self) -> Vec<(AuthorId, u64)> {
        let strokes = self.strokes.values().filter(|s| s.fades);
        strokes.map(|s| (s.author, s.began)).collect()
    }

    /// The strokes in progress, by the marks that they will become.
    pub fn iter(&self) -> impl Iterator<Item = (MarkId, &WetStroke)> {
        self.strokes.iter().map(|(id, stroke)| (*id, stroke))
    }

    /// Takes new points of a stroke, and what is predicted to come after them. Points that are
    /// already known change nothing; after a gap the stroke goes on from the newer points. `now` is the
    /// caller's clock in milliseconds.
    pub fn extend(
        &mut self,
        author: AuthorId,
        ink: &WetInk,
        predicted: Vec<InkPoint>,
        now: u64,
        views: &impl Views,
    ) {
        let stroke = self.strokes.entry(ink.mark).or_insert_with(|| WetStroke {
            author,
            sheet: ink.sheet,
            style: ink.style,
            transform: ink.transform,
            fades: ink.fades,
            began: now,
            from: ink.from,
            points: Vec::new(),
            predicted: Vec::new(),
        });
        if stroke.author != author {
            return;
        }
        let known = stroke.from as usize + stroke.points.len();
        let start = ink.from as usize;
        let mut lost = Rect::EMPTY;
        let fresh = if start > known {
            lost = stroke.reach(&stroke.all_points());
            stroke.from = ink.from;
            stroke.points.clear();
            &ink.points.0[..]
        } else {
            &ink.points.0[(known - start).min(ink.points.0.len())..]
        };
        // The curve bends towards the last point once the next is known, and ended in a straight
        // half before that: the last two points are painted again.
        let old = stroke.points.len();
        let changed_from = old.saturating_sub(2);
        let end = |s: &WetStroke| s.reach(&[&s.points[changed_from..], &s.predicted].concat());
        let before = end(stroke);
        stroke.points.extend_from_slice(fresh);
        stroke.predicted = predicted;
        let bounds = before.union(&end(stroke)).union(&lost);
        let (layer, sheet, transform) = (stroke.style.layer(), stroke.sheet, stroke.transform);
        self.invalidate(layer, sheet, &transform, &bounds, views);
    }

    /// The stroke is finished or was given up: its wet ink goes.
    pub fn end(&mut self, mark: MarkId, views: &impl Views) {
        if let Some(shape) = self.shapes.remove(&mark) {
            self.invalidate_shape(&shape, views);
        }
        if let Some(stroke) = self.strokes.remove(&mark) {
            let bounds = stroke.reach(&stroke.all_points());
            self.invalidate(
                stroke.style.layer(),
                stroke.sheet,
                &stroke.transform,
                &bounds,
                views,
            );
        }
    }

    /// Ends every stroke of an author's, and says which they were.
    pub fn end_all_of(&mut self, author: AuthorId, views: &impl Views) -> Vec<MarkId> {
        let ended: Vec<MarkId> = self
            .strokes
            .iter()
            .filter(|(_, s)| s.author == author)
            .map(|(id, _)| *id)
            .chain(
                self.shapes
                    .values()
                    .filter(|s| s.mark.author == author)
                    .map(|s| s.mark.id),
            )
            .collect();
        ended.iter().for_each(|id| self.end(*id, views));
        ended
    }

    /// Nothing is wet any more.
    pub fn clear(&mut self) {
        self.strokes.clear();
        self.shapes.clear();
        self.invalidate_everything();
    }

    /// Everything has to be painted again.
    pub fn invalidate_everything(&mut self) {
        for layer in Layer::ALL {
            let far = crate::geometry::frames::Point::new(1e7, 1e7);
            let near = crate::geometry::frames::Point::new(-1e7, -1e7);
            self.damage
                .insert(layer as u8, Rect::from_corners(near, far));
        }
    }

    /// The part of `layer` that is out of date; asking clears it.
    pub fn take_damage(&mut self, layer: Layer) -> Rect<Glass> {
        self.damage.remove(&(layer as u8)).unwrap_or(Rect::EMPTY)
    }

    /// The wet ink of `layer` that reaches into `within`.
    pub fn paint(
        &self,
        layer: Layer,
        within: &Rect<Glass>,
        in_view: &[InView],
        list: &mut DisplayList,
    ) {
        for seen in in_view {
            let within = seen.within.intersection(within);
            let mut here = DisplayList::default();
            self.paint_strokes(layer, &within, seen, &mut here);
            self.paint_shapes(layer, &within, seen, &mut here);
            list.cut(here, &seen.within, is_part(seen, in_view));
        }
    }

    /// The strokes on one sheet that are being drawn.
    fn paint_strokes(
        &self,
        layer: Layer,
        within: &Rect<Glass>,
        seen: &InView,
        list: &mut DisplayList,
    ) {
        let on_it = |s: &&WetStroke| s.style.layer() == layer && s.sheet == seen.sheet;
        for stroke in self.strokes.values().filter(on_it) {
            let to_glass = stroke.transform.then(&seen.view);
            let points = stroke.all_points();
            let rim = stroke.style.rim();
            // All of the rim lies beneath all of the ink.
            let mut ink = DisplayList::default();
            for start in (0..points.len()).step_by(RUN) {
                let end = (start + RUN).min(points.len());
                // The points on either side belong to the neighbouring runs, but bend the curve.
                let run = &points[start.saturating_sub(1)..(end + 1).min(points.len())];
                let bounds = to_glass.apply_rect(&stroke.reach(run)).inflate(2.0);
                if bounds.intersects(within) {
                    let (has_start, has_end) = (start == 0, end == points.len());
                    let nodes = flatten_run(run, has_start, has_end);
                    let blend = seen.blend(&stroke.style);
                    if let Some((colour, wide)) = rim {
                        list.fill(rim_of(&nodes, wide).mapped(&to_glass), colour, blend);
                    }
                    let path = outline_of(&nodes, stroke.style.tip);
                    ink.fill(path.mapped(&to_glass), stroke.style.colour, blend);
                }
            }
            list.items.append(&mut ink.items);
        }
    }

    /// The shapes on one sheet that are being dragged.
    fn paint_shapes(
        &self,
        layer: Layer,
        within: &Rect<Glass>,
        seen: &InView,
        list: &mut DisplayList,
    ) {
        let on_it = |s: &&WetShape| s.mark.style.layer() == layer && s.sheet == seen.sheet;
        for shape in self.shapes.values().filter(on_it) {
            let to_glass = shape.mark.transform.then(&seen.view);
            if let (Body::Text(text), Some(back)) = (&shape.mark.body, to_glass.inverse()) {
                // Of a long text only the lines that have changed are filled again.
                let colour = shape.mark.style.colour;
                for path in text.paths_within(&back.apply_rect(within)) {
                    list.fill(
                        path.mapped(&to_glass),
                        colour,
                        seen.blend(&shape.mark.style),
                    );
                }
            } else if to_glass
                .apply_rect(&shape.mark.own_bounds())
                .intersects(within)
            {
                for (path, colour) in shape.mark.fills(0.1 / to_glass.mean_scale()) {
                    list.fill(
                        path.mapped(&to_glass),
                        colour,
                        seen.blend(&shape.mark.style),
                    );
                }
            }
        }
    }

    fn invalidate(
        &mut self,
        layer: Layer,
        sheet: SheetId,
        transform: &Map<Ink, Held>,
        bounds: &Rect<Ink>,
        views: &impl Views,
    ) {
        let Some(view) = views.view(sheet) else {
            return;
        };
        let on_glass = transform.then(&view).apply_rect(bounds);
        if !on_glass.is_empty() {
            let damage = self.damage.entry(layer as u8).or_insert(Rect::EMPTY);
            *damage = damage.union(&on_glass.inflate(2.0));
        }
    }
}
