//! Several pointers at once, in any order: what one does never hangs on another, nothing outlives the hand
//! that did it, and what is cancelled was never there.

use std::collections::BTreeSet;

use bozzetto_core::aids::magnifier::Magnifier;
use bozzetto_core::aids::pointing::Pointing;
use bozzetto_core::aids::region::{Form, Region};
use bozzetto_core::edit::select::{Pull, everything};
use bozzetto_core::edit::selection::Selection;
use bozzetto_core::geometry::frames::{Map, Point, Rect, Size};
use bozzetto_core::geometry::grip::Grip;
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, IdMaker, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::pen::{Device, Sample};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::shape::Figure;
use bozzetto_core::prefs::settings::{Finger, Settings};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::sheets::step::{Deed, SheetId};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::laid::Laid;
use bozzetto_core::stage::sight::Sight;
use bozzetto_core::stage::{covered, pane};
use bozzetto_core::tools::desk::{Desk, Effect};
use bozzetto_core::tools::in_hand::{InHand, Kind};
use bozzetto_core::tools::pointer::{Modifiers, Motion, Pointer};
use bozzetto_core::tools::router::Router;
use bozzetto_core::tools::tool::Overlay;
use proptest::prelude::*;

/// A board for two on the whole stage: the left half is one sheet, the right half another.
const LEFT: SheetId = SheetId::Backdrop(BackdropId(1));
const RIGHT: SheetId = SheetId::Page {
    backdrop: BackdropId(1),
    page: 1,
};

/// What a page does with what tools want done.
struct Stage {
    router: Router,
    sheets: Sheets,
    selection: Selection,
    laid: Laid,
    ids: IdMaker,
    in_hand: InHand,
    settings: Settings,
    board: BackdropView,
    /// Marks in the making that are shown.
    shown: BTreeSet<MarkId>,
    /// How far what is seen was moved, in CSS pixels, and how often it was enlarged.
    moved: (f64, f64),
    enlarged: u32,
    texts: u32,
    /// There is a laser dot; there is a ring.
    points: (bool, bool),
    /// With what it was done last.
    device: Device,
}

impl Stage {
    fn new(in_hand: InHand) -> Self {
        Self {
            router: Router::default(),
            sheets: Sheets::new(Keep::All),
            selection: Selection::default(),
            laid: Laid::default(),
            ids: IdMaker::new(1),
            in_hand,
            settings: Settings::default(),
            board: BackdropView {
                id: BackdropId(1),
                name: String::new(),
                width: 1920.0,
                height: 1080.0,
                kind: BackdropKind::Board(Board {
                    halved: true,
                    ..Board::default()
                }),
                seen: ViewState::default(),
            },
            shown: BTreeSet::new(),
            moved: (0.0, 0.0),
            enlarged: 0,
            texts: 0,
            points: (false, false),
            device: Device::Finger,
        }
    }

    fn at_desk<R>(&mut self, doing: impl FnOnce(&mut Router, &mut Desk) -> R) -> R {
        let area = Size::glass(16.0, 9.0);
        let panes = pane::panes(area, Some(&self.board), None);
        let in_view = pane::in_view(area, &panes);
        let mut desk = Desk {
            sheets: &self.sheets,
            in_view: &in_view,
            backdrops: &[&self.board],
            settings: &self.settings,
            in_hand: &self.in_hand,
            selection: &self.selection,
            laid: &self.laid,
            sight: Sight {
                area,
                panes: &panes,
            },
            author: AuthorId(1),
            ids: &mut self.ids,
            scale: 1.0,
            through: Map::coincident(),
            effects: Vec::new(),
        };
        let result = doing(&mut self.router, &mut desk);
        for effect in desk.effects {
            match effect {
                Effect::Act(Intent::Do(steps) | Intent::More(steps)) => {
                    let done = self.sheets.apply(AuthorId(1), 0, Deed::Do, &steps);
                    done.expect("tools want what can be done");
                }
                Effect::Act(other) => panic!("no tool wants {other:?}"),
                Effect::Ink { ink, .. } => drop(self.shown.insert(ink.mark)),
                Effect::Show(shape) => drop(self.shown.insert(shape.mark.id)),
                Effect::Forget(id) | Effect::Settle(id) => drop(self.shown.remove(&id)),
                Effect::Select(picked) => self.selection.picked = picked,
                Effect::Pull(pulled) => self.selection.pulled = pulled,
                Effect::Move { dx, dy } => self.moved = (self.moved.0 + dx, self.moved.1 + dy),
                Effect::Enlarge { .. } => self.enlarged += 1,
                Effect::Text(_) => self.texts += 1,
                Effect::Point(Pointing::Laser { .. }) => self.points.0 = true,
                Effect::Point(Pointing::NoLaser) => self.points.0 = false,
                Effect::Point(Pointing::Ring { .. }) => self.points.1 = true,
                Effect::Point(Pointing::NoRing) => self.points.1 = false,
                Effect::Point(Pointing::Ripple(_)) => {}
                Effect::Lay(lay) | Effect::Drag(lay) => self.laid.lay(&lay),
                Effect::Cover(..) => unreachable!("nothing is covered here"),
                Effect::Hide(id, parts) => {
                    assert_eq!(id, self.board.id);
                    let mut seen = self.board.seen.clone();
                    seen.hide(parts);
                    self.board.seen = seen.settled(&self.board, &Rect::of_size(area));
                }
            }
        }
        result
    }

