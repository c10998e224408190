//! Who is let in, and what is refused of what people bring.

use crate::common::{self, Server, text};
use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::app::{App, StartError};
use bozzetto::auth::passphrase;
use bozzetto::backdrops;
use bozzetto::store::Store;

/// A server that other machines could reach does not start without a passphrase; with one, it asks
/// for it on every presenter's page and socket.
#[tokio::test]
async fn other_machines_need_the_passphrase() {
    let data = tempfile::tempdir().unwrap();
    let anywhere = "0.0.0.0:7070".parse().unwrap();
    let refused = App::open(data.path(), common::options(anywhere)).await;
    assert!(matches!(refused, Err(StartError::NoPassphrase(_))));

    let store = Store::open(data.path()).unwrap();
    store
        .write(|c| passphrase::set(c, "sea room to leeward"))
        .await
        .unwrap();
    let mut server = Server::start(data.path()).await;
    let app = App::open(data.path(), common::options(anywhere)).await;
    server.change(|same| *same = app.unwrap());
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

/// Nobody follows without having joined; and having joined one lesson opens no other, and nothing of
/// the presenter's.
#[tokio::test]
async fn joining_one_lesson_opens_no_other() {
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
}

/// The server does not look around in its own network for whoever adds an address, nor where an
/// address leads to; whoever runs it can allow that.
#[tokio::test(flavor = "multi_thread")]
async fn addresses_of_the_own_network_are_refused() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let inside = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = inside.local_addr().unwrap();
    let add = async |server: &Server, lesson: i64, address: &str| {
        let request = Request::post(format!("/lessons/{lesson}/pages"))
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
        let answer = server.ask(request, format!("address={address}")).await;
        (answer.status().as_u16(), text(answer).await)
    };
    for name in [
        address.to_string(),
        format!("localhost:{}", address.port()),
        "169.254.169.254".to_owned(),
        "[::1]:80".to_owned(),
    ] {
        let (status, said) = add(&server, lesson, &format!("http://{name}/admin")).await;
        assert!(
            status == 422 && said.contains("own network"),
            "{name}: {status} {said}"
        );
    }
    // Nobody was asked.
    let asked = tokio::time::timeout(std::time::Duration::from_millis(50), inside.accept()).await;
    assert!(asked.is_err());
    let count = server.app.live.look(lesson).await.unwrap().order.len();
    assert_eq!(count, 1);

    let other = tempfile::tempdir().unwrap();
    let server = Server::start_with(other.path(), |o| o.private_addresses = true).await;
    let lesson = server.lesson().await;
    let answering = tokio::spawn(async move {
        use tokio::io::{AsyncReadExt, AsyncWriteExt};
        let (mut line, _) = inside.accept().await.unwrap();
        let _ = line.read(&mut [0; 1024]).await.unwrap();
        line.write_all(b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")
            .await
            .unwrap();
    });
    let (status, said) = add(&server, lesson, &format!("http://{address}/")).await;
    assert!(status == 200 && said.contains("\"added\":true"), "{said}");
    answering.await.unwrap();
    // It is shown in a frame within a frame of ours, which gives it no more than it needs.
    let id = server.app.live.look(lesson).await.unwrap().order[1].id.0;
    let frame = server
        .get(&format!("/lessons/{lesson}/backdrops/{id}/address"))
        .await;
    let policy = frame.headers()[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap();
    assert!(policy.contains("default-src 'none'") && policy.contains("frame-ancestors 'self'"));
    let page = text(frame).await;
    assert!(page.contains("sandbox=\"allow-scripts allow-forms allow-same-origin\""));
    let stage = server.get(&format!("/lessons/{lesson}/stage")).await;
    let policy = stage.headers()[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap();
    assert!(policy.contains("frame-src 'self';"), "{policy}");
}

/// A server that opens without a passphrase is not opened by a proxy; what is served over TLS says so
/// for the future, and pages may use of the device what the stage needs.
#[tokio::test]
async fn a_proxy_does_not_open_the_house() {
    let data = tempfile::tempdir().unwrap();
    let mut server = Server::start(data.path()).await;
    for sign in ["x-forwarded-for", "forwarded", "via", "x-real-ip"] {
        let request = Request::get("/").header(sign, "203.0.113.9");
        assert_eq!(
            server.ask(request, Body::empty()).await.status(),
            421,
            "{sign}"
        );
    }
    let plain = server.get("/").await;
    assert!(!plain.headers().contains_key("strict-transport-security"));
    let permissions = plain.headers()["permissions-policy"].to_str().unwrap();
    assert!(permissions.contains("camera=(self)") && permissions.contains("geolocation=()"));
    server.change(|app| app.tls = true);
    let lesson = server.lesson().await;
    let cookie = server.join(lesson, "Sefa").await;
    assert!(cookie.contains("__Host-participant_") && cookie.contains("__Host-browser="));
    let home = server.get("/").await;
    assert!(
        home.headers()["strict-transport-security"]
            .to_str()
            .unwrap()
            .contains("max-age=31536000")
    );
    // Without TLS where others can reach it, the presenter is told.
    (server.app.tls, server.app.open) = (false, true);
    let quiet = text(server.get("/").await).await;
    assert!(!quiet.contains("without TLS"));
}

/// The data folder is its owner's alone.
#[tokio::test]
async fn nobody_else_on_the_machine_reads_the_data() {
    use std::os::unix::fs::PermissionsExt;
    let data = tempfile::tempdir().unwrap();
    std::fs::set_permissions(data.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    server.capture(lesson).await;
    let mode =
        |path: &std::path::Path| std::fs::metadata(path).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(data.path()), 0o700);
    assert_eq!(mode(&data.path().join("media")), 0o700);
    for folder in [data.path().to_owned(), data.path().join("media")] {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_file() {
                assert_eq!(mode(&path), 0o600, "{}", path.display());
            }
        }
    }
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
    let path = format!("/lessons/{lesson}/backdrops");
    let upload = |name: &'static str, bytes: &'static [u8]| server.upload(&path, name, bytes);
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
    let (status, why) = server.upload(&path, "bomb.png", &bomb).await;
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
