//! Selecting marks by tap and lasso, and what can be done with a selection.

use crate::geometry::frames::{Glass, Held, Map, Point, Rect};
use crate::geometry::grip::{Grip, Side};
use crate::geometry::ids::MarkId;
use crate::ink::centreline::distance_to_ink;
use crate::marks::mark::{Body, Mark};
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, SheetId, Step};
use crate::stage::pane::InView;

/// Marks, each with the sheet that holds it, from the bottom up.
pub type Picked = Vec<(SheetId, MarkId)>;

/// A lasso picks marks of which at least this share lies within it.
const SHARE: f64 = 0.5;

/// All marks that are in sight: what lies beyond the edge of its pane is not.
pub fn everything(sheets: &Sheets, in_view: &[InView]) -> Picked {
    let seen = in_view.iter().flat_map(|v| {
        let sheet = sheets.sheet(v.sheet);
        let in_sight = move |m: &&std::sync::Arc<Mark>| {
            v.view.apply_rect(&sheet.bounds(m.id)).intersects(&v.within)
        };
        sheet.marks().filter(in_sight).map(|m| (v.sheet, m.id))
    });
    seen.collect()
}

/// The marks within a closed line on the glass, as far as they are in sight.
pub fn lasso(sheets: &Sheets, in_view: &[InView], line: &[Point<Glass>]) -> Picked {
    let around = line.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
    let mut picked = Picked::new();
    for InView {
        sheet: id,
        view,
        within: pane,
        ..
    } in in_view
    {
        let Some(to_held) = view.inverse() else {
            continue;
        };
        let in_sight = to_held.apply_rect(pane);
        // The lasso goes to the marks, not every mark to the lasso.
        let line: Vec<Point<Held>> = line.iter().map(|p| to_held.apply(*p)).collect();
        let line = Loop::new(&line);
        let mut found: Vec<&Mark> = sheets
            .sheet(*id)
            .near(&to_held.apply_rect(&around))
            .map(AsRef::as_ref)
            .filter(|mark| mostly_within(mark, &line, &in_sight))
            .collect();
        found.sort_by_key(|m| (m.style.layer(), m.z, m.id));
        picked.extend(found.into_iter().map(|m| (*id, m.id)));
    }
    picked
}

fn mostly_within(mark: &Mark, line: &Loop, in_sight: &Rect<Held>) -> bool {
    let points = places(mark);
    let there = |p: &&Point<Held>| in_sight.contains(**p) && line.contains(**p);
    let inside = points.iter().filter(there).count();
    inside as f64 >= SHARE * points.len() as f64 && inside > 0
}

/// Places all along a mark.
fn places(mark: &Mark) -> Vec<Point<Held>> {
    let to_held = &mark.transform;
    match &mark.body {
        Body::Stroke(curve) => {
            let halves = curve.cubics().map(|c| c.at(0.5).at);
            let joints = curve.joints().map(|p| p.position());
            joints.chain(halves).map(|p| to_held.apply(p)).collect()
        }
        Body::Shape(shape) => {
            use kurbo::ParamCurve;
            let line = shape.line();
            let along = line
                .segments()
                .flat_map(|s| [0.0, 0.25, 0.5, 0.75, 1.0].map(|t| s.eval(t)));
            along.map(|p| to_held.apply(Point::new(p.x, p.y))).collect()
        }
        Body::Stamp(stamp) => {
            let (m, h) = (stamp.middle.position(), stamp.half() * 0.6);
            [(0.0, 0.0), (-h, 0.0), (h, 0.0), (0.0, -h), (0.0, h)]
                .map(|(x, y)| to_held.apply(Point::new(m.x + x, m.y + y)))
                .to_vec()
        }
        Body::Text(_) | Body::Picture(_) => {
            let r = mark.block().unwrap_or(Rect::EMPTY);
            let at = |tx: f64, ty: f64| Point::new(r.x0 + tx * r.width(), r.y0 + ty * r.height());
            [(0.5, 0.5), (0.1, 0.1), (0.9, 0.1), (0.1, 0.9), (0.9, 0.9)]
                .map(|(x, y)| to_held.apply(at(x, y)))
                .to_vec()
        }
    }
}

/// A closed line, made ready for many questions whether a place lies within it: its edges by bands
/// of height, so that a place is held against those of its own band only.
struct Loop {
    bands: Vec<Vec<[Point<Held>; 2]>>,
    top: f64,
    /// How high a band is.
    height: f64,
}

impl Loop {
    /// The most bands; a lasso that is drawn by hand has some hundred edges.
    const MOST: usize = 256;

