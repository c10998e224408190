//! What participants get of files, and of a lesson that is paused.

use std::sync::Arc;
use std::time::{Duration, Instant};

use crate::common::{self, Server, add, pause, quarters, stage, stroke, text};
use axum::body::Body;
use axum::http::{Request, header};
use bozzetto_core::aids::cover::{COLOUR, Cover};
use bozzetto_core::geometry::frames::{Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body as MarkBody, Mark};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, Start, State, ToServer};
use http_body_util::BodyExt;

async fn bytes(server: &Server, path: &str, cookie: &str) -> (u16, Vec<u8>) {
    let request = Request::get(path).header(header::COOKIE, cookie);
    let answer = server.ask(request, Body::empty()).await;
    let status = answer.status().as_u16();
    let body = answer.into_body().collect().await.unwrap().to_bytes();
    (status, body.to_vec())
}

/// A document's page comes as pixels, in the sizes that there are; a cut picture comes cut: of what
/// is cut off, no pixel.
#[tokio::test(flavor = "multi_thread")]
async fn only_what_is_shown_is_given_out() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let pdf = include_bytes!("../../demo/Notices to mariners.pdf");
    let document = server.bring(lesson, "notices.pdf", pdf).await;
    let cookie = server.join(lesson, "Sefa").await;
    let base = format!("/follow/{lesson}/backdrops/{document}");
    let (status, page) = bytes(&server, &format!("{base}/pages/0?width=768"), &cookie).await;
    assert_eq!((status, &page[1..4]), (200, &b"PNG"[..]));
    for wrong in [
        "pages/1?width=768",
        "pages/0?width=8000",
        "pages/0?width=769",
        "pages/0?width=4096&x=1&y=0&w=512&h=512",
        "pages/0?width=65536&x=0&y=0&w=8192&h=8192",
        "picture",
        "video",
    ] {
        assert_eq!(
            bytes(&server, &format!("{base}/{wrong}"), &cookie).await.0,
            404,
            "{wrong}"
        );
    }

    let (status, said) = server
        .upload(&format!("/lessons/{lesson}/placed"), "q.png", &quarters())
        .await;
    assert_eq!(status, 200, "{said}");
    let said: serde_json::Value = serde_json::from_str(&said).unwrap();
    let name: u64 = said["picture"].as_str().unwrap().parse().unwrap();
    let area = Size::<bozzetto_core::geometry::frames::Glass>::new(1920.0, 1080.0);
    let placed = Placement::new(name, (80, 60), Point::new(400.0, 300.0), area);
    // The upper left quarter.
    let corner = Rect::from_corners(Point::new(0.0, 0.0), Point::new(400.0, 300.0));
    let body = MarkBody::Picture(placed.cropped(&corner));
    let mark = Mark::new(
        MarkId(5),
        AuthorId(0),
        stroke(1).style,
        body,
        Map::coincident(),
        1,
    );
    let (mut presenter, _) = server.presenter(lesson).await;
    let backdrop = bozzetto_core::geometry::ids::BackdropId(document as u64);
    presenter.act(1, add(backdrop, mark)).await;
    assert!(presenter.told(1).await);
    let at = format!("/follow/{lesson}/placed/{name}");
    let (status, cut) = bytes(&server, &format!("{at}?l=0&t=0&r=40&b=30"), &cookie).await;
    assert_eq!(status, 200);
    let cut = image::load_from_memory(&cut).unwrap().to_rgba8();
    assert_eq!(cut.dimensions(), (40, 30));
    assert!(cut.pixels().all(|p| p.0 == [0, 0, 90, 255]));
    for wrong in [
        "",
        "?l=0&t=0&r=80&b=60",
        "?l=30&t=20&r=70&b=50",
        "?l=0&t=0&r=45&b=30",
    ] {
        assert_eq!(
            bytes(&server, &format!("{at}{wrong}"), &cookie).await.0,
            404,
            "{wrong}"
        );
    }
    // Wiped away, it is gone.
    let sheet = SheetId::Backdrop(backdrop);
    presenter
        .act(
            2,
            Intent::Do(vec![Step {
                sheet,
                op: Op::Wipe,
            }]),
        )
        .await;
    assert!(presenter.told(2).await);
    assert_eq!(
        bytes(&server, &format!("{at}?l=0&t=0&r=40&b=30"), &cookie)
            .await
            .0,
        404
    );
}

