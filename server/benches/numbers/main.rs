//! Figures: fan-out, durability and capture, each beside the limit that it is held against, both
//! measured in the same run. Prints one JSON object to a line.

mod capture;
mod changes;
mod documents;
mod fanout;
mod hand_ins;
mod hostile;
mod opening;
mod process;
mod replays;
#[path = "../../../core/benches/rows/mod.rs"]
mod rows;

use bozzetto::app::{App, Options};
use bozzetto_core::geometry::frames::{Map, Point};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::swatch::ORIGINALS;
use bozzetto_core::wire::Hello;
use futures_util::{SinkExt, StreamExt};
use rows::runs;
use std::net::SocketAddr;
use std::path::Path;
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;

/// On a disk like that which servers use, wherever the benchmark is started from.
const TARGET: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../target");

fn main() {
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    runtime.block_on(async {
        if runs("change.durable") {
            changes::change_durable().await;
        }
        capture::captures().await;
        for followers in [200, 1000] {
            if runs(&format!("fanout.{followers}")) {
                fanout::fanout(followers).await;
            }
        }
        if runs("aids.fanout") {
            fanout::aids_fanout().await;
        }
        if runs("stream.fanout.100") {
            fanout::stream_fanout().await;
        }
        if runs("pen.passed") {
            fanout::pen_passed().await;
        }
        if runs("handin.300") {
            hand_ins::hand_ins().await;
        }
        // Only by its name: it goes on until it is ended.
        if std::env::args().any(|name| name == "wall.held") {
            hand_ins::wall_held().await;
        }
        if std::env::args().any(|name| name == "replay.held") {
            replays::replay_held().await;
        }
        if runs("hostile") {
            hostile::hostile().await;
        }
        if runs("join.1000") {
            hostile::join_1000().await;
        }
        if runs("lesson.open") || runs("lesson.look") {
            opening::opening().await;
        }
        if runs("pdf.page") {
            documents::pdf_page();
        }
    });
    std::process::exit(0);
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
    let options = Options {
        program: env!("CARGO_BIN_EXE_bozzetto").into(),
        ..Options::new(address)
    };
    let app = App::open(data, options).await.expect("a data folder");
    let service =
        bozzetto::router::router(app.clone()).into_make_service_with_connect_info::<SocketAddr>();
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
