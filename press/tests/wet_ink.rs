//! Wet ink as a screen shows it: only what is out of date is painted again, messages may come twice
//! or late, and what was predicted is taken back. What must hold of all strokes.

use bozzetto_core::capture::Plan;
use bozzetto_core::display::DisplayList;
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::marks::mark::{Layer, Style};
use bozzetto_core::paint::wet::{WetInk, WetStrokes};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::pane::{self, InView};
use bozzetto_press::picture::Shown;
use bozzetto_press::raster;
use proptest::prelude::*;

const AREA: (u32, u32) = (120, 80);

fn seen() -> Vec<InView> {
    pane::in_view(Size::glass(16.0, 9.0), &[])
}

fn view(sheet: SheetId) -> Option<Map<Held, Glass>> {
    (sheet == SheetId::Glass).then(Map::coincident)
}

fn ink(mark: u64, tip: Tip, from: usize, points: &[InkPoint]) -> WetInk {
    WetInk {
        mark: MarkId(mark),
        sheet: SheetId::Glass,
        style: Style::new(tip, Rgb::hex(0x0072B2), 12.0),
        transform: Map::coincident(),
        fades: false,
        from: from as u32,
        points: Points(points.to_vec()),
    }
}

/// Everything of a layer that reaches into a part, as RGBA pixels of the first 120 by 80 units.
fn pixels(wet: &WetStrokes, layer: Layer, within: &Rect<Glass>) -> Vec<u8> {
    let mut list = DisplayList::default();
    wet.paint(layer, within, &seen(), &mut list);
    let area = Rect::from_corners(
        Point::new(0.0, 0.0),
        Point::new(f64::from(AREA.0), f64::from(AREA.1)),
    );
    let plan = Plan {
        area,
        width: AREA.0,
        height: AREA.1,
        scale: 1.0,
    };
    let pixmap = raster::print(&list, &plan, &Shown::default()).unwrap();
    pixmap.data().to_vec()
}

fn everywhere() -> Rect<Glass> {
    Rect::of_size(Size::glass(16.0, 9.0))
}

/// A screen that repaints what is out of date, as the layers of the stage do.
struct Screen {
    shown: Vec<u8>,
    layer: Layer,
}

impl Screen {
    /// Whether it shows this, but for rounding: how much of a pixel is covered is summed up over other edges when only a
    /// part is painted, and that may come to one step of 255 more or less.
    fn shows(&self, whole: &[u8]) -> bool {
        let mut both = self.shown.iter().zip(whole);
        both.all(|(shown, whole)| shown.abs_diff(*whole) <= 1)
    }

    fn refresh(&mut self, wet: &mut WetStrokes) {
        let damage = wet.take_damage(self.layer);
        if damage.is_empty() {
            return;
        }
        let whole = Rect::from_corners(
            Point::new(damage.x0.floor(), damage.y0.floor()),
            Point::new(damage.x1.ceil(), damage.y1.ceil()),
        );
        let fresh = pixels(wet, self.layer, &whole);
        for y in 0..AREA.1 {
            for x in 0..AREA.0 {
                let middle = Point::new(f64::from(x) + 0.5, f64::from(y) + 0.5);
                if whole.contains(middle) {
                    let at = ((y * AREA.0 + x) * 4) as usize;
                    self.shown[at..at + 4].copy_from_slice(&fresh[at..at + 4]);
                }
            }
        }
    }
}

/// A hand's way: never far from one point to the next, of any width.
fn way() -> impl Strategy<Value = Vec<InkPoint>> {
    let step = (-14.0..14.0f64, -9.0..9.0f64, 2.0..16.0f64);
    let begin = (20.0..100.0f64, 20.0..60.0f64);
    (begin, prop::collection::vec(step, 1..40)).prop_map(|((x, y), steps)| {
        let mut at = (x, y);
        let to = |(dx, dy, width): (f64, f64, f64)| {
            at = (at.0 + dx, at.1 + dy);
            InkPoint::new(Point::new(at.0, at.1), width)
        };
        steps.into_iter().map(to).collect()
    })
}