    /// Cost: that of the edges, each once for every band that it reaches into.
    fn new(line: &[Point<Held>]) -> Self {
        let around = line.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
        let count = line.len().clamp(1, Self::MOST);
        let mut bands = Self {
            bands: vec![Vec::new(); count],
            top: around.y0,
            height: (around.height() / count as f64).max(f64::MIN_POSITIVE),
        };
        let next = line.iter().cycle().skip(1);
        for (a, b) in line.iter().zip(next) {
            let (first, last) = (bands.band(a.y.min(b.y)), bands.band(a.y.max(b.y)));
            for band in &mut bands.bands[first..=last] {
                band.push([*a, *b]);
            }
        }
        bands
    }

    fn band(&self, y: f64) -> usize {
        (((y - self.top) / self.height) as usize).min(self.bands.len() - 1)
    }

    /// By the even-odd rule.
    fn contains(&self, p: Point<Held>) -> bool {
        let crossed = |[a, b]: &&[Point<Held>; 2]| {
            (a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x
        };
        self.bands[self.band(p.y)].iter().filter(crossed).count() % 2 == 1
    }
}

/// The topmost mark within `reach` glass units of a point.
pub fn at(
    sheets: &Sheets,
    in_view: &[InView],
    p: Point<Glass>,
    reach: f64,
) -> Option<(SheetId, MarkId)> {
    let here = in_view.iter().filter(|v| v.within.contains(p));
    for InView {
        sheet: id, view, ..
    } in here.rev()
    {
        let Some(to_held) = view.inverse() else {
            continue;
        };
        let area = to_held.apply_rect(&Rect::from_corners(p, p).inflate(reach));
        let found = sheets
            .sheet(*id)
            .near(&area)
            .filter(|mark| touches(mark, view, p, reach))
            .max_by_key(|m| (m.style.layer(), m.z, m.id));
        if let Some(mark) = found {
            return Some((*id, mark.id));
        }
    }
    None
}

/// Whether a mark is within `reach` glass units of a point.
pub fn touches(mark: &Mark, view: &Map<Held, Glass>, p: Point<Glass>, reach: f64) -> bool {
    let Some(to_ink) = mark.transform.then(view).inverse() else {
        return false;
    };
    let (p, reach) = (to_ink.apply(p), reach * to_ink.mean_scale());
    match &mark.body {
        Body::Stroke(curve) => distance_to_ink(&curve.flatten(0.5), p) <= reach,
        Body::Shape(shape) => {
            let half = f64::from(mark.style.width) / 2.0;
            shape.distance(p, mark.style.fill.is_some()) <= half + reach
        }
        Body::Stamp(stamp) => stamp.middle.position().distance(p) <= stamp.half() + reach,
        Body::Text(_) | Body::Picture(_) => mark
            .block()
            .is_some_and(|area| area.inflate(reach).contains(p)),
    }
}

/// What of a selection is still there.
pub fn still_there(sheets: &Sheets, picked: &Picked) -> Picked {
    let there = |(sheet, id): &&(SheetId, MarkId)| sheets.sheet(*sheet).get(*id).is_some();
    picked.iter().filter(there).copied().collect()
}

/// The part of the glass that a selection covers.
pub fn bounds(sheets: &Sheets, in_view: &[InView], picked: &Picked) -> Rect<Glass> {
    picked.iter().fold(Rect::EMPTY, |r, (sheet, id)| {
        let seen = in_view.iter().find(|v| v.sheet == *sheet);
        let held = sheets.sheet(*sheet).bounds(*id);
        seen.filter(|_| !held.is_empty())
            .map_or(r, |seen| r.union(&seen.view.apply_rect(&held)))
    })
}

/// How a selection is changed by pulling at it.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Pull {
    /// Moved as a whole.
    Inside,
    /// A handle of the box around it: the opposite edge or corner stays.
    Handle(Grip),
    /// Turned about its middle.
    Turn,
}

