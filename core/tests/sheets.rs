//! What must hold of all changes: property tests of sheets, histories, the stage and replicas.

use std::collections::BTreeMap;
use std::sync::Arc;

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Ink, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::curve::Curve;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent, What};
use bozzetto_core::lesson::replica::Replica;
use bozzetto_core::marks::fading::Fading;
use bozzetto_core::marks::mark::{Body, Layer, Mark, MarkFault, Style};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::sheet::{Sheets, Touched};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::divided;
use bozzetto_core::wire::{Goodbye, Hello, MAX_MESSAGE, decode, encode};
use proptest::prelude::*;

const AUTHORS: u64 = 3;

fn mark(id: u64, author: u64, highlighter: bool, x: f64, z: i64) -> Mark {
    let point = |i: u32| InkPoint::new(Point::new(x + f64::from(i) * 3.0, x), 4.0);
    let tip = if highlighter { Tip::Flat } else { Tip::Round };
    let points: Vec<InkPoint> = (0..4).map(point).collect();
    let mut mark = Mark::new(
        MarkId(id),
        AuthorId(author),
        Style::new(tip, Rgb::hex(0x0072B2), 4.0),
        Body::Stroke(fit(&points).unwrap()),
        Map::<Ink, _>::scale_then_move(0.5, 3.0, 4.0),
        z,
    );
    mark.fades = id.is_multiple_of(4).then_some(Fading {
        stay: 1,
        drawn_for: 3,
    });
    mark
}

fn sheet(n: u8) -> SheetId {
    match n % 3 {
        0 => SheetId::Glass,
        n => SheetId::Backdrop(BackdropId(u64::from(n))),
    }
}

/// What somebody may try: often something that is not possible.
#[derive(Clone, Debug)]
enum Try {
    Add(u8, u64, bool, i64),
    Remove(u8, u64),
    Move(u8, u64, u64),
    Restyle(u8, u64),
    Wipe(u8),
    More(u8, u64),
    Undo,
    Redo,
    Stage(StageStep),
}

/// A lesson with two boards and a film; nothing is on stage yet.
fn beginning() -> Lesson {
    let mut lesson = Lesson::new(Keep::All);
    let film = BackdropKind::Video {
        duration: 60.0,
        frame: 0.04,
    };
    let board = BackdropKind::Board(Board::default());
    let kinds = [board.clone(), board, film];
    lesson.stage.apply(&StageStep::Aspect(16.0, 9.0));
    for (at, kind) in kinds.into_iter().enumerate() {
        let backdrop = BackdropView {
            id: BackdropId(at as u64 + 1),
            name: String::new(),
            width: 1920.0,
            height: 1080.0,
            kind,
            seen: ViewState::default(),
        };
        let backdrop = Box::new(backdrop);
        lesson.stage.apply(&StageStep::Bring { at, backdrop });
    }
    lesson
}

/// What may be asked of the stage, of backdrops too that there are not.
fn stage_step() -> impl Strategy<Value = StageStep> {
    let id = || (1..5u64).prop_map(BackdropId);
    let beside = (id(), -0.5..1.5f64).prop_map(|(backdrop, divider)| Beside { backdrop, divider });
    let seen = (0..4u32, 0.5..9.0f64, 0.0..1.0f64).prop_map(|(page, by, x)| {
        Box::new(ViewState {
            page,
            zoom: Zoom { by, x, y: 0.5 },
            ..ViewState::default()
        })
    });
    prop_oneof![
        3 => (id(), prop::option::of(beside)).prop_map(|(current, beside)| StageStep::Arrange { current, beside }),
        1 => (-0.5..1.5f64).prop_map(StageStep::Divide),
        3 => (id(), seen).prop_map(|(backdrop, seen)| StageStep::See { backdrop, seen }),
        1 => any::<bool>().prop_map(StageStep::Pause),
        1 => (id(), 1..4u32).prop_map(|(backdrop, pages)| StageStep::Pages { backdrop, pages }),
    ]
}

