//! Figures: fan-out, durability and capture, each beside the limit that it is held against, both
//! measured in the same run. Prints one JSON object to a line.

use std::net::SocketAddr;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::Router;
use axum::extract::ws::{Message as AxumMessage, WebSocketUpgrade};
use axum::routing::get;
use bozzetto::app::App;
use bozzetto::captures;
use bozzetto::lessons::queries;
use bozzetto_core::capture::{OnStage, Request};
use bozzetto_core::change::{Change, Deed, Intent, Op, SheetId, Step};
use bozzetto_core::frames::{Map, Point, Rect, Size};
use bozzetto_core::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::mark::{Body, Mark};
use bozzetto_core::stream::Chunk;
use bozzetto_core::swatch::ORIGINALS;
use bozzetto_core::wet::WetInk;
use bozzetto_core::wire::{FromServer, Hello, ToServer, decode, encode};
use bozzetto_press::document::{Document, Part};
use bytes::Bytes;
use futures_util::{SinkExt, StreamExt};
use serde_json::json;
use tokio::sync::broadcast;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;

/// On a disk like that which servers use, wherever the benchmark is started from.
const TARGET: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../target");

fn main() {
    let wanted: Vec<String> = std::env::args()
        .skip(1)
        .filter(|a| !a.starts_with("--"))
        .collect();
    let runs = |name: &str| {
        wanted.is_empty()
            || wanted
                .iter()
                .any(|w| name.starts_with(w.as_str()) || w.starts_with(name))
    };
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    runtime.block_on(async {
        if runs("change.durable") {
            change_durable().await;
        }
        if runs("capture.4k") {
            capture_4k().await;
        }
        if runs("fanout.200") {
            fanout().await;
        }
        if runs("stream.fanout.100") {
            stream_fanout().await;
        }
        if runs("pdf.page") {
            pdf_page();
        }
    });
    std::process::exit(0);
}

fn row(name: &str, value: f64, unit: &str, baseline: Option<f64>, note: &str) {
    let ratio = baseline.map(|b| value / b);
    println!(
        "{}",
        json!({"name": name, "value": value, "unit": unit, "baseline": baseline, "ratio": ratio, "note": note})
    );
}

fn percentile(sorted: &[f64], p: f64) -> f64 {
    sorted[((sorted.len() - 1) as f64 * p).round() as usize]
}

fn milliseconds(d: Duration) -> f64 {
    d.as_secs_f64() * 1000.0
}

async fn serve(data: &Path) -> (App, SocketAddr) {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0")
        .await
        .expect("a port");
    let address = listener.local_addr().expect("an address");
    let app = App::open(data, address, false)
        .await
        .expect("a data folder");
    let service = app
        .clone()
        .router()
        .into_make_service_with_connect_info::<SocketAddr>();
    tokio::spawn(async move { axum::serve(listener, service).await });
    (app, address)
}

type Socket =
    tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>>;

async fn connect(address: SocketAddr, path: &str, cookie: Option<&str>) -> Socket {
    let mut request = format!("ws://{address}{path}")
        .into_client_request()
        .expect("an address");
    if let Some(cookie) = cookie {
        request
            .headers_mut()
            .insert("cookie", cookie.parse().expect("a cookie"));
    }
    let (mut socket, _) = tokio_tungstenite::connect_async(request)
        .await
        .expect("a connection");
    let hello = Hello {
        author: None,
        resume: None,
    };
    socket
        .send(Message::Binary(hello.encode().into()))
        .await
        .expect("a line");
    socket.next().await.expect("a welcome").expect("a welcome");
    socket
}

fn stroke(id: u64, points: usize) -> Mark {
    let at = |i: usize| {
        let t = i as f64 * 0.2;
        let (x, y) = ((id * 37 % 1700) as f64, (id * 91 % 950) as f64);
        InkPoint::new(Point::new(x + i as f64 * 2.0, y + t.sin() * 30.0), 7.0)
    };
    let points: Vec<InkPoint> = (0..points).map(at).collect();
    let style = ORIGINALS[(id % 5) as usize].style();
    let body = Body::Stroke(fit(&points).expect("points"));
    Mark::new(
        MarkId(id),
        AuthorId(1),
        style,
        body,
        Map::coincident(),
        id as i64,
    )
}

