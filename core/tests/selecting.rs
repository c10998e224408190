//! Picking marks and changing what was picked, held against the geometry library `geo` and against
//! what a person sees: a selection that is changed in one way has not changed in any other.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::edit::erase;
use bozzetto_core::edit::select::{self, Picked};
use bozzetto_core::geometry::frames::{Glass, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::sheets::step::{Deed, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::stage::pane::{self, InView};
use geo::{Contains, Distance, Euclidean, LineString, Polygon};
use proptest::prelude::*;

const WIDTH: f64 = 8.0;
const AREA: (f64, f64) = (1920.0, 1080.0);
const HELD: SheetId = SheetId::Backdrop(BackdropId(1));

/// From where to where, on the glass.
type Line = ((f64, f64), (f64, f64));

/// A straight stroke from `a` to `b` on the glass, as it lies on a sheet that is seen by `view`.
fn stroke(id: u64, (a, b): Line, seen: &InView) -> Mark {
    let at = |t: f64| Point::new(a.0 + (b.0 - a.0) * t, a.1 + (b.1 - a.1) * t);
    let points: Vec<InkPoint> = (0..=20)
        .map(|i| InkPoint::new(at(f64::from(i) / 20.0), WIDTH))
        .collect();
    let to_held = seen.view.inverse().unwrap();
    Mark::new(
        MarkId(id),
        AuthorId(1),
        Style::new(Tip::Round, Rgb::hex(0x0072B2), WIDTH as f32),
        Body::Stroke(fit(&points).unwrap()),
        Map::coincident().then(&to_held),
        id as i64,
    )
}

/// A picture in the whole picture area, seen enlarged, and the glass over it.
fn in_view(zoom: Zoom) -> Vec<InView> {
    let backdrop = BackdropView {
        id: BackdropId(1),
        name: String::new(),
        width: 4000.0,
        height: 2250.0,
        kind: BackdropKind::Picture {
            grain: Grain::Pixels,
        },
        seen: ViewState {
            zoom,
            ..ViewState::default()
        },
    };
    let area = Size::glass(16.0, 9.0);
    pane::in_view(area, &pane::panes(area, Some(&backdrop), None))
}

fn take(sheets: &mut Sheets, steps: Vec<Step>) {
    sheets.apply(AuthorId(1), 0, Deed::Do, &steps).unwrap();
}

/// Strokes on the sheet of the backdrop, by where they lie on the glass.
fn drawn(lines: &[Line], seen: &[InView]) -> Sheets {
    let mut sheets = Sheets::new(Keep::All);
    let steps = lines.iter().zip(1..).map(|(line, id)| Step {
        sheet: HELD,
        op: bozzetto_core::sheets::step::Op::Add(stroke(id, *line, &seen[0])),
    });
    take(&mut sheets, steps.collect());
    sheets
}

fn place() -> impl Strategy<Value = (f64, f64)> {
    (0.0..AREA.0, 0.0..AREA.1)
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let short = (place(), -90.0..90.0f64, -90.0..90.0f64);
    let short = short.prop_map(|((x, y), dx, dy)| ((x, y), (x + dx, y + dy)));
    prop::collection::vec(prop_oneof![(place(), place()), short], 1..12)
}

fn zoom() -> impl Strategy<Value = Zoom> {
    (1.0..6.0f64, 0.0..1.0f64, 0.0..1.0f64).prop_map(|(by, x, y)| {
        let (size, room) = (Size::<Glass>::new(4000.0, 2250.0), Size::glass(16.0, 9.0));
        Zoom { by, x, y }.settled(size, room)
    })
}

/// Where each mark's stroke begins and ends on the glass.
fn ends(sheets: &Sheets, seen: &[InView], picked: &Picked) -> Vec<(f64, f64)> {
    let mut ends = Vec::new();
    for (sheet, id) in picked {
        let mark = sheets.sheet(*sheet).get(*id).unwrap();
        let view = seen.iter().find(|v| v.sheet == *sheet).unwrap().view;
        let Body::Stroke(curve) = &mark.body else {
            panic!("a stroke")
        };
        let to_glass = mark.transform.then(&view);
        let joints: Vec<_> = curve
            .joints()
            .map(|p| to_glass.apply(p.position()))
            .collect();
        ends.extend([joints[0], joints[joints.len() - 1]].map(|p| (p.x, p.y)));
    }
    ends
}

fn near(a: &[(f64, f64)], b: &[(f64, f64)], by: f64) -> bool {
    a.len() == b.len()
        && a.iter()
            .zip(b)
            .all(|(a, b)| (a.0 - b.0).hypot(a.1 - b.1) < by)
}

fn all(n: usize) -> Picked {
    (1..=n as u64).map(|id| (HELD, MarkId(id))).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    /// What lies wholly within a lasso, and in sight, is picked and what lies wholly outside is not, as
    /// `geo` says.
    #[test]
    fn a_lasso_picks_what_it_goes_round(
        lines in lines(),
        corners in prop::collection::vec((40.0..400.0f64, 0.2..1.0f64), 5..14),
        middle in place(),
        zoom in zoom(),
    ) {
        let seen = in_view(zoom);
        let sheets = drawn(&lines, &seen);
        // Round a middle in steps: a simple polygon, seldom a convex one.
        let whole: f64 = corners.iter().map(|(_, step)| step).sum();
        let mut angle = 0.0;
        let lasso: Vec<Point<Glass>> = corners.iter().map(|(r, step)| {
            angle += step / whole * std::f64::consts::TAU;
            Point::new(middle.0 + r * angle.cos(), middle.1 + r * angle.sin())
        }).collect();
        let polygon = Polygon::new(lasso.iter().map(|p| (p.x, p.y)).collect(), vec![]);
        let picked = select::lasso(&sheets, &seen, &lasso);
        for (line, id) in lines.iter().zip(1..) {
            let is_picked = picked.contains(&(HELD, MarkId(id)));
            let on_stage = |(x, y): (f64, f64)| (0.0..=AREA.0).contains(&x) && (0.0..=AREA.1).contains(&y);
            let in_sight = on_stage(line.0) && on_stage(line.1);
            let line: LineString = vec![line.0, line.1].into();
            let away = Euclidean.distance(&line, &polygon);
            if polygon.contains(&line) && in_sight {
                prop_assert!(is_picked, "{line:?} lies within");
            } else if away > 1.0 {
                prop_assert!(!is_picked, "{line:?} lies {away} outside");
            }
        }
    }

    /// A tap finds ink that is as near as `geo` says: the line's distance less half its width. Of
    /// several the topmost is found.
    #[test]
    fn a_tap_finds_the_topmost_ink_in_reach(lines in lines(), at in place(), zoom in zoom(), reach in 1.0..40.0f64) {
        let seen = in_view(zoom);
        let sheets = drawn(&lines, &seen);
        let tap = geo::Point::new(at.0, at.1);
        let away = |line: &Line| {
            Euclidean.distance(&tap, &LineString::from(vec![line.0, line.1])) - WIDTH / 2.0
        };
        let found = select::at(&sheets, &seen, Point::new(at.0, at.1), reach);
        // Fitting and flattening may move ink by this much.
        let slack = 1.5;
        let surely = lines.iter().zip(1u64..).filter(|(l, _)| away(l) < reach - slack).map(|(_, id)| id).max();
        let perhaps = lines.iter().zip(1u64..).filter(|(l, _)| away(l) < reach + slack).map(|(_, id)| id).max();
        match found {
            Some((_, MarkId(id))) => prop_assert!(Some(id) >= surely && Some(id) <= perhaps, "{id}, {surely:?}, {perhaps:?}"),
            None => prop_assert_eq!(surely, None),
        }
    }

    /// The hold of a selection is changed without it moving on screen, there and back.
    #[test]
    fn another_hold_moves_nothing_on_screen(lines in lines(), zoom in zoom()) {
        let seen = in_view(zoom);
        let mut sheets = drawn(&lines, &seen);
        let picked = all(lines.len());
        let before = ends(&sheets, &seen, &picked);
        let steps = select::held_by(&sheets, &seen, &picked, SheetId::Glass);
        take(&mut sheets, steps);
        let on_glass: Picked = picked.iter().map(|(_, id)| (SheetId::Glass, *id)).collect();
        prop_assert!(near(&before, &ends(&sheets, &seen, &on_glass), 0.01));
        prop_assert!(sheets.sheet(HELD).is_empty());
        // It stays when the picture is seen otherwise.
        let other = in_view(Zoom::WHOLE);
        prop_assert!(near(&before, &ends(&sheets, &other, &on_glass), 0.01));
        let steps = select::held_by(&sheets, &other, &on_glass, HELD);
        take(&mut sheets, steps);
        prop_assert!(near(&before, &ends(&sheets, &other, &picked), 0.01));
    }

    /// Two fingers carry what lies beneath them along, whatever the picture's zoom; and the way back
    /// is the way back.
    #[test]
    fn what_two_fingers_hold_goes_with_them(zoom in zoom(), was in (place(), place()), is in (place(), place())) {
        // Nobody pinches a picture to a fiftieth at once.
        prop_assume!((was.0.0 - was.1.0).hypot(was.0.1 - was.1.1) > 60.0);
        prop_assume!((is.0.0 - is.1.0).hypot(is.0.1 - is.1.1) > 60.0);
        let seen = in_view(zoom);
        let mut sheets = drawn(&[was], &seen);
        let fingers = |(a, b): Line| [Point::<Glass>::new(a.0, a.1), Point::new(b.0, b.1)];
        let there = select::pinched(fingers(was), fingers(is)).unwrap();
        take(&mut sheets, select::moved(&seen, &all(1), &there));
        prop_assert!(near(&ends(&sheets, &seen, &all(1)), &[is.0, is.1], 0.5 * there.mean_scale().max(1.0)));
        let back = select::pinched(fingers(is), fingers(was)).unwrap();
        take(&mut sheets, select::moved(&seen, &all(1), &back));
        prop_assert!(near(&ends(&sheets, &seen, &all(1)), &[was.0, was.1], 0.5));
    }

    /// What is cut and pasted on another backdrop lies where it lay; pasted again, it lies aside.
    #[test]
    fn pasted_marks_lie_where_they_lay(lines in lines(), zoom in zoom()) {
        let seen = in_view(zoom);
        let sheets = drawn(&lines, &seen);
        let picked = all(lines.len());
        let before = ends(&sheets, &seen, &picked);
        let packed = select::packed(&sheets, &seen, &picked);
        let mut elsewhere = Sheets::new(Keep::All);
        let there = in_view(Zoom::WHOLE);
        for round in 0..3u64 {
            let mut next = round * 100;
            let new_id = || { next += 1; MarkId(next) };
            let (steps, pasted) = select::pasted(&elsewhere, there[0], packed.clone(), new_id);
            take(&mut elsewhere, steps);
            let by = select::ASIDE * round as f64;
            let aside: Vec<(f64, f64)> = before.iter().map(|(x, y)| (x + by, y + by)).collect();
            prop_assert!(near(&aside, &ends(&elsewhere, &there, &pasted), 0.01), "round {round}");
        }
    }

    /// Brought to the front, marks lie over all others and in their own order; put back, beneath.
    #[test]
    fn order_is_changed_and_nothing_else(lines in prop::collection::vec((place(), place()), 3..9), which in 0..8usize) {
        let seen = in_view(Zoom::WHOLE);
        let mut sheets = drawn(&lines, &seen);
        let picked: Picked = [which % lines.len(), (which + 1) % lines.len()].map(|i| (HELD, MarkId(i as u64 + 1))).to_vec();
        let order = |sheets: &Sheets| {
            let mut marks: Vec<_> = sheets.sheet(HELD).marks().map(|m| (m.z, m.id)).collect();
            marks.sort_unstable();
            marks.into_iter().map(|(_, id)| id).collect::<Vec<_>>()
        };
        let is_picked = |id: &MarkId| picked.iter().any(|(_, p)| p == id);
        let before = order(&sheets);
        let (mine, others): (Vec<_>, Vec<_>) = before.iter().partition(|id| is_picked(id));
        for forward in [true, false] {
            let steps = select::reordered(&sheets, &picked, forward);
            take(&mut sheets, steps);
            let expected = if forward { [others.clone(), mine.clone()] } else { [mine.clone(), others.clone()] };
            prop_assert_eq!(order(&sheets), expected.concat());
        }
        prop_assert!(near(&ends(&sheets, &seen, &all(lines.len())), &ends(&drawn(&lines, &seen), &seen, &all(lines.len())), 1e-9));
    }
}

/// Two pictures side by side, the left one enlarged: much of what is marked on it lies out of sight,
/// under the other pane.
fn side_by_side(zoom: Zoom) -> Vec<InView> {
    let backdrop = |id, zoom| BackdropView {
        id: BackdropId(id),
        name: String::new(),
        width: 4000.0,
        height: 2250.0,
        kind: BackdropKind::Picture {
            grain: Grain::Pixels,
        },
        seen: ViewState {
            zoom,
            ..ViewState::default()
        },
    };
    let (left, right) = (backdrop(1, zoom), backdrop(2, Zoom::WHOLE));
    let area = Size::glass(16.0, 9.0);
    pane::in_view(area, &pane::panes(area, Some(&left), Some((&right, 0.5))))
}

proptest! {
    /// What lies out of sight beside its pane is neither picked nor rubbed out by a hand in the other
    /// pane, nor picked with all; what is in sight is.
    #[test]
    fn what_is_out_of_sight_is_left_alone(lines in lines(), by in 1.0..5.0f64, from in place(), to in place()) {
        let seen = side_by_side(Zoom { by, ..Zoom::WHOLE });
        let sheets = drawn(&lines, &seen);
        let edge = seen[0].within.x1;
        let over = |x: f64| x.max(edge + 30.0);
        let corners = [(over(0.0), -5.0), (1930.0, -5.0), (1930.0, 1090.0), (over(0.0), 1090.0)];
        let lasso: Vec<Point<Glass>> = corners.iter().map(|(x, y)| Point::new(*x, *y)).collect();
        prop_assert_eq!(select::lasso(&sheets, &seen, &lasso), Picked::new());
        let mut next = 1000;
        let new_id = || { next += 1; MarkId(next) };
        let (from, to) = (Point::new(over(from.0), from.1), Point::new(over(to.0), to.1));
        prop_assert_eq!(erase::sweep(&sheets, &seen, &[from, to], 20.0, new_id), vec![]);
        let picked = select::everything(&sheets, &seen);
        for (line, id) in lines.iter().zip(1..) {
            let ((x0, y0), (x1, y1)) = *line;
            let on_stage = |y: f64| (0.0..AREA.1).contains(&y);
            let sight = (0.0..edge - 10.0).contains(&x0) && on_stage(y0) || (0.0..edge - 10.0).contains(&x1) && on_stage(y1);
            let far = x0.min(x1) > edge + 10.0;
            let is = picked.contains(&(HELD, MarkId(id)));
            prop_assert!(!sight || is, "{line:?} is in sight");
            prop_assert!(!far || !is, "{line:?} is out of sight");
        }
    }
}

/// A handle leaves the opposite edge where it is, whatever is done with it (worked by hand: a box of
/// 200 by 100 whose right edge is pulled out by half its width grows to 300, and its corner pulled as
/// far keeps the proportions).
#[test]
fn a_handle_leaves_the_other_side_where_it_is() {
    use bozzetto_core::edit::select::{Pull, pulled};
    use bozzetto_core::geometry::grip::{Grip, Side};
    let area = Rect::from_corners(Point::<Glass>::new(100.0, 100.0), Point::new(300.0, 200.0));
    let pull = |x, y, to: (f64, f64), even| {
        let grip = Pull::Handle(Grip::Edges { x, y });
        let map = pulled(
            &area,
            grip,
            Point::new(300.0, 200.0),
            Point::new(to.0, to.1),
            even,
        );
        let r = map.apply_rect(&area);
        [r.x0, r.y0, r.x1, r.y1].map(f64::round)
    };
    use Side::{High, Low, Neither};
    assert_eq!(
        pull(High, Neither, (400.0, 260.0), false),
        [100.0, 100.0, 400.0, 200.0]
    );
    assert_eq!(
        pull(High, High, (400.0, 200.0), false),
        [100.0, 100.0, 380.0, 240.0]
    );
    assert_eq!(
        pull(High, High, (400.0, 220.0), true),
        [100.0, 100.0, 400.0, 220.0]
    );
    assert_eq!(
        pull(Low, Neither, (350.0, 200.0), false),
        [150.0, 100.0, 300.0, 200.0]
    );
    // Never inside out: a twentieth is left.
    assert_eq!(
        pull(High, Neither, (-900.0, 200.0), false),
        [100.0, 100.0, 110.0, 200.0]
    );
}

proptest! {
    /// A corner goes to that place of its diagonal which is nearest to the hand: never farther from
    /// where it was than the hand went, however flat or narrow what is pulled may be.
    #[test]
    fn a_corner_goes_no_farther_than_the_hand(
        w in 2.0..1900.0f64, h in 2.0..1000.0f64, dx in -300.0..300.0f64, dy in -300.0..300.0f64,
    ) {
        use bozzetto_core::geometry::grip::{Grip, Side};
        use bozzetto_core::edit::select::{Pull, pulled};
        let area = Rect::from_corners(Point::<Glass>::new(0.0, 0.0), Point::new(w, h));
        let grip = Pull::Handle(Grip::Edges { x: Side::High, y: Side::High });
        let (from, to) = (Point::new(w, h), Point::new(w + dx, h + dy));
        let corner = pulled(&area, grip, from, to, false).apply(from);
        prop_assert!(corner.distance(from) <= dx.hypot(dy) + 1e-6);
    }
}