/// The map that pulling from `from` to `to` makes, for a selection that covers `area`. `even` moves
/// along one axis, keeps the proportions, or turns by multiples of 15°. Corners always keep the
/// proportions, so that circles stay round; `even` lets them go. Nothing gets smaller than a
/// twentieth or is turned inside out.
pub fn pulled(
    area: &Rect<Glass>,
    pull: Pull,
    from: Point<Glass>,
    to: Point<Glass>,
    even: bool,
) -> Map<Glass, Glass> {
    let (dx, dy) = (to.x - from.x, to.y - from.y);
    match pull {
        Pull::Inside if even && dx.abs() >= dy.abs() => Map::scale_then_move(1.0, dx, 0.0),
        Pull::Inside if even => Map::scale_then_move(1.0, 0.0, dy),
        Pull::Inside | Pull::Handle(Grip::Inside) => Map::scale_then_move(1.0, dx, dy),
        Pull::Turn => {
            let (cx, cy) = ((area.x0 + area.x1) / 2.0, (area.y0 + area.y1) / 2.0);
            let angle = |p: Point<Glass>| (p.y - cy).atan2(p.x - cx);
            let step = std::f64::consts::PI / 12.0;
            let mut turn = angle(to) - angle(from);
            if even {
                turn = (turn / step).round() * step;
            }
            let (s, c) = turn.sin_cos();
            Map::from_coefficients([c, s, -s, c, cx - c * cx + s * cy, cy - s * cx - c * cy])
        }
        Pull::Handle(Grip::Edges { x, y }) => {
            let axis = |side: Side, low: f64, high: f64, by: f64| -> (f64, f64) {
                let length = (high - low).max(1.0);
                match side {
                    Side::Low => ((1.0 - by / length).max(0.05), high),
                    Side::High => ((1.0 + by / length).max(0.05), low),
                    Side::Neither => (1.0, (low + high) / 2.0),
                }
            };
            let (mut sx, fx) = axis(x, area.x0, area.x1, dx);
            let (mut sy, fy) = axis(y, area.y0, area.y1, dy);
            let corner = x != Side::Neither && y != Side::Neither;
            if corner && !even {
                // As far as the corner went along its diagonal: what has hardly any height does not
                // grow a thousandfold with a small pull.
                let (w, h) = (area.width().max(1.0), area.height().max(1.0));
                let s = (sx * w * w + sy * h * h) / (w * w + h * h);
                (sx, sy) = (s, s);
            }
            Map::from_coefficients([sx, 0.0, 0.0, sy, fx - sx * fx, fy - sy * fy])
        }
    }
}

/// The map that carries two fingers from where they were to where they are: it moves, turns and
/// grows alike in all directions.
///
/// ```
/// use bozzetto_core::geometry::frames::Point;
/// use bozzetto_core::edit::select::pinched;
/// let was = [Point::<bozzetto_core::geometry::frames::Glass>::new(0.0, 0.0), Point::new(10.0, 0.0)];
/// let is = [Point::new(5.0, 5.0), Point::new(5.0, 25.0)];
/// let map = pinched(was, is).unwrap();
/// assert!(map.apply(Point::new(10.0, 0.0)).distance(Point::new(5.0, 25.0)) < 1e-9);
/// assert_eq!(map.mean_scale(), 2.0);
/// ```
pub fn pinched<F>(was: [Point<F>; 2], is: [Point<F>; 2]) -> Option<Map<F, F>> {
    let (ax, ay) = (was[1].x - was[0].x, was[1].y - was[0].y);
    let (bx, by) = (is[1].x - is[0].x, is[1].y - is[0].y);
    let square = ax * ax + ay * ay;
    if square < 1.0 {
        return None;
    }
    // The quotient of both differences as complex numbers.
    let (re, im) = ((ax * bx + ay * by) / square, (ax * by - ay * bx) / square);
    (re.hypot(im) > 0.02).then(|| {
        Map::from_coefficients([
            re,
            im,
            -im,
            re,
            is[0].x - re * was[0].x + im * was[0].y,
            is[0].y - im * was[0].x - re * was[0].y,
        ])
    })
}

/// Marks on their way through a clipboard: as they lay on the glass.
pub fn packed(sheets: &Sheets, in_view: &[InView], picked: &Picked) -> Vec<Mark> {
    let on_glass = |(sheet, id): &(SheetId, MarkId)| {
        let InView { view, .. } = in_view.iter().find(|v| v.sheet == *sheet)?;
        let mut mark = Mark::clone(sheets.sheet(*sheet).get(*id)?);
        mark.transform = mark.transform.then(view).then(&Map::coincident());
        mark.made_at = 0;
        Some(mark)
    };
    picked.iter().filter_map(on_glass).collect()
}

/// Sets marks from a clipboard on a sheet, on top; moved aside where one just like them lies already.
pub fn pasted(
    sheets: &Sheets,
    InView { sheet, view, .. }: InView,
    marks: Vec<Mark>,
    mut new_id: impl FnMut() -> MarkId,
) -> (Vec<Step>, Picked) {
    let Some(back) = view.inverse() else {
        return (Vec::new(), Picked::new());
    };
    let on_sheet = |mark: &Mark, by: f64| {
        let aside = Map::<Held, Glass>::scale_then_move(1.0, by, by);
        mark.transform.then(&aside).then(&back)
    };
    let lies = |mark: &Mark, by: f64| {
        let there = on_sheet(mark, by);
        let near = |a: [f64; 6], b: [f64; 6]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 0.5);
        let same = |m: &std::sync::Arc<Mark>| {
            m.body == mark.body && near(m.transform.coefficients(), there.coefficients())
        };
        sheets.sheet(sheet).marks().any(same)
    };
    let mut by = 0.0;
    while by < 600.0 && marks.first().is_some_and(|m| lies(m, by)) {
        by += ASIDE;
    }
    let (mut steps, mut picked) = (Vec::new(), Picked::new());
    let mut top = sheets.sheet(sheet).top();
    for mut mark in marks {
        mark.transform = on_sheet(&mark, by);
        mark.id = new_id();
        mark.z = top;
        top = top.saturating_add(1);
        picked.push((sheet, mark.id));
        steps.push(Step {
            sheet,
            op: Op::Add(mark),
        });
    }
    (steps, picked)
}

