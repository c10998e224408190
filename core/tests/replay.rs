//! A lesson shown again is what its participants saw, at whatever moment one looks.

use bozzetto_core::aids::cover::Cover;
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Map, Point, Rect};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, NOBODY, What};
use bozzetto_core::lesson::told::{self, SheetMarks};
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::recording::replay::{Replay, Seen, tell, wiped};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Frozen, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::hidden::HiddenPart;
use bozzetto_core::stage::state::Stage;
use bozzetto_core::stage::step::StageStep;
use proptest::prelude::*;
use std::collections::HashSet;

const DAY: u64 = 1_700_000_000_000;

fn board(id: u64) -> StageStep {
    StageStep::Bring {
        at: 0,
        backdrop: Box::new(BackdropView {
            id: BackdropId(id),
            name: format!("Board {id}"),
            width: 1920.0,
            height: 1080.0,
            kind: BackdropKind::Board(Board {
                pages: 3,
                ..Board::default()
            }),
            seen: ViewState::default(),
        }),
    }
}

fn line(id: u64, y: f64) -> Mark {
    let point = |n: i32| InkPoint::new(Point::new(200.0 + 60.0 * f64::from(n), y), 8.0);
    let points = Points((0..12).map(point).collect());
    Mark::new(
        MarkId(id),
        AuthorId(1),
        Style::new(Tip::Round, Rgb::hex(0x1F5FA8), 9.0),
        Body::Stroke(fit(&points.0).unwrap()),
        Map::coincident(),
        id as i64,
    )
}

/// A lesson as it comes to be, a change each second.
struct Making {
    lesson: Lesson,
    log: Vec<Change>,
}

impl Making {
    fn new() -> Self {
        let mut making = Self {
            lesson: Lesson::new(Keep::Nobody),
            log: Vec::new(),
        };
        let current = BackdropId(1);
        let arrange = StageStep::Arrange {
            current,
            beside: None,
        };
        making.stage(vec![
            StageStep::Aspect(16.0, 9.0),
            board(1),
            board(2),
            arrange,
        ]);
        making
    }

    fn at(&self) -> u64 {
        DAY + 1000 * self.log.len() as u64
    }

    fn change(&mut self, what: What) {
        let change = Change {
            id: ChangeId(self.log.len() as u64),
            author: NOBODY,
            at: self.at(),
            what,
        };
        if self.lesson.apply(&change).is_ok() {
            self.log.push(change);
        }
    }

    fn stage(&mut self, steps: Vec<StageStep>) {
        self.change(What::Stage(steps));
    }

    fn mark(&mut self, sheet: SheetId, op: Op) {
        let deed = Deed::Do;
        let steps = vec![Step { sheet, op }];
        self.change(What::Marks { deed, steps });
    }

    fn see(&mut self, id: u64, change: impl FnOnce(&mut ViewState)) {
        let backdrop = BackdropId(id);
        let mut seen = self.lesson.stage.backdrop(backdrop).unwrap().seen.clone();
        change(&mut seen);
        let seen = Box::new(seen);
        self.stage(vec![StageStep::See { backdrop, seen }]);
    }

    /// What participants see now, by the rule: what is on stage, and the marks that are not covered.
    fn seen(&self) -> (Stage, SheetMarks) {
        let state = &self.lesson.stage;
        let stage = state.on_stage().for_participants();
        let marks = told::marks(&stage, state.area(), &self.lesson.sheets);
        (stage, marks)
    }
}

/// What happens in a lesson: which of it, where, and to which mark.
fn deeds() -> impl Strategy<Value = Vec<(u8, u64, f64)>> {
    prop::collection::vec((0u8..12, 0u64..60, 100.0..900.0f64), 1..500)
}

