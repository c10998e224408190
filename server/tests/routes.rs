//! Every route, by everybody, in every state: the table is held against the router, so that a route
//! that nobody has thought about is found.

use std::collections::BTreeMap;

use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::auth::{passphrase, sessions, token};
use bozzetto::door::{Access, Route};
use bozzetto::recordings::Handed;
use bozzetto::router;
use bozzetto::store::Store;
use bozzetto::take_aways;
use bozzetto_core::stage::backdrop::{BackdropKind, Page};

use crate::common::{Server, pause};

/// Who asks.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Who {
    Presenter,
    Participant,
    /// Joined another lesson.
    Elsewhere,
    Outsider,
}

/// What there is to be had of something that a lesson shows or hands out, by participants, in each
/// state of the lesson: on stage, off stage, paused, deleted.
const STATES: [&str; 4] = ["on stage", "off stage", "paused", "deleted"];

/// The routes of participants, and what one who joined gets in each of [`STATES`].
fn participants() -> BTreeMap<&'static str, [u16; 4]> {
    BTreeMap::from([
        ("/follow/{lesson}", [200, 200, 200, 303]),
        // Asked without a socket's handshake.
        ("/follow/{lesson}/live", [400, 400, 400, 400]),
        ("/follow/{lesson}/placed/{picture}", [404, 404, 404, 403]),
        // The backdrop that is asked for is a document: it is never had as a file.
        (
            "/follow/{lesson}/backdrops/{backdrop}/picture",
            [404, 404, 404, 403],
        ),
        (
            "/follow/{lesson}/backdrops/{backdrop}/video",
            [404, 404, 404, 403],
        ),
        (
            "/follow/{lesson}/backdrops/{backdrop}/pages/{page}",
            // What was seen when it was paused goes on being seen.
            [200, 404, 200, 403],
        ),
        (
            "/follow/{lesson}/take-aways/{capture}/picture.png",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/take-aways/{capture}/small.png",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/take-aways/{capture}/download",
            [200, 200, 200, 403],
        ),
        ("/follow/{lesson}/take-aways.zip", [200, 200, 200, 403]),
        ("/follow/{lesson}/news", [200, 200, 200, 403]),
        ("/follow/{lesson}/asked", [200, 200, 200, 403]),
        // An answer without a form.
        ("/follow/{lesson}/asked/{question}", [200, 200, 200, 403]),
        ("/follow/{lesson}/sent", [200, 200, 200, 403]),
        // Sent without a file, which goes for a snapshot too.
        ("/follow/{lesson}/send", [422, 422, 422, 403]),
        ("/follow/{lesson}/screen/offer", [422, 422, 422, 403]),
        ("/follow/{lesson}/screen/end", [204, 204, 204, 403]),
        ("/follow/{lesson}/snapshots", [422, 422, 422, 403]),
        ("/follow/{lesson}/files-and-links", [200, 200, 200, 403]),
        // The lesson, shown again, which is a page of its own and no film.
        (
            "/follow/{lesson}/files-and-links/{take_away}",
            [303, 303, 303, 403],
        ),
        ("/follow/{lesson}/replays/{take_away}", [200, 200, 200, 403]),
        (
            "/follow/{lesson}/replays/{take_away}/lived",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/replays/{take_away}/about",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/replays/{take_away}/films/{recording}/files/film.mp4",
            [404, 404, 404, 403],
        ),
        (
            "/follow/{lesson}/replays/{take_away}/placed/{picture}",
            [404, 404, 404, 403],
        ),
        (
            "/follow/{lesson}/replays/{take_away}/backdrops/{seen}/picture",
            [404, 404, 404, 403],
        ),
        // The page that was seen is seen again, on stage or not.
        (
            "/follow/{lesson}/replays/{take_away}/backdrops/{seen}/pages/{page}",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/replays/{take_away}/backdrops/{seen}/video",
            [404, 404, 404, 403],
        ),
        ("/follow/{lesson}/films/{take_away}", [404, 404, 404, 403]),
        (
            "/follow/{lesson}/films/{take_away}/files/{file}",
            [404, 404, 404, 403],
        ),
        // A worksheet is no snapshot: a participant deletes none.
        (
            "/follow/{lesson}/mine/{worksheet}/delete",
            [404, 404, 404, 403],
        ),
        ("/follow/{lesson}/mine", [200, 200, 200, 303]),
        ("/follow/{lesson}/mine/{worksheet}", [200, 200, 200, 303]),
        (
            "/follow/{lesson}/mine/{worksheet}/live",
            [400, 400, 400, 400],
        ),
        (
            "/follow/{lesson}/mine/{worksheet}/standing",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/mine/{worksheet}/elsewhere",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/mine/{worksheet}/backdrops/{backdrop}/picture",
            [200, 200, 200, 403],
        ),
        (
            "/follow/{lesson}/mine/{worksheet}/hand-in",
            [200, 200, 200, 403],
        ),
    ])
}

