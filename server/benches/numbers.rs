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
use bozzetto::captures::{self, Request};
use bozzetto::lessons::queries;
use bozzetto_core::change::{Change, Deed, Intent, Op, SheetId, Step};
use bozzetto_core::frames::{Map, Point};
use bozzetto_core::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::mark::{Body, Mark};
use bozzetto_core::swatch::SWATCHES;
use bozzetto_core::wet::WetInk;
use bozzetto_core::wire::{FromServer, Hello, ToServer, decode, encode};
use bytes::Bytes;
use futures_util::{SinkExt, StreamExt};
use serde_json::json;
use tokio::sync::broadcast;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;

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
    Mark {
        id: MarkId(id),
        author: AuthorId(1),
        style: SWATCHES[(id % 5) as usize].style,
        body: Body::Stroke(Points((0..points).map(at).collect())),
        transform: Map::coincident(),
        z: id as i64,
    }
}

/// From a sent change to its acknowledgement, one after the other; beside a bare SQLite commit of
/// the same bytes with the same settings.
async fn change_durable() {
    let folder = tempfile::tempdir_in("target").expect("a folder");
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
    let folder = tempfile::tempdir_in("target").expect("a folder");
    let (app, _) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create_empty(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let chart = include_bytes!("../../demo/Harbour approach.svg").to_vec();
    let backdrop = bozzetto::stage::add_picture(&app, lesson, "chart.svg", chart)
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
        x0: 0.0,
        y0: 0.0,
        x1: 1920.0,
        y1: 1080.0,
        device: 2.0,
        ratio: 2.0,
    };
    let mut took = Vec::new();
    for _ in 0..7 {
        let begun = Instant::now();
        captures::take(&app, lesson, request)
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

const FOLLOWERS: usize = 200;
const SECONDS: usize = 10;
const RATE: usize = 120;

/// One presenter's wet stroke to 200 followers over real sockets; beside a bare Axum broadcast of
/// messages of the same size at the same rate.
async fn fanout() {
    let ours = fanout_of_a_lesson().await;
    let bare = fanout_bare().await;
    let note = format!(
        "{FOLLOWERS} followers, {RATE} messages/s for {SECONDS} s, {} received; baseline: bare Axum broadcast",
        ours.0.len()
    );
    row(
        "fanout.200.p50",
        percentile(&ours.0, 0.5),
        "ms",
        Some(percentile(&bare, 0.5)),
        &note,
    );
    row(
        "fanout.200.p99",
        percentile(&ours.0, 0.99),
        "ms",
        Some(percentile(&bare, 0.99)),
        &note,
    );
    row(
        "fanout.200.memory",
        ours.1,
        "KB/follower",
        None,
        "growth of the process's resident memory, both ends of each socket",
    );
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

async fn send_at_rate(mut send: impl AsyncFnMut(usize), sent: &Sent) {
    // Connections settle first; a late tick is not made up for by a burst.
    tokio::time::sleep(Duration::from_secs(1)).await;
    let mut tick = tokio::time::interval(Duration::from_secs_f64(1.0 / RATE as f64));
    tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    for n in 0..RATE * SECONDS {
        tick.tick().await;
        sent.lock().expect("a list").push(Instant::now());
        send(n).await;
    }
    tokio::time::sleep(Duration::from_secs(1)).await;
}

async fn fanout_of_a_lesson() -> (Vec<f64>, f64) {
    let folder = tempfile::tempdir_in("target").expect("a folder");
    let (app, address) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let backdrop = app.live.look(lesson).await.expect("a look").order[0].id;
    let cookie = bozzetto::auth::participant::join(&app, lesson, "Follower".to_owned())
        .await
        .expect("a cookie");
    let cookie = cookie.split(';').next().unwrap_or("").to_owned();
    let mut presenter = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let before = resident_kb();
    let (sent, delays): (Sent, Arc<Mutex<Vec<f64>>>) = Default::default();
    for _ in 0..FOLLOWERS {
        let mut socket = connect(address, &format!("/follow/{lesson}/live"), Some(&cookie)).await;
        let (sent, delays) = (sent.clone(), delays.clone());
        tokio::spawn(async move {
            while let Some(Ok(message)) = socket.next().await {
                let now = Instant::now();
                if let Message::Binary(bytes) = message
                    && let Some(FromServer::Wet { ink, .. }) = decode(&bytes)
                {
                    let n = ink.from as usize;
                    let delay = now - sent.lock().expect("a list")[n];
                    delays.lock().expect("a list").push(milliseconds(delay));
                }
            }
        });
    }
    let memory = (resident_kb() - before) / FOLLOWERS as f64;
    let Body::Stroke(points) = stroke(1, 1).body;
    let send = async |n: usize| {
        let ink = WetInk {
            mark: MarkId(9),
            sheet: SheetId::Backdrop(backdrop),
            style: SWATCHES[1].style,
            transform: Map::coincident(),
            from: n as u32,
            points: points.clone(),
        };
        presenter
            .send(Message::Binary(encode(&ToServer::Wet(ink)).into()))
            .await
            .expect("a line");
    };
    send_at_rate(send, &sent).await;
    let mut delays = std::mem::take(&mut *delays.lock().expect("a list"));
    delays.sort_by(f64::total_cmp);
    (delays, memory)
}

async fn fanout_bare() -> Vec<f64> {
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
    for _ in 0..FOLLOWERS {
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
    let size = encode(&FromServer::Wet {
        author: AuthorId(u64::MAX / 3),
        ink: WetInk {
            mark: MarkId(9),
            sheet: SheetId::Backdrop(BackdropId(1)),
            style: SWATCHES[1].style,
            transform: Map::coincident(),
            from: 600,
            points: Points(vec![InkPoint::new(Point::new(500.0, 500.0), 7.0)]),
        },
    })
    .len();
    let send = async |n: usize| {
        let mut bytes = vec![0u8; size];
        bytes[..4].copy_from_slice(&(n as u32).to_le_bytes());
        sender
            .send(Message::Binary(bytes.into()))
            .await
            .expect("a line");
    };
    send_at_rate(send, &sent).await;
    let mut delays = std::mem::take(&mut *delays.lock().expect("a list"));
    delays.sort_by(f64::total_cmp);
    delays
}
