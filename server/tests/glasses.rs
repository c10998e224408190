//! The part that runs in browsers, against a server: several people draw at once, lines break, and
//! in the end everybody sees the same.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;

use crate::common::Server;
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::tools::in_hand::{InHand, Kind};
use bozzetto_glass::Glass;
use futures_util::{FutureExt, SinkExt, StreamExt};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use serde_json::Value;
use tokio::net::TcpStream;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream};

/// A page in somebody's browser, and its line to the server while it has one.
struct Page {
    glass: Glass,
    line: Option<WebSocketStream<MaybeTlsStream<TcpStream>>>,
    path: String,
    cookie: Option<String>,
}

impl Page {
    async fn open(server: &Server, nonce: u32, path: String, cookie: Option<String>) -> Self {
        let mut glass = Glass::new(nonce, None);
        glass.set_width(1920.0);
        let line = None;
        let mut page = Self {
            glass,
            line,
            path,
            cookie,
        };
        page.connect(server).await;
        page
    }

    async fn connect(&mut self, server: &Server) {
        let address = format!("ws://{}{}", server.address, self.path);
        let mut request = address.into_client_request().unwrap();
        if let Some(cookie) = &self.cookie {
            let headers = request.headers_mut();
            headers.insert("cookie", cookie.parse().unwrap());
        }
        let (line, _) = tokio_tungstenite::connect_async(request).await.unwrap();
        self.line = Some(line);
        let hello = self.glass.hello();
        self.say(hello).await;
        while !self.hear().await.contains("\"welcome\"") {}
    }

    fn cut(&mut self) {
        self.line = None;
        self.glass.disconnected();
    }

    async fn say(&mut self, bytes: Vec<u8>) {
        if let Some(line) = &mut self.line {
            line.send(Message::Binary(bytes.into())).await.unwrap();
        }
    }

    /// Sends what there is to send.
    async fn flush(&mut self) {
        while let Some(out) = self.glass.next_message() {
            self.say(out.bytes()).await;
        }
    }

    /// Waits for a message; gives what the page is told of it.
    async fn hear(&mut self) -> String {
        let line = self.line.as_mut().expect("a line");
        let next = tokio::time::timeout(Duration::from_secs(20), line.next());
        let message = next.await.expect("the server says something");
        match message.unwrap().unwrap() {
            Message::Binary(bytes) => {
                serde_json::to_string(&self.glass.take_message(&bytes)).unwrap()
            }
            _ => String::new(),
        }
    }

    /// Takes what has come already.
    async fn listen(&mut self) {
        tokio::task::yield_now().await;
        while let Some(line) = &mut self.line
            && let Some(Some(Ok(message))) = line.next().now_or_never()
        {
            if let Message::Binary(bytes) = message {
                self.glass.take_message(&bytes);
            }
        }
    }

    /// Talks with the server until the page is as wanted.
    async fn until(&mut self, what: &str, is: impl Fn(&Glass) -> bool) {
        let talk = async {
            loop {
                self.flush().await;
                if is(&self.glass) {
                    return;
                }
                self.hear().await;
            }
        };
        let done = tokio::time::timeout(Duration::from_secs(60), talk).await;
        assert!(done.is_ok(), "it does not come about: {what}");
    }

    fn draw(&mut self, swatch: usize, points: &[(f64, f64)]) {
        let sample = |(i, (x, y)): (usize, &(f64, f64))| vec![*x, *y, 0.5, i as f64 * 8.0];
        let samples: Vec<Vec<f64>> = points.iter().enumerate().map(sample).collect();
        self.along(Kind::Pen, swatch, &samples);
    }

    fn erase(&mut self, from: (f64, f64), to: (f64, f64)) {
        let samples = [from, to].map(|(x, y)| vec![x, y, 0.5, 0.0]);
        self.along(Kind::Erase, 0, &samples);
    }

    /// A pen goes down, along and up.
    fn along(&mut self, tool: Kind, swatch: usize, samples: &[Vec<f64>]) {
        self.glass.take_in_hand(InHand {
            tool,
            swatch,
            ..InHand::default()
        });
        self.glass.pointer_down(1, 1, 0, &samples[0], None);
        for sample in &samples[1..] {
            self.glass.pointer_moved(1, 1, 0, sample, &[]);
        }
        let last = samples.last().expect("a place");
        self.glass.pointer_up(1, 1, 0, last);
    }

