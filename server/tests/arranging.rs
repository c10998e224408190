//! Preparing a lesson, and what happens to what was taken: the running order, the library and the
//! captures, asked for as a browser asks.

use std::fmt::Write;

use crate::common::{Server, add, pause, stroke, text};
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use bozzetto::backdrops::queries::{self, Whither};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::BackdropKind;
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::state::StageState;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::FromServer;
use http_body_util::BodyExt;

const FORM: &str = "application/x-www-form-urlencoded";

async fn post(server: &Server, path: &str, body: &str) -> (StatusCode, String) {
    let request = Request::post(path).header(header::CONTENT_TYPE, FORM);
    let answer = server.ask(request, body.to_owned()).await;
    (answer.status(), text(answer).await)
}

/// Adds a board of this name at the end of a lesson, or to the library.
async fn board(server: &Server, whither: Whither, name: &str) -> i64 {
    let new = queries::New {
        name: name.to_owned(),
        kind: BackdropKind::Board(Board::default()),
        file: None,
        poster: None,
        width: 1920.0,
        height: 1080.0,
        seen: ViewState::default(),
    };
    let made = server
        .app
        .store
        .write(move |c| queries::add(c, whither, &new));
    made.await.unwrap()
}

async fn order(server: &Server, lesson: i64) -> Vec<i64> {
    let all = server
        .app
        .store
        .read(move |c| queries::of_lesson(c, lesson));
    all.await.unwrap().iter().map(|b| b.id.0 as i64).collect()
}

/// Whatever is done to the order, nothing is lost from it and nothing of another lesson gets in; the
/// stage hears of it and stays where it was.
#[tokio::test]
async fn the_order_is_changed_and_the_stage_stays() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let (lesson, other) = (server.lesson().await, server.lesson().await);
    let foreign = server.first_backdrop(other).await.0 as i64;
    let first = server.first_backdrop(lesson).await.0 as i64;
    let mut ids = vec![first];
    for name in ["Approach", "Berths", "Channel"] {
        ids.push(board(&server, Whither::End(lesson), name).await);
    }
    assert_eq!(order(&server, lesson).await, ids);
    let (mut presenter, _) = server.presenter(lesson).await;
    let wanted = [ids[2], foreign, ids[0], 999_999];
    let list = wanted.map(|id| id.to_string()).join(",");
    post(
        &server,
        &format!("/lessons/{lesson}/order"),
        &format!("order={list}"),
    )
    .await;
    let now = order(&server, lesson).await;
    // The two that were named have changed places; the others are where they were.
    assert_eq!(now, [ids[2], ids[1], ids[0], ids[3]]);
    assert_eq!(order(&server, other).await, [foreign]);
    let arranges = |step: &StageStep| matches!(step, StageStep::Arrange { .. });
    assert!(!presenter.stage_steps().await.iter().any(arranges));
    let look = server.app.live.look(lesson).await.unwrap();
    let current = look.stage.current.map(|b| b.id);
    let told: Vec<i64> = look.order.iter().map(|b| b.id.0 as i64).collect();
    assert_eq!((told, current), (now, Some(BackdropId(first as u64))));

    // Steps stop at the ends.
    let one = |id: i64, what: &str| format!("/lessons/{lesson}/backdrops/{id}/{what}");
    for _ in 0..6 {
        post(&server, &one(first, "move/-1"), "").await;
    }
    assert_eq!(order(&server, lesson).await[0], first);
    post(&server, &one(first, "move/1"), "").await;
    assert_eq!(order(&server, lesson).await[1], first);

    // A name is needed; what was called something before still is.
    let (status, said) = post(&server, &one(first, "rename"), "name=+++").await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(said.contains("name"), "{said}");
    let (_, list) = post(
        &server,
        &one(first, "rename"),
        "name=%3Cb%3ESlack%3C%2Fb%3E",
    )
    .await;
    assert!(
        list.contains("&#60;b&#62;Slack") && !list.contains("<b>Slack"),
        "{list}"
    );
}

