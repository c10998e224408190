//! What is hidden in a capture is on the server nowhere else, and for good nowhere at all.

use std::fs;
use std::io::Cursor;
use std::path::Path;

use crate::common::{Browser, Server, stroke, text};
use axum::body::Body;
use axum::http::Request;
use bozzetto_core::geometry::frames::{Map, Point, Size};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body as MarkBody, Mark};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use image::{ImageFormat, Rgba, RgbaImage};
use rusqlite::params;

const PAPER: Rgba<u8> = Rgba([236, 240, 232, 255]);
const SECRET: Rgba<u8> = Rgba([224, 16, 144, 255]);
/// Where the secret is in a picture of 1920 by 1080.
const AT: [u32; 4] = [300, 200, 500, 260];

/// A frame of a shared screen with something in it that nobody is to see.
fn frame() -> Vec<u8> {
    let inside = |x, y| (AT[0]..AT[2]).contains(&x) && (AT[1]..AT[3]).contains(&y);
    let picture = RgbaImage::from_fn(1920, 1080, |x, y| if inside(x, y) { SECRET } else { PAPER });
    let mut png = Cursor::new(Vec::new());
    picture.write_to(&mut png, ImageFormat::Png).unwrap();
    png.into_inner()
}

fn has_secret(picture: &RgbaImage) -> bool {
    let near = |p: &Rgba<u8>| p.0.iter().zip(SECRET.0).all(|(a, b)| a.abs_diff(b) < 24);
    picture.pixels().any(near)
}

/// The names of the files that show the secret.
fn shown_in(data: &Path) -> Vec<String> {
    let files = fs::read_dir(data.join("media"))
        .unwrap()
        .map(|f| f.unwrap());
    let shows = files.filter(|file| {
        let bytes = fs::read(file.path()).unwrap();
        let picture = image::load_from_memory_with_format(&bytes, ImageFormat::Png);
        has_secret(&picture.unwrap().into_rgba8())
    });
    shows
        .map(|file| file.file_name().into_string().unwrap())
        .collect()
}

/// Whether the database or what lies beside it says this anywhere.
fn says(data: &Path, words: &str) -> bool {
    let files = ["bozzetto.db", "bozzetto.db-wal"].map(|name| fs::read(data.join(name)));
    let words = words.as_bytes();
    files
        .into_iter()
        .flatten()
        .any(|file| file.windows(words.len()).any(|w| w == words))
}

/// Makes a shared screen of a lesson's backdrop, before anybody has opened it; gives its number.
async fn shared(server: &Server, lesson: i64) -> u64 {
    let share = move |conn: &rusqlite::Connection| {
        let set = "UPDATE backdrop SET kind = '\"share\"' WHERE lesson = ?1 RETURNING id";
        Ok(conn.query_row(set, [lesson], |row| row.get::<_, i64>(0))?)
    };
    server.app.store.write(share).await.unwrap() as u64
}

/// Takes the stage with a shared screen on it; gives the capture's number.
async fn take(server: &Server, lesson: i64, backdrop: u64) -> i64 {
    let request = format!(
        r#"{{"area":{{"x0":0,"y0":0,"x1":1920,"y1":1080}},"device":1.0,"ratio":1.0,
        "stage":{{"current":{backdrop},"beside":null,"seen":[]}},"way":"stage"}}"#
    );
    let frames = format!(r#"[["{backdrop}",[0,0,1920,1080]]]"#);
    let part = "--cut\r\nContent-Disposition: form-data; name=";
    let mut body = format!(
        "{part}\"request\"\r\n\r\n{request}\r\n{part}\"frames\"\r\n\r\n{frames}\r\n{part}\"frame\"; filename=\"frame.png\"\r\n\r\n"
    )
    .into_bytes();
    body.extend(frame());
    body.extend(b"\r\n--cut--\r\n");
    let post = Request::post(format!("/lessons/{lesson}/captures"))
        .header("content-type", "multipart/form-data; boundary=cut");
    let answer = server.ask(post, Body::from(body)).await;
    let status = answer.status();
    let said = text(answer).await;
    assert_eq!(status, 200, "{said}");
    let read = server.app.store.read(move |conn| {
        let newest = "SELECT max(id) FROM capture WHERE lesson = ?1";
        Ok(conn.query_row(newest, [lesson], |row| row.get(0))?)
    });
    read.await.unwrap()
}