/// The routes that everybody may use.
const ANYBODY: [(&str, &str); 12] = [
    // With a name that nobody guesses.
    ("GET", "/film/{token}"),
    ("GET", "/film/{token}/embed"),
    ("GET", "/film/{token}/files/{file}"),
    ("GET", "/join"),
    ("POST", "/join"),
    ("GET", "/join/{code}"),
    ("GET", "/enter"),
    ("POST", "/enter"),
    ("GET", "/pages/{key}/{*path}"),
    ("GET", "/static/{build}/{*path}"),
    ("GET", "/favicon.ico"),
    ("GET", "/healthz"),
];

struct House {
    server: Server,
    lesson: i64,
    document: i64,
    capture: i64,
    worksheet: i64,
    answer: i64,
    question: i64,
    presenter: String,
    participant: String,
    elsewhere: String,
    _data: tempfile::TempDir,
}

/// A house that others can reach, with a document on stage and a capture handed out.
async fn house() -> House {
    let data = tempfile::tempdir().unwrap();
    let store = Store::open(data.path()).unwrap();
    let set = store.write(|c| passphrase::set(c, "sea room to leeward"));
    set.await.unwrap();
    let mut server = Server::start(data.path()).await;
    let (lesson, other) = (server.lesson().await, server.lesson().await);
    let pdf = include_bytes!("../../demo/Notices to mariners.pdf");
    let document = server.bring(lesson, "notices.pdf", pdf).await;
    let capture = server.capture(lesson).await;
    let request = Request::post(format!("/lessons/{lesson}/captures/{capture}/hand-out"));
    assert_eq!(server.ask(request, Body::empty()).await.status(), 200);
    let participant = server.join(lesson, "Sefa").await;
    let elsewhere = server.join(other, "Ines").await;
    let give = Request::post(format!("/lessons/{lesson}/captures/{capture}/worksheet"))
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
    assert_eq!(server.ask(give, Body::empty()).await.status(), 200);
    let ask = Request::post(format!("/lessons/{lesson}/asked"))
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
    let asked = server.ask(ask, Body::from("kind=yes-no")).await;
    assert_eq!(asked.status(), 200);
    take_aways::hand_out_replay(&server.app, lesson, "Tides", Handed::default())
        .await
        .unwrap();
    let head = "--cut\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.pdf\"\r\n\r\n";
    let body = [head.as_bytes(), pdf, b"\r\n--cut--\r\n"].concat();
    let send = Request::post(format!("/follow/{lesson}/send"))
        .header(header::CONTENT_TYPE, "multipart/form-data; boundary=cut")
        .header(header::COOKIE, &participant);
    assert_eq!(server.ask(send, body).await.status(), 200);
    let open =
        Request::get(format!("/follow/{lesson}/mine/1")).header(header::COOKIE, &participant);
    assert_eq!(server.ask(open, Body::empty()).await.status(), 200);
    // From now on it asks for the passphrase.
    server.change(|app| app.open = false);
    let session = token::new();
    let hash = token::hash(&session);
    let begun = server
        .app
        .store
        .write(move |c| sessions::begin(c, &hash, ""));
    begun.await.unwrap();
    House {
        server,
        lesson,
        document,
        capture,
        worksheet: 1,
        answer: 1,
        question: 1,
        presenter: format!("presenter={session}"),
        participant,
        elsewhere,
        _data: data,
    }
}

impl House {
    fn cookie(&self, who: Who) -> &str {
        match who {
            Who::Presenter => &self.presenter,
            Who::Participant => &self.participant,
            Who::Elsewhere => &self.elsewhere,
            Who::Outsider => "",
        }
    }

