//! What is put on stage: who may see which part of it, what is passed on, and what uploads may do.

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use bozzetto::backdrops::queries::{self, Whither};
use bozzetto_core::geometry::frames::{Point, Rect};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, Frozen, ViewState};

use crate::common::{Server, pause, see, show, stage, stroke, text};
use bozzetto_core::stage::playback::Playback;
use bozzetto_core::stage::state::StageState;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::stream::{Chunk, Codec, Still};
use bozzetto_core::wire::{FromServer, State, ToServer};

const NOTICES: &[u8] = include_bytes!("../../demo/Notices to mariners.pdf");
const TIDE: &[u8] = include_bytes!("../../demo/Tide and lights.html");

async fn add(server: &Server, lesson: i64, file: &str, bytes: &[u8]) -> BackdropId {
    let whither = Whither::Lesson(lesson);
    let added = bozzetto::backdrops::add(&server.app, whither, file, bytes, None, None).await;
    server.changed(lesson).await;
    BackdropId(added.unwrap().unwrap() as u64)
}

/// Participants get the page that is on stage with its own marks, and not the next one.
#[tokio::test]
async fn each_page_has_its_marks_and_is_seen_only_on_stage() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let document = add(&server, lesson, "notices.pdf", NOTICES).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&show(document, None)).await;
    let page = |n| SheetId::of_page(document, n);
    let mark = |id: u64, page| {
        let op = Op::Add(stroke(id));
        Intent::Do(vec![Step { sheet: page, op }])
    };
    presenter.act(1, mark(1, page(0))).await;
    presenter.act(2, mark(2, page(2))).await;
    assert!(presenter.told(2).await);

    let cookie = server.join(lesson, "Ines").await;
    let (mut participant, _) = server.participant(lesson, &cookie).await;
    let fetch = async |page: u32| {
        let path = format!(
            "/follow/{lesson}/backdrops/{}/pages/{page}?width=512",
            document.0
        );
        let request = Request::get(path).header(header::COOKIE, &cookie);
        server.ask(request, Body::empty()).await.status()
    };
    assert_eq!(fetch(0).await, StatusCode::OK);
    assert_eq!(fetch(2).await, StatusCode::NOT_FOUND);
    let page_seen = |page| ViewState {
        page,
        ..ViewState::default()
    };
    presenter.send(&see(document, page_seen(2))).await;
    let stage = participant.stage().await;
    let marks: Vec<u64> = stage
        .sheets
        .iter()
        .flat_map(|(_, m)| m.iter().map(|m| m.id.0))
        .collect();
    assert_eq!(marks, [2]);
    assert_eq!(stage.backdrops.current.unwrap().seen.page, 2);
    assert_eq!(fetch(0).await, StatusCode::NOT_FOUND);
    assert_eq!(fetch(2).await, StatusCode::OK);
    // A page that there is not is the last one that there is.
    presenter.send(&see(document, page_seen(99))).await;
    let stage = participant.stage().await;
    assert_eq!(stage.backdrops.current.unwrap().seen.page, 3);
}

/// How a backdrop was left is how it comes back, also when the server is started again: page, scroll,
/// what it is held at, and what lies beside it.
#[tokio::test]
async fn what_was_left_comes_back() {
    let data = tempfile::tempdir().unwrap();
    let left = ViewState {
        scroll: (0.0, 640.0),
        frozen: Some(Frozen {
            picture: 77,
            shows: Rect::from_corners(Point::new(0.0, 640.0), Point::new(1280.0, 1360.0)),
        }),
        ..ViewState::default()
    };
    let (lesson, tide, board) = {
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        let board = server.first_backdrop(lesson).await;
        let tide = add(&server, lesson, "tide.html", TIDE).await;
        let (mut presenter, _) = server.presenter(lesson).await;
        presenter.send(&show(board, Some(tide))).await;
        presenter.send(&see(tide, left.clone())).await;
        // Written once it has rested for a moment.
        let store = server.app.store.clone();
        loop {
            let kept = store.read(move |c| queries::one(c, tide.0 as i64)).await;
            if kept.unwrap().unwrap().seen.frozen.is_some() {
                break;
            }
            tokio::task::yield_now().await;
        }
        (lesson, tide, board)
    };
    let server = Server::start(data.path()).await;
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(look.stage.current.unwrap().id, board);
    let (beside, divider) = look.stage.beside.unwrap();
    assert_eq!((beside.id, divider), (tide, 0.5));
    assert_eq!(beside.seen, left);
}