fn tip() -> impl Strategy<Value = (Tip, Layer)> {
    prop_oneof![
        Just((Tip::Round, Layer::Ink)),
        Just((Tip::Rimmed, Layer::Ink)),
        Just((Tip::Flat, Layer::Highlighter))
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Painting only what is out of date shows what painting everything shows: while two strokes
    /// grow, with predictions that come and go, until both have ended.
    #[test]
    fn repainting_what_changed_is_enough(ways in [way(), way()], (tip, layer) in tip(), piece in 3..12usize, ahead in 0..4usize) {
        let mut wet = WetStrokes::default();
        let mut screen = Screen { shown: pixels(&wet, layer, &everywhere()), layer };
        let longest = ways[0].len().max(ways[1].len());
        for from in (0..longest).step_by(piece) {
            for (way, mark) in ways.iter().zip(1..) {
                if from >= way.len() { continue }
                let to = (from + piece).min(way.len());
                let predicted = way[to..(to + ahead).min(way.len())].to_vec();
                wet.extend(AuthorId(mark), &ink(mark, tip, from, &way[from..to]), predicted, 0, &view);
            }
            screen.refresh(&mut wet);
            prop_assert!(screen.shows(&pixels(&wet, layer, &everywhere())), "after {from} points");
        }
        for mark in [1, 2] {
            wet.end(MarkId(mark), &view);
            screen.refresh(&mut wet);
            prop_assert!(screen.shows(&pixels(&wet, layer, &everywhere())), "after the end of {mark}");
        }
        prop_assert!(screen.shown.iter().all(|v| *v == screen.shown[0]) || screen.shown.chunks(4).all(|p| p == &screen.shown[..4]));
    }

    /// Messages that come twice, overlap, or were cut otherwise on their way make the same stroke;
    /// and nothing of what was predicted is left in it.
    #[test]
    fn however_it_came_it_is_the_same_stroke(way in way(), cuts in prop::collection::vec((0..40usize, 1..20usize), 0..12)) {
        let whole = {
            let mut wet = WetStrokes::default();
            wet.extend(AuthorId(1), &ink(1, Tip::Round, 0, &way), Vec::new(), 0, &view);
            wet
        };
        let mut wet = WetStrokes::default();
        let mut known = 0;
        for (from, length) in cuts {
            // What is sent again begins at any place that is known; lost is nothing.
            let from = from.min(known);
            let to = (from + length).min(way.len());
            let wild = vec![InkPoint::new(Point::new(7.0, 7.0), 30.0)];
            wet.extend(AuthorId(1), &ink(1, Tip::Round, from, &way[from..to]), wild, 0, &view);
            known = known.max(to);
        }
        wet.extend(AuthorId(1), &ink(1, Tip::Round, known, &way[known..]), Vec::new(), 0, &view);
        let so_far = |wet: &WetStrokes| wet.iter().next().map(|(id, s)| s.so_far(id));
        prop_assert_eq!(so_far(&wet), so_far(&whole));
        prop_assert!(pixels(&wet, Layer::Ink, &everywhere()) == pixels(&whole, Layer::Ink, &everywhere()));
    }

    /// Nobody adds to somebody else's stroke; when an author leaves, their strokes go, and no others.
    #[test]
    fn a_stroke_is_its_author_s(ways in [way(), way(), way()]) {
        let mut wet = WetStrokes::default();
        for (way, n) in ways.iter().zip(1u64..) {
            wet.extend(AuthorId(n % 2), &ink(n, Tip::Round, 0, way), Vec::new(), 0, &view);
        }
        let before: Vec<WetInk> = wet.iter().map(|(id, s)| s.so_far(id)).collect();
        wet.extend(AuthorId(7), &ink(1, Tip::Round, 0, &ways[1]), Vec::new(), 0, &view);
        wet.extend(AuthorId(7), &ink(1, Tip::Round, ways[0].len(), &ways[1]), Vec::new(), 0, &view);
        let after: Vec<WetInk> = wet.iter().map(|(id, s)| s.so_far(id)).collect();
        prop_assert_eq!(&before, &after);
        prop_assert_eq!(wet.end_all_of(AuthorId(1), &view), [MarkId(1), MarkId(3)]);
        let left: Vec<MarkId> = wet.iter().map(|(id, _)| id).collect();
        prop_assert_eq!(left, [MarkId(2)]);
    }
}

/// Strokes that a late comer did not see begin go on from where they are, and impossible ones are
/// refused before they are drawn.
#[test]
fn late_and_impossible_ink() {
    let point = |x: f64| InkPoint::new(Point::new(x, 50.0), 6.0);
    let mut wet = WetStrokes::default();
    wet.extend(
        AuthorId(1),
        &ink(1, Tip::Round, 500, &[point(60.0), point(70.0)]),
        Vec::new(),
        0,
        &view,
    );
    wet.extend(
        AuthorId(1),
        &ink(1, Tip::Round, 502, &[point(80.0)]),
        Vec::new(),
        0,
        &view,
    );
    let (id, stroke) = wet.iter().next().unwrap();
    let so_far = stroke.so_far(id);
    assert_eq!((so_far.from, so_far.points.0.len()), (500, 3));
    // A gap: what was before it is not joined to what comes after by a line that nobody drew.
    wet.extend(
        AuthorId(1),
        &ink(1, Tip::Round, 600, &[point(200.0), point(210.0)]),
        Vec::new(),
        0,
        &view,
    );
    let (id, stroke) = wet.iter().next().unwrap();
    assert_eq!(stroke.so_far(id).points.0.len(), 2);

    let endless = WetInk {
        from: u32::MAX,
        ..ink(2, Tip::Round, 0, &[point(1.0)])
    };
    assert!(endless.check().is_err());
}