fn tries() -> impl Strategy<Value = Vec<(u64, Try)>> {
    let id = 1..12u64;
    let one = prop_oneof![
        5 => (0..3u8, id.clone(), any::<bool>(), -3..3i64).prop_map(|(s, i, h, z)| Try::Add(s, i, h, z)),
        2 => (0..3u8, id.clone()).prop_map(|(s, i)| Try::Remove(s, i)),
        1 => (0..3u8, id.clone(), id.clone()).prop_map(|(s, i, j)| Try::Move(s, i, j)),
        1 => (0..3u8, id.clone()).prop_map(|(s, i)| Try::Restyle(s, i)),
        1 => (0..3u8).prop_map(Try::Wipe),
        1 => (0..3u8, id).prop_map(|(s, i)| Try::More(s, i)),
        3 => Just(Try::Undo),
        2 => Just(Try::Redo),
        6 => stage_step().prop_map(Try::Stage),
    ];
    prop::collection::vec((0..AUTHORS, one), 0..60)
}

fn intent(author: u64, t: &Try) -> Intent {
    let step = |s: u8, op| Step {
        sheet: sheet(s),
        op,
    };
    match *t {
        Try::Stage(ref step) => Intent::Stage(vec![step.clone()]),
        Try::Add(s, id, h, z) => {
            Intent::Do(vec![step(s, Op::Add(mark(id, author, h, id as f64, z)))])
        }
        Try::Remove(s, id) => Intent::Do(vec![step(s, Op::Remove(MarkId(id)))]),
        Try::Move(s, i, j) => Intent::Do(vec![step(
            s,
            Op::Transform {
                marks: vec![MarkId(i), MarkId(j)],
                by: Map::scale_then_move(1.5, -2.0, 7.0),
            },
        )]),
        Try::Restyle(s, id) => Intent::Do(vec![step(
            s,
            Op::Restyle {
                marks: vec![MarkId(id)],
                style: mark(1, 1, true, 0.0, 0).style,
            },
        )]),
        Try::Wipe(s) => Intent::Do(vec![step(s, Op::Wipe)]),
        Try::More(s, id) => Intent::More(vec![step(s, Op::Remove(MarkId(id)))]),
        Try::Undo => Intent::Undo,
        Try::Redo => Intent::Redo,
    }
}

/// A large gesture goes out in parts that fit into a message each, in order and without loss, and is
/// taken back as one; what is too much altogether is refused before anything is shown.
#[test]
fn a_large_gesture_is_divided_and_taken_back_as_one() {
    let points: Vec<InkPoint> = (0..900)
        .map(|i| {
            InkPoint::new(
                Point::new(f64::from(i), 60.0 * (f64::from(i) / 7.0).sin()),
                3.0,
            )
        })
        .collect();
    let long = Body::Stroke(fit(&points).unwrap());
    let add = |id: u64| {
        let mut mark = mark(id * 4 + 1, 1, false, 0.0, id as i64);
        mark.body = long.clone();
        Step {
            sheet: SheetId::Glass,
            op: Op::Add(mark),
        }
    };
    let steps: Vec<Step> = (0..500).map(add).collect();
    let parts = divided(Intent::Do(steps.clone())).unwrap();
    assert!(parts.len() > 2);
    let mut lesson = Lesson::new(Keep::All);
    let mut again = Vec::new();
    for (i, part) in parts.into_iter().enumerate() {
        assert!(encode(&part).len() < MAX_MESSAGE / 2);
        order(&mut lesson, i as u64, 1, &part).unwrap();
        match part {
            Intent::Do(steps) if i == 0 => again.extend(steps),
            Intent::More(steps) if i > 0 => again.extend(steps),
            other => panic!("{other:?}"),
        }
    }
    assert_eq!(again, steps);
    assert_eq!(lesson.sheets.sheet(SheetId::Glass).marks().count(), 500);
    order(&mut lesson, 99, 1, &Intent::Undo).unwrap();
    assert!(lesson.sheets.sheet(SheetId::Glass).is_empty());
    let many = (0..20_000).map(|id| Step {
        sheet: SheetId::Glass,
        op: Op::Remove(MarkId(id)),
    });
    assert_eq!(divided(Intent::Do(many.collect())), Err(Refusal::TooLarge));
}

/// What the server does with an intent.
fn order(lesson: &mut Lesson, id: u64, author: u64, intent: &Intent) -> Result<Change, Refusal> {
    let author = AuthorId(author);
    let change = Change {
        id: ChangeId(id),
        author,
        at: 1000 + id,
        what: lesson.resolve(author, intent)?,
    };
    lesson.apply(&change)?;
    Ok(change)
}