/// Brings small pictures of these names in one upload, `after` a backdrop or where it says; gives
/// their ids.
async fn bring(server: &Server, path: &str, after: Option<i64>, names: &[&str]) -> Vec<i64> {
    let mut body = String::new();
    let part = "--b\r\nContent-Disposition: form-data; name=";
    if let Some(after) = after {
        write!(body, "{part}\"after\"\r\n\r\n{after}\r\n").unwrap();
    }
    for name in names {
        let svg = "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>";
        write!(
            body,
            "{part}\"file\"; filename=\"{name}.svg\"\r\n\r\n{svg}\r\n"
        )
        .unwrap();
    }
    body.push_str("--b--\r\n");
    let form = "multipart/form-data; boundary=b";
    let request = Request::post(path).header(header::CONTENT_TYPE, form);
    let answer = server.ask(request, body).await;
    assert_eq!(answer.status(), StatusCode::OK);
    let said: serde_json::Value = serde_json::from_str(&text(answer).await).unwrap();
    let added = said["added"].as_array().unwrap();
    added.iter().map(|id| id.as_i64().unwrap()).collect()
}

/// On stage the first of several files is shown, and the others wait behind it, whether they come in
/// one upload or in several; while a lesson is being prepared they go to its end and the stage stays.
#[tokio::test]
async fn files_come_where_they_are_wanted() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let first = server.first_backdrop(lesson).await.0 as i64;
    let (_presenter, _) = server.presenter(lesson).await;
    let prepared = format!("/lessons/{lesson}/order/files");
    let end = bring(&server, &prepared, None, &["Tides", "Winds"]).await;
    let [tides, winds] = end[..] else {
        panic!("two files")
    };
    let current = server.app.live.look(lesson).await.unwrap().stage.current;
    assert_eq!(current.unwrap().id.0 as i64, first);
    let stage = format!("/lessons/{lesson}/backdrops");
    let two = bring(&server, &stage, None, &["Approach", "Berths"]).await;
    let third = bring(&server, &stage, Some(two[1]), &["Channel"]).await;
    let current = server.app.live.look(lesson).await.unwrap().stage.current;
    assert_eq!(current.unwrap().id.0 as i64, two[0]);
    let wanted = [first, two[0], two[1], third[0], tides, winds];
    assert_eq!(order(&server, lesson).await, wanted);
}

/// What is removed is brought back where it was, with its marks; what is on stage can be removed
/// too, and the stage then shows something else.
#[tokio::test]
async fn removing_is_taken_back_with_everything() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let first = server.first_backdrop(lesson).await;
    let second = board(&server, Whither::End(lesson), "Second").await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.act(1, add(first, stroke(1))).await;
    assert!(presenter.told(1).await);
    let before = order(&server, lesson).await;
    let one = |what: &str| format!("/lessons/{lesson}/backdrops/{}/{what}", first.0);
    let (_, said) = post(&server, &one("remove"), "").await;
    assert!(said.contains("Undo"), "{said}");
    assert_eq!(order(&server, lesson).await, [second]);
    let other = StageStep::Arrange {
        current: BackdropId(second as u64),
        beside: None,
    };
    while !presenter.stage_steps().await.contains(&other) {}
    post(&server, &one("restore"), "").await;
    assert_eq!(order(&server, lesson).await, before);
    let look = server.app.live.look(lesson).await.unwrap();
    let sheet = bozzetto_core::sheets::step::SheetId::Backdrop(first);
    assert_eq!(look.sheets.sheet(sheet).marks().count(), 1);
    // A copy is a clean one, beside the first.
    post(&server, &one("duplicate"), "").await;
    let now = order(&server, lesson).await;
    assert_eq!((now.len(), now[0]), (3, first.0 as i64));
    let look = server.app.live.look(lesson).await.unwrap();
    let copy = bozzetto_core::sheets::step::SheetId::Backdrop(BackdropId(now[1] as u64));
    assert_eq!(look.sheets.sheet(copy).marks().count(), 0);
}

