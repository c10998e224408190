//! Strangers' files and impossible marks: each ends its own job and nothing else, in a bounded time
//! and a bounded memory, and a presenter draws on meanwhile.

use std::time::{Duration, Instant};

use crate::common::{self, Server, add, hostile, stroke};
use axum::body::Body;
use axum::http::Request;
use bozzetto_core::geometry::frames::Point;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::lesson::change::{Change, Intent, What};
use bozzetto_core::marks::mark::{Body as MarkBody, Mark, MarkFault};
use bozzetto_core::marks::shape::{Dash, Figure, Shape};
use bozzetto_core::marks::text::{Glyph, Line, Placed, Text};
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::wire::{FromServer, Start, State};

/// A dotted line of 1.9 million units: a hundred bytes, and a hundred million dots.
fn dotted() -> Mark {
    let ends = [Point::new(-950_000.0, 5.0), Point::new(950_000.0, 5.0)];
    let mut mark = stroke(7);
    mark.style.width = 0.2;
    mark.style.dash = Dash::Dotted;
    mark.body = MarkBody::Shape(Shape::new(Figure::Line, &ends));
    mark
}

/// A glyph of six thousand lines, set eight thousand times.
fn words() -> Mark {
    let mut mark = stroke(8);
    let mut verbs = vec![1; 6000];
    verbs[0] = 0;
    mark.body = MarkBody::Text(Text {
        content: "tide".to_owned(),
        at: Default::default(),
        size: 64 * 20,
        wrap: None,
        lines: vec![Line {
            from: 0,
            to: 4,
            baseline: 100,
            width: 100,
        }],
        glyphs: vec![Glyph {
            verbs,
            coords: (0..12_000).map(|i| i % 640).collect(),
        }],
        placed: vec![
            Placed {
                glyph: 0,
                x: 0,
                y: 0
            };
            8000
        ],
        missing: String::new(),
    });
    mark
}

/// What would take too much to draw is refused at the door, by itself and together.
#[tokio::test(flavor = "multi_thread")]
async fn impossible_marks_are_refused_at_the_door() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    for (id, mark) in [(1, dotted()), (2, words())] {
        presenter.act(id, add(backdrop, mark)).await;
        let why = presenter.until(|m| match m {
            FromServer::Refused { why, .. } => Some(why),
            _ => None,
        });
        assert_eq!(why.await, Refusal::Mark(MarkFault::TooMuch));
    }
    // A line that may be drawn is restyled into one that may not.
    let mut line = dotted();
    (line.style.width, line.style.dash) = (900.0, Dash::Dotted);
    let thin = dotted().style;
    presenter.act(3, add(backdrop, line)).await;
    assert!(presenter.told(3).await);
    let marks = vec![stroke(7).id];
    let sheet = SheetId::Backdrop(backdrop);
    let op = Op::Restyle { marks, style: thin };
    presenter.act(4, Intent::Do(vec![Step { sheet, op }])).await;
    let why = presenter.until(|m| match m {
        FromServer::Refused { why, .. } => Some(why),
        _ => None,
    });
    assert_eq!(why.await, Refusal::Mark(MarkFault::TooMuch));
}

/// A lesson that holds such marks from before opens without them, says so, and has its small
/// picture; they do not come back by undoing.
#[tokio::test(flavor = "multi_thread")]
async fn a_lesson_with_impossible_marks_opens_without_them() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let other = server.lesson().await;
    drop(server);
    let changes: Vec<(u64, Change)> = [stroke(1), dotted(), words()]
        .into_iter()
        .zip(100..)
        .map(|(mark, seq)| {
            let step = Step {
                sheet: SheetId::Backdrop(backdrop),
                op: Op::Add(mark),
            };
            let change = Change {
                id: ChangeId(seq),
                author: AuthorId(5),
                at: 1,
                what: What::Marks {
                    deed: Deed::Do,
                    steps: vec![step],
                },
            };
            (seq, change)
        })
        .collect();
    let server = Server::start(data.path()).await;
    let written = server
        .app
        .store
        .write(move |c| bozzetto::live::log::append(c, lesson, &changes));
    written.await.unwrap();
    let hello = bozzetto_core::wire::Hello {
        author: Some(AuthorId(5)),
        resume: None,
    };
    let path = format!("/lessons/{lesson}/live");
    let (mut presenter, welcome) =
        common::Browser::open(server.address, &path, None, Some(hello)).await;
    let (Start::Lesson { sheets, .. }, State::Presenter { left_out, .. }) =
        (welcome.start, welcome.state)
    else {
        panic!("a presenter's welcome")
    };
    assert_eq!(left_out, 2);
    let marks: Vec<u64> = sheets
        .iter()
        .flat_map(|(_, m)| m.iter().map(|m| m.id.0))
        .collect();
    assert_eq!(marks, [1]);
    // What was done to the text last was to set it: taking that back finds nothing, and goes on.
    presenter.act(50, Intent::Undo).await;
    assert!(presenter.told(50).await);
    let small = format!("/lessons/{lesson}/backdrops/{}/thumbnail.png", backdrop.0);
    assert_eq!(server.get(&small).await.status(), 200);
    assert!(server.lesson().await > other);
}