    fn panes(&self) -> Vec<Value> {
        shown(&self.glass)
    }

    fn backdrops(&self) -> Vec<String> {
        let panes = self.panes();
        let id = |p: &Value| p["id"].as_str().unwrap().to_owned();
        panes.iter().map(id).collect()
    }
}

/// The panes as a page's scripts get them.
fn shown(glass: &Glass) -> Vec<Value> {
    let panes = glass.all_shown();
    let value = panes.iter().map(|pane| serde_json::to_value(pane).unwrap());
    value.collect()
}

/// What is drawn where, without sheets that are clear.
fn drawn(sheets: &Sheets) -> BTreeMap<SheetId, Vec<Arc<Mark>>> {
    sheets.snapshot().sheets.into_iter().collect()
}

async fn add_board(server: &Server, lesson: i64) {
    use axum::http::{Request, header};
    let request = Request::post(format!("/lessons/{lesson}/boards"))
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
    let answer = server.ask(request, "ruling=plain").await;
    assert!(answer.status().is_success());
}

/// Somebody at the display does one thing or another.
async fn something(page: &mut Page, server: &Server, order: &[String], random: &mut StdRng) {
    let mut at = || {
        (
            random.random_range(100.0..1800.0),
            random.random_range(100.0..1000.0),
        )
    };
    let line = [at(), at(), at(), at()];
    match random.random_range(0..20) {
        0..8 => page.draw(random.random_range(0..5), &line),
        8..11 => {
            page.erase(line[0], line[1]);
        }
        11..13 => drop(page.glass.undo()),
        13 => drop(page.glass.redo()),
        14 if random.random_bool(0.3) => drop(page.glass.wipe()),
        15 => page.glass.goto(&order[random.random_range(0..order.len())]),
        16 => {
            let on_stage = page.backdrops();
            page.glass.turn_page(&on_stage[0], 1);
        }
        17 if page.line.is_some() => page.cut(),
        18 | 19 if page.line.is_none() => page.connect(server).await,
        _ => page.listen().await,
    }
    if random.random_bool(0.6) {
        page.flush().await;
    }
    if random.random_bool(0.5) {
        page.listen().await;
    }
}

/// Two people draw, erase, take back, wipe, turn pages and go to and fro, and their lines break at
/// any moment: in the end both have what the server has, nothing of theirs is left unsaid, and who
/// follows sees what is on stage.
#[tokio::test]
async fn everybody_sees_the_same_in_the_end() {
    for seed in 0..10 {
        let mut random = StdRng::seed_from_u64(seed);
        let data = tempfile::tempdir().unwrap();
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        add_board(&server, lesson).await;
        let live = format!("/lessons/{lesson}/live");
        let mut pages = [
            Page::open(&server, 11, live.clone(), None).await,
            Page::open(&server, 12, live, None).await,
        ];
        let cookie = server.join(lesson, "Ines").await;
        let follow = format!("/follow/{lesson}/live");
        let mut follower = Page::open(&server, 13, follow, Some(cookie)).await;
        let look = server.app.live.look(lesson).await.unwrap();
        let order: Vec<String> = look.order.iter().map(|b| b.id.0.to_string()).collect();
        for _ in 0..90 {
            let who = random.random_range(0..2);
            something(&mut pages[who], &server, &order, &mut random).await;
            follower.listen().await;
        }
        for page in &mut pages {
            if page.line.is_none() {
                page.connect(&server).await;
            }
            page.until("all is acknowledged", |g| g.pending() == 0)
                .await;
        }
        let look = server.app.live.look(lesson).await.unwrap();
        let there = drawn(&look.sheets);
        for page in &mut pages {
            let same = |g: &Glass| drawn(g.sheets()) == there;
            page.until(&format!("the same sheets, seed {seed}"), same)
                .await;
        }
        let current = look.stage.current.as_ref().unwrap();
        let seen: Vec<SheetId> = current.sheets().chain([SheetId::Glass]).collect();
        let mut on_stage = there.clone();
        on_stage.retain(|sheet, _| seen.contains(sheet));
        let id = Value::from(current.id.0.to_string());
        let same = |g: &Glass| drawn(g.sheets()) == on_stage && shown(g)[0]["id"] == id;
        let what = format!("the stage, seed {seed}");
        follower.until(&what, same).await;
    }
}