/// From a sent change to its acknowledgement, one after the other; beside a bare SQLite commit of
/// the same bytes with the same settings.
async fn change_durable() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, address) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let backdrop = app.live.look(lesson).await.expect("a look").order[0].id;
    let mut socket = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let mut took = Vec::new();
    for id in 1..=1000 {
        let steps = vec![Step {
            sheet: SheetId::Backdrop(backdrop),
            op: Op::Add(stroke(id, 60)),
        }];
        let message = encode(&ToServer::Act {
            id: ChangeId(id),
            intent: Intent::Do(steps),
        });
        let sent = Instant::now();
        socket
            .send(Message::Binary(message.into()))
            .await
            .expect("a line");
        loop {
            let Some(Ok(Message::Binary(bytes))) = socket.next().await else {
                continue;
            };
            if let Some(FromServer::Change {
                change, kept: true, ..
            }) = decode(&bytes)
                && change.id == ChangeId(id)
            {
                break;
            }
        }
        took.push(milliseconds(sent.elapsed()));
    }
    let bare = bare_commits(folder.path());
    took.sort_by(f64::total_cmp);
    row(
        "change.durable.p99",
        percentile(&took, 0.99),
        "ms",
        Some(percentile(&bare, 0.99)),
        "1000 strokes of 60 points, one after the other; baseline: bare SQLite commit of the same bytes",
    );
    row(
        "change.durable.p50",
        percentile(&took, 0.5),
        "ms",
        Some(percentile(&bare, 0.5)),
        "",
    );
}

fn bare_commits(folder: &Path) -> Vec<f64> {
    let conn = rusqlite::Connection::open(folder.join("bare.db")).expect("a database");
    conn.pragma_update(None, "journal_mode", "WAL")
        .expect("WAL");
    conn.pragma_update(None, "synchronous", "FULL")
        .expect("FULL");
    conn.execute_batch("CREATE TABLE change (lesson INTEGER, seq INTEGER, id INTEGER, body BLOB, PRIMARY KEY (lesson, seq)) WITHOUT ROWID").expect("a table");
    let mut took = Vec::new();
    for id in 1..=1000u64 {
        let steps = vec![Step {
            sheet: SheetId::Backdrop(BackdropId(1)),
            op: Op::Add(stroke(id, 60)),
        }];
        let change = Change {
            id: ChangeId(id),
            author: AuthorId(1),
            at: 1_790_000_000_000,
            deed: Deed::Do,
            steps,
        };
        let body = encode(&change);
        let begun = Instant::now();
        conn.prepare_cached("INSERT INTO change VALUES (1, ?1, ?1, ?2)")
            .and_then(|mut s| s.execute(rusqlite::params![id as i64, body]))
            .expect("a commit");
        took.push(milliseconds(begun.elapsed()));
    }
    took.sort_by(f64::total_cmp);
    took
}

/// A box of 3840 by 2160 pixels with 500 marks, from request to kept PNG; beside encoding the same
/// finished pixels alone.
async fn capture_4k() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, _) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create_empty(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let chart = include_bytes!("../../demo/Harbour approach.svg").to_vec();
    let whither = bozzetto::backdrops::queries::Whither::Lesson(lesson);
    let backdrop = bozzetto::backdrops::add(&app, whither, "chart.svg", &chart, None, None)
        .await
        .expect("a store")
        .expect("a picture");
    let changes: Vec<(u64, Change)> = (1..=500)
        .map(|id| {
            let steps = vec![Step {
                sheet: SheetId::Backdrop(BackdropId(backdrop as u64)),
                op: Op::Add(stroke(id, 60)),
            }];
            (
                id,
                Change {
                    id: ChangeId(id),
                    author: AuthorId(1),
                    at: 1,
                    deed: Deed::Do,
                    steps,
                },
            )
        })
        .collect();
    app.store
        .write(move |c| bozzetto::live::log::append(c, lesson, &changes))
        .await
        .expect("a log");
    let request = Request {
        area: Rect::of_size(Size::glass(16.0, 9.0)),
        device: 2.0,
        ratio: 2.0,
        stage: OnStage {
            current: Some(BackdropId(backdrop as u64)),
            ..OnStage::default()
        },
    };
    let mut took = Vec::new();
    for _ in 0..7 {
        let begun = Instant::now();
        captures::take(&app, lesson, request.clone(), Vec::new())
            .await
            .expect("a capture");
        took.push(milliseconds(begun.elapsed()));
    }
    let name = app
        .store
        .read(move |c| {
            Ok(c.query_row("SELECT media FROM capture LIMIT 1", [], |r| {
                r.get::<_, String>(0)
            })?)
        })
        .await
        .expect("a capture");
    let file = app.media.read(&name).expect("a file");
    let pixmap = bozzetto_press::Pixmap::decode_png(&file).expect("a picture");
    let mut alone = Vec::new();
    for _ in 0..7 {
        let begun = Instant::now();
        std::hint::black_box(bozzetto_press::png::encode(&pixmap, 2.0));
        alone.push(milliseconds(begun.elapsed()));
    }
    took.sort_by(f64::total_cmp);
    alone.sort_by(f64::total_cmp);
    let note = format!(
        "median of 7, {} KB, written, synced and with its thumbnail; baseline: encoding alone",
        file.len() / 1024
    );
    row(
        "capture.4k",
        percentile(&took, 0.5),
        "ms",
        Some(percentile(&alone, 0.5)),
        &note,
    );
}

