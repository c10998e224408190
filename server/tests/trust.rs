//! Who is let in, and what is refused of what people bring.

mod common;

use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::app::{App, StartError};
use bozzetto::auth::passphrase;
use bozzetto::backdrops;
use bozzetto::store::Store;
use common::{Server, text};

/// A server that other machines could reach does not start without a passphrase; with one, it asks
/// for it on every presenter's page and socket.
#[tokio::test]
async fn other_machines_need_the_passphrase() {
    let data = tempfile::tempdir().unwrap();
    let anywhere = "0.0.0.0:7070".parse().unwrap();
    let refused = App::open(data.path(), anywhere, false).await;
    assert!(matches!(refused, Err(StartError::NoPassphrase(_))));

    let store = Store::open(data.path()).unwrap();
    store
        .write(|c| passphrase::set(c, "sea room to leeward"))
        .await
        .unwrap();
    let mut server = Server::start(data.path()).await;
    server.app = App::open(data.path(), anywhere, false).await.unwrap();
    let lesson = server.lesson().await;
    for path in [
        "/".to_owned(),
        format!("/lessons/{lesson}/stage"),
        format!("/lessons/{lesson}/captures"),
    ] {
        let answer = server.get(&path).await;
        assert_eq!(
            (
                answer.status().as_u16(),
                answer.headers()[header::LOCATION].to_str().unwrap()
            ),
            (303, "/enter")
        );
    }
    let enter = |phrase: &str| {
        let request = Request::post("/enter")
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
        server.ask(request, format!("passphrase={}", phrase.replace(' ', "+")))
    };
    assert_eq!(enter("sea room to windward").await.status(), 422);
    let let_in = enter("sea room to leeward").await;
    assert_eq!(let_in.status(), 303);
    let cookie = let_in.headers()[header::SET_COOKIE]
        .to_str()
        .unwrap()
        .to_owned();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"));
    let cookie = cookie.split(';').next().unwrap();
    let home = server
        .ask(
            Request::get("/").header(header::COOKIE, cookie),
            Body::empty(),
        )
        .await;
    assert_eq!(home.status(), 200);
}

/// A wrong code says so and makes the next one wait; nobody follows without having joined; and
/// having joined one lesson opens no other, and nothing of the presenter's.
#[tokio::test]
async fn codes_are_needed_and_guessing_waits() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let (lesson, other) = (server.lesson().await, server.lesson().await);
    let cookie = server.join(lesson, "Sefa").await;
    let follow = |lesson: i64, cookie: &str| {
        let request =
            Request::get(format!("/follow/{lesson}")).header(header::COOKIE, cookie.to_owned());
        server.ask(request, Body::empty())
    };
    assert_eq!(follow(lesson, &cookie).await.status(), 200);
    assert_eq!(follow(other, &cookie).await.status(), 303);
    assert_eq!(follow(lesson, "participant_1=forged").await.status(), 303);

    let mut answers = Vec::new();
    for _ in 0..4 {
        let request = Request::post("/join")
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
        let answer = server.ask(request, "code=AAAAAA&name=Guess").await;
        assert_eq!(answer.status(), 422);
        answers.push(text(answer).await);
    }
    assert!(answers[0].contains("No lesson has this code"));
    assert!(answers[2].contains("in 1 second."));
    assert!(answers[3].contains("Please wait"));
}

/// A page of another site cannot make the presenter's browser do anything here, and a name that
/// somebody else points at this machine is not answered.
#[tokio::test]
async fn other_sites_cannot_reach_in() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let forged = Request::post("/lessons/now").header(header::ORIGIN, "https://elsewhere.example");
    assert_eq!(server.ask(forged, Body::empty()).await.status(), 403);
    let socket = Request::get("/lessons/1/live")
        .header(header::UPGRADE, "websocket")
        .header(header::ORIGIN, "https://elsewhere.example");
    assert_eq!(server.ask(socket, Body::empty()).await.status(), 403);
    let home = server.get("/").await;
    let policy = home.headers()[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap();
    assert!(
        policy.contains("script-src 'self' 'wasm-unsafe-eval';")
            && !policy.contains("unsafe-inline")
    );
    assert_eq!(home.headers()["x-content-type-options"], "nosniff");
}