    fn address(&self, path: &str) -> String {
        path.replace("{lesson}", &self.lesson.to_string())
            .replace("{backdrop}", &self.document.to_string())
            .replace("{capture}", &self.capture.to_string())
            .replace("{worksheet}", &self.worksheet.to_string())
            .replace("{answer}", &self.answer.to_string())
            .replace("{question}", &self.question.to_string())
            .replace("{sent}", &self.question.to_string())
            .replace("{take_away}", &self.question.to_string())
            .replace("{page}", "0?width=512")
            .replace("{picture}", "1")
            .replace("{recording}", "1")
            .replace("{link}", "1")
            .replace("{seen}", &self.document.to_string())
            .replace("{file}", "film.mp4")
            .replace("{code}", "AAAAAAAA")
            .replace("{by}", "1")
            .replace("{person}", "1")
            .replace("{session}", "1")
            .replace("{key}", "1-2-3")
            .replace("{build}", "0")
            .replace("{*path}", "css/look.css")
    }

    async fn status(&self, route: &Route, who: Who) -> u16 {
        let address = self.address(&route.path);
        let request = Request::builder()
            .method(route.method)
            .uri(address)
            .header(header::COOKIE, self.cookie(who));
        self.server
            .ask(request, Body::empty())
            .await
            .status()
            .into()
    }

    /// Puts the lesson into one of [`STATES`].
    async fn be(&self, state: &str) {
        let lesson = self.lesson;
        let post = async |path: String| {
            let request = Request::post(path)
                .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
                .header(header::COOKIE, &self.presenter);
            assert!(
                self.server
                    .ask(request, Body::empty())
                    .await
                    .status()
                    .is_success()
            );
        };
        match state {
            "off stage" => {
                post(format!("/lessons/{lesson}/boards")).await;
                self.server
                    .until_on_stage(lesson, self.document, false)
                    .await;
            }
            "paused" => {
                let (mut presenter, _) = self.server.presenter(lesson).await;
                presenter.send(&pause(true)).await;
                presenter.paused().await;
            }
            "deleted" => post(format!("/lessons/{lesson}/delete")).await,
            _ => {}
        }
    }
}

/// Outsiders and participants get nowhere near a presenter's routes; the passphrase is asked for
/// before anything is said of what is there.
#[tokio::test(flavor = "multi_thread")]
async fn presenters_routes_are_presenters_only() {
    let house = house().await;
    let all = router::routes();
    let theirs: Vec<&Route> = all
        .iter()
        .filter(|r| r.access == Access::Presenter)
        .collect();
    assert!(theirs.len() > 50);
    for route in theirs {
        let refused = if route.method == "GET" { 303 } else { 403 };
        for who in [Who::Participant, Who::Elsewhere, Who::Outsider] {
            assert_eq!(house.status(route, who).await, refused, "{route:?} {who:?}");
        }
    }
}

/// What is not of the lesson that an address names is not there for its presenter either: 404,
/// whichever of its names is wrong.
#[tokio::test(flavor = "multi_thread")]
async fn ids_of_other_lessons_are_not_found() {
    let mut house = house().await;
    let all = router::routes();
    let of_lessons = all
        .iter()
        .filter(|r| r.access == Access::Presenter && r.path.starts_with("/lessons/{lesson}"));
    let of_lessons: Vec<Route> = of_lessons.cloned().collect();
    let own = (house.lesson, house.document, house.capture);
    let other = house.server.lesson().await;
    for (lesson, document, capture, answer) in [
        (own.0 + 100, own.1, own.2, 1),
        (other, own.1, own.2, 1),
        (own.0, own.1 + 100, own.2 + 100, 2),
    ] {
        (house.lesson, house.document, house.capture) = (lesson, document, capture);
        (house.worksheet, house.answer, house.question) = (answer, answer, answer);
        for route in &of_lessons {
            let names_part = [
                "{backdrop}",
                "{capture}",
                "{worksheet}",
                "{question}",
                "{sent}",
            ]
            .iter()
            .any(|n| route.path.contains(n));
            if lesson == own.0 + 100 || names_part {
                assert_eq!(house.status(route, Who::Presenter).await, 404, "{route:?}");
            }
        }
    }
}