/// What is sent to how many, how often and for how long.
struct Load {
    followers: usize,
    /// Messages to a second.
    rate: usize,
    seconds: usize,
    what: What,
}

#[derive(Clone, Copy)]
enum What {
    /// A point of a wet stroke.
    Wet,
    /// A frame of a picture stream, of so many bytes.
    Stream(usize),
}

impl Load {
    /// The message of this number, as the presenter sends it.
    fn message(&self, n: usize, backdrop: BackdropId) -> ToServer {
        match self.what {
            What::Wet => ToServer::Wet(WetInk {
                mark: MarkId(9),
                sheet: SheetId::Backdrop(backdrop),
                style: ORIGINALS[1].style(),
                transform: Map::coincident(),
                fades: false,
                from: n as u32,
                points: Points(vec![InkPoint::new(Point::new(100.0, 100.0), 7.0)]),
            }),
            What::Stream(bytes) => ToServer::Chunk(Chunk {
                backdrop,
                run: 1,
                number: n as u32,
                key: None,
                taken: 0,
                shows: Rect::of_size(Size::new(1280.0, 720.0)),
                data: vec![n as u8; bytes],
            }),
        }
    }

    fn total(&self) -> usize {
        self.followers * self.rate * self.seconds
    }
}

/// What came of a load: each delay in milliseconds, sorted; and what it took.
struct Came {
    delays: Vec<f64>,
    memory: f64,
    /// Of the processors' time, in percent of one.
    cpu: f64,
}

/// One presenter's wet stroke to 200 followers over real sockets; beside a bare Axum broadcast of
/// messages of the same size at the same rate.
async fn fanout() {
    let load = Load {
        followers: 200,
        rate: 120,
        seconds: 10,
        what: What::Wet,
    };
    let ours = through_a_lesson(&load).await;
    let bare = through_a_bare_broadcast(&load).await;
    let note = format!(
        "200 followers, 120 messages/s for 10 s, {} received; baseline: bare Axum broadcast",
        ours.delays.len()
    );
    for (name, p) in [("fanout.200.p50", 0.5), ("fanout.200.p99", 0.99)] {
        let baseline = Some(percentile(&bare.delays, p));
        row(name, percentile(&ours.delays, p), "ms", baseline, &note);
    }
    row(
        "fanout.200.memory",
        ours.memory,
        "KB/follower",
        None,
        "growth of the process's resident memory, both ends of each socket",
    );
}

/// A picture stream of 1.5 Mbit/s to 100 followers.
async fn stream_fanout() {
    let load = Load {
        followers: 100,
        rate: 24,
        seconds: 10,
        what: What::Stream(1_500_000 / 8 / 24),
    };
    let ours = through_a_lesson(&load).await;
    let bare = through_a_bare_broadcast(&load).await;
    let lost = load.total() - ours.delays.len();
    let note = format!(
        "100 followers, 24 frames/s of 1.5 Mbit/s for 10 s; {lost} of {} frames dropped (bare: {}); \
         baseline: bare Axum broadcast of as many bytes",
        load.total(),
        load.total() - bare.delays.len()
    );
    for (name, p) in [
        ("stream.fanout.100.p50", 0.5),
        ("stream.fanout.100.p99", 0.99),
    ] {
        let baseline = Some(percentile(&bare.delays, p));
        row(name, percentile(&ours.delays, p), "ms", baseline, &note);
    }
    row(
        "stream.fanout.100.cpu",
        ours.cpu,
        "% of a core",
        Some(bare.cpu),
        "server and all 100 receiving ends in one process; baseline: the bare broadcast",
    );
}

