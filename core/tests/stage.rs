//! What must hold of the stage, whatever is asked for and whatever becomes of the running order.

use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::{Board, MOST_PAGES};
use bozzetto_core::stage::pane::{Beside, DIVIDES};
use bozzetto_core::stage::state::{Becomes, StageState};
use bozzetto_core::stage::step::StageStep;
use proptest::prelude::*;

fn backdrop(id: u64, name: &str, kind: BackdropKind) -> BackdropView {
    BackdropView {
        id: BackdropId(id),
        name: name.to_owned(),
        width: 1920.0,
        height: 1080.0,
        kind,
        seen: ViewState::default(),
    }
}

/// A running order: each backdrop at most once, boards and shared screens.
fn order() -> impl Strategy<Value = Vec<BackdropView>> {
    let one = (1..8u64, "[a-c]", any::<bool>()).prop_map(|(id, name, board)| {
        let kind = match board {
            true => BackdropKind::Board(Board::default()),
            false => BackdropKind::Share,
        };
        backdrop(id, &name, kind)
    });
    prop::collection::vec(one, 0..7).prop_map(|mut all| {
        let mut seen = std::collections::BTreeSet::new();
        all.retain(|b| seen.insert(b.id));
        all
    })
}

fn state(order: Vec<BackdropView>, name: &str) -> StageState {
    StageState {
        name: name.to_owned(),
        aspect: (16.0, 9.0),
        current: order.first().map(|b| b.id),
        order,
        ..StageState::default()
    }
}

/// Any step, with any numbers.
fn step() -> impl Strategy<Value = StageStep> {
    let number = || {
        prop_oneof![
            4 => -9.0..9.0f64, 1 => Just(f64::NAN), 1 => Just(f64::INFINITY), 1 => Just(1e300),
        ]
    };
    let id = || (1..9u64).prop_map(BackdropId);
    let beside = (id(), number()).prop_map(|(backdrop, divider)| Beside { backdrop, divider });
    let seen = (any::<u32>(), number(), number(), number(), number()).prop_map(
        |(page, by, x, down, along)| {
            Box::new(ViewState {
                page,
                zoom: Zoom { by, x, y: x },
                scroll: (along, down),
                ..ViewState::default()
            })
        },
    );
    prop_oneof![
        (id(), prop::option::of(beside))
            .prop_map(|(current, beside)| StageStep::Arrange { current, beside }),
        number().prop_map(StageStep::Divide),
        (id(), seen).prop_map(|(backdrop, seen)| StageStep::See { backdrop, seen }),
        (id(), 0..=MOST_PAGES + 1)
            .prop_map(|(backdrop, pages)| StageStep::Pages { backdrop, pages }),
        (id(), number(), number()).prop_map(|(backdrop, width, height)| StageStep::Size {
            backdrop,
            width: width * 100.0,
            height: height * 100.0,
        }),
        id().prop_map(StageStep::Take),
        Just(StageStep::Name("Somebody else's".to_owned())),
    ]
}