/// A film stops for participants when the lesson is paused, before they are told so; the presenter's
/// own plays on, and so does everybody's from there when the lesson goes on.
#[tokio::test]
async fn a_paused_lesson_plays_nothing_to_participants() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let film = server.app.store.write(move |conn| {
        let new = queries::New {
            name: "Vessel".to_owned(),
            kind: BackdropKind::Video {
                duration: 600.0,
                frame: 0.04,
            },
            file: None,
            poster: None,
            width: 640.0,
            height: 360.0,
            seen: ViewState::default(),
        };
        queries::add(conn, Whither::Lesson(lesson), &new)
    });
    let film = BackdropId(film.await.unwrap() as u64);
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&show(film, None)).await;
    let playback = Playback::default().play(true, bozzetto::now() as u64, 600.0);
    let plays = ViewState {
        playback,
        ..ViewState::default()
    };
    presenter.send(&see(film, plays)).await;
    let cookie = server.join(lesson, "Ines").await;
    let (mut participant, _) = server.participant(lesson, &cookie).await;
    presenter.send(&pause(true)).await;
    let mut playing = None;
    loop {
        match participant.next().await {
            FromServer::See { seen, .. } => playing = Some(seen.playback.playing),
            FromServer::Paused(true) => break,
            _ => {}
        }
    }
    assert_eq!(playing, Some(false));
    // Who comes now is shown the same.
    let late = server.join(lesson, "Oskar").await;
    let (_, welcome) = server.participant(lesson, &late).await;
    let State::Participant {
        paused, backdrops, ..
    } = welcome.state
    else {
        panic!("a participant's welcome")
    };
    assert!(paused && !backdrops.current.unwrap().seen.playback.playing);
    presenter.send(&pause(false)).await;
    let stage = participant.stage().await;
    assert!(stage.backdrops.current.unwrap().seen.playback.playing);
}

/// The divider is moved by itself: what was put in the panes in the meantime stays there.
#[tokio::test]
async fn a_divider_that_is_told_late_leaves_the_panes_as_they_are() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let board = server.first_backdrop(lesson).await;
    let tide = add(&server, lesson, "tide.html", TIDE).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&show(board, Some(tide))).await;
    presenter.send(&show(tide, Some(board))).await;
    presenter.send(&stage(StageStep::Divide(0.7))).await;
    presenter.send(&stage(StageStep::Divide(f64::NAN))).await;
    presenter.send(&stage(StageStep::Divide(7.0))).await;
    let stages: Vec<_> = {
        let (mut stages, mut state) = (Vec::new(), StageState::default());
        while stages.len() < 5 {
            for step in presenter.stage_steps().await {
                state.apply(&step);
            }
            let beside = state.beside.unwrap();
            stages.push((state.current.unwrap(), beside.backdrop, beside.divider));
        }
        stages
    };
    let after = [0.5, 0.7, 0.5, 0.8].map(|divider| (tide, board, divider));
    assert_eq!(stages[1..], after);
}

/// A hand that enlarges one backdrop goes on having it when something is done with the other.
#[tokio::test]
async fn what_a_hand_has_hold_of_stays_in_it() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let board = server.first_backdrop(lesson).await;
    let tide = add(&server, lesson, "tide.html", TIDE).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&show(board, Some(tide))).await;
    while presenter.stage_steps().await.len() != 1 {}
    let cookie = server.join(lesson, "Ines").await;
    let (mut participant, _) = server.participant(lesson, &cookie).await;
    let larger = |by| ViewState {
        zoom: Zoom { by, x: 0.5, y: 0.5 },
        ..ViewState::default()
    };
    let seen = Box::new(larger(2.0));
    let moment = ToServer::See {
        backdrop: tide,
        seen,
    };
    presenter.send(&moment).await;
    presenter.send(&see(board, larger(3.0))).await;
    let mut done = false;
    loop {
        let FromServer::See { backdrop, seen, .. } = participant.next().await else {
            continue;
        };
        if backdrop == tide {
            assert_eq!(seen.zoom.by, 2.0);
            if done {
                break;
            }
        }
        done |= backdrop == board && seen.zoom.by == 3.0;
    }
}