/// What is kept in the library is found by any word of its name, in any case, and goes on the stage
/// of any lesson; what is removed there stays in the lessons that have it.
#[tokio::test]
async fn the_library_is_searched_and_used() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let kept = board(&server, Whither::Library, "Rada del Sale, chart").await;
    board(&server, Whither::Library, "100% tide_table").await;
    let found =
        async |words: &str| text(server.get(&format!("/library/found?words={words}")).await).await;
    for words in ["SALE", "chart+rada", "del"] {
        let said = found(words).await;
        assert!(
            said.contains("Rada del Sale") && !said.contains("tide_table"),
            "{words}: {said}"
        );
    }
    // Signs that mean something to the database mean nothing here.
    assert!(found("%25").await.contains("100% tide_table"));
    assert!(!found("%25").await.contains("Rada"));
    assert!(!found("tidextable").await.contains("tide_table"));
    let (mut presenter, _) = server.presenter(lesson).await;
    let (status, _) = post(&server, &format!("/library/{kept}/use/{lesson}"), "").await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let mut state = StageState::default();
    let shown = loop {
        for step in presenter.stage_steps().await {
            state.apply(&step);
        }
        let current = state.current.and_then(|id| state.backdrop(id));
        if let Some(shown) = current.filter(|b| b.name.contains("Sale")) {
            break shown.clone();
        }
    };
    assert_ne!(shown.id.0 as i64, kept);
    post(&server, &format!("/library/{kept}/remove"), "").await;
    assert!(!found("sale").await.contains("Rada"));
    assert!(order(&server, lesson).await.contains(&(shown.id.0 as i64)));
    post(&server, &format!("/library/{kept}/restore"), "").await;
    assert!(found("sale").await.contains("Rada"));
}

/// Takes a box of the stage as the stage asks for it; gives the capture's id.
async fn take(server: &Server, lesson: i64, current: BackdropId) -> i64 {
    let request = serde_json::json!({
        "area": {"x0": 0.0, "y0": 50.0, "x1": 400.0, "y1": 250.0},
        "device": 1.0,
        "ratio": 1.0,
        "stage": {"current": current.0, "beside": null, "seen": []},
    });
    let mut body = String::new();
    write!(body, "--edge\r\ncontent-disposition: form-data; name=\"request\"\r\n\r\n{request}\r\n--edge--\r\n").unwrap();
    let path = format!("/lessons/{lesson}/captures");
    let kind = "multipart/form-data; boundary=edge";
    let answer = server
        .ask(Request::post(path).header(header::CONTENT_TYPE, kind), body)
        .await;
    let status = answer.status();
    let proof = text(answer).await;
    assert_eq!(status, StatusCode::OK, "{proof}");
    let from = proof.find("/captures/").unwrap() + "/captures/".len();
    let id: String = proof[from..]
        .chars()
        .take_while(char::is_ascii_digit)
        .collect();
    id.parse().unwrap()
}

