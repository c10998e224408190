//! How fast ink and picture streams reach many who follow.

use crate::process::{cpu_ms, resident_kb};
use crate::rows::row;
use crate::{Socket, TARGET, connect, milliseconds, percentile, serve};
use axum::Router;
use axum::extract::ws::{Message as AxumMessage, WebSocketUpgrade};
use axum::routing::get;
use bozzetto::app::App;
use bozzetto::auth::browser::Browser;
use bozzetto::auth::participant;
use bozzetto::lessons::queries;
use bozzetto_core::aids::pointing::Pointing;
use bozzetto_core::geometry::frames::{Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::swatch::ORIGINALS;
use bozzetto_core::paint::wet::WetInk;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::stream::Chunk;
use bozzetto_core::wire::{FromServer, ToServer, decode, encode};
use bytes::Bytes;
use futures_util::{SinkExt, StreamExt};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tokio::sync::broadcast;
use tokio_tungstenite::tungstenite::Message;

/// What is sent to how many, how often and for how long.
struct Load {
    followers: usize,
    /// Messages to a second.
    rate: usize,
    seconds: usize,
    what: What,
    /// A participant sends it, to whom the pen was passed; the presenter is one of those who get it.
    passed: bool,
}

#[derive(Clone, Copy)]
enum What {
    /// A point of a wet stroke.
    Wet,
    /// A place of a laser dot.
    Laser,
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
            What::Laser => ToServer::Point(Pointing::Laser {
                colour: ORIGINALS[1].colour,
                // Its number is where it is.
                places: Points(vec![InkPoint::new(Point::new(n as f64, 100.0), 20.0)]),
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

/// One presenter's wet stroke to as many followers over real sockets; beside a bare Axum broadcast of
/// messages of the same size at the same rate. Both ends of all sockets are in this process.
pub async fn fanout(followers: usize) {
    told("fanout", followers, What::Wet).await;
}

/// The same for a laser dot.
pub async fn aids_fanout() {
    told("aids.fanout", 200, What::Laser).await;
}

async fn told(figure: &str, followers: usize, what: What) {
    let load = Load {
        followers,
        rate: 120,
        seconds: 10,
        what,
        passed: false,
    };
    let ours = through_a_lesson(&load).await;
    let bare = through_a_bare_broadcast(&load).await;
    let dropped = |came: &Came| load.total() - came.delays.len();
    let note = format!(
        "{followers} followers, 120 messages/s for 10 s; {} of {} messages dropped (bare: {}); baseline: \
         bare Axum broadcast",
        dropped(&ours),
        load.total(),
        dropped(&bare)
    );
    for (name, p) in [("p50", 0.5), ("p99", 0.99)] {
        let baseline = Some(percentile(&bare.delays, p));
        let name = format!("{figure}.{followers}.{name}");
        row(&name, percentile(&ours.delays, p), "ms", baseline, &note);
    }
    row(
        &format!("{figure}.{followers}.memory"),
        ours.memory,
        "KB/follower",
        Some(bare.memory),
        "growth of the process's resident memory, both ends of each socket; baseline: bare Axum broadcast, \
         with the same clients",
    );
}

/// A participant's wet stroke to presenter and followers, beside a presenter's to as many followers.
pub async fn pen_passed() {
    let load = |passed| Load {
        followers: 30,
        rate: 120,
        seconds: 10,
        what: What::Wet,
        passed,
    };
    // In turns, since this machine is not equally fast at all times.
    let (mut presenters, mut passed) = (Vec::new(), Vec::new());
    for _ in 0..3 {
        presenters.extend(through_a_lesson(&load(false)).await.delays);
        passed.extend(through_a_lesson(&load(true)).await.delays);
    }
    let note = format!(
        "a participant's wet ink to the presenter and 30 who follow, {} of {} messages; baseline: the presenter's to 30; aim 1.1",
        passed.len(),
        3 * 31 * 120 * 10
    );
    presenters.sort_by(f64::total_cmp);
    passed.sort_by(f64::total_cmp);
    row(
        "pen.passed.p95",
        percentile(&passed, 0.95),
        "ms",
        Some(percentile(&presenters, 0.95)),
        &note,
    );
}

/// A picture stream of 1.5 Mbit/s to 100 followers.
pub async fn stream_fanout() {
    let load = Load {
        followers: 100,
        rate: 24,
        seconds: 10,
        what: What::Stream(1_500_000 / 8 / 24),
        passed: false,
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
        let page = include_bytes!("../../../demo/Tide and lights.html");
        let added = bozzetto::backdrops::add(&app, whither, "tide.html", page, None, None).await;
        added.expect("a store").expect("a page");
    }
    let order = app.live.look(lesson).await.expect("a look").order;
    let backdrop = order.last().expect("a backdrop").id;
    let mut presenter = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let arrange = StageStep::Arrange {
        current: backdrop,
        beside: None,
    };
    let arrange = ToServer::Act {
        id: ChangeId(u64::MAX),
        intent: Intent::Stage(vec![arrange]),
    };
    let arrange = Message::Binary(encode(&arrange).into());
    presenter.send(arrange).await.expect("a line");
    let (sent, delays): (Sent, Arc<Mutex<Vec<f64>>>) = Default::default();
    let follow = async |n: usize| {
        let cookie = join(&app, lesson, n as u64).await;
        connect(address, &format!("/follow/{lesson}/live"), Some(&cookie)).await
    };
    let sends = match load.passed {
        false => presenter,
        true => {
            let drawer = follow(load.followers).await;
            // To all who are here, which is this one; the others come later.
            let pass = ToServer::PassPen {
                to: None,
                pen: true,
            };
            let pass = Message::Binary(encode(&pass).into());
            presenter.send(pass).await.expect("a line");
            tokio::spawn(gets(presenter, sent.clone(), delays.clone()));
            drawer
        }
    };
    let before = resident_kb();
    for n in 0..load.followers {
        tokio::spawn(gets(follow(n).await, sent.clone(), delays.clone()));
    }
    let memory = (resident_kb() - before) / load.followers as f64;
    // What the server says in between is read, as a browser does.
    let (mut to_server, mut from_server) = sends.split();
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

/// Writes down how long after it was sent each message comes.
async fn gets(mut socket: Socket, sent: Sent, delays: Arc<Mutex<Vec<f64>>>) {
    while let Some(Ok(message)) = socket.next().await {
        let now = Instant::now();
        let Message::Binary(bytes) = message else {
            continue;
        };
        let n = match decode(&bytes) {
            Some(FromServer::Wet { ink, .. }) => ink.from as usize,
            Some(FromServer::Point {
                pointing: Pointing::Laser { places, .. },
                ..
            }) => places.0[0].position().x as usize,
            Some(FromServer::Chunk { chunk, .. }) => chunk.number as usize,
            _ => continue,
        };
        let delay = now - sent.lock().expect("a list")[n];
        delays.lock().expect("a list").push(milliseconds(delay));
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
    let before = resident_kb();
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
    let memory = (resident_kb() - before) / load.followers as f64;
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
        memory,
        cpu,
    }
}

/// Joins as a browser of its own; gives its cookie.
pub async fn join(app: &App, lesson: i64, browser: u64) -> String {
    let (name, none) = ("Follower".to_owned(), axum::http::HeaderMap::new());
    let joined = participant::join(
        &app.store,
        app.tls,
        lesson,
        (name, None),
        Browser(browser),
        &none,
    )
    .await;
    let [_, cookie] = joined.expect("a store").expect("a place");
    cookie.split(';').next().unwrap_or("").to_owned()
}