/// Every hostile file is answered, all at once, while a presenter draws; what failed is not tried
/// again, and the workers are there for the next one.
#[tokio::test(flavor = "multi_thread")]
async fn hostile_files_hurt_nothing_but_themselves() {
    let (files, ink_files) = (hostile::files(), hostile::ink());
    let data = tempfile::tempdir().unwrap();
    let hurry = |o: &mut bozzetto::app::Options| o.longest_job = Duration::from_secs(3);
    let server = Server::start_with(data.path(), hurry).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let path = format!("/lessons/{lesson}/order/files");
    let ink = format!("/lessons/{lesson}/marks");
    let uploads = files
        .iter()
        .map(|(name, bytes)| server.upload(&path, name, bytes));
    let uploads = futures_util::future::join_all(uploads);
    let marks = ink_files
        .iter()
        .map(|(name, bytes)| server.upload(&ink, name, bytes));
    let marks = futures_util::future::join_all(marks);
    let drawing = async {
        let mut id = 100;
        let mut slowest = Duration::ZERO;
        loop {
            id += 1;
            let sent = Instant::now();
            presenter.act(id, add(backdrop, stroke(id))).await;
            assert!(presenter.told(id).await);
            slowest = slowest.max(sent.elapsed());
            if id > 5000 {
                return slowest;
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    };
    let answers = tokio::select! {
        answers = futures_util::future::join(uploads, marks) => answers,
        slowest = drawing => panic!("drawn for too long: {slowest:?}"),
    };
    // The stroke that was under way is kept, too, before pictures are made.
    presenter.act(99, add(backdrop, stroke(99))).await;
    assert!(presenter.told(99).await);
    for ((name, _), (status, said)) in files.iter().zip(&answers.0) {
        let kept = [
            "swelling.zip",
            "wide.png",
            "nested.svg",
            "fractal.pdf",
            "huge-image.pdf",
            "deep.svg",
        ];
        assert!(
            *status == 422 || (*status == 200 && kept.contains(name)),
            "{name}: {status} {said}"
        );
    }
    for (status, said) in &answers.1 {
        assert!(*status == 200 || *status == 422, "{status} {said}");
    }
    // The home page's small pictures: drawn or not, each is answered, the second time at once.
    let look = server.app.live.look(lesson).await.unwrap();
    let smalls: Vec<String> = look
        .order
        .iter()
        .map(|b| format!("/lessons/{lesson}/backdrops/{}/thumbnail.png", b.id.0))
        .collect();
    for small in &smalls {
        assert_eq!(server.get(small).await.status(), 200, "{small}");
    }
    let drawn = server.app.render.jobs();
    for small in &smalls {
        assert_eq!(server.get(small).await.status(), 200);
    }
    assert_eq!(server.app.render.jobs(), drawn, "nothing is tried again");
    let chart = include_bytes!("../../demo/Harbour approach.svg");
    server.bring(lesson, "chart.svg", chart).await;
}

/// Large captures are taken at once, each with the memory of a few rows: each in a
/// worker that has no more than it is given.
#[tokio::test(flavor = "multi_thread")]
async fn large_captures_are_taken_at_once() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let body = |n: u32| {
        let request = format!(
            r#"{{"area":{{"x0":0,"y0":0,"x1":1920,"y1":1080}},"device":2.0,"ratio":2.0,"stage":{{"current":{n},"beside":null,"seen":[]}}}}"#
        );
        format!(
            "--cut\r\nContent-Disposition: form-data; name=\"request\"\r\n\r\n{request}\r\n--cut--\r\n"
        )
    };
    let backdrop = server.first_backdrop(lesson).await.0 as u32;
    let taking = (0..2).map(|_| {
        let request = Request::post(format!("/lessons/{lesson}/captures"))
            .header("content-type", "multipart/form-data; boundary=cut");
        server.ask(request, Body::from(body(backdrop)))
    });
    for answer in futures_util::future::join_all(taking).await {
        let status = answer.status();
        let said = common::text(answer).await;
        assert_eq!(status, 200, "{said}");
        assert!(said.contains("3\u{2009}840"), "{said}");
    }
}

/// What is uploaded to a lesson that is not there is not even read, and leaves nothing.
#[tokio::test(flavor = "multi_thread")]
async fn uploads_to_nowhere_leave_nothing() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let chart = include_bytes!("../../demo/Harbour approach.svg");
    for path in [
        "/lessons/99/backdrops",
        "/lessons/99/order/files",
        "/lessons/99/placed",
    ] {
        assert_eq!(
            server.upload(path, "chart.svg", chart).await.0,
            404,
            "{path}"
        );
    }
    let left = std::fs::read_dir(data.path().join("media"))
        .unwrap()
        .count();
    assert_eq!(left, 0);
    // A folder that is full says so, and takes marks all the same.
    let full = tempfile::tempdir().unwrap();
    let server = Server::start_with(full.path(), |o| o.quota = Some(1_000_000)).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (status, said) = server
        .upload(&format!("/lessons/{lesson}/backdrops"), "chart.svg", chart)
        .await;
    assert!(status == 507 && said.contains("--quota"), "{status} {said}");
    let home = common::text(server.get("/").await).await;
    assert!(!home.contains("reached without TLS"), "{home}");
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.act(1, add(backdrop, stroke(1))).await;
    assert!(presenter.told(1).await);
}
