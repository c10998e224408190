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
use bozzetto_core::people::rights::{Role, may};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::laid::Lay;
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::{ToServer, encode};

/// Whether participants may send it.
fn participants_may(message: &ToServer) -> bool {
    match message {
        ToServer::WantKey(_) | ToServer::WantStills => true,
        ToServer::Wet(_)
        | ToServer::WetEnd(_)
        | ToServer::Act { .. }
        | ToServer::See { .. }
        | ToServer::WetShape(_)
        | ToServer::Chunk(_)
        | ToServer::Still(_)
        | ToServer::SendAway(_)
        | ToServer::Point(_)
        | ToServer::Lay(_) => false,
    }
}

fn one_of_each() -> Vec<ToServer> {
    let backdrop = BackdropId(1);
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
        ToServer::Act {
            id: ChangeId(1),
            intent: Intent::Undo,
        },
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
        ToServer::WantKey(backdrop),
        ToServer::WantStills,
        ToServer::SendAway(PersonId(1)),
        ToServer::Lay(Box::new(Lay::NoClock(1))),
        ToServer::Point(Pointing::NoLaser),
    ]
}

#[test]
fn every_message_is_judged() {
    let all = one_of_each();
    let kinds: std::collections::HashSet<_> = all.iter().map(std::mem::discriminant).collect();
    assert_eq!(kinds.len(), 12, "one of each");
    for message in all {
        assert!(may(Role::Presenter, &message));
        let theirs = participants_may(&message);
        assert_eq!(may(Role::Participant, &message), theirs, "{message:?}");
        assert!(!theirs || encode(&message).len() <= Role::Participant.longest_message() / 10);
    }
}