fn made(deeds: &[(u8, u64, f64)], mut each: impl FnMut(&Making)) -> Making {
    let mut making = Making::new();
    each(&making);
    for (n, (deed, which, y)) in deeds.iter().enumerate() {
        let id = which % 2 + 1;
        let page = making
            .lesson
            .stage
            .backdrop(BackdropId(id))
            .unwrap()
            .seen
            .page;
        let sheet = match which % 5 {
            0 => SheetId::Glass,
            _ => SheetId::of_page(BackdropId(id), page),
        };
        match deed {
            0 => making.stage(vec![StageStep::Arrange {
                current: BackdropId(id),
                beside: None,
            }]),
            1 => making.see(id, |seen| seen.page = (*which % 3) as u32),
            2 => {
                let paused = making.lesson.stage.paused;
                making.stage(vec![StageStep::Pause(!paused)]);
            }
            3 => making.mark(sheet, Op::Remove(MarkId(*which))),
            4 if which % 4 == 0 => making.mark(sheet, Op::Wipe),
            5 => making.mark(
                sheet,
                Op::Transform {
                    marks: vec![MarkId(n as u64 - which.min(&(n as u64)))],
                    by: Map::scale_then_move(1.0, 0.0, 7.0),
                },
            ),
            _ => making.mark(sheet, Op::Add(line(n as u64, *y))),
        }
        each(&making);
    }
    making
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// After each change it shows what participants saw then, and while the lesson was paused what they saw before; sought or
    /// played on from anywhere.
    #[test]
    fn it_shows_what_was_seen(deeds in deeds(), from in 0.0..1.0f64) {
        let mut wanted: Vec<(u64, (Stage, SheetMarks))> = Vec::new();
        let making = made(&deeds, |now| {
            let at = now.log.last().unwrap().at;
            let before = wanted.last().map(|(_, seen)| seen.clone());
            let seen = match before {
                Some(before) if now.lesson.stage.paused => before,
                _ => now.seen(),
            };
            wanted.push((at, seen));
        });
        let lived = tell(&making.log, &HashSet::new(), None, Vec::new()).unwrap();
        let mut replay = Replay::new(lived);
        for (at, seen) in &wanted {
            prop_assert_eq!(&replay.seek(*at), seen, "at {}", at - DAY);
        }
        // Played on: marks are told one by one, and come to the same.
        let from = (from * wanted.len() as f64) as usize;
        let (_, marks) = replay.seek(wanted[from].0);
        let mut shown = Sheets::new(Keep::Nobody);
        for (sheet, marks) in marks {
            shown.load(sheet, marks);
        }
        for (at, (_, seen)) in &wanted[from..] {
            while let Some(told) = replay.next(*at) {
                match told.what {
                    Seen::Stage { sheets, .. } => {
                        for (sheet, marks) in sheets {
                            shown.load(sheet, marks);
                        }
                    }
                    Seen::Marks(steps) => {
                        shown.apply(NOBODY, told.at, Deed::Do, &steps).unwrap();
                    }
                    Seen::Views(_) | Seen::Laid(_) => {}
                }
            }
            for (sheet, marks) in seen {
                prop_assert!(shown.sheet(*sheet).marks().eq(marks));
            }
        }
    }

    /// Of a part only what was seen in it is told; and it begins with what was to be seen then.
    #[test]
    fn a_part_shows_what_was_seen_in_it(deeds in deeds(), part in (0.0..1.0f64, 0.0..1.0f64)) {
        let making = made(&deeds, |_| {});
        let lived = tell(&making.log, &HashSet::new(), None, Vec::new()).unwrap();
        let lasts = (making.at() - DAY) as f64;
        let (from, to) = (part.0.min(part.1), part.0.max(part.1) + 0.01);
        let (from, to) = (DAY + (from * lasts) as u64, DAY + (to * lasts) as u64);
        let of_part = lived.within(&[(from, to)]);
        prop_assert!(of_part.told.iter().all(|told| from <= told.at && told.at < to));
        let (mut all, mut some) = (Replay::new(lived), Replay::new(of_part));
        for at in (from..to).step_by(500) {
            prop_assert_eq!(all.seek(at), some.seek(at));
        }
    }

    /// Without what was wiped, nothing that is wiped in the end is ever seen, and everything else is.
    #[test]
    fn what_was_wiped_is_left_out(deeds in deeds()) {
        let making = made(&deeds, |_| {});
        let wiped = wiped(&making.log).unwrap();
        let marks = |left_out: &HashSet<MarkId>| -> HashSet<MarkId> {
            let lived = tell(&making.log, left_out, None, Vec::new()).unwrap();
            let scenes = lived.scenes();
            let all = scenes.flat_map(|s| s.sheets.snapshot().sheets).flat_map(|(_, marks)| marks);
            all.map(|mark| mark.id).collect()
        };
        let (all, left) = (marks(&HashSet::new()), marks(&wiped));
        prop_assert_eq!(left, all.difference(&wiped).copied().collect::<HashSet<_>>());
    }
}

