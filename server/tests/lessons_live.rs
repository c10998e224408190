//! Open lessons: order, durability, rights, and what bad messages do.

use std::collections::BTreeSet;

use crate::common::{Browser, Server, add, line, pause, show, stroke};
use bozzetto_core::geometry::frames::Map;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId};
use bozzetto_core::ink::curve::Curve;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Layer, MarkFault};
use bozzetto_core::paint::wet::WetInk;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::wire::{FromServer, Hello, MAX_MESSAGE, Start, State, ToServer, encode};

/// What was acknowledged is there after the server has gone and come again; a change that arrives
/// twice is made once; undo reaches back over the restart.
#[tokio::test]
async fn what_was_acknowledged_is_there_again() {
    let data = tempfile::tempdir().unwrap();
    let (lesson, author) = {
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        let backdrop = server.first_backdrop(lesson).await;
        let (mut presenter, welcome) = server.presenter(lesson).await;
        for id in 1..=5 {
            presenter.act(id, add(backdrop, stroke(id))).await;
        }
        assert!(presenter.told(5).await);
        presenter.act(3, add(backdrop, stroke(3))).await;
        let known = presenter.until(|m| match m {
            FromServer::Known { id } => Some(id),
            _ => None,
        });
        assert_eq!(known.await, ChangeId(3));
        (lesson, welcome.author)
    };
    let server = Server::start(data.path()).await;
    let backdrop = server.first_backdrop(lesson).await;
    let hello = Hello {
        author: Some(author),
        resume: None,
    };
    let path = format!("/lessons/{lesson}/live");
    let (mut again, welcome) = Browser::open(server.address, &path, None, Some(hello)).await;
    let Start::Lesson { sheets, .. } = welcome.start else {
        panic!("a new epoch starts from everything");
    };
    let marks: BTreeSet<u64> = sheets
        .iter()
        .flat_map(|(_, m)| m.iter().map(|m| m.id.0))
        .collect();
    assert_eq!(marks, (1..=5).collect());
    assert_eq!(welcome.history.0, 5);
    again.act(50, Intent::Undo).await;
    assert!(again.told(50).await);
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(look.sheets.sheet(SheetId::Backdrop(backdrop)).len(), 4);
}

/// While somebody else holds the database, drawing goes on, and says that nothing is being kept;
/// when it is free again, everything is written and acknowledged.
#[tokio::test]
async fn a_disk_that_takes_nothing_loses_nothing() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let cookie = server.join(lesson, "Ines").await;
    let (mut participant, _) = server.participant(lesson, &cookie).await;

    let other = rusqlite::Connection::open(data.path().join("bozzetto.db")).unwrap();
    other.execute_batch("BEGIN IMMEDIATE").unwrap();
    presenter.act(1, add(backdrop, stroke(1))).await;
    let keeping = |m| match m {
        FromServer::Keeping(keeping) => Some(keeping),
        _ => None,
    };
    assert!(!presenter.until(keeping).await);
    assert!(
        !presenter.told(1).await,
        "it must not count as acknowledged"
    );
    assert!(
        !participant.told(1).await,
        "the lesson goes on all the same"
    );
    presenter.act(2, add(backdrop, stroke(2))).await;

    other.execute_batch("COMMIT").unwrap();
    let mut known = BTreeSet::new();
    let mut kept = false;
    while known.len() < 2 || !kept {
        match presenter.next().await {
            FromServer::Known { id } => {
                known.insert(id.0);
            }
            FromServer::Change {
                change, kept: true, ..
            } => {
                known.insert(change.id.0);
            }
            FromServer::Keeping(k) => kept = k,
            _ => {}
        }
    }
    let written: i64 = other
        .query_row("SELECT count(*) FROM change WHERE marks", [], |r| r.get(0))
        .unwrap();
    assert_eq!(written, 2);
}