/// Whether the change is something new, on sheets.
fn is_new(change: &Change) -> bool {
    matches!(change.what, What::Marks { deed: Deed::Do, .. })
}

/// The marks, but for when those that fade were made: brought back, these have their time anew.
fn lasting(sheets: &Sheets) -> Vec<(SheetId, Mark)> {
    let all = sheets.snapshot().sheets.into_iter();
    all.flat_map(|(sheet, marks)| {
        marks.into_iter().map(move |mark| {
            let mut mark = Mark::clone(&mark);
            if mark.fades.is_some() {
                mark.made_at = 0;
            }
            (sheet, mark)
        })
    })
    .collect()
}

fn by_name(sheets: &Sheets) -> BTreeMap<(SheetId, MarkId), Arc<Mark>> {
    let all = sheets.snapshot().sheets.into_iter();
    let named = |(sheet, marks): (SheetId, Vec<Arc<Mark>>)| {
        marks.into_iter().map(move |mark| ((sheet, mark.id), mark))
    };
    all.flat_map(named).collect()
}

proptest! {
    /// A refused change leaves everything as it was; an applied one is taken back exactly by undo
    /// and brought back exactly by redo, whatever it was.
    #[test]
    fn undo_takes_back_exactly_and_redo_brings_back(tries in tries()) {
        let mut lesson = Lesson::new(Keep::All);
        for (i, (author, t)) in tries.iter().enumerate() {
            let before = lesson.clone();
            let id = i as u64 * 10;
            match order(&mut lesson, id, *author, &intent(*author, t)) {
                Err(_) => prop_assert_eq!(&lesson, &before),
                Ok(change) if is_new(&change) && lesson != before => {
                    let after = lesson.clone();
                    order(&mut lesson, id + 1, *author, &Intent::Undo).unwrap();
                    prop_assert_eq!(lasting(&lesson.sheets), lasting(&before.sheets));
                    order(&mut lesson, id + 2, *author, &Intent::Redo).unwrap();
                    prop_assert_eq!(lasting(&lesson.sheets), lasting(&after.sheets));
                }
                Ok(_) => {}
            }
        }
    }

    /// A gesture that comes in several changes, as a sweep of the eraser does that breaks up what it
    /// has broken up before, is taken back as one, and leaves nothing of what was there only meanwhile.
    #[test]
    fn a_gesture_is_taken_back_as_one(
        marks in 1..6u64, sweep in prop::collection::vec((0..50usize, any::<bool>()), 1..12),
    ) {
        let mut lesson = Lesson::new(Keep::All);
        let step = |op| Step { sheet: SheetId::Glass, op };
        for id in 1..=marks {
            let one = Intent::Do(vec![step(Op::Add(mark(id * 4 + 1, 1, id % 2 == 0, id as f64, id as i64)))]);
            order(&mut lesson, id, 1, &one).unwrap();
        }
        let before = lesson.clone();
        let mut next = 101;
        for (i, (which, whole)) in sweep.iter().enumerate() {
            let there: Vec<MarkId> = lesson.sheets.sheet(SheetId::Glass).marks().map(|m| m.id).collect();
            let Some(id) = there.get(which % there.len().max(1)) else { break };
            let mut steps = vec![step(Op::Remove(*id))];
            if !whole {
                for piece in [next, next + 4] {
                    steps.push(step(Op::Add(mark(piece, 1, piece % 8 == 1, piece as f64, 0))));
                }
                next += 8;
            }
            let intent = if i == 0 { Intent::Do(steps) } else { Intent::More(steps) };
            order(&mut lesson, 50 + i as u64, 1, &intent).unwrap();
        }
        let after = lesson.clone();
        for round in 0..2 {
            order(&mut lesson, 900 + round, 1, &Intent::Undo).unwrap();
            prop_assert_eq!(&lesson, &before);
            order(&mut lesson, 902 + round, 1, &Intent::Redo).unwrap();
            prop_assert_eq!(&lesson, &after);
        }
    }

    /// What is near is found as if every mark had been looked at, whatever was done to them.
    #[test]
    fn what_is_near_is_found(
        tries in tries(), x in -50.0..100.0f64, y in -50.0..100.0f64, w in 0.0..60.0f64, h in 0.0..60.0f64,
    ) {
        let mut lesson = beginning();
        for (i, (author, t)) in tries.iter().enumerate() {
            let _ = order(&mut lesson, i as u64, *author, &intent(*author, t));
        }
        let again = Sheets::from_snapshot(lesson.sheets.snapshot());
        let area = Rect::from_corners(Point::new(x, y), Point::new(x + w, y + h));
        for (id, sheets) in lesson.sheets.ids().flat_map(|id| [(id, &lesson.sheets), (id, &again)]) {
            let sheet = sheets.sheet(id);
            let near = |m: &&Arc<Mark>| sheet.bounds(m.id).intersects(&area);
            let mut found: Vec<MarkId> = sheet.near(&area).map(|m| m.id).collect();
            found.sort();
            let mut all: Vec<MarkId> = sheet.marks().filter(near).map(|m| m.id).collect();
            all.sort();
            prop_assert_eq!(found, all);
            for layer in Layer::ALL {
                let found = sheet.layer_near(layer, &area);
                prop_assert_eq!(found, sheet.layer(layer).filter(near).collect::<Vec<_>>());
            }
            prop_assert_eq!(sheet.top(), sheet.marks().map(|m| m.z).max().unwrap_or(0) + 1);
            prop_assert_eq!(sheet.bottom(), sheet.marks().map(|m| m.z).min().unwrap_or(0));
        }
    }

    /// Undo is per author: it never touches what somebody else did since, except where both worked
    /// on the same mark.
    #[test]
    fn undo_leaves_other_people_s_marks(theirs in prop::collection::vec(20..40u64, 0..10)) {
        let mut lesson = Lesson::new(Keep::All);
        let add = |id, author| Intent::Do(vec![Step { sheet: SheetId::Glass, op: Op::Add(mark(id, author, false, 0.0, 0)) }]);
        order(&mut lesson, 1, 1, &add(1, 1)).unwrap();
        for id in &theirs {
            let _ = order(&mut lesson, 100 + id, 2, &add(*id, 2));
        }
        order(&mut lesson, 2, 1, &Intent::Undo).unwrap();
        let left: std::collections::BTreeSet<u64> = lesson.sheets.sheet(SheetId::Glass).marks().map(|m| m.id.0).collect();
        prop_assert_eq!(left, theirs.into_iter().collect());
    }

    /// The log is the truth: replayed whole, or from a snapshot on, it gives the same sheets, the same
    /// histories and the same stage; and packing loses nothing. What is told to differ makes the later
    /// sheets of the earlier ones, and each of it does differ.
    #[test]
    fn the_log_gives_the_same_lesson_again(tries in tries(), cut in 0..60usize) {
        let mut lesson = beginning();
        let mut log = Vec::new();
        let mut middle = (lesson.sheets.snapshot(), lesson.stage.clone());
        let mut rest = 0;
        for (i, (author, t)) in tries.iter().enumerate() {
            if let Ok(change) = order(&mut lesson, i as u64, *author, &intent(*author, t)) {
                log.push(decode::<Change>(&encode(&change)).unwrap());
            }
            if i == cut {
                middle = decode(&encode(&(lesson.sheets.snapshot(), &lesson.stage))).unwrap();
                rest = log.len();
            }
        }
        let mut whole = beginning();
        log.iter().for_each(|c| { whole.apply(c).unwrap(); });
        prop_assert_eq!(whole.sheets.snapshot(), lesson.sheets.snapshot());
        prop_assert_eq!(&whole.stage, &lesson.stage);
        let mut later = Lesson { sheets: Sheets::from_snapshot(middle.0), stage: middle.1 };
        let mut made = by_name(&later.sheets);
        for Touched { sheet, before, after } in later.sheets.difference(&lesson.sheets) {
            let id = before.as_ref().or(after.as_ref()).unwrap().id;
            prop_assert_ne!(&before, &after);
            prop_assert_eq!(made.remove(&(sheet, id)), before);
            made.extend(after.map(|mark| ((sheet, id), mark)));
        }
        prop_assert_eq!(made, by_name(&lesson.sheets));
        log[rest..].iter().for_each(|c| { later.apply(c).unwrap(); });
        prop_assert_eq!(later.sheets.snapshot(), lesson.sheets.snapshot());
        prop_assert_eq!(&later.stage, &lesson.stage);
    }

    /// However late answers come, and in whatever way people's changes cross, in the end every
    /// replica shows what the server has, and nothing is pending.
    #[test]
    fn replicas_agree_with_the_server_in_the_end(
        tries in tries(), delays in prop::collection::vec(0..4usize, 60),
    ) {
        let mut server = beginning();
        let replica = |a| {
            let mut replica = Replica::new(AuthorId(a));
            replica.load(AuthorId(a), [], server.stage.clone(), (0, 0));
            replica
        };
        let mut replicas: Vec<Replica> = (0..AUTHORS).map(replica).collect();
        // What each has sent and the server not yet seen; what the server said and each not yet heard.
        let mut sent: Vec<std::collections::VecDeque<(u64, Intent)>> = vec![Default::default(); AUTHORS as usize];
        let mut said: Vec<std::collections::VecDeque<Result<Change, ChangeId>>> = vec![Default::default(); AUTHORS as usize];
        let serve = |server: &mut Lesson, author: u64, sent: &mut Vec<std::collections::VecDeque<(u64, Intent)>>, said: &mut Vec<std::collections::VecDeque<Result<Change, ChangeId>>>| {
            if let Some((id, intent)) = sent[author as usize].pop_front() {
                match order(server, id, author, &intent) {
                    Ok(change) => said.iter_mut().for_each(|s| s.push_back(Ok(change.clone()))),
                    Err(_) => said[author as usize].push_back(Err(ChangeId(id))),
                }
            }
        };
        let listen = |replica: &mut Replica, said: &mut std::collections::VecDeque<Result<Change, ChangeId>>| {
            match said.pop_front() {
                Some(Ok(change)) => { replica.hear(&change); }
                Some(Err(id)) => { replica.refused(id); }
                None => {}
            }
        };
        for (i, (author, t)) in tries.iter().enumerate() {
            let a = *author as usize;
            let wanted = intent(*author, t);
            if replicas[a].act(ChangeId(i as u64), wanted.clone()).is_ok() {
                sent[a].push_back((i as u64, wanted));
            }
            for k in 0..delays[i % delays.len()] {
                let who = (i + k) % AUTHORS as usize;
                serve(&mut server, who as u64, &mut sent, &mut said);
                listen(&mut replicas[who], &mut said[who]);
            }
        }
        for a in 0..AUTHORS {
            while !sent[a as usize].is_empty() {
                serve(&mut server, a, &mut sent, &mut said);
            }
        }
        for (replica, said) in replicas.iter_mut().zip(&mut said) {
            while !said.is_empty() {
                listen(replica, said);
            }
            prop_assert_eq!(replica.sheets(), &server.sheets);
            prop_assert_eq!(replica.stage(), &server.stage);
            prop_assert_eq!(replica.pending().count(), 0);
        }
    }

    /// A view and its inverse cancel, and carry rectangles to where their corners go.
    #[test]
    fn a_view_and_its_inverse_cancel(w in 1.0..20000.0f64, h in 1.0..20000.0f64, x in -1e4..1e4f64, y in -1e4..1e4f64) {
        let area = Size::glass(16.0, 9.0);
        let view = Zoom::WHOLE.map(Size::<Ink>::new(w, h), area);
        let there = view.apply(Point::new(x, y));
        let back = view.inverse().unwrap().apply(there);
        prop_assert!(back.distance(Point::new(x, y)) < 1e-6);
        let corner = view.apply(Point::new(w, h));
        prop_assert!(corner.x <= area.width + 1e-9 && corner.y <= area.height + 1e-9);
        prop_assert!((corner.x - area.width).abs() < 1e-6 || view.apply(Point::new(0.0, 0.0)).x > 0.0);
    }
}