/// A stream is passed on, once it is of something on stage; stills go to those who asked for them and
/// nobody else; a participant cannot send one.
#[tokio::test]
async fn streams_reach_those_who_can_use_them() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let board = server.first_backdrop(lesson).await;
    let tide = add(&server, lesson, "tide.html", TIDE).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&show(tide, Some(board))).await;
    let cookies = [
        server.join(lesson, "Ines").await,
        server.join(lesson, "Noor").await,
    ];
    let (mut decodes, _) = server.participant(lesson, &cookies[0]).await;
    let (mut cannot, _) = server.participant(lesson, &cookies[1]).await;
    cannot.send(&ToServer::WantStills).await;
    let watching = presenter.until(|m| match m {
        FromServer::Watching { stills: 1, streams } => Some(streams),
        _ => None,
    });
    assert_eq!(watching.await, 1);

    let shows = Rect::from_corners(Point::new(0.0, 0.0), Point::new(1280.0, 720.0));
    let chunk = |backdrop, number| {
        ToServer::Chunk(Chunk {
            backdrop,
            run: 5,
            number,
            key: (number == 0).then(|| Codec {
                name: "vp8".to_owned(),
                width: 1280,
                height: 720,
                colour: "{}".to_owned(),
            }),
            taken: 1,
            shows,
            data: vec![7; 1000],
        })
    };
    // A participant's is refused; a board is not streamed; both reach nobody.
    decodes.send(&chunk(tide, 0)).await;
    presenter.send(&chunk(board, 0)).await;
    presenter.send(&chunk(tide, 0)).await;
    presenter
        .send(&ToServer::Still(Still {
            backdrop: tide,
            taken: 1,
            shows,
            data: vec![9; 500],
        }))
        .await;
    presenter.send(&chunk(tide, 1)).await;
    presenter.send(&pause(true)).await;
    let mut got = Vec::new();
    loop {
        match decodes.next().await {
            FromServer::Chunk { chunk, .. } => got.push((chunk.backdrop, chunk.number)),
            FromServer::Still { .. } => panic!("nobody asked for stills here"),
            FromServer::Paused(true) => break,
            _ => {}
        }
    }
    assert_eq!(got, [(tide, 0), (tide, 1)]);
    let mut stills = 0;
    loop {
        match cannot.next().await {
            FromServer::Still { still, .. } => stills += still.data.len(),
            FromServer::Chunk { .. } => panic!("this one cannot decode streams"),
            FromServer::Paused(true) => break,
            _ => {}
        }
    }
    assert_eq!(stills, 500);
    // Who wants a key frame gets the presenter asked for one.
    presenter.send(&pause(false)).await;
    decodes.send(&ToServer::WantKey(tide)).await;
    let wanted = presenter.until(|m| match m {
        FromServer::WantKey(id) => Some(id),
        _ => None,
    });
    assert_eq!(wanted.await, tide);
}

/// An upload whose connection is cut leaves nothing behind.
#[tokio::test]
async fn a_cut_upload_leaves_nothing() {
    use tokio::io::AsyncWriteExt;
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let media = data.path().join("media");
    let files = || std::fs::read_dir(&media).unwrap().count();
    let mut line = tokio::net::TcpStream::connect(server.address)
        .await
        .unwrap();
    let head = format!(
        "POST /lessons/{lesson}/backdrops HTTP/1.1\r\nHost: {}\r\n\
         Content-Type: multipart/form-data; boundary=cut\r\nContent-Length: 9000000\r\n\r\n\
         --cut\r\nContent-Disposition: form-data; name=\"file\"; filename=\"n.pdf\"\r\n\r\n",
        server.address
    );
    line.write_all(head.as_bytes()).await.unwrap();
    line.write_all(NOTICES).await.unwrap();
    line.flush().await.unwrap();
    // It has begun to come in, and then the line is gone.
    while files() == 0 {
        tokio::task::yield_now().await;
    }
    drop(line);
    while files() > 0 {
        tokio::task::yield_now().await;
    }
    let look = server.app.live.look(lesson).await.unwrap();
    assert_eq!(look.order.len(), 1);
}

/// An uploaded page is served without our cookies' help, with a policy that lets it load its own files
/// and nothing else of ours, and with the bridge in it.
#[tokio::test]
async fn an_uploaded_page_is_kept_apart() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let tide = add(&server, lesson, "tide.html", TIDE).await;
    let frame = format!("/lessons/{lesson}/backdrops/{}/frame/index.html", tide.0);
    let frame = server.get(&frame).await;
    let address = frame.headers()[header::LOCATION]
        .to_str()
        .unwrap()
        .to_owned();
    let (folder, _) = address.rsplit_once('/').unwrap();
    let served = server.get(&address).await;
    let policy = served.headers()[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap()
        .to_owned();
    assert!(policy.starts_with("sandbox allow-scripts") && !policy.contains("allow-same-origin"));
    let own = format!("http://{}{folder}/", server.address);
    for directive in [
        "script-src",
        "connect-src",
        "img-src",
        "frame-src",
        "font-src",
    ] {
        let rule = policy
            .split(';')
            .find(|d| d.trim().starts_with(directive))
            .unwrap();
        let mut sources = rule.split_whitespace().skip(1);
        assert!(sources.next() == Some(own.as_str()), "{rule}");
        assert!(!rule.contains("'self'") && !rule.contains('*'), "{rule}");
    }
    let html = text(served).await;
    assert!(html.contains("bozzetto-bridge.js") && html.contains("Rada del Sale"));
    let other = server
        .get(&format!("{folder}/../../lessons/{lesson}"))
        .await;
    assert_ne!(other.status(), StatusCode::OK);
    let guess = server
        .get("/pages/00000000000000000000000000000000/index.html")
        .await;
    assert_eq!(guess.status(), StatusCode::NOT_FOUND);
}
