//! Every message, by everybody: a new message does not compile here until it is in the table.

use bozzetto_core::aids::pointing::Pointing;
use bozzetto_core::display::colour::BLACK;
use bozzetto_core::geometry::frames::{Map, Point, Rect};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId, PersonId};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::stamp::{Sign, Stamp};
use bozzetto_core::paint::wet::{WetInk, WetShape};
use bozzetto_core::people::reach::{Does, Reach};
use bozzetto_core::people::rights::{Role, may};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::laid::Lay;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::{ToServer, encode};

/// The backdrop that shows the screen of one of them.
const SCREEN: BackdropId = BackdropId(1);

/// Whether it may be sent by a participant, by one with a pen, by one with the hand, by one whose screen is on stage, and by whoever marks a worksheet. Presenters may send all.
fn who_may(message: &ToServer) -> [bool; 5] {
    let (nobody, drawers) = ([false; 5], [false, true, false, false, true]);
    match message {
        ToServer::WantKey(_) | ToServer::WantStills | ToServer::Raise(_) => {
            [true, true, true, true, false]
        }
        ToServer::Reach(_) => [false, false, true, false, false],
        ToServer::Chunk(Chunk { backdrop, .. }) | ToServer::Still(Still { backdrop, .. }) => {
            [false, false, false, *backdrop == SCREEN, false]
        }
        ToServer::WetEnd(_) => [true; 5],
        ToServer::Wet(_) | ToServer::WetShape(_) => drawers,
        ToServer::Act { intent, .. } => match intent {
            Intent::Stage(steps) => {
                let theirs = |step: &_| matches!(step, StageStep::Size { backdrop, .. } if *backdrop == SCREEN);
                let sizes = !steps.is_empty() && steps.iter().all(theirs);
                [false, false, false, sizes, false]
            }
            Intent::Do(_)
            | Intent::More(_)
            | Intent::Undo
            | Intent::Redo
            | Intent::UndoOn(_)
            | Intent::RedoOn(_) => drawers,
        },
        ToServer::See { .. }
        | ToServer::SendAway(_)
        | ToServer::Point(_)
        | ToServer::Lay(_)
        | ToServer::Lower(_)
        | ToServer::PassPen { .. }
        | ToServer::PassHand { .. } => nobody,
    }
}

fn one_of_each() -> Vec<ToServer> {
    let backdrop = SCREEN;
    let style = Style::new(Tip::Round, BLACK, 5.0);
    let stamp = Stamp::new(Sign::Tick, Point::new(9.0, 9.0), 5.0);
    let body = Body::Stamp(stamp);
    let mark = Mark::new(MarkId(1), AuthorId(0), style, body, Map::coincident(), 1);
    let shows = Rect::from_corners(Point::new(0.0, 0.0), Point::new(9.0, 9.0));
    vec![
        ToServer::Wet(WetInk {
            mark: MarkId(1),
            sheet: SheetId::Glass,
            style,
            transform: Map::coincident(),
            fades: false,
            from: 0,
            points: Default::default(),
        }),
        ToServer::WetEnd(MarkId(1)),
        act(Intent::Undo),
        act(Intent::Redo),
        act(Intent::UndoOn(SheetId::Glass)),
        act(Intent::RedoOn(SheetId::Glass)),
        act(Intent::Do(Vec::new())),
        act(Intent::More(Vec::new())),
        act(Intent::Stage(Vec::new())),
        act(Intent::Stage(vec![size(SCREEN)])),
        act(Intent::Stage(vec![size(BackdropId(2))])),
        ToServer::See {
            backdrop,
            seen: Box::default(),
        },
        ToServer::WetShape(Box::new(WetShape {
            sheet: SheetId::Glass,
            mark,
        })),
        ToServer::Chunk(Chunk {
            backdrop,
            run: 1,
            number: 1,
            key: None,
            taken: 1,
            shows,
            data: vec![],
        }),
        ToServer::Still(Still {
            backdrop,
            taken: 1,
            shows,
            data: vec![],
        }),
        ToServer::Still(Still {
            backdrop: BackdropId(2),
            taken: 1,
            shows,
            data: vec![],
        }),
        ToServer::WantKey(backdrop),
        ToServer::WantStills,
        ToServer::SendAway(PersonId(1)),
        ToServer::Lay(Box::new(Lay::NoClock(1))),
        ToServer::Point(Pointing::NoLaser),
        ToServer::Raise(true),
        ToServer::Lower(PersonId(1)),
        ToServer::PassPen {
            to: None,
            pen: true,
        },
        ToServer::PassHand { to: None },
        ToServer::Reach(Reach {
            backdrop,
            does: Does::Key("a".to_owned()),
        }),
    ]
}

fn size(backdrop: BackdropId) -> StageStep {
    StageStep::Size {
        backdrop,
        width: 9.0,
        height: 9.0,
    }
}

fn act(intent: Intent) -> ToServer {
    let id = ChangeId(1);
    ToServer::Act { id, intent }
}

#[test]
fn every_message_is_judged() {
    let all = one_of_each();
    let kinds: std::collections::HashSet<_> = all.iter().map(std::mem::discriminant).collect();
    assert_eq!(kinds.len(), 17, "one of each");
    let with = |pen, hand, screen: bool| Role::Participant {
        pen,
        hand,
        screen: screen.then_some(SCREEN),
    };
    let watching = with(false, false, false);
    let roles = [
        watching,
        with(true, false, false),
        with(false, true, false),
        with(false, false, true),
        Role::Author,
    ];
    for message in all {
        assert!(may(Role::Presenter, &message));
        let judged = roles.map(|role| may(role, &message));
        assert_eq!(judged, who_may(&message), "{message:?}");
        let fits = encode(&message).len() <= watching.longest_message() / 10;
        assert!(!judged[0] || fits, "{message:?}");
    }
}