async fn post(server: &Server, path: &str, json: Option<String>) -> (u16, String) {
    let request = Request::post(path);
    let (request, body) = match json {
        Some(json) => (
            request.header("content-type", "application/json"),
            Body::from(json),
        ),
        None => (request, Body::empty()),
    };
    let answer = server.ask(request, body).await;
    (answer.status().as_u16(), text(answer).await)
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_hidden_for_good_is_nowhere() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = shared(&server, lesson).await;
    let id = take(&server, lesson, backdrop).await;
    // The frame, the picture and its small version; the frame is also how the backdrop looks in the running order.
    assert_eq!(shown_in(data.path()).len(), 3);
    let poster = || async {
        let read = server.app.store.read(move |conn| {
            let look = "SELECT poster FROM backdrop WHERE id = ?1";
            Ok(conn.query_row(look, params![backdrop as i64], |row| {
                row.get::<_, Option<String>>(0)
            })?)
        });
        read.await.unwrap()
    };
    let frame = poster().await.expect("a poster");
    let small = format!("/lessons/{lesson}/backdrops/{backdrop}/thumbnail.png");
    let seen =
        |bytes: Vec<u8>| image::load_from_memory(&bytes).map(|i| has_secret(&i.into_rgba8()));
    let get = async |path: &str| {
        let answer = server.get(path).await;
        axum::body::to_bytes(answer.into_body(), usize::MAX)
            .await
            .unwrap()
            .to_vec()
    };
    assert!(seen(get(&small).await).unwrap());

    let bench = format!("/lessons/{lesson}/captures/{id}/bench");
    let cut = |how: &str| {
        format!(
            r#"{{"way":"stage","area":{{"x0":0,"y0":0,"x1":1920,"y1":1080}},"parts":{{}},"there":{{}},
            "bench":{{"hidden":[{{"area":{{"x0":290,"y0":190,"x1":510,"y1":270}},"how":"{how}"}}]}}}}"#
        )
    };
    for how in ["pixelate", "blur", "fill"] {
        let (status, said) = post(&server, &format!("{bench}/cut"), Some(cut(how))).await;
        assert_eq!(status, 200, "{said}");
        assert_eq!(shown_in(data.path()), [frame.as_str()], "{how}");
        let picture = format!("/lessons/{lesson}/captures/{id}/picture.png");
        assert!(!seen(get(&picture).await).unwrap());
    }
    assert_eq!(poster().await, None);
    assert!(!seen(get(&small).await).unwrap_or(false));
    // Until it is for good it can be brought back: the bench has all of it.
    assert!(seen(get(&format!("{bench}/whole.png")).await).unwrap());
    let (status, _) = post(&server, &format!("{bench}/versions/1"), None).await;
    assert_eq!((status, shown_in(data.path()).len()), (200, 3));
    post(&server, &format!("{bench}/cut"), Some(cut("fill"))).await;

    assert!(says(data.path(), &frame));
    let (status, said) = post(&server, &format!("{bench}/for-good"), None).await;
    assert_eq!(status, 200, "{said}");
    assert!(said.contains("It stays as it is"), "{said}");
    assert!(shown_in(data.path()).is_empty());
    assert!(!says(data.path(), &frame));
    let (status, said) = post(&server, &format!("{bench}/versions/1"), None).await;
    assert_eq!(status, 404, "{said}");
    let (status, said) = post(&server, &format!("{bench}/cut"), Some(cut("blur"))).await;
    assert_eq!(status, 422, "{said}");
    // A cut that is none says what is wrong, and the picture stays.
    let (status, _) = post(&server, &format!("{bench}/cut"), Some("{}".to_owned())).await;
    assert_eq!(status, 422);
    assert!(
        !get(&format!("/lessons/{lesson}/captures/{id}/download"))
            .await
            .is_empty()
    );
}

/// Puts a capture on the glass of a lesson as a mark.
async fn place(server: &Server, onto: &mut Browser, lesson: i64, id: i64) {
    let path = format!("/lessons/{lesson}/captures/{id}/place");
    let (status, said) = post(server, &path, None).await;
    assert_eq!(status, 200, "{said}");
    let said: serde_json::Value = serde_json::from_str(&said).unwrap();
    let name: u64 = said["picture"].as_str().unwrap().parse().unwrap();
    let area = Size::glass(16.0, 9.0);
    let placed = Placement::new(name, (1920, 1080), Point::new(960.0, 540.0), area);
    let (id, style) = (id as u64, stroke(1).style);
    let body = MarkBody::Picture(placed);
    let mark = Mark::new(MarkId(id), AuthorId(0), style, body, Map::coincident(), 1);
    let (sheet, op) = (SheetId::Glass, Op::Add(mark));
    onto.act(id, Intent::Do(vec![Step { sheet, op }])).await;
    assert!(onto.told(id).await);
}