/// How far copies are moved aside, in glass units.
pub const ASIDE: f64 = 24.0;

/// Moves a selection on the glass by a map.
pub fn moved(in_view: &[InView], picked: &Picked, by: &Map<Glass, Glass>) -> Vec<Step> {
    let mut steps = Vec::new();
    for InView { sheet, view, .. } in in_view {
        let marks: Vec<MarkId> = picked
            .iter()
            .filter(|(s, _)| s == sheet)
            .map(|(_, id)| *id)
            .collect();
        if let Some(back) = view.inverse()
            && !marks.is_empty()
        {
            let by = view.then(by).then(&back);
            let op = Op::Transform { marks, by };
            steps.push(Step { sheet: *sheet, op });
        }
    }
    steps
}

/// Has a selection held by another sheet, without moving it on the glass.
pub fn held_by(sheets: &Sheets, in_view: &[InView], picked: &Picked, holder: SheetId) -> Vec<Step> {
    let seen = |sheet: SheetId| in_view.iter().find(|v| v.sheet == sheet).map(|v| v.view);
    let Some(to_holder) = seen(holder).and_then(|v| v.inverse()) else {
        return Vec::new();
    };
    let mut top = sheets.sheet(holder).top();
    let mut steps = Vec::new();
    for (sheet, id) in picked.iter().filter(|(s, _)| *s != holder) {
        let (Some(view), Some(mark)) = (seen(*sheet), sheets.sheet(*sheet).get(*id)) else {
            continue;
        };
        let mut mark = Mark::clone(mark);
        mark.transform = mark.transform.then(&view).then(&to_holder);
        mark.z = top;
        top = top.saturating_add(1);
        steps.push(Step {
            sheet: *sheet,
            op: Op::Remove(*id),
        });
        steps.push(Step {
            sheet: holder,
            op: Op::Add(mark),
        });
    }
    steps
}

/// Copies of a selection, moved on the glass by (`dx`, `dy`) and on top of everything; with what
/// they are called.
pub fn copies(
    sheets: &Sheets,
    in_view: &[InView],
    picked: &Picked,
    (dx, dy): (f64, f64),
    mut new_id: impl FnMut() -> MarkId,
) -> (Vec<Step>, Picked) {
    let by = Map::<Glass, Glass>::scale_then_move(1.0, dx, dy);
    let (mut steps, mut copies) = (Vec::new(), Picked::new());
    for InView { sheet, view, .. } in in_view {
        let Some(back) = view.inverse() else { continue };
        let mut top = sheets.sheet(*sheet).top();
        for (_, id) in picked.iter().filter(|(s, _)| s == sheet) {
            let Some(mark) = sheets.sheet(*sheet).get(*id) else {
                continue;
            };
            let mut copy = Mark::clone(mark);
            copy.id = new_id();
            copy.z = top;
            copy.made_at = 0;
            copy.transform = copy.transform.then(view).then(&by).then(&back);
            top = top.saturating_add(1);
            copies.push((*sheet, copy.id));
            steps.push(Step {
                sheet: *sheet,
                op: Op::Add(copy),
            });
        }
    }
    (steps, copies)
}

/// Brings a selection to the front of its sheets, or to the back, keeping its own order.
pub fn reordered(sheets: &Sheets, picked: &Picked, forward: bool) -> Vec<Step> {
    let mut ids: Vec<SheetId> = picked.iter().map(|(s, _)| *s).collect();
    ids.sort_unstable();
    ids.dedup();
    let mut steps = Vec::new();
    for id in ids {
        let sheet = sheets.sheet(id);
        let mut marks: Vec<&Mark> = picked
            .iter()
            .filter(|(s, _)| *s == id)
            .filter_map(|(_, m)| sheet.get(*m).map(AsRef::as_ref))
            .collect();
        marks.sort_by_key(|m| (m.z, m.id));
        let mut z = match forward {
            true => sheet.top(),
            false => sheet.bottom().saturating_sub(marks.len() as i64),
        };
        for mark in marks {
            let mut mark = Mark::clone(mark);
            mark.z = z;
            z = z.saturating_add(1);
            steps.push(Step {
                sheet: id,
                op: Op::Replace(mark),
            });
        }
    }
    steps
}

/// The removal of a selection.
pub fn removed(picked: &Picked) -> Vec<Step> {
    let step = |(sheet, id): &(SheetId, MarkId)| Step {
        sheet: *sheet,
        op: Op::Remove(*id),
    };
    picked.iter().map(step).collect()
}