    fn take(&mut self, event: &Event) {
        let Event { id, device, t, .. } = *event;
        self.device = device;
        let sample = Sample {
            at: Point::new(event.at.0, event.at.1),
            pressure: 0.5,
            t,
        };
        let pointer = Pointer {
            id,
            device,
            sample,
            through: Map::coincident(),
            modifiers: Modifiers::default(),
            eraser_end: false,
            by_keys: false,
            grip: event.grip,
        };
        let motion = Motion {
            id,
            device,
            modifiers: Modifiers::default(),
            samples: &[sample],
            through: Map::coincident(),
            ahead: &[],
        };
        self.at_desk(|router, desk| {
            router.wake(desk, t);
            match event.what {
                What::Down => router.down(desk, &pointer),
                What::Move => router.moved(desk, &motion),
                What::Up => router.up(desk, &pointer),
                What::Cancel => router.cancel(desk, id),
            }
        });
    }

    /// Everything is let go, and what was set point by point is done.
    fn let_go(&mut self, with: What) {
        for id in 0..8 {
            let event = Event {
                what: with,
                id,
                device: self.device,
                at: (0.0, 0.0),
                t: 1e6,
                grip: None,
            };
            self.take(&event);
        }
        self.at_desk(|router, desk| router.finish_unheld(desk));
    }