/// Participants see what is on stage and nothing of what comes later; they cannot mark, and nothing
/// new reaches them while the lesson is paused.
#[tokio::test]
async fn participants_see_the_stage_and_no_more() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let first = server.first_backdrop(lesson).await;
    let second = server
        .app
        .store
        .write(move |c| {
            bozzetto::backdrops::add_board(
                c,
                lesson,
                bozzetto_core::stage::board::Board::default(),
                false,
            )
        })
        .await
        .unwrap();
    let second = bozzetto_core::geometry::ids::BackdropId(second as u64);
    server.changed(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.act(1, add(first, stroke(1))).await;
    presenter.act(2, add(second, stroke(2))).await;
    assert!(presenter.told(2).await);

    let cookie = server.join(lesson, "Tomasz").await;
    let (mut participant, welcome) = server.participant(lesson, &cookie).await;
    let Start::Sheets(sheets) = welcome.start else {
        panic!("participants start from sheets")
    };
    let seen: Vec<u64> = sheets
        .iter()
        .flat_map(|(_, m)| m.iter().map(|m| m.id.0))
        .collect();
    assert_eq!(
        seen,
        [1],
        "the marks of the next backdrop are not for them yet"
    );
    let State::Participant { backdrops, .. } = welcome.state else {
        panic!("a participant's welcome")
    };
    assert_eq!(backdrops.current.unwrap().id, first);

    participant.act(70, add(first, stroke(70))).await;
    let refused = participant.until(|m| match m {
        FromServer::Refused { id, why } => Some((id, why)),
        _ => None,
    });
    assert_eq!(refused.await, (ChangeId(70), Refusal::NotAllowed));
    participant.send(&show(second, None)).await;
    participant.send(&pause(true)).await;
    for _ in 0..2 {
        let answer = participant.next().await;
        let why = Refusal::NotAllowed;
        assert!(matches!(answer, FromServer::Refused { why: said, .. } if said == why));
    }

    presenter.send(&pause(true)).await;
    assert_eq!(participant.next().await, FromServer::Paused(true));
    presenter.act(3, add(first, stroke(3))).await;
    assert!(presenter.told(3).await);
    presenter.send(&show(second, None)).await;
    // Who comes late sees what the others see: the stage as it was when it was paused.
    let (_late, welcome) = server.participant(lesson, &cookie).await;
    let State::Participant {
        backdrops, paused, ..
    } = welcome.state
    else {
        panic!("a participant's welcome")
    };
    assert!(paused && backdrops.current.unwrap().id == first);
    presenter.send(&pause(false)).await;
    assert_eq!(participant.next().await, FromServer::Paused(false));
    let FromServer::OnStage(stage) = participant.next().await else {
        panic!("then everything as it is now")
    };
    assert_eq!(stage.backdrops.current.unwrap().id, second);
}

/// Whatever is sent, it is refused with its reason, and the connection and the lesson live on.
#[tokio::test]
async fn bad_messages_are_refused_and_nothing_else_happens() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let sorry = |m| match m {
        FromServer::Sorry(why) => Some(why),
        FromServer::Refused { why, .. } => Some(why),
        _ => None,
    };
    presenter.send_bytes(vec![0xff; 40]).await;
    assert_eq!(presenter.until(sorry).await, Refusal::Unreadable);
    presenter.send_bytes(vec![0; MAX_MESSAGE + 1]).await;
    assert_eq!(presenter.until(sorry).await, Refusal::TooLarge);
    // One that is too long is refused by its name: whoever sent it takes it off the screen.
    let act = ToServer::Act {
        id: ChangeId(77),
        intent: add(backdrop, stroke(1)),
    };
    let mut long = encode(&act);
    long.resize(MAX_MESSAGE + 1, 0);
    presenter.send_bytes(long).await;
    let named = presenter.until(|m| match m {
        FromServer::Refused { id, why } => Some((id, why)),
        _ => None,
    });
    assert_eq!(named.await, (ChangeId(77), Refusal::TooLarge));

    let mut far = stroke(1);
    far.transform = Map::scale_then_move(1.0, 1e12, 0.0);
    presenter.act(1, add(backdrop, far)).await;
    assert_eq!(
        presenter.until(sorry).await,
        Refusal::Mark(MarkFault::OutOfBounds)
    );
    let mut nan = stroke(1);
    nan.style.width = f32::NAN;
    presenter.act(2, add(backdrop, nan)).await;
    assert_eq!(
        presenter.until(sorry).await,
        Refusal::Mark(MarkFault::NotFinite)
    );
    let mut huge = stroke(1);
    let same = vec![InkPoint { x: 0, y: 0, w: 64 }; 100_000];
    huge.body = Body::Stroke(Curve::through(&same).unwrap());
    let message = encode(&ToServer::Act {
        id: ChangeId(3),
        intent: add(backdrop, huge),
    });
    assert!(message.len() < MAX_MESSAGE);
    presenter.send_bytes(message).await;
    assert_eq!(presenter.until(sorry).await, Refusal::Unreadable);
    presenter
        .act(
            4,
            add(bozzetto_core::geometry::ids::BackdropId(999), stroke(1)),
        )
        .await;
    assert_eq!(presenter.until(sorry).await, Refusal::NoSuchSheet);
    presenter.act(5, Intent::Undo).await;
    assert_eq!(presenter.until(sorry).await, Refusal::NothingToUndo);

    presenter.act(6, add(backdrop, stroke(1))).await;
    assert!(presenter.told(6).await);
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(
        look.sheets
            .sheet(SheetId::Backdrop(backdrop))
            .layer(Layer::Ink)
            .count(),
        1
    );
}