/// A gesture that goes on is undone as one.
#[test]
fn one_sweep_of_the_eraser_is_one_undo() {
    let mut lesson = Lesson::new(Keep::All);
    let step = |op| {
        vec![Step {
            sheet: SheetId::Glass,
            op,
        }]
    };
    for id in 1..=3 {
        let add = Intent::Do(step(Op::Add(mark(id, 1, false, 0.0, 0))));
        order(&mut lesson, id, 1, &add).unwrap();
    }
    let full = lesson.clone();
    order(&mut lesson, 10, 1, &Intent::Do(step(Op::Remove(MarkId(1))))).unwrap();
    order(
        &mut lesson,
        11,
        1,
        &Intent::More(step(Op::Remove(MarkId(2)))),
    )
    .unwrap();
    order(&mut lesson, 12, 1, &Intent::Undo).unwrap();
    assert_eq!(lesson, full);
}

/// What can be undone is bounded, whoever comes and however much they do: a lesson's snapshot does
/// not grow for ever. What was done last can be undone all the same.
#[test]
fn histories_do_not_grow_for_ever() {
    let mut lesson = Lesson::new(Keep::All);
    let mut id = 0;
    let mut draws = |lesson: &mut Lesson, author, many: u64| {
        let sheet = SheetId::Glass;
        let steps = (0..many).map(|_| {
            id += 1;
            let op = Op::Add(mark(id, author, false, 0.0, 0));
            Step { sheet, op }
        });
        let steps = steps.collect();
        order(lesson, 1_000_000 + id, author, &Intent::Do(steps)).unwrap();
    };
    for author in 1..=200 {
        draws(&mut lesson, author, 1);
    }
    let full = lesson.clone();
    let undo = |lesson: &mut Lesson, author| order(lesson, 5, author, &Intent::Undo);
    assert_eq!(undo(&mut lesson, 1), Err(Refusal::NothingToUndo));
    assert!(undo(&mut lesson, 150).is_ok() && undo(&mut lesson, 200).is_ok());
    assert_eq!(
        full.sheets.sheet(SheetId::Glass).len(),
        200,
        "a copy stays as it was"
    );

    // Each wipe keeps in the history all that it wiped.
    let mut lesson = Lesson::new(Keep::All);
    for _ in 0..30 {
        draws(&mut lesson, 1, 6000);
        let sheet = SheetId::Glass;
        let wipe = vec![Step {
            sheet,
            op: Op::Wipe,
        }];
        order(&mut lesson, 6, 1, &Intent::Do(wipe)).unwrap();
    }
    let kept: usize = lesson
        .sheets
        .histories()
        .undo(AuthorId(1))
        .iter()
        .map(|e| e.len())
        .sum();
    assert!(kept <= 60_000, "{kept}");
    undo(&mut lesson, 1).unwrap();
    assert_eq!(lesson.sheets.sheet(SheetId::Glass).len(), 6000);
}