proptest! {
    /// Whatever browsers ask for: what is on stage is in the running order, no backdrop is there twice,
    /// every number is one that can be drawn with, and the running order stays as it is.
    #[test]
    fn what_is_asked_for_leaves_a_stage_that_can_be_shown(
        order in order(), asked in prop::collection::vec(prop::collection::vec(step(), 1..3), 0..20),
    ) {
        let mut stage = state(order, "Evening 3");
        let names = |s: &StageState| -> Vec<_> { s.order.iter().map(|b| (b.id, b.name.clone())).collect() };
        let (before, called) = (names(&stage), stage.name.clone());
        for steps in asked {
            let Ok(settled) = stage.settled(&steps) else { continue };
            prop_assert_eq!(stage.settled(&settled), Ok(settled.clone()), "settled once is settled");
            settled.iter().for_each(|s| stage.apply(s));
            let there = |id| stage.backdrop(id).is_some();
            prop_assert!(stage.current.is_none_or(there));
            if let Some(beside) = stage.beside {
                prop_assert!(there(beside.backdrop) && Some(beside.backdrop) != stage.current);
                prop_assert!(DIVIDES.contains(&beside.divider));
            }
            for b in &stage.order {
                prop_assert!(b.seen.page < b.kind.pages());
                let numbers = [b.seen.zoom.by, b.seen.zoom.x, b.seen.scroll.0, b.seen.scroll.1, b.width];
                prop_assert!(numbers.iter().all(|n| n.is_finite()));
            }
        }
        prop_assert_eq!((names(&stage), stage.name), (before, called));
    }

    /// Whatever was done to the running order meanwhile, the stage follows it, keeps how each backdrop
    /// is seen, and shows something as long as there is something; what it has followed gives no step.
    #[test]
    fn the_stage_follows_the_running_order(
        before in order(), after in order(), pages in 2..9u32, on_stage in any::<prop::sample::Index>(),
    ) {
        let mut stage = state(before, "Evening 3");
        for b in &mut stage.order {
            b.seen.scroll.1 = 7.0;
            if let BackdropKind::Board(board) = &mut b.kind {
                board.pages = pages;
            }
        }
        if !stage.order.is_empty() {
            stage.current = Some(stage.order[on_stage.index(stage.order.len())].id);
        }
        let was = stage.clone();
        let tables = state(after, "Evening 4");
        for step in was.follow(&tables) {
            stage.apply(&step);
        }
        let short = |s: &StageState| -> Vec<_> { s.order.iter().map(|b| (b.id, b.name.clone())).collect() };
        prop_assert_eq!((short(&stage), &stage.name), (short(&tables), &tables.name));
        for b in &stage.order {
            let old = was.backdrop(b.id);
            prop_assert_eq!(b.seen.scroll.1, if old.is_some() { 7.0 } else { 0.0 });
            if let (BackdropKind::Board(board), Some(BackdropKind::Board(_))) = (&b.kind, old.map(|b| &b.kind)) {
                prop_assert_eq!(board.pages, pages);
            }
        }
        let stays = was.current.filter(|id| tables.backdrop(*id).is_some());
        prop_assert_eq!(stage.current, stays.or(tables.current));
        prop_assert_eq!(stage.follow(&tables), []);
    }
}

/// A lesson from before the stage was in its log takes over all that the tables say.
#[test]
fn a_lesson_without_a_stage_in_its_log_takes_all_over() {
    let board = |id| backdrop(id, "Board", BackdropKind::Board(Board::default()));
    let mut tables = state(vec![board(1), board(2), board(3)], "Evening 2");
    tables.order[2].seen.page = 0;
    tables.order[1].seen.zoom.by = 2.0;
    (tables.current, tables.paused) = (Some(BackdropId(2)), true);
    tables.beside = Some(Beside {
        backdrop: BackdropId(3),
        divider: 0.3,
    });
    let mut stage = StageState::default();
    for step in stage.follow(&tables) {
        stage.apply(&step);
    }
    assert_eq!(stage, tables);
}

/// A board ends somewhere, and says so; two who begin a page at once have begun the same one.
#[test]
fn a_board_goes_on_as_far_as_boards_go() {
    let mut stage = state(
        vec![backdrop(1, "Board", BackdropKind::Board(Board::default()))],
        "",
    );
    let pages = |pages| {
        let backdrop = BackdropId(1);
        [StageStep::Pages { backdrop, pages }]
    };
    for _ in 0..2 {
        let steps = stage.settled(&pages(2)).unwrap();
        steps.iter().for_each(|s| stage.apply(s));
        assert_eq!(stage.order[0].kind.pages(), 2);
    }
    let too_many = stage.settled(&pages(MOST_PAGES + 1));
    assert_eq!(too_many, Err(Refusal::NoMorePages));
    // Fewer than there are takes none away.
    let steps = stage.settled(&pages(1)).unwrap();
    steps.iter().for_each(|s| stage.apply(s));
    assert_eq!(stage.order[0].kind.pages(), 2);
}

/// Participants need a stage anew when other sheets are in view, and otherwise only the view.
#[test]
fn what_becomes_of_a_stage_is_told_as_little_as_it_can_be() {
    let board = |id| backdrop(id, "Board", BackdropKind::Board(Board::default()));
    let stage = state(vec![board(1), board(2)], "");
    let becomes = |change: &dyn Fn(&mut StageState)| {
        let mut after = stage.clone();
        change(&mut after);
        stage.on_stage().becomes(&after.on_stage())
    };
    assert_eq!(
        becomes(&|s| s.order[0].seen.zoom.by = 2.0),
        Becomes::SeenOtherwise
    );
    assert_eq!(becomes(&|s| s.order[0].seen.page = 1), Becomes::Other);
    assert_eq!(becomes(&|s| s.order[0].name.push('2')), Becomes::Other);
    assert_eq!(becomes(&|s| s.order[1].seen.page = 1), Becomes::Same);
    assert_eq!(
        becomes(&|s| s.current = Some(BackdropId(2))),
        Becomes::Other
    );
    assert_eq!(becomes(&|s| s.paused = true), Becomes::Same);
}