/// A page of a document 1920 pixels wide: the document opened and printed, and printed again.
fn pdf_page() {
    let pdf = include_bytes!("../../demo/Notices to mariners.pdf");
    let page = |document: &Document| {
        let (width, height) = document.pages()[0];
        let scale = 1920.0 / f64::from(width);
        let part = Part {
            scale,
            x: 0.0,
            y: 0.0,
            width: 1920,
            height: (f64::from(height) * scale) as u32,
        };
        let pixmap = document.print(0, &part).expect("a page");
        std::hint::black_box(bozzetto_press::png::encode(&pixmap, 1.0));
    };
    let median = |mut took: Vec<f64>| {
        took.sort_by(f64::total_cmp);
        took[took.len() / 2]
    };
    let mut cold = Vec::new();
    let mut warm = Vec::new();
    let mut theirs = Vec::new();
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let file = folder.path().join("notices.pdf");
    std::fs::write(&file, pdf).expect("a file");
    for _ in 0..9 {
        let begun = Instant::now();
        let document = Document::open(pdf.to_vec()).expect("a document");
        page(&document);
        cold.push(milliseconds(begun.elapsed()));
        let begun = Instant::now();
        page(&document);
        warm.push(milliseconds(begun.elapsed()));
        let begun = Instant::now();
        let done = std::process::Command::new("pdftoppm")
            .args([
                "-png",
                "-f",
                "1",
                "-l",
                "1",
                "-scale-to-x",
                "1920",
                "-scale-to-y",
                "-1",
            ])
            .arg(&file)
            .arg(folder.path().join("page"))
            .status();
        if done.is_ok_and(|s| s.success()) {
            theirs.push(milliseconds(begun.elapsed()));
        }
    }
    let baseline = (!theirs.is_empty()).then(|| median(theirs));
    let note =
        "A4, 1920 pixels wide, as PNG; median of 9; baseline: pdftoppm (a process of its own)";
    row("pdf.page.cold", median(cold), "ms", baseline, note);
    row("pdf.page.warm", median(warm), "ms", baseline, note);
}

/// The time that this process has used of processors, in milliseconds.
fn cpu_ms() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<&str> = stat
        .rsplit(')')
        .next()
        .unwrap_or("")
        .split_whitespace()
        .collect();
    let ticks = |i: usize| {
        fields
            .get(i)
            .and_then(|v| v.parse::<f64>().ok())
            .unwrap_or(0.0)
    };
    // utime and stime, in hundredths of a second on Linux (proc(5)).
    (ticks(11) + ticks(12)) * 10.0
}

fn resident_kb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status
        .lines()
        .find(|l| l.starts_with("VmRSS:"))
        .unwrap_or("VmRSS: 0");
    line.split_whitespace()
        .nth(1)
        .and_then(|v| v.parse().ok())
        .unwrap_or(0.0)
}

/// The moments at which messages were sent; each carries its number.
type Sent = Arc<Mutex<Vec<Instant>>>;

async fn send_at_rate(load: &Load, mut send: impl AsyncFnMut(usize), sent: &Sent) -> f64 {
    // Connections settle first; a late tick is not made up for by a burst.
    tokio::time::sleep(Duration::from_secs(1)).await;
    let mut tick = tokio::time::interval(Duration::from_secs_f64(1.0 / load.rate as f64));
    tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    let (begun, before) = (Instant::now(), cpu_ms());
    for n in 0..load.rate * load.seconds {
        tick.tick().await;
        sent.lock().expect("a list").push(Instant::now());
        send(n).await;
    }
    tokio::time::sleep(Duration::from_secs(1)).await;
    (cpu_ms() - before) / milliseconds(begun.elapsed()) * 100.0
}

