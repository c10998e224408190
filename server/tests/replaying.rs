//! A lesson's log is the truth: played from nothing, it gives what was on stage at every step.

use crate::common::{Browser, Server, add, pause, quarters, see, show, stage, stroke};
use axum::http::{Request, header};
use bozzetto::live::lesson::Look;
use bozzetto::live::log;
use bozzetto_core::geometry::ids::{BackdropId, ChangeId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, Hello, Start, ToServer};

const NOTICES: &[u8] = include_bytes!("../../demo/Notices to mariners.pdf");

fn page(page: u32) -> ViewState {
    ViewState {
        page,
        ..ViewState::default()
    }
}

/// What a look shows of a lesson, as far as the log tells of it.
fn shown(look: &Look) -> String {
    format!("{:?} {:?} {:?}", look.name, look.order, look.stage)
}

fn replayed(lesson: &Lesson) -> String {
    let stage = &lesson.stage;
    format!("{:?} {:?} {:?}", stage.name, stage.order, stage.on_stage())
}

/// Arranged, divided, turned, enlarged, a page begun, paused, renamed, brought, removed and restored;
/// marked in between; closed, and opened again.
#[tokio::test(flavor = "multi_thread")]
async fn a_log_gives_what_was_on_stage_at_every_step() {
    let data = tempfile::tempdir().unwrap();
    let mut seen: Vec<(u64, String)> = Vec::new();
    let lesson = {
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        let board = server.first_backdrop(lesson).await;
        let look = async || shown(&server.app.live.look(lesson).await.unwrap());
        let (mut presenter, _) = server.presenter(lesson).await;
        let post = async |path: String, body: &str| {
            let form = (header::CONTENT_TYPE, "application/x-www-form-urlencoded");
            let request = Request::post(path).header(form.0, form.1);
            assert!(
                server
                    .ask(request, body.to_owned())
                    .await
                    .status()
                    .is_success()
            );
        };
        let brought = server.bring(lesson, "notices.pdf", NOTICES).await;
        seen.push((presenter.stage_change().await.0, String::new()));
        let document = BackdropId(brought as u64);
        let pages = StageStep::Pages {
            backdrop: board,
            pages: 2,
        };
        for asked in [
            show(document, Some(board)),
            stage(StageStep::Divide(0.3)),
            see(document, page(2)),
            stage(pages),
            see(board, page(1)),
            pause(true),
            show(board, None),
            pause(false),
        ] {
            presenter.send(&asked).await;
            seen.push((presenter.stage_change().await.0, look().await));
        }
        presenter.act(1, add(board, stroke(1))).await;
        assert!(presenter.told(1).await);
        // What goes along with a hand is remembered when it has come to rest, as the last of it.
        for by in [1.5, 2.0, 2.5] {
            let zoom = Zoom { by, x: 0.5, y: 0.4 };
            let moment = ViewState { zoom, ..page(1) };
            let seen = Box::new(moment);
            presenter
                .send(&ToServer::See {
                    backdrop: board,
                    seen,
                })
                .await;
        }
        seen.push((presenter.stage_change().await.0, look().await));
        assert!(seen.last().unwrap().1.contains("by: 2.5"));
        post(format!("/lessons/{lesson}/rename"), "name=Evening+7").await;
        seen.push((presenter.stage_change().await.0, look().await));
        server.bring(lesson, "quarters.png", &quarters()).await;
        seen.push((presenter.stage_change().await.0, look().await));
        let one = format!("/lessons/{lesson}/backdrops/{}", document.0);
        for what in ["remove", "restore", "duplicate", "move/-1"] {
            post(format!("{one}/{what}"), "").await;
            seen.push((presenter.stage_change().await.0, look().await));
        }
        lesson
    };
    // Opened again, nothing is otherwise; and that it was opened is no change.
    let server = Server::start(data.path()).await;
    let look = shown(&server.app.live.look(lesson).await.unwrap());
    assert_eq!(look, seen.last().unwrap().1);
    let log = server.app.store.read(move |c| log::changes(c, lesson, 0));
    let log: Vec<(u64, Change)> = log.await.unwrap();
    assert_eq!(log.last().unwrap().0, seen.last().unwrap().0);
    let mut again = Lesson::new(Keep::All);
    let mut looks = seen.iter().filter(|(_, look)| !look.is_empty()).peekable();
    for (seq, change) in &log {
        again.apply(change).unwrap();
        if looks
            .next_if(|(at, _)| at == seq)
            .is_some_and(|(_, look)| *look != replayed(&again))
        {
            panic!("after change {seq}: {}", replayed(&again));
        }
    }
    assert_eq!(looks.next(), None);
}

/// Page turns that were asked for on a dead line are made when they come, once each, in their order;
/// what somebody has taken away meanwhile is refused by its name.
#[tokio::test]
async fn what_was_done_without_a_line_is_done_when_it_is_back() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let board = server.first_backdrop(lesson).await;
    let document = BackdropId(server.bring(lesson, "notices.pdf", NOTICES).await as u64);
    let (first, welcome) = server.presenter(lesson).await;
    drop(first);
    let hello = Hello {
        author: Some(welcome.author),
        resume: Some((welcome.epoch, welcome.seq)),
    };
    let path = format!("/lessons/{lesson}/live");
    let (mut back, again) = Browser::open(server.address, &path, None, Some(hello)).await;
    assert!(matches!(again.start, Start::Missed { .. }));
    let turn = |n| {
        let seen = Box::new(page(n));
        Intent::Stage(vec![StageStep::See {
            backdrop: document,
            seen,
        }])
    };
    back.act(7, turn(1)).await;
    back.act(8, turn(2)).await;
    assert!(back.told(8).await);
    for id in [7, 8] {
        back.act(id, turn(1)).await;
        let known = back.until(|m| match m {
            FromServer::Known { id } => Some(id),
            _ => None,
        });
        assert_eq!(known.await, ChangeId(id));
    }
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(look.stage.current.unwrap().seen.page, 2);
    let gone = Request::post(format!("/lessons/{lesson}/backdrops/{}/remove", document.0));
    assert!(server.ask(gone, "").await.status().is_success());
    server.app.live.look(lesson).await.unwrap();
    back.act(9, turn(3)).await;
    let refused = back.until(|m| match m {
        FromServer::Refused { id, why } => Some((id, why.to_string())),
        _ => None,
    });
    let (id, why) = refused.await;
    assert_eq!(id, ChangeId(9));
    assert!(why.contains("running order"), "{why}");
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(look.stage.current.unwrap().id, board);
}