/// Uploads: known by content, limited, and SVG written anew.
#[tokio::test]
async fn what_people_bring_is_judged_by_its_content() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let upload = async |name: &str, bytes: &[u8]| {
        let mut body = format!(
            "--cut\r\nContent-Disposition: form-data; name=\"picture\"; filename=\"{name}\"\r\n\r\n"
        )
        .into_bytes();
        body.extend(bytes);
        body.extend(b"\r\n--cut--\r\n");
        let kind = "multipart/form-data; boundary=cut";
        let request = Request::post(format!("/lessons/{lesson}/backdrops"))
            .header(header::CONTENT_TYPE, kind);
        let answer = server.ask(request, body).await;
        (answer.status().as_u16(), text(answer).await)
    };
    let (status, why) = upload("notes.png", b"these are only words").await;
    assert!(
        status == 422
            && why.contains("not a picture that can be shown")
            && why.contains("PNG, JPEG, WebP, AVIF, GIF and SVG")
    );

    // A header that promises 100 000 x 100 000 pixels and has none: refused before it is unpacked.
    let mut bomb = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec();
    bomb.extend(100_000u32.to_be_bytes());
    bomb.extend(100_000u32.to_be_bytes());
    bomb.extend([1, 0, 0, 0, 0]);
    let crc = crc32(&bomb[12..]);
    bomb.extend(crc.to_be_bytes());
    bomb.extend(b"\0\0\0\0IDAT\x35\xaf\x06\x1e");
    let (status, why) = upload("bomb.png", &bomb).await;
    assert!(
        status == 422 && why.contains("100000 × 100000 pixels"),
        "{why}"
    );

    let half = &include_bytes!("../../demo/Echo sounder, Isola Corda.png")[..40_000];
    let (status, why) = upload("half.png", half).await;
    assert!(status == 422 && why.contains("damaged"), "{why}");
    let stored: i64 = server
        .app
        .store
        .read(|c| Ok(c.query_row("SELECT count(*) FROM media", [], |r| r.get(0))?))
        .await
        .unwrap();
    assert_eq!(stored, 0);
    assert_eq!(
        std::fs::read_dir(data.path().join("media"))
            .unwrap()
            .count(),
        0
    );

    let svg = br#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="80" height="60" onload="alert(1)">
        <script>alert(2)</script><image href="http://elsewhere.example/spy.png" width="9" height="9"/>
        <image href="/etc/passwd" width="9" height="9"/>
        <a xlink:href="javascript:alert(3)"><rect width="40" height="30" fill="teal"/></a>
        <foreignObject width="10" height="10"><body xmlns="http://www.w3.org/1999/xhtml"><iframe src="x"/></body></foreignObject>
        <text x="5" y="50">tide</text></svg>"#;
    let (status, _) = upload("sketch.svg", svg).await;
    assert_eq!(status, 200);
    let id = server
        .app
        .live
        .look(lesson)
        .await
        .unwrap()
        .order
        .last()
        .unwrap()
        .id;
    let id = id.0 as i64;
    let sha = server
        .app
        .store
        .read(move |c| backdrops::queries::media_of(c, lesson, id))
        .await
        .unwrap()
        .unwrap();
    let kept = String::from_utf8(server.app.media.read(&sha).unwrap()).unwrap();
    for bad in [
        "script",
        "onload",
        "alert",
        "elsewhere",
        "passwd",
        "iframe",
        "foreignObject",
        "<text",
        "href=\"javascript",
    ] {
        assert!(!kept.contains(bad), "{bad} in {kept}");
    }
    assert!(kept.contains("#008080") && kept.contains("<path"));
    let served = server
        .get(&format!("/lessons/{lesson}/backdrops/{id}/picture"))
        .await;
    let policy = served.headers()[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap();
    assert!(policy.contains("sandbox") && policy.contains("default-src 'none'"));
}

/// CRC-32 as PNG has it (W3C PNG, annex D), bit by bit.
fn crc32(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(!0u32, |crc, b| {
        (0..8).fold(crc ^ u32::from(*b), |c, _| {
            if c & 1 == 1 {
                0xedb8_8320 ^ (c >> 1)
            } else {
                c >> 1
            }
        })
    })
}