/// A capture goes to participants when it is handed out, and to no other lesson's; taken back or
/// deleted it is gone from there, and *Undo* brings it back as it was. Its file has its name, made
/// safe, and says how many pixels it has to a metre no less truly for that.
#[tokio::test]
async fn captures_are_handed_out_and_taken_back() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let (lesson, other) = (server.lesson().await, server.lesson().await);
    let first = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    presenter.act(1, add(first, stroke(1))).await;
    assert!(presenter.told(1).await);
    let id = take(&server, lesson, first).await;
    let cookie = server.join(lesson, "Ines").await;
    let stranger = server.join(other, "Tomasz").await;
    let (mut participant, _) = server.participant(lesson, &cookie).await;
    let fetch = async |lesson: i64, cookie: &str| {
        let path = format!("/follow/{lesson}/take-aways/{id}/picture.png");
        let request = Request::get(path).header(header::COOKIE, cookie.to_owned());
        server.ask(request, Body::empty()).await
    };
    assert_eq!(fetch(lesson, &cookie).await.status(), StatusCode::NOT_FOUND);
    let one = |what: &str| format!("/lessons/{lesson}/captures/{id}/{what}");
    post(
        &server,
        &one("rename"),
        "name=..%2Fcon%3A+%22Salt%22%0A%C3%A9t%C3%A9",
    )
    .await;
    post(&server, &one("hand-out"), "").await;
    let items = participant.until(|m| match m {
        FromServer::TakeAways(items) if !items.is_empty() => Some(items),
        _ => None,
    });
    let items = items.await;
    assert_eq!((items[0].id, items[0].width), (id as u64, 800));
    let answer = fetch(lesson, &cookie).await;
    assert_eq!(answer.status(), StatusCode::OK);
    assert_eq!(answer.headers()[header::CONTENT_TYPE], "image/png");
    let bytes = answer.into_body().collect().await.unwrap().to_bytes();
    let picture = image::load_from_memory(&bytes).unwrap().to_rgb8();
    assert_eq!(picture.dimensions(), (800, 400));
    // The stroke runs along y = 100 from x = 0 to 190: in the box, doubled, at (200, 100).
    assert_eq!(picture.get_pixel(200, 100).0, [0xD5, 0x5E, 0x00]);
    assert_ne!(fetch(other, &stranger).await.status(), StatusCode::OK);
    assert_ne!(fetch(lesson, &stranger).await.status(), StatusCode::OK);

    let file = server.get(&one("download")).await;
    let name = file.headers()[header::CONTENT_DISPOSITION]
        .to_str()
        .unwrap()
        .to_owned();
    assert!(
        name.starts_with("attachment;") && !name.contains('/') && !name.contains("%2F"),
        "{name}"
    );
    assert!(name.contains("%C3%A9t%C3%A9.png"), "{name}");

    for (away, back) in [("take-back", "hand-out"), ("delete", "restore")] {
        post(&server, &one(away), "").await;
        let gone = participant
            .until(|m| matches!(m, FromServer::TakeAways(i) if i.is_empty()).then_some(()));
        gone.await;
        assert_eq!(
            fetch(lesson, &cookie).await.status(),
            StatusCode::NOT_FOUND,
            "{away}"
        );
        post(&server, &one(back), "").await;
        let again = participant
            .until(|m| matches!(m, FromServer::TakeAways(i) if i.len() == 1).then_some(()));
        again.await;
        assert_eq!(
            fetch(lesson, &cookie).await.status(),
            StatusCode::OK,
            "{back}"
        );
    }
    // While the lesson is paused, nothing new comes.
    presenter.send(&pause(true)).await;
    participant
        .until(|m| matches!(m, FromServer::Paused(true)).then_some(()))
        .await;
    let second = take(&server, lesson, first).await;
    post(
        &server,
        &format!("/lessons/{lesson}/captures/{second}/hand-out"),
        "",
    )
    .await;
    presenter.send(&pause(false)).await;
    loop {
        match participant.next().await {
            FromServer::TakeAways(_) => panic!("something new while paused"),
            FromServer::Paused(false) => break,
            _ => {}
        }
    }
    let all =
        participant.until(|m| matches!(m, FromServer::TakeAways(i) if i.len() == 2).then_some(()));
    all.await;
}

/// A box that is nowhere or has no end is refused with its reason, and nothing is kept.
#[tokio::test]
async fn impossible_boxes_are_refused() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let current = server.first_backdrop(lesson).await.0;
    for area in [
        "[1,2]",
        r#"{"x0":0,"y0":0,"x1":0,"y1":0}"#,
        r#"{"x0":5000,"y0":0,"x1":9000,"y1":10}"#,
        r#"{"x0":null,"y0":0,"x1":1,"y1":1}"#,
    ] {
        let request = format!(
            r#"{{"area":{area},"device":1.0,"ratio":1.0,"stage":{{"current":{current},"beside":null,"seen":[]}}}}"#
        );
        let body = format!(
            "--edge\r\ncontent-disposition: form-data; name=\"request\"\r\n\r\n{request}\r\n--edge--\r\n"
        );
        let kind = "multipart/form-data; boundary=edge";
        let path = format!("/lessons/{lesson}/captures");
        let answer = server
            .ask(Request::post(path).header(header::CONTENT_TYPE, kind), body)
            .await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{area}");
    }
    let page = text(server.get(&format!("/lessons/{lesson}/captures")).await).await;
    assert!(!page.contains("picture.png"), "{page}");
}