/// Numbers that no hand can have drawn.
#[test]
fn impossible_marks_are_refused() {
    let fault = |change: &dyn Fn(&mut Mark)| {
        let mut m = mark(1, 1, false, 5.0, 0);
        change(&mut m);
        m.check().unwrap_err()
    };
    let curve = |n, x, w| {
        move |m: &mut Mark| {
            let point = InkPoint { x, y: 0, w };
            m.body = Body::Stroke(Curve::through(&vec![point; n]).unwrap());
        }
    };
    assert_eq!(fault(&curve(1_000_000, 0, 64)), MarkFault::TooManyPoints);
    assert_eq!(fault(&curve(1, i32::MIN, 64)), MarkFault::OutOfBounds);
    assert_eq!(fault(&curve(1, 0, -1)), MarkFault::Width);
    let fading = |stay| move |m: &mut Mark| m.fades = Some(Fading { stay, drawn_for: 0 });
    assert_eq!(fault(&fading(21)), MarkFault::Fading);
    assert_eq!(fault(&|m| m.style.width = f32::NAN), MarkFault::NotFinite);
    assert_eq!(
        fault(&|m| m.transform = Map::scale_then_move(f64::NAN, 0.0, 0.0)),
        MarkFault::NotFinite
    );
    assert_eq!(
        fault(&|m| m.transform = Map::scale_then_move(1.0, 1e9, 0.0)),
        MarkFault::OutOfBounds
    );
    assert_eq!(
        fault(&|m| m.transform = Map::scale_then_move(0.0, 0.0, 0.0)),
        MarkFault::OutOfBounds
    );
}

/// A browser with another version is told so, whatever else its hello contains.
#[test]
fn another_version_is_told_from_nonsense() {
    let hello = Hello {
        author: Some(AuthorId(7)),
        resume: None,
    };
    let mut bytes = hello.encode();
    assert_eq!(Hello::decode(&bytes), Ok(hello));
    bytes[2] ^= 1;
    bytes.truncate(5);
    assert_eq!(Hello::decode(&bytes), Err(Goodbye::OtherVersion));
    assert_eq!(Hello::decode(b"GET / HTTP/1.1"), Err(Goodbye::Unreadable));
    assert_eq!(Hello::decode(b""), Err(Goodbye::Unreadable));
}