async fn through_a_lesson(load: &Load) -> Came {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, address) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create(c, "Bench", "class"))
        .await
        .expect("a lesson");
    if let What::Stream(_) = load.what {
        let whither = bozzetto::backdrops::queries::Whither::Lesson(lesson);
        let page = include_bytes!("../../demo/Tide and lights.html");
        let added = bozzetto::backdrops::add(&app, whither, "tide.html", page, None, None).await;
        added.expect("a store").expect("a page");
    }
    let order = app.live.look(lesson).await.expect("a look").order;
    let backdrop = order.last().expect("a backdrop").id;
    let cookie = bozzetto::auth::participant::join(&app, lesson, "Follower".to_owned())
        .await
        .expect("a cookie");
    let cookie = cookie.split(';').next().unwrap_or("").to_owned();
    let mut presenter = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let arrange = ToServer::Arrange {
        current: backdrop,
        beside: None,
    };
    let arrange = Message::Binary(encode(&arrange).into());
    presenter.send(arrange).await.expect("a line");
    let before = resident_kb();
    let (sent, delays): (Sent, Arc<Mutex<Vec<f64>>>) = Default::default();
    for _ in 0..load.followers {
        let mut socket = connect(address, &format!("/follow/{lesson}/live"), Some(&cookie)).await;
        let (sent, delays) = (sent.clone(), delays.clone());
        tokio::spawn(async move {
            while let Some(Ok(message)) = socket.next().await {
                let now = Instant::now();
                let Message::Binary(bytes) = message else {
                    continue;
                };
                let n = match decode(&bytes) {
                    Some(FromServer::Wet { ink, .. }) => ink.from as usize,
                    Some(FromServer::Chunk { chunk, .. }) => chunk.number as usize,
                    _ => continue,
                };
                let delay = now - sent.lock().expect("a list")[n];
                delays.lock().expect("a list").push(milliseconds(delay));
            }
        });
    }
    let memory = (resident_kb() - before) / load.followers as f64;
    // What the server says in between is read, as a browser does.
    let (mut to_server, mut from_server) = presenter.split();
    tokio::spawn(async move { while from_server.next().await.is_some() {} });
    let send = async |n: usize| {
        let message = encode(&load.message(n, backdrop));
        let message = Message::Binary(message.into());
        to_server.send(message).await.expect("a line");
    };
    let cpu = send_at_rate(load, send, &sent).await;
    let mut delays = std::mem::take(&mut *delays.lock().expect("a list"));
    delays.sort_by(f64::total_cmp);
    Came {
        delays,
        memory,
        cpu,
    }
}

async fn through_a_bare_broadcast(load: &Load) -> Came {
    let (channel, _) = broadcast::channel::<Bytes>(2048);
    let (to_all, from_one) = (channel.clone(), channel.clone());
    let send_route = get(move |upgrade: WebSocketUpgrade| {
        let channel = from_one.clone();
        async move {
            upgrade.on_upgrade(|mut socket| async move {
                while let Some(Ok(AxumMessage::Binary(bytes))) = socket.recv().await {
                    let _ = channel.send(bytes);
                }
            })
        }
    });
    let hear_route = get(move |upgrade: WebSocketUpgrade| {
        let mut receiver = to_all.subscribe();
        async move {
            upgrade.on_upgrade(|mut socket| async move {
                while let Ok(bytes) = receiver.recv().await {
                    if socket.send(AxumMessage::Binary(bytes)).await.is_err() {
                        return;
                    }
                }
            })
        }
    });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0")
        .await
        .expect("a port");
    let address = listener.local_addr().expect("an address");
    let router = Router::new()
        .route("/send", send_route)
        .route("/hear", hear_route);
    tokio::spawn(async move { axum::serve(listener, router).await });
    let (sent, delays): (Sent, Arc<Mutex<Vec<f64>>>) = Default::default();
    for _ in 0..load.followers {
        let (mut socket, _) = tokio_tungstenite::connect_async(format!("ws://{address}/hear"))
            .await
            .expect("a connection");
        let (sent, delays) = (sent.clone(), delays.clone());
        tokio::spawn(async move {
            while let Some(Ok(Message::Binary(bytes))) = socket.next().await {
                let now = Instant::now();
                let n = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]) as usize;
                let delay = now - sent.lock().expect("a list")[n];
                delays.lock().expect("a list").push(milliseconds(delay));
            }
        });
    }
    let (mut sender, _) = tokio_tungstenite::connect_async(format!("ws://{address}/send"))
        .await
        .expect("a connection");
    let size = encode(&load.message(600, BackdropId(1))).len();
    let send = async |n: usize| {
        let mut bytes = vec![0u8; size];
        bytes[..4].copy_from_slice(&(n as u32).to_le_bytes());
        sender
            .send(Message::Binary(bytes.into()))
            .await
            .expect("a line");
    };
    let cpu = send_at_rate(load, send, &sent).await;
    let mut delays = std::mem::take(&mut *delays.lock().expect("a list"));
    delays.sort_by(f64::total_cmp);
    Came {
        delays,
        memory: 0.0,
        cpu,
    }
}