/// What is drawn beneath a cover is told when the cover goes, and not before; what is hidden, never.
#[test]
fn what_is_covered_is_not_told() {
    let mut making = Making::new();
    let sheet = SheetId::Backdrop(BackdropId(1));
    let covers = Rect::from_corners(Point::new(0.0, 400.0), Point::new(1920.0, 1080.0));
    making.see(1, |seen| {
        seen.covers = vec![Cover {
            page: 0,
            covers,
            stops: Vec::new(),
            away: false,
        }];
    });
    making.mark(sheet, Op::Add(line(1, 200.0)));
    let covered = making.at();
    making.mark(sheet, Op::Add(line(2, 600.0)));
    making.mark(sheet, Op::Add(line(3, 300.0)));
    let lifted = making.at();
    making.see(1, |seen| seen.covers.clear());
    let lived = tell(&making.log, &HashSet::new(), None, Vec::new()).unwrap();
    let ids = |sheets: &SheetMarks| -> Vec<u64> {
        let of = sheets.iter().find(|(id, _)| *id == sheet);
        of.map_or(Vec::new(), |(_, marks)| {
            marks.iter().map(|m| m.id.0).collect()
        })
    };
    for told in lived.told.iter().filter(|told| told.at < lifted) {
        let text = format!("{told:?}");
        assert!(!text.contains("MarkId(2)"), "{text}");
    }
    let last = lived.told.last().unwrap();
    assert!(matches!(last.what, Seen::Stage { .. }));
    let mut replay = Replay::new(lived);
    assert_eq!(ids(&replay.seek(covered + 500).1), [1]);
    assert_eq!(ids(&replay.seek(lifted - 500).1), [1, 3]);
    assert_eq!(ids(&replay.seek(lifted).1), [1, 2, 3]);
    // A mark that is pressed is found, with the moment at which it came.
    let made = replay.made_at(lifted, 0.3, 600.0 / 1080.0);
    assert_eq!(made, Some(covered));
    assert_eq!(replay.made_at(lifted, 0.3, 0.9), None);
    let found = replay.search("BOARD 1");
    assert_eq!(found.len(), 1);
    assert_eq!((found[0].at, found[0].words.as_str()), (DAY, "Board 1"));
}

/// A camera is held at a picture that participants saw, and never at one that was held while the lesson was paused, while
/// something of it was hidden, or outside of what is shown. The same with what goes along with captures.
#[test]
fn what_streamed_is_held_at_what_was_seen() {
    let held = |picture: u64| {
        let shows = Rect::from_corners(Point::new(0.0, 0.0), Point::new(1920.0, 1080.0));
        Some(Frozen { picture, shows })
    };
    let mut making = Making::new();
    let StageStep::Bring { backdrop, at } = board(3) else {
        panic!("a board is brought")
    };
    let kind = BackdropKind::Camera { simulated: true };
    let camera = Box::new(BackdropView { kind, ..*backdrop });
    let current = BackdropId(3);
    let beside = None;
    let backdrop = camera;
    making.stage(vec![
        StageStep::Bring { at, backdrop },
        StageStep::Arrange { current, beside },
    ]);
    let opened = making.at();
    making.stage(vec![StageStep::Pause(true)]);
    let paused = making.at();
    making.see(3, |seen| seen.frozen = held(1));
    making.see(3, |seen| seen.frozen = None);
    making.stage(vec![StageStep::Pause(false)]);
    let page = 0;
    let area = Rect::from_corners(Point::new(0.0, 0.0), Point::new(90.0, 90.0));
    making.see(3, |seen| seen.hidden = vec![HiddenPart { page, area }]);
    let hid = making.at();
    making.see(3, |seen| seen.frozen = held(2));
    making.see(3, |seen| (seen.frozen, seen.hidden) = (None, Vec::new()));
    let before = making.at();
    let pictures = |parts: Option<&[(u64, u64)]>, log: &[Change]| -> Vec<Option<u64>> {
        let lived = tell(log, &HashSet::new(), parts, Vec::new()).unwrap();
        let scenes = lived
            .scenes()
            .filter(|s| s.stage.each().any(|b| b.id == current));
        let frozen = scenes.map(|s| s.stage.each().next().unwrap().seen.frozen);
        frozen.map(|frozen| frozen.map(|f| f.picture)).collect()
    };
    assert!(
        pictures(None, &making.log)
            .iter()
            .all(|p| p.is_none() || *p == Some(2))
    );
    assert_eq!(pictures(None, &making.log).last(), Some(&None));
    let captured = |at: u64| {
        let frames = vec![(at - 1, current, held(4).unwrap())];
        let lived = tell(&making.log, &HashSet::new(), None, frames).unwrap();
        let last = lived
            .scenes()
            .last()
            .unwrap()
            .stage
            .each()
            .next()
            .unwrap()
            .seen
            .frozen;
        last.map(|f| f.picture)
    };
    assert_eq!(
        [opened, paused, hid, before].map(captured),
        [Some(4), None, None, Some(4)]
    );
    making.see(3, |seen| seen.frozen = held(3));
    making.see(3, |seen| seen.frozen = None);
    assert_eq!(pictures(None, &making.log)[0], Some(3));
    assert_eq!(pictures(None, &making.log).last(), Some(&Some(3)));
    let early = [(DAY, before)];
    assert_eq!(pictures(Some(&early), &making.log)[0], None);
}