/// Each route of participants, for everybody, in each state: whoever has not joined this lesson is
/// answered alike whether the lesson is there, deleted, or never was.
#[tokio::test(flavor = "multi_thread")]
async fn participants_get_what_is_on_stage_and_no_more() {
    let table = participants();
    for (i, state) in STATES.iter().enumerate() {
        let house = house().await;
        house.be(state).await;
        for route in router::routes() {
            if route.access != Access::Participant {
                continue;
            }
            let wanted = table.get(route.path.as_str());
            let wanted = wanted.unwrap_or_else(|| panic!("{route:?} is not in the table"))[i];
            let got = house.status(&route, Who::Participant).await;
            assert_eq!(got, wanted, "{} while {state}", route.path);
            let pages = [
                "/follow/{lesson}",
                "/follow/{lesson}/mine",
                "/follow/{lesson}/mine/{worksheet}",
            ];
            let refused = if pages.contains(&route.path.as_str()) {
                303
            } else {
                403
            };
            // A socket's handshake is looked at before anything else.
            let refused = if route.path.ends_with("/live") {
                400
            } else {
                refused
            };
            for who in [Who::Elsewhere, Who::Outsider] {
                assert_eq!(
                    house.status(&route, who).await,
                    refused,
                    "{route:?} {who:?}"
                );
            }
            let mut nowhere = route.clone();
            nowhere.path = nowhere.path.replace("{lesson}", "999");
            assert_eq!(house.status(&nowhere, Who::Elsewhere).await, refused);
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_for_everybody_is_known() {
    let mut open: Vec<_> = router::routes();
    open.retain(|r| r.access == Access::Anybody);
    let open: Vec<(&str, &str)> = open.iter().map(|r| (r.method, r.path.as_str())).collect();
    let mut known = ANYBODY.to_vec();
    known.sort_unstable();
    let mut found = open.clone();
    found.sort_unstable();
    assert_eq!(found, known);
}

/// A page's files open with the key that its presenter's frame was given, and with nothing else: not
/// with its name, not for longer, and not once the backdrop is gone.
#[tokio::test(flavor = "multi_thread")]
async fn the_key_to_a_page_ends_with_it() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let page = server
        .bring(lesson, "tide.html", b"<!doctype html><p>Tides")
        .await;
    let frame = server
        .get(&format!(
            "/lessons/{lesson}/backdrops/{page}/frame/index.html"
        ))
        .await;
    let address = frame.headers()[header::LOCATION]
        .to_str()
        .unwrap()
        .to_owned();
    assert_eq!(server.get(&address).await.status(), 200);
    let kind = server.app.live.look(lesson).await.unwrap().order[1]
        .kind
        .clone();
    let BackdropKind::Page(Page::Kept { name, .. }) = kind else {
        panic!("a page")
    };
    assert_eq!(
        server
            .get(&format!("/pages/{name}/index.html"))
            .await
            .status(),
        404
    );
    let old = bozzetto::backdrops::page_key(&server.app, page, bozzetto::now() - 1);
    assert_eq!(
        server
            .get(&format!("/pages/{old}/index.html"))
            .await
            .status(),
        404
    );
    let forged = address.replacen(&format!("/pages/{page:x}-"), "/pages/1-", 1);
    assert!(forged != address || page == 1);
    let key = address.strip_suffix("/index.html").unwrap();
    let other = if key.ends_with('0') { '1' } else { '0' };
    let tampered = format!("{}{other}/index.html", &key[..key.len() - 1]);
    assert_eq!(server.get(&tampered).await.status(), 404);

    // Participants are told neither its name nor its files' names.
    let cookie = server.join(lesson, "Sefa").await;
    let (_, welcome) = server.participant(lesson, &cookie).await;
    let told = bozzetto_core::wire::encode(&welcome);
    let told = String::from_utf8_lossy(&told).into_owned();
    assert!(!told.contains(&name) && !told.contains("index.html"));

    let remove = Request::post(format!("/lessons/{lesson}/backdrops/{page}/remove"));
    assert_eq!(server.ask(remove, Body::empty()).await.status(), 200);
    assert_eq!(server.get(&address).await.status(), 404);
}