/// Ink on its way is seen by everybody at once, is never stored, and goes when its author goes;
/// who comes late in the middle of a stroke sees all of it.
#[tokio::test]
async fn wet_ink_is_shared_and_never_stored() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let (mut second, _) = server.presenter(lesson).await;
    let points = line();
    let ink = |from: usize, to: usize| WetInk {
        mark: MarkId(9),
        sheet: SheetId::Backdrop(backdrop),
        style: stroke(9).style,
        transform: Map::coincident(),
        fades: false,
        from: from as u32,
        points: Points(points.0[from..to].to_vec()),
    };
    presenter.send(&ToServer::Wet(ink(0, 8))).await;
    presenter.send(&ToServer::Wet(ink(8, 12))).await;
    let wet = |m| match m {
        FromServer::Wet { ink, .. } => Some(ink.points.0.len()),
        _ => None,
    };
    assert_eq!(second.until(wet).await, 8);
    assert_eq!(second.until(wet).await, 4);
    let cookie = server.join(lesson, "Noor").await;
    let (mut late, welcome) = server.participant(lesson, &cookie).await;
    let (_, so_far) = &welcome.wet[0];
    assert_eq!(so_far.points.0, points.0[..12]);
    drop(presenter);
    let ended = |m| matches!(m, FromServer::WetEnd { mark: MarkId(9) }).then_some(());
    late.until(ended).await;
    let stored: i64 = server
        .app
        .store
        .read(|c| Ok(c.query_row("SELECT count(*) FROM change WHERE marks", [], |r| r.get(0))?))
        .await
        .unwrap();
    assert_eq!(stored, 0);
}

/// Who lost the line and comes back gets what was missed, not everything again.
#[tokio::test]
async fn coming_back_brings_what_was_missed() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, welcome) = server.presenter(lesson).await;
    for id in 1..=3 {
        presenter.act(id, add(backdrop, stroke(id))).await;
    }
    assert!(presenter.told(3).await);
    let hello = Hello {
        author: Some(AuthorId(77)),
        resume: Some((welcome.epoch, welcome.seq + 1)),
    };
    let path = format!("/lessons/{lesson}/live");
    let (_, back) = Browser::open(server.address, &path, None, Some(hello)).await;
    let Start::Missed { changes, .. } = back.start else {
        panic!("what was missed is at hand")
    };
    assert_eq!(
        changes.iter().map(|(_, c)| c.id.0).collect::<Vec<_>>(),
        [2, 3]
    );
}

/// Opening a long lesson starts from a snapshot, and gives the same sheets and histories.
#[tokio::test]
async fn a_long_lesson_opens_from_a_snapshot() {
    let data = tempfile::tempdir().unwrap();
    let (lesson, before) = {
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        let backdrop = server.first_backdrop(lesson).await;
        let (mut presenter, _) = server.presenter(lesson).await;
        for id in 1..=450 {
            let intent = match id % 9 {
                0 => Intent::Undo,
                _ => add(backdrop, stroke(id)),
            };
            presenter.act(id, intent).await;
        }
        presenter.told(450).await;
        (lesson, server.app.live.look(lesson).await.unwrap())
    };
    let conn = rusqlite::Connection::open(data.path().join("bozzetto.db")).unwrap();
    let from = || conn.query_row("SELECT seq FROM snapshot", [], |r| r.get::<_, i64>(0));
    // The snapshot is written aside; it is there before the next line is read from it.
    while from().is_err() {
        tokio::task::yield_now().await;
    }
    assert!(from().unwrap() >= 400);
    let server = Server::start(data.path()).await;
    let after = server.app.live.look(lesson).await.unwrap();
    assert_eq!(after.sheets, before.sheets);
    assert_eq!(
        after.sheets.snapshot().histories,
        before.sheets.snapshot().histories
    );
}

/// A follower that does not read holds nobody up; when it reads again it is brought up to what is.
#[tokio::test]
async fn nobody_waits_for_a_slow_follower() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let cookie = server.join(lesson, "Slow").await;
    let (mut slow, _) = server.participant(lesson, &cookie).await;
    // More than the sockets' buffers and the lesson's backlog hold.
    const ALL: u64 = 700;
    let mut long = stroke(0);
    let point = |i: i32| InkPoint {
        x: i * 977 % 90_000,
        y: i * 733 % 60_000,
        w: 300,
    };
    let points: Vec<InkPoint> = (0..1500).map(point).collect();
    long.body = Body::Stroke(Curve::through(&points).unwrap());
    let mut seen = BTreeSet::new();
    for id in 1..=ALL {
        let mut mark = long.clone();
        mark.id = MarkId(id);
        presenter.act(id, add(backdrop, mark)).await;
        if id.is_multiple_of(50) {
            assert!(presenter.told(id).await);
            // Slow, but not deaf: whoever takes nothing at all is dropped after a while.
            for _ in 0..8 {
                take(&mut slow, &mut seen).await;
            }
        }
    }
    // Each time that it goes on, all that is on stage is told.
    for paused in [true, false, true, false] {
        presenter.send(&pause(paused)).await;
    }
    let mut brought_up = false;
    while !brought_up || seen.len() < ALL as usize {
        brought_up |= take(&mut slow, &mut seen).await;
    }
}

/// Takes one message, and notes which marks are known by it; `true` when it brings up to date.
async fn take(follower: &mut Browser, seen: &mut BTreeSet<u64>) -> bool {
    match follower.next().await {
        FromServer::Change { change, .. } => {
            seen.insert(change.id.0);
            false
        }
        FromServer::Welcome(welcome) => {
            let Start::Sheets(sheets) = welcome.start else {
                panic!("from sheets")
            };
            seen.extend(sheets.iter().flat_map(|(_, m)| m.iter().map(|m| m.id.0)));
            true
        }
        _ => false,
    }
}