/// While a lesson is paused, whoever reconnects, also after the server has started again, learns
/// nothing that came since: not what is on stage, not what was handed out.
#[tokio::test(flavor = "multi_thread")]
async fn a_paused_lesson_tells_nothing_new() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let cookie = server.join(lesson, "Sefa").await;
    let out = async |server: &Server, capture: i64, way: &str| {
        let request = Request::post(format!("/lessons/{lesson}/captures/{capture}/{way}"));
        assert_eq!(server.ask(request, Body::empty()).await.status(), 200);
    };
    let before = server.capture(lesson).await;
    out(&server, before, "hand-out").await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.send(&pause(true)).await;
    presenter.paused().await;
    let after = server.capture(lesson).await;
    out(&server, after, "hand-out").await;
    let rename = Request::post(format!("/lessons/{lesson}/rename"))
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
    assert_eq!(server.ask(rename, "name=The+answers").await.status(), 200);
    let known = |state: &State| match state {
        State::Participant {
            take_aways,
            lesson,
            paused: true,
            ..
        } => (
            take_aways.iter().map(|t| t.id as i64).collect::<Vec<_>>(),
            lesson.clone(),
        ),
        other => panic!("{other:?}"),
    };
    let (_, welcome) = server.participant(lesson, &cookie).await;
    assert_eq!(known(&welcome.state), (vec![before], "Tides".to_owned()));
    let file = |id: i64| format!("/follow/{lesson}/take-aways/{id}/picture.png");
    assert_eq!(bytes(&server, &file(before), &cookie).await.0, 200);
    assert_eq!(bytes(&server, &file(after), &cookie).await.0, 404);
    drop(presenter);
    drop(server);

    let server = Server::start(data.path()).await;
    let (mut sefa, welcome) = server.participant(lesson, &cookie).await;
    assert_eq!(known(&welcome.state).0, [before]);
    assert_eq!(bytes(&server, &file(after), &cookie).await.0, 404);
    // Taken back, it is gone even so.
    out(&server, before, "take-back").await;
    let left = sefa.until(|m| match m {
        FromServer::TakeAways(items) => Some(items.len()),
        _ => None,
    });
    assert_eq!(left.await, 0);
    assert_eq!(bytes(&server, &file(before), &cookie).await.0, 404);
}

/// Media is asked about before it is shown again: unchanged it costs a few bytes, taken back it is
/// not there.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_taken_back_is_gone() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let cookie = server.join(lesson, "Sefa").await;
    let picture = server.bring(lesson, "q.png", &quarters()).await;
    let path = format!("/follow/{lesson}/backdrops/{picture}/picture");
    let ask = async |tag: Option<&str>| {
        let mut request = Request::get(&path).header(header::COOKIE, &cookie);
        if let Some(tag) = tag {
            request = request.header(header::IF_NONE_MATCH, tag);
        }
        server.ask(request, Body::empty()).await
    };
    let first = ask(None).await;
    assert_eq!(first.status(), 200);
    assert_eq!(first.headers()[header::CACHE_CONTROL], "private, no-cache");
    let tag = first.headers()[header::ETAG].to_str().unwrap().to_owned();
    assert_eq!(ask(Some(&tag)).await.status(), 304);
    let off = Request::post(format!("/lessons/{lesson}/boards"))
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
    assert!(server.ask(off, Body::empty()).await.status().is_success());
    server.until_on_stage(lesson, picture, false).await;
    assert_eq!(ask(Some(&tag)).await.status(), 404);
}