    /// What is on a sheet, but for its names.
    fn on(&self, sheet: SheetId) -> Vec<Mark> {
        let marks = self.sheets.sheet(sheet).marks().map(|m| Mark::clone(m));
        let nameless = marks.map(|mut mark| {
            mark.id = MarkId(0);
            mark
        });
        nameless.collect()
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum What {
    Down,
    Move,
    Up,
    Cancel,
}

#[derive(Clone, Debug)]
struct Event {
    what: What,
    id: i32,
    device: Device,
    at: (f64, f64),
    t: f64,
    grip: Option<Pull>,
}

/// Pointers 0 and 1 are on the left half, 2 and 3 on the right.
fn is_left(id: i32) -> bool {
    id < 2
}

/// Any pointers doing anything in any order, now and then held still for long enough to be asked what they
/// meant, and never on the other half than their own.
fn events(fingers: bool) -> impl Strategy<Value = Vec<Event>> {
    let what = prop_oneof![
        2 => Just(What::Down), 8 => Just(What::Move), 2 => Just(What::Up), 1 => Just(What::Cancel),
    ];
    let gap = prop_oneof![8 => 4.0..40.0f64, 1 => 500.0..900.0f64];
    let one = (what, 0..4i32, 20.0..900.0f64, 20.0..1060.0f64, gap);
    prop::collection::vec(one, 1..90).prop_map(move |all| {
        let mut t = 0.0;
        let event = |(what, id, x, y, gap)| {
            t += gap;
            Event {
                what,
                id,
                device: match fingers {
                    true => Device::Finger,
                    false => Device::Mouse,
                },
                at: (if is_left(id) { x } else { x + 980.0 }, y),
                t,
                grip: None,
            }
        };
        all.into_iter().map(event).collect()
    })
}

/// Anything that can be in the hand.
fn in_hand() -> impl Strategy<Value = InHand> {
    let kind = prop_oneof![
        Just(Kind::Pen),
        Just(Kind::Erase),
        Just(Kind::Select),
        Just(Kind::Shape),
        Just(Kind::Stamp),
        Just(Kind::Text),
        Just(Kind::Laser),
        Just(Kind::Spotlight),
        Just(Kind::Magnifier),
        Just(Kind::Measure),
        Just(Kind::Hide),
    ];
    let touching = prop::bool::weighted(0.1);
    (kind, touching, 0..6usize, 0..Figure::ALL.len(), 0..5usize).prop_map(
        |(tool, touching, swatch, figure, sign)| InHand {
            touching,
            tool,
            swatch,
            figure,
            filled: figure % 2 == 0,
            dash: (figure % 3) as u8,
            // A counter goes on from the highest number in view: that is what it is for.
            sign,
            ring: sign % 2 == 0,
            ripples: sign % 3 == 0,
            follows: (sign == 1).then_some(Kind::Spotlight),
            locked: false,
        },
    )
}

/// A stage on which something has been drawn on both halves, all of it selected if that is in the hand.
fn drawn_on(in_hand: InHand) -> Stage {
    let pen = InHand {
        tool: Kind::Pen,
        ..InHand::default()
    };
    let mut stage = Stage::new(pen);
    for (id, x) in [(0, 100.0), (2, 1100.0)] {
        for row in 0..5 {
            let y = 150.0 + 190.0 * f64::from(row);
            for (n, what) in [
                (0, What::Down),
                (1, What::Move),
                (2, What::Move),
                (2, What::Up),
            ] {
                stage.take(&Event {
                    what,
                    id,
                    device: Device::Mouse,
                    at: (x + 350.0 * f64::from(n), y),
                    t: f64::from(n) * 8.0,
                    grip: None,
                });
            }
        }
    }
    assert_eq!((stage.on(LEFT).len(), stage.on(RIGHT).len()), (5, 5));
    stage.in_hand = in_hand;
    if in_hand.holds(Kind::Select) {
        stage.selection.picked = stage.at_desk(|_, desk| everything(desk.sheets, desk.in_view));
    }
    stage
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]

    /// No session outlives its pointers, and when all are lifted nothing is in the making any more; no
    /// tool wants what cannot be done.
    #[test]
    fn nothing_outlives_the_hand(in_hand in in_hand(), events in any::<bool>().prop_flat_map(events)) {
        let mut stage = drawn_on(in_hand);
        let mut down = BTreeSet::new();
        for event in &events {
            stage.take(event);
            match event.what {
                What::Down => drop(down.insert(event.id)),
                What::Move => {}
                What::Up | What::Cancel => drop(down.remove(&event.id)),
            }
            let unheld = usize::from(stage.router.goes_on()) * 2;
            prop_assert!(stage.router.sessions() <= down.len() + unheld);
        }
        stage.let_go(What::Up);
        prop_assert_eq!(stage.router.sessions(), 0);
        prop_assert!(stage.shown.is_empty(), "{:?} is still shown", stage.shown);
        prop_assert!(stage.selection.pulled.is_none());
        prop_assert_eq!(stage.points, (false, false));
        prop_assert_eq!(stage.router.wakes_at(), None);
    }

    /// Pointers that the browser takes away leave no trace, whatever they did until then; only what is
    /// erased is gone at once.
    #[test]
    fn cancelling_leaves_no_trace(in_hand in in_hand(), events in events(true)) {
        let erases = in_hand.holds(Kind::Erase);
        let mut stage = drawn_on(in_hand);
        let before = (stage.on(LEFT), stage.on(RIGHT), stage.selection.picked.clone());
        let hidden = stage.board.seen.hidden.clone();
        for event in &events {
            let what = if event.what == What::Up { What::Cancel } else { event.what };
            stage.take(&Event { what, ..event.clone() });
        }
        stage.let_go(What::Cancel);
        prop_assert!(stage.shown.is_empty());
        prop_assert!(stage.selection.pulled.is_none());
        prop_assert_eq!(stage.texts, 0);
        let after = (stage.on(LEFT), stage.on(RIGHT), stage.selection.picked.clone());
        prop_assert!(erases || after == before);
        prop_assert_eq!(&stage.board.seen.hidden, &hidden);
    }

    /// What is hidden is what a hand has drawn over, however large the backdrop is seen; it stays there when that
    /// changes, is moved by its inside, pulled by a corner, and shown again by its cross.
    #[test]
    fn what_is_drawn_over_is_hidden(
        by in 1.0..4.0f64, then_by in 1.0..4.0f64, x in 40.0..1200.0f64, y in 60.0..600.0f64, w in 120.0..600.0f64, h in 120.0..400.0f64,
        device in prop_oneof![Just(Device::Mouse), Just(Device::Finger), Just(Device::Pen)],
    ) {
        let mut stage = Stage::new(InHand { tool: Kind::Hide, ..InHand::default() });
        let zoom = |by| Zoom { by, x: 0.5, y: 0.5 };
        let room = Rect::of_size(Size::glass(16.0, 9.0));
        let lies = |stage: &Stage| {
            let view = stage.board.view(&room);
            stage.board.seen.hidden().map(|part| view.apply_rect(&part)).collect::<Vec<_>>()
        };
        let near = |a: &Rect<_>, b: &Rect<_>| {
            let off = [a.x0 - b.x0, a.y0 - b.y0, a.x1 - b.x1, a.y1 - b.y1];
            off.iter().all(|v| v.abs() < 1e-6)
        };
        let drag = |stage: &mut Stage, from: (f64, f64), to: (f64, f64)| {
            let first = down(1, device, from, 0.0);
            stage.take(&first);
            stage.take(&then(&first, What::Move, to));
            stage.take(&then(&first, What::Up, to));
        };
        stage.board.seen.zoom = zoom(by);
        drag(&mut stage, (x + w, y), (x, y + h));
        let drawn = Rect::from_size(x, y, w, h).intersection(&room);
        prop_assert!(near(&lies(&stage)[0], &drawn), "{:?} {:?}", lies(&stage), drawn);
        let part = stage.board.seen.hidden.clone();
        stage.board.seen.zoom = zoom(then_by);
        prop_assert_eq!(&stage.board.seen.hidden, &part);
        stage.board.seen.zoom = zoom(by);
        // By its inside, and by its lower left corner; as far as the backdrop goes.
        drag(&mut stage, (x + w / 2.0, y + h / 2.0), (x + w / 2.0 + 20.0, y + h / 2.0 - 10.0));
        prop_assert!(near(&lies(&stage)[0], &Rect::from_size(x + 20.0, y - 10.0, w, h).intersection(&room)));
        drag(&mut stage, (x + 20.0, y + h - 10.0), (x - 10.0, y + h + 20.0));
        prop_assert!(near(&lies(&stage)[0], &Rect::from_size(x - 10.0, y - 10.0, w + 30.0, h + 30.0).intersection(&room)));
        // A tap beside it hides nothing, one on the cross shows it.
        drag(&mut stage, (x - 35.0, y - 45.0), (x - 35.0, y - 45.0));
        prop_assert_eq!(lies(&stage).len(), 1);
        let cross = covered::cross(&lies(&stage)[0], &room);
        drag(&mut stage, (cross.x, cross.y), (cross.x, cross.y));
        prop_assert!(lies(&stage).is_empty());
    }

    /// Two at one board do not notice each other: what comes of the left half is the same whether anybody
    /// works on the right half or not, and the other way round.
    #[test]
    fn each_half_is_its_own(in_hand in in_hand(), events in events(true)) {
        // There is one selection, and one view, whoever is at it.
        prop_assume!(!in_hand.touching && !in_hand.holds(Kind::Select));
        let mut both = drawn_on(in_hand);
        let mut alone = [drawn_on(in_hand), drawn_on(in_hand)];
        for event in &events {
            both.take(event);
            alone[usize::from(!is_left(event.id))].take(event);
        }
        for stage in alone.iter_mut().chain([&mut both]) {
            stage.let_go(What::Up);
        }
        prop_assert_eq!(both.on(LEFT), alone[0].on(LEFT));
        prop_assert_eq!(both.on(RIGHT), alone[1].on(RIGHT));
    }
}

/// A lens over the middle of the stage, that shows a part of the left half.
fn lens(times: f64, at: (f64, f64)) -> Magnifier {
    let magnifier = Magnifier {
        lens: Region {
            form: Form::Box,
            at: Point::new(960.0, 540.0),
            half: (700.0, 500.0),
        },
        shows: Some(Point::new(at.0, at.1)),
        times,
        away: false,
        told: true,
    };
    magnifier.settled(Size::glass(16.0, 9.0))
}

proptest! {
    /// Through a lens a hand draws what it draws without one: as exactly, smaller, and where the lens shows it.
    #[test]
    fn a_lens_leads_the_hand(
        tool in prop_oneof![Just(Kind::Pen), Just(Kind::Shape), Just(Kind::Stamp)],
        in_hand in in_hand(),
        line in prop::collection::vec((300.0..900.0f64, 100.0..980.0f64), 2..30),
        times in 2.0..8.0f64,
        at in (380.0..560.0f64, 0.0..1080.0f64),
    ) {
        let in_hand = InHand { tool, touching: false, ..in_hand };
        let mut stages = [Stage::new(in_hand), Stage::new(in_hand)];
        let lens = lens(times, at);
        stages[1].laid.magnifier = Some(lens.clone());
        for stage in &mut stages {
            let first = down(1, Device::Pen, line[0], 0.0);
            stage.take(&first);
            for (n, at) in line.iter().enumerate().skip(1) {
                let t = first.t + 8.0 * n as f64;
                stage.take(&Event { what: What::Move, at: *at, t, ..first.clone() });
            }
            stage.let_go(What::Up);
        }
        let [without, with] = stages.map(|stage| stage.on(LEFT));
        prop_assert_eq!(with.len(), without.len());
        let back = lens.enlarges().inverse().unwrap();
        for (with, without) in with.iter().zip(&without) {
            prop_assert_eq!(&with.body, &without.body);
            let (seen, drawn) = (with.bounds(), without.bounds());
            let there = back.apply_rect(&Rect::from_corners(
                Point::new(drawn.x0, drawn.y0),
                Point::new(drawn.x1, drawn.y1),
            ));
            let off = (seen.x0 - there.x0).abs() + (seen.y1 - there.y1).abs();
            prop_assert!(off < 0.02, "{seen:?} instead of {there:?}");
        }
    }

    /// What is erased through a lens is what the hand passes over there, and nothing beneath the hand.
    #[test]
    fn a_lens_leads_the_eraser(row in 0..5usize, times in 2.0..8.0f64) {
        let eraser = InHand { tool: Kind::Erase, ..InHand::default() };
        let mut stage = drawn_on(eraser);
        let shown = (450.0, 150.0 + 190.0 * row as f64);
        stage.laid.magnifier = Some(lens(times, shown));
        let lies = |m: &Mark| m.bounds().y0 < shown.1 && shown.1 < m.bounds().y1;
        let ink = |m: &Mark| m.bounds().width() - 2.0 * m.style.rim().map_or(0.0, |(_, wide)| wide);
        let before = stage.on(LEFT);
        let whole: f64 = before.iter().filter(|m| lies(m)).map(ink).sum();
        let tap = down(1, Device::Mouse, (960.0, 540.0), 1e4);
        stage.take(&tap);
        stage.take(&then(&tap, What::Up, (960.0, 540.0)));
        let left = stage.on(LEFT);
        prop_assert!(left.len() > before.len(), "one line is in two");
        let ends: f64 = left.iter().filter(|m| lies(m)).map(ink).sum();
        // As wide a gap as the eraser is through the lens.
        let eraser = 2.0 * stage.settings.eraser / times;
        prop_assert!((whole - ends - eraser).abs() < 1.0, "{whole}, {ends}, {eraser}");
        prop_assert_eq!(stage.on(RIGHT).len(), 5);
    }
}

/// What the shapes in the making measure.
fn says(stage: &mut Stage) -> Vec<String> {
    let all = stage.at_desk(|router, desk| router.overlays(desk));
    let words = all.into_iter().filter_map(|overlay| match overlay {
        Overlay::ReadOut { words, .. } => Some(words),
        _ => None,
    });
    words.collect()
}

fn down(id: i32, device: Device, at: (f64, f64), t: f64) -> Event {
    Event {
        what: What::Down,
        id,
        device,
        at,
        t,
        grip: None,
    }
}

fn then(event: &Event, what: What, at: (f64, f64)) -> Event {
    Event {
        what,
        at,
        t: event.t + 8.0,
        ..event.clone()
    }
}

/// A box is dragged to 300 by 75; a second finger beside it makes it square, and lets it go again when it
/// is lifted. On the other half a finger has a box of its own.
#[test]
fn a_second_finger_holds_a_figure_even() {
    let mut stage = Stage::new(InHand {
        tool: Kind::Shape,
        figure: 3,
        ..InHand::default()
    });
    let first = down(0, Device::Finger, (100.0, 100.0), 0.0);
    stage.take(&first);
    stage.take(&then(&first, What::Move, (400.0, 175.0)));
    assert_eq!(says(&mut stage), ["300 × 75"]);
    let second = down(1, Device::Finger, (600.0, 600.0), 20.0);
    stage.take(&second);
    stage.take(&then(&first, What::Move, (400.0, 175.0)));
    assert_eq!(says(&mut stage), ["300 × 300"]);
    let other = down(2, Device::Finger, (1200.0, 200.0), 30.0);
    stage.take(&other);
    stage.take(&then(&other, What::Move, (1240.0, 260.0)));
    assert_eq!(says(&mut stage), ["300 × 300", "40 × 60"]);
    stage.take(&then(&second, What::Up, (600.0, 600.0)));
    stage.take(&then(&first, What::Move, (400.0, 175.0)));
    stage.take(&then(&first, What::Up, (400.0, 175.0)));
    stage.take(&then(&other, What::Up, (1240.0, 260.0)));
    let size = |sheet| {
        let marks = stage.on(sheet);
        let Body::Shape(shape) = &marks[0].body else {
            panic!("a shape")
        };
        let [a, b] = shape.positions()[..] else {
            panic!("two corners")
        };
        (b.x - a.x, b.y - a.y)
    };
    assert_eq!((size(LEFT), size(RIGHT)), ((300.0, 75.0), (40.0, 60.0)));
}

/// A polyline goes on without a pointer, and each half of a board has its own: the next point is shown where
/// a pointer hovers, the last one is taken back, and what has but one point when it is done is none.
#[test]
fn a_polyline_is_set_point_by_point() {
    let mut stage = Stage::new(InHand {
        tool: Kind::Shape,
        figure: 5,
        ..InHand::default()
    });
    for (id, at) in [
        (0, (100.0, 100.0)),
        (2, (1100.0, 300.0)),
        (0, (200.0, 100.0)),
        (2, (1200.0, 300.0)),
    ] {
        let tap = down(id, Device::Mouse, at, 0.0);
        stage.take(&tap);
        stage.take(&then(&tap, What::Up, at));
    }
    assert!(stage.router.goes_on() && says(&mut stage).is_empty());
    let hover = down(0, Device::Mouse, (0.0, 0.0), 100.0);
    stage.take(&then(&hover, What::Move, (200.0, 200.0)));
    assert_eq!(says(&mut stage), ["100 · 270°"]);
    stage.take(&then(&hover, What::Move, (230.0, 100.0)));
    assert_eq!(says(&mut stage), ["30 · 0°"]);
    // A finger that moves the picture sets no point of it.
    stage.settings.finger = Finger::Moves;
    let finger = down(1, Device::Finger, (500.0, 500.0), 120.0);
    stage.take(&finger);
    stage.take(&then(&finger, What::Move, (540.0, 500.0)));
    stage.take(&then(&finger, What::Up, (540.0, 500.0)));
    assert_eq!(stage.moved, (40.0, 0.0));
    assert!(stage.at_desk(|router, desk| router.back(desk)));
    stage.at_desk(|router, desk| router.finish_unheld(desk));
    let points = |marks: &[Mark]| match &marks[0].body {
        Body::Shape(shape) => shape.positions().len(),
        _ => 0,
    };
    assert_eq!(points(&stage.on(LEFT)), 2);
    assert!(stage.on(RIGHT).is_empty() && stage.shown.is_empty());
}

/// A hand that came to rest before the pen was seen has drawn nothing, and the next one draws nothing
/// either; what it had hold of to move the picture goes on.
#[test]
fn a_palm_is_taken_back_when_a_pen_comes() {
    let mut stage = Stage::new(InHand::default());
    let palm = down(0, Device::Finger, (500.0, 800.0), 0.0);
    stage.take(&palm);
    stage.take(&then(&palm, What::Move, (520.0, 810.0)));
    assert_eq!(stage.shown.len(), 1);
    let pen = down(7, Device::Pen, (300.0, 300.0), 40.0);
    stage.take(&then(&pen, What::Move, (290.0, 290.0)));
    assert!(stage.shown.is_empty());
    stage.take(&pen);
    stage.take(&then(&pen, What::Up, (300.0, 300.0)));
    stage.take(&down(1, Device::Finger, (700.0, 800.0), 100.0));
    stage.let_go(What::Up);
    assert_eq!(stage.on(LEFT).len(), 1, "the pen's dot and nothing else");

    stage.in_hand.touching = true;
    stage.take(&down(0, Device::Finger, (500.0, 800.0), 5000.0));
    stage.take(&then(&pen, What::Move, (290.0, 290.0)));
    stage.take(&then(&palm, What::Move, (530.0, 800.0)));
    assert_eq!(stage.moved, (30.0, 0.0));
}

/// An eraser that is led round the five lines of a half, along two sides, leaves them as they are; across
/// them it cuts each in two.
#[test]
fn an_eraser_goes_where_the_hand_went() {
    let mut stage = drawn_on(InHand {
        tool: Kind::Erase,
        ..InHand::default()
    });
    let around = down(0, Device::Pen, (50.0, 60.0), 1000.0);
    stage.take(&around);
    stage.take(&then(&around, What::Move, (900.0, 60.0)));
    stage.take(&then(&around, What::Move, (900.0, 1040.0)));
    stage.take(&then(&around, What::Up, (900.0, 1040.0)));
    assert_eq!(stage.on(LEFT).len(), 5);
    let across = down(0, Device::Pen, (400.0, 60.0), 2000.0);
    stage.take(&across);
    stage.take(&then(&across, What::Move, (400.0, 1040.0)));
    stage.take(&then(&across, What::Up, (400.0, 1040.0)));
    assert_eq!((stage.on(LEFT).len(), stage.on(RIGHT).len()), (10, 5));
}

/// Two fingers that go apart enlarge what is seen; the one that stays when the other is lifted goes on
/// moving it.
#[test]
fn fingers_take_hold_of_what_is_seen() {
    let mut stage = Stage::new(InHand {
        touching: true,
        ..InHand::default()
    });
    let first = down(0, Device::Finger, (100.0, 100.0), 0.0);
    let second = down(1, Device::Finger, (200.0, 100.0), 4.0);
    stage.take(&first);
    stage.take(&second);
    stage.take(&then(&second, What::Move, (300.0, 100.0)));
    assert_eq!((stage.enlarged, stage.moved), (1, (50.0, 0.0)));
    stage.take(&then(&first, What::Up, (100.0, 100.0)));
    stage.take(&then(&second, What::Move, (300.0, 140.0)));
    assert_eq!((stage.enlarged, stage.moved), (1, (50.0, 40.0)));
}

/// The selection is in one hand at a time; its corner pulled outwards by as much as it is wide makes it
/// twice as large.
#[test]
fn a_selection_is_in_one_hand() {
    let mut stage = drawn_on(InHand::default());
    stage.in_hand.tool = Kind::Select;
    let round = [(40.0, 100.0), (860.0, 100.0), (860.0, 200.0), (40.0, 200.0)];
    let lasso = down(0, Device::Mouse, round[0], 0.0);
    stage.take(&lasso);
    for at in &round[1..] {
        stage.take(&then(&lasso, What::Move, *at));
    }
    stage.take(&then(&lasso, What::Up, round[3]));
    assert_eq!(stage.selection.picked.len(), 1);
    let width = |stage: &mut Stage| {
        let area = stage.at_desk(|_, desk| desk.selection.area(desk.sheets, desk.in_view));
        area.width()
    };
    let before = width(&mut stage);
    let pull = Event {
        grip: Some(Pull::Handle(Grip::from_word("e").expect("a grip"))),
        ..down(1, Device::Mouse, (800.0, 150.0), 50.0)
    };
    stage.take(&pull);
    let other = down(2, Device::Mouse, (400.0, 150.0), 52.0);
    stage.take(&other);
    stage.take(&then(&other, What::Move, (400.0, 500.0)));
    stage.take(&then(&pull, What::Move, (800.0 + before, 150.0)));
    stage.take(&then(&other, What::Up, (400.0, 500.0)));
    stage.take(&then(&pull, What::Up, (800.0 + before, 150.0)));
    assert!((width(&mut stage) / before - 2.0).abs() < 0.02);
    assert_eq!(stage.sheets.sheet(LEFT).marks().count(), 5);
}
