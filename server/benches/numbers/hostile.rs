//! What strangers' files take of a server, and what a presenter's pen notices of them; and how long a
//! thousand people take to come in. Against a server in a process of its own.

use std::net::SocketAddr;
use std::path::Path;
use std::process::{Child, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use bozzetto_core::geometry::ids::{BackdropId, ChangeId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::wire::{FromServer, ToServer, decode, encode};
use futures_util::stream::FuturesUnordered;
use futures_util::{SinkExt, StreamExt};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio_tungstenite::tungstenite::Message;

use crate::rows::row;
use crate::{Socket, TARGET, connect, milliseconds, percentile, stroke};

#[path = "../../tests/common/hostile.rs"]
mod files;

/// A server of its own.
struct Served {
    process: Child,
    address: SocketAddr,
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn serve(data: &Path) -> Served {
    use std::io::BufRead;
    let mut process = std::process::Command::new(env!("CARGO_BIN_EXE_bozzetto"))
        .args(["serve", "--listen", "127.0.0.1:0", "--data"])
        .arg(data)
        .stdout(Stdio::piped())
        .spawn()
        .expect("a server");
    let mut line = String::new();
    let out = process.stdout.take().expect("what it says");
    std::io::BufReader::new(out)
        .read_line(&mut line)
        .expect("a line");
    let address = line
        .split("//")
        .nth(1)
        .and_then(|a| a.trim().trim_end_matches('/').parse().ok());
    Served {
        address: address.expect("an address"),
        process,
    }
}

/// A request, its answer's status, head and body.
async fn ask(address: SocketAddr, head: &str, body: &[u8]) -> (u16, String) {
    let mut line = TcpStream::connect(address).await.expect("a line");
    let head = format!(
        "{head}\r\nHost: {address}\r\nConnection: close\r\nContent-Length: {}\r\n\r\n",
        body.len()
    );
    line.write_all(head.as_bytes()).await.expect("a line");
    let _ = line.write_all(body).await;
    let mut answer = Vec::new();
    let _ = line.read_to_end(&mut answer).await;
    let answer = String::from_utf8_lossy(&answer).into_owned();
    let status = answer.split(' ').nth(1).and_then(|s| s.parse().ok());
    (status.unwrap_or(0), answer)
}

async fn upload(address: SocketAddr, path: &str, name: &str, file: &[u8]) -> u16 {
    let head = format!(
        "--cut\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n"
    );
    let body = [head.as_bytes(), file, b"\r\n--cut--\r\n"].concat();
    let request =
        format!("POST {path} HTTP/1.1\r\nContent-Type: multipart/form-data; boundary=cut");
    ask(address, &request, &body).await.0
}

/// The memory of a process and all that it has started, in KB: what is in memory of each, shared
/// parts counted in each.
fn memory_of(process: u32) -> u64 {
    let read = |path: String| std::fs::read_to_string(path).unwrap_or_default();
    let status = read(format!("/proc/{process}/status"));
    let own = status.lines().find_map(|l| l.strip_prefix("VmRSS:"));
    let own: u64 = own
        .and_then(|l| l.split_whitespace().next()?.parse().ok())
        .unwrap_or(0);
    let tasks = std::fs::read_dir(format!("/proc/{process}/task"))
        .into_iter()
        .flatten();
    let children = tasks
        .flatten()
        .map(|t| read(format!("{}/children", t.path().display())));
    let children: Vec<u32> = children
        .flat_map(|list| {
            list.split_whitespace()
                .filter_map(|p| p.parse().ok())
                .collect::<Vec<_>>()
        })
        .collect();
    own + children.into_iter().map(memory_of).sum::<u64>()
}

/// Watches the memory until told to stop; gives the highest, in KB.
fn watch(process: u32, stop: Arc<AtomicBool>) -> std::thread::JoinHandle<u64> {
    std::thread::spawn(move || {
        let mut most = 0;
        while !stop.load(Ordering::Relaxed) {
            most = most.max(memory_of(process));
            std::thread::sleep(Duration::from_millis(5));
        }
        most
    })
}

/// Draws until told to stop; gives how long each stroke took to be acknowledged, in milliseconds.
async fn draw(mut socket: Socket, backdrop: BackdropId, stop: Arc<AtomicBool>) -> Vec<f64> {
    let mut took = Vec::new();
    for id in 1_000_000.. {
        if stop.load(Ordering::Relaxed) {
            break;
        }
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
        while let Some(Ok(message)) = socket.next().await {
            let Message::Binary(bytes) = message else {
                continue;
            };
            let kept = decode(&bytes);
            if matches!(kept, Some(FromServer::Change { change, kept: true, .. }) if change.id == ChangeId(id))
            {
                break;
            }
        }
        took.push(milliseconds(sent.elapsed()));
        tokio::time::sleep(Duration::from_millis(30)).await;
    }
    took
}

async fn new_lesson(address: SocketAddr) -> (i64, BackdropId, String) {
    let (_, made) = ask(address, "POST /lessons/now HTTP/1.1", b"").await;
    let id = made
        .split("/lessons/")
        .nth(1)
        .and_then(|r| r.split('/').next()?.parse().ok());
    let lesson: i64 = id.expect("a lesson");
    let (_, page) = ask(
        address,
        &format!("GET /lessons/{lesson}/joining HTTP/1.1"),
        b"",
    )
    .await;
    let code = page
        .split("join-code\">")
        .nth(1)
        .and_then(|r| r.split('<').next());
    // The first lesson of a new folder has the first board.
    (
        lesson,
        BackdropId(lesson as u64),
        code.expect("a code").replace(' ', ""),
    )
}

/// All hostile files, one after another and eight at a time, and eight captures of 64 megapixels at
/// once, while a presenter draws.
pub async fn hostile() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let served = serve(folder.path());
    let address = served.address;
    let (lesson, backdrop, _) = new_lesson(address).await;
    let idle = memory_of(served.process.id());
    let stop = Arc::new(AtomicBool::new(false));
    let watched = watch(served.process.id(), stop.clone());
    let socket = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let drawn = tokio::spawn(draw(socket, backdrop, stop.clone()));
    let order = format!("/lessons/{lesson}/order/files");
    let marks = format!("/lessons/{lesson}/marks");
    let all: Vec<(String, &str, Vec<u8>)> = files::files()
        .into_iter()
        .map(|(name, bytes)| (order.clone(), name, bytes))
        .chain(
            files::ink()
                .into_iter()
                .map(|(name, bytes)| (marks.clone(), name, bytes)),
        )
        .collect();
    for (path, name, bytes) in &all {
        upload(address, path, name, bytes).await;
    }
    let done = AtomicU64::new(0);
    let mut running = FuturesUnordered::new();
    for (path, name, bytes) in all.iter().chain(&all) {
        if running.len() == 8 {
            running.next().await;
        }
        let done = &done;
        running.push(async move {
            upload(address, path, name, bytes).await;
            done.fetch_add(1, Ordering::Relaxed);
        });
    }
    while running.next().await.is_some() {}
    let request = format!(
        "--cut\r\nContent-Disposition: form-data; name=\"request\"\r\n\r\n{{\"area\":{{\"x0\":0,\"y0\":0,\"x1\":1920,\"y1\":1080}},\"device\":8.0,\"ratio\":2.0,\"stage\":{{\"current\":{},\"beside\":null,\"seen\":[]}}}}\r\n--cut--\r\n",
        backdrop.0
    );
    let head = format!(
        "POST /lessons/{lesson}/captures HTTP/1.1\r\nContent-Type: multipart/form-data; boundary=cut"
    );
    let captures = (0..8).map(|_| ask(address, &head, request.as_bytes()));
    let captures = futures_util::future::join_all(captures).await;
    let taken = captures.iter().filter(|(status, _)| *status == 200).count();
    stop.store(true, Ordering::Relaxed);
    let most = watched.join().unwrap_or(0);
    let mut took = drawn.await.unwrap_or_default();
    took.sort_by(f64::total_cmp);
    let note = format!(
        "{} files alone, then {} eight at a time, then {taken} captures of 64 megapixels at once; server and workers; {} MB before",
        all.len(),
        done.load(Ordering::Relaxed),
        idle / 1024
    );
    row("hostile.peak", most as f64 / 1024.0, "MB", None, &note);
    let note = format!("of {} strokes, from sent to kept, meanwhile", took.len());
    row(
        "hostile.pen.p99",
        percentile(&took, 0.99),
        "ms",
        None,
        &note,
    );
}

/// A thousand browsers open the page, type the code and their name, and follow.
pub async fn join_1000() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let served = serve(folder.path());
    let address = served.address;
    let (lesson, _, code) = new_lesson(address).await;
    let presenter = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let begun = Instant::now();
    let one = async |n: usize| {
        let (_, page) = ask(address, "GET /join HTTP/1.1", b"").await;
        let own = cookies(&page);
        let form = format!("code={code}&name=Pupil+{n}");
        let head = format!(
            "POST /join HTTP/1.1\r\nContent-Type: application/x-www-form-urlencoded\r\nCookie: {own}"
        );
        let (status, joined) = ask(address, &head, form.as_bytes()).await;
        assert_eq!(status, 303, "{joined}");
        let cookie = format!("{own}; {}", cookies(&joined));
        connect(address, &format!("/follow/{lesson}/live"), Some(&cookie)).await
    };
    let mut coming = FuturesUnordered::new();
    let mut here = Vec::new();
    for n in 0..1000 {
        if coming.len() == 64 {
            here.extend(coming.next().await);
        }
        coming.push(one(n));
    }
    while let Some(socket) = coming.next().await {
        here.push(socket);
    }
    let took = begun.elapsed().as_secs_f64();
    let memory = memory_of(served.process.id()) / 1024;
    let note = format!(
        "{} browsers: page, code, name, socket, welcome; 64 at a time; the server has {memory} MB then",
        here.len()
    );
    row("join.1000", took, "s", None, &note);
    drop(presenter);
}

fn cookies(answer: &str) -> String {
    let lines = answer.lines().take_while(|l| !l.is_empty());
    let set = lines.filter_map(|l| l.strip_prefix("set-cookie: "));
    let kept = set.filter(|v| !v.contains("Max-Age=0;"));
    let pairs: Vec<&str> = kept.filter_map(|v| v.split(';').next()).collect();
    pairs.join("; ")
}