/// Whose a mark is, and when it was made, the server says; ids that are taken are refused wherever
/// in the lesson they are taken, and nobody gives up a stroke of somebody else's.
#[tokio::test(flavor = "multi_thread")]
async fn marks_are_vouched_for_by_the_server() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, welcome) = server.presenter(lesson).await;
    let mut forged = stroke(1);
    (forged.author, forged.made_at) = (AuthorId(4711), u64::MAX);
    presenter.act(1, add(backdrop, forged.clone())).await;
    let kept = presenter.until(|m| match m {
        FromServer::Change { change, .. } if change.id == ChangeId(1) => Some(change),
        _ => None,
    });
    let Op::Add(kept) = kept.await.steps()[0].op.clone() else {
        panic!("a mark")
    };
    assert_eq!(kept.author, welcome.author);
    let look = server.app.live.look(lesson).await.unwrap();
    let made = look
        .sheets
        .sheet(SheetId::Backdrop(backdrop))
        .get(MarkId(1))
        .unwrap()
        .made_at;
    assert!(made.abs_diff(bozzetto::now() as u64) < 60_000);

    let replaced = Step {
        sheet: SheetId::Backdrop(backdrop),
        op: Op::Replace(forged.clone()),
    };
    presenter.act(2, Intent::Do(vec![replaced])).await;
    assert!(presenter.told(2).await);
    let look = server.app.live.look(lesson).await.unwrap();
    let mark = look
        .sheets
        .sheet(SheetId::Backdrop(backdrop))
        .get(MarkId(1))
        .unwrap()
        .clone();
    assert_eq!((mark.author, mark.made_at), (welcome.author, made));

    let elsewhere = Step {
        sheet: SheetId::Glass,
        op: Op::Add(stroke(1)),
    };
    presenter.act(3, Intent::Do(vec![elsewhere])).await;
    let why = presenter.until(|m| match m {
        FromServer::Refused { why, .. } => Some(why),
        _ => None,
    });
    assert_eq!(why.await, Refusal::AlreadyThere);

    let (mut other, _) = server.presenter(lesson).await;
    let ink = |from: u32| bozzetto_core::paint::wet::WetInk {
        mark: MarkId(9),
        sheet: SheetId::Backdrop(backdrop),
        style: stroke(1).style,
        transform: Map::coincident(),
        fades: false,
        from,
        points: common::line(),
    };
    presenter.send(&ToServer::Wet(ink(0))).await;
    let heard = other.until(|m| matches!(m, FromServer::Wet { .. }).then_some(()));
    heard.await;
    other.send(&ToServer::WetEnd(MarkId(9))).await;
    presenter.send(&ToServer::Wet(ink(20))).await;
    // Had it been ended, that would have been heard before more of it.
    let next = other.until(|m| match m {
        FromServer::WetEnd { .. } => Some(false),
        FromServer::Wet { ink, .. } => Some(ink.from == 20),
        _ => None,
    });
    assert!(next.await);
    let home = text(server.get("/").await).await;
    assert!(home.contains("Tides"));
}