/// What two people do to the panes at once comes out alike on both their pages, whoever was first.
#[tokio::test]
async fn both_stages_have_the_same_panes() {
    for seed in 0..10 {
        let mut random = StdRng::seed_from_u64(100 + seed);
        let data = tempfile::tempdir().unwrap();
        let server = Server::start(data.path()).await;
        let lesson = server.lesson().await;
        for _ in 0..2 {
            add_board(&server, lesson).await;
        }
        let live = format!("/lessons/{lesson}/live");
        let mut pages = [
            Page::open(&server, 21, live.clone(), None).await,
            Page::open(&server, 22, live, None).await,
        ];
        let look = server.app.live.look(lesson).await.unwrap();
        let order: Vec<String> = look.order.iter().map(|b| b.id.0.to_string()).collect();
        for _ in 0..60 {
            let page = &mut pages[random.random_range(0..2)];
            let any = &order[random.random_range(0..order.len())];
            match random.random_range(0..7) {
                0 => page.glass.goto(any),
                1 => page.glass.put_beside(any),
                2 => page.glass.swap(),
                3 => page.glass.keep_pane(random.random_range(0..2)),
                4 => {
                    let x = random.random_range(300.0..1600.0);
                    page.glass.divide(x, false);
                    page.glass.divide(x + 20.0, true);
                }
                5 => drop(page.glass.choose_pane(random.random_range(0..2))),
                _ => page.listen().await,
            }
            page.flush().await;
        }
        // A last stroke of each passes through the server behind all that.
        for page in &mut pages {
            page.draw(0, &[(300.0, 300.0), (320.0, 340.0)]);
            page.until("the stroke is kept", |g| g.pending() == 0).await;
        }
        let stage = server.app.live.look(lesson).await.unwrap().stage;
        let wanted: Vec<String> = stage.each().map(|b| b.id.0.to_string()).collect();
        let divider = stage.beside.as_ref().map(|(_, divider)| divider * 1920.0);
        for page in &mut pages {
            let like = |g: &Glass| {
                let panes = shown(g);
                let ids: Vec<&str> = panes.iter().filter_map(|p| p["id"].as_str()).collect();
                ids == wanted && (g.divider() - divider.unwrap_or(-1.0)).abs() < 1e-6
            };
            page.until(&format!("the same panes, seed {seed}"), like)
                .await;
        }
    }
}

/// A stroke that was drawn while the line was down, in a page that was then loaded again, is there
/// when the line is back; once, though it was sent twice.
#[tokio::test]
async fn a_stroke_outlives_its_page() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let live = format!("/lessons/{lesson}/live");
    let mut page = Page::open(&server, 31, live.clone(), None).await;
    page.cut();
    page.draw(1, &[(200.0, 200.0), (400.0, 260.0), (600.0, 200.0)]);
    let kept: Vec<Vec<u8>> = page
        .glass
        .unacknowledged()
        .iter()
        .map(|o| o.bytes())
        .collect();
    assert_eq!(kept.len(), 1);
    // It reached the server after all; only the answer was lost.
    page.connect(&server).await;
    page.flush().await;
    page.cut();
    let mut again = Page {
        glass: Glass::new(32, None),
        line: None,
        path: live,
        cookie: None,
    };
    again.glass.set_width(1920.0);
    for bytes in &kept {
        again.glass.resume(bytes);
    }
    again.connect(&server).await;
    again.until("it is kept", |g| g.pending() == 0).await;
    let there = drawn(&server.app.live.look(lesson).await.unwrap().sheets);
    assert_eq!(there.values().map(Vec::len).sum::<usize>(), 1);
    again
        .until("it is shown", |g| drawn(g.sheets()) == there)
        .await;
}