/// A capture is placed on another stage, that is captured, and this is placed in turn: what is hidden in the first is
/// hidden in all of them, but for one that nobody can change any more. Of that it is said.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_hidden_is_so_in_captures_of_it() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let (lesson, other) = (server.lesson().await, server.lesson().await);
    let backdrop = shared(&server, lesson).await;
    let first = take(&server, lesson, backdrop).await;
    let (mut presenter, _) = server.presenter(other).await;
    place(&server, &mut presenter, lesson, first).await;
    let second = server.capture(other).await;
    place(&server, &mut presenter, other, second).await;
    server.capture(other).await;
    // The frame, and two files of each.
    assert_eq!(shown_in(data.path()).len(), 7);
    let last = server.capture(other).await;
    let bench = |of, id| format!("/lessons/{of}/captures/{id}/bench");
    let (status, _) = post(&server, &format!("{}/for-good", bench(other, last)), None).await;
    assert_eq!(status, 200);

    let hidden = r#"{"way":"stage","area":{"x0":0,"y0":0,"x1":1920,"y1":1080},"parts":{},"there":{},
        "bench":{"hidden":[{"area":{"x0":290,"y0":190,"x1":510,"y1":270},"how":"fill"}]}}"#;
    let cut = format!("{}/cut", bench(lesson, first));
    let (status, said) = post(&server, &cut, Some(hidden.to_owned())).await;
    assert_eq!(status, 200, "{said}");
    assert!(said.contains("still to be seen in"), "{said}");
    // The frame, and that one's.
    assert_eq!(shown_in(data.path()).len(), 3);
}

/// A capture is a worksheet, somebody has marked it, what they made is put on stage, and that is captured: what is hidden
/// in the capture then is hidden in all of them.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_hidden_is_so_in_its_worksheet() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = shared(&server, lesson).await;
    let first = take(&server, lesson, backdrop).await;
    let give = Request::post(format!("/lessons/{lesson}/captures/{first}/worksheet"))
        .header("content-type", "application/x-www-form-urlencoded");
    let given = server.ask(give, Body::from("instruction=Ring+it")).await;
    assert_eq!(given.status(), 200);
    let cookie = server.join(lesson, "Ines").await;
    let mine = Request::get(format!("/follow/{lesson}/mine/1")).header("cookie", &cookie);
    assert_eq!(server.ask(mine, Body::empty()).await.status(), 200);
    let show = format!("/lessons/{lesson}/worksheets/1/on-stage");
    let (status, said) = post(&server, &show, Some("[1]".to_owned())).await;
    assert_eq!(status, 204, "{said}");
    let look = server.app.live.look(lesson).await.unwrap();
    let on_stage = look.stage.current.as_ref().unwrap();
    assert!(on_stage.id.0 != backdrop && on_stage.name.ends_with(" 1"));
    server.capture(lesson).await;
    // The frame, the first capture's two files, and the second's, of which one is as one of those.
    assert_eq!(shown_in(data.path()).len(), 4);

    let hidden = r#"{"way":"stage","area":{"x0":0,"y0":0,"x1":1920,"y1":1080},"parts":{},"there":{},
        "bench":{"hidden":[{"area":{"x0":290,"y0":190,"x1":510,"y1":270},"how":"fill"}]}}"#;
    let cut = format!("/lessons/{lesson}/captures/{first}/bench/cut");
    let (status, said) = post(&server, &cut, Some(hidden.to_owned())).await;
    assert_eq!(status, 200, "{said}");
    // The frame alone: it is what the capture is made from.
    assert_eq!(shown_in(data.path()).len(), 1);
    for picture in [
        "worksheets/1/picture".to_owned(),
        format!("backdrops/{}/thumbnail.png", on_stage.id.0),
    ] {
        let answer = server.get(&format!("/lessons/{lesson}/{picture}")).await;
        let bytes = axum::body::to_bytes(answer.into_body(), usize::MAX)
            .await
            .unwrap();
        let shown = image::load_from_memory(&bytes).unwrap().into_rgba8();
        assert!(!has_secret(&shown), "{picture}");
    }
}