/// Neither the pixels beneath a cover nor the marks there are told, whoever does what with them; once it is
/// pulled back they come.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_covered_is_told_to_nobody() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let pdf = include_bytes!("../../demo/Notices to mariners.pdf");
    let document = server.bring(lesson, "notices.pdf", pdf).await;
    let backdrop = BackdropId(document as u64);
    let (mut presenter, welcome) = server.presenter(lesson).await;
    let Start::Lesson { stage: state, .. } = welcome.start else {
        panic!("no lesson")
    };
    let seen = state.backdrop(backdrop).unwrap().seen.clone();
    let cover = |top: f64| {
        let covers = Rect::from_corners(Point::new(0.0, top), Point::new(590.0, 840.0));
        let covers = vec![Cover::over(0, covers, Vec::new())];
        let seen = Box::new(ViewState {
            covers,
            ..seen.clone()
        });
        stage(StageStep::See { backdrop, seen })
    };
    let mark = |id: u64, down: f64| Mark {
        transform: Map::scale_then_move(1.0, 40.0, down),
        ..stroke(id)
    };
    presenter.act(1, add(backdrop, mark(5, 300.0))).await;
    presenter.send(&cover(200.0)).await;
    presenter.act(2, add(backdrop, mark(6, 0.0))).await;
    assert!(presenter.told(2).await);

    let cookie = server.join(lesson, "Sefa").await;
    let (mut sefa, welcome) = server.participant(lesson, &cookie).await;
    let known = |sheets: &[(SheetId, Vec<Arc<Mark>>)]| -> Vec<u64> {
        let of_page = sheets
            .iter()
            .filter(|(id, _)| id.backdrop() == Some(backdrop));
        of_page
            .flat_map(|(_, marks)| marks)
            .map(|m| m.id.0)
            .collect()
    };
    let Start::Sheets(sheets) = &welcome.start else {
        panic!("no sheets")
    };
    assert_eq!(known(sheets), [6]);
    let page = format!("/follow/{lesson}/backdrops/{document}/pages/0?width=768");
    assert_eq!(bytes(&server, &page, &cookie).await.0, 404);
    let tag = |top: f64| format!("&cover=0_{top}_590_840");
    let of_page = |png: &[u8]| image::load_from_memory(png).unwrap().to_rgb8();
    let (status, cut) = bytes(&server, &format!("{page}{}", tag(200.0)), &cookie).await;
    assert_eq!(status, 200);
    let colour = [COLOUR.r, COLOUR.g, COLOUR.b];
    let first = (200.0 * 768.0 / 595.0) as u32;
    let cut = of_page(&cut);
    let covered = |x: u32, y: u32| y >= first && x < 760 && y < 1080;
    let mut all = cut.enumerate_pixels();
    assert!(all.all(|(x, y, p)| !covered(x, y) || p.0 == colour));
    let mut all = cut.enumerate_pixels();
    assert!(all.any(|(_, y, p)| y < first && p.0 != [255; 3]));
    // Less than is covered cannot be had by asking for it.
    for wrong in [tag(300.0), tag(0.0), "&cover=".to_owned()] {
        assert_eq!(
            bytes(&server, &format!("{page}{wrong}"), &cookie).await.0,
            404,
            "{wrong}"
        );
    }

    // What is done beneath the cover is followed without being told.
    let by = Map::scale_then_move(1.0, 0.0, 60.0);
    let moves = Op::Transform {
        marks: vec![MarkId(5)],
        by,
    };
    let step = |op| {
        Intent::Do(vec![Step {
            sheet: SheetId::Backdrop(backdrop),
            op,
        }])
    };
    presenter.act(3, step(moves)).await;
    assert_eq!(known(&sefa.stage().await.sheets), [6]);
    presenter.act(4, add(backdrop, mark(7, 500.0))).await;
    assert_eq!(known(&sefa.stage().await.sheets), [6]);
    // Beside it, everything is as always.
    presenter.act(5, add(backdrop, mark(8, 20.0))).await;
    assert!(sefa.told(5).await);
    presenter.send(&cover(650.0)).await;
    assert_eq!(known(&sefa.stage().await.sheets), [5, 6, 7, 8]);
    presenter.act(6, step(Op::Remove(MarkId(5)))).await;
    assert!(sefa.told(6).await);
}

/// What a hand covers stays covered while that is remembered: nobody gets it before all have been told.
#[tokio::test(flavor = "multi_thread")]
async fn what_a_hand_covers_stays_covered() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let pdf = include_bytes!("../../demo/Notices to mariners.pdf");
    let document = server.bring(lesson, "notices.pdf", pdf).await;
    let backdrop = BackdropId(document as u64);
    let (mut presenter, welcome) = server.presenter(lesson).await;
    let Start::Lesson { stage: state, .. } = welcome.start else {
        panic!("no lesson")
    };
    let cookie = server.join(lesson, "Sefa").await;
    let page = format!("/follow/{lesson}/backdrops/{document}/pages/0?width=768");
    let status = async || bytes(&server, &page, &cookie).await.0;
    let covers = Rect::from_corners(Point::new(0.0, 200.0), Point::new(590.0, 840.0));
    let covers = vec![Cover::over(0, covers, Vec::new())];
    let seen = Box::new(ViewState {
        covers,
        ..state.backdrop(backdrop).unwrap().seen.clone()
    });
    assert_eq!(status().await, 200);
    // Nothing is written for as long as this takes.
    let (done, wait) = std::sync::mpsc::channel::<()>();
    let store = server.app.store.clone();
    let held = tokio::spawn(async move { store.write(move |_| Ok(wait.recv())).await });
    presenter.send(&ToServer::See { backdrop, seen }).await;
    while status().await != 404 {}
    // It comes to rest, and is to be written.
    let rested = Instant::now() + Duration::from_millis(800);
    while Instant::now() < rested {
        assert_eq!(status().await, 404);
    }
    drop(done);
    assert!(held.await.is_ok());
    presenter.stage_steps().await;
    assert_eq!(status().await, 404);
}
