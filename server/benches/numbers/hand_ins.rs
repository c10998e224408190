//! A whole assembly draws on a worksheet and hands it in, also while the server is killed.

use std::collections::HashMap;
use std::net::SocketAddr;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use bozzetto::app::{App, Options};
use bozzetto::backdrops::queries::of_lesson;
use bozzetto::lessons::queries;
use bozzetto::live::log;
use bozzetto::store::Store;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::wire::{FromServer, ToServer, decode, encode};
use futures_util::{SinkExt, StreamExt};
use tokio_tungstenite::tungstenite::Message;

use crate::fanout::join;
use crate::process::resident_kb_of;
use crate::rows::row;
use crate::{TARGET, connect, milliseconds, percentile, stroke};

/// How many, with how many strokes, within how long.
const PEOPLE: usize = 300;
const STROKES: u64 = 60;
const WITHIN: Duration = Duration::from_secs(5);

/// A lesson with a worksheet that everybody has opened.
struct Class {
    lesson: i64,
    sheet: i64,
    /// Of each, the cookie, the lesson in which they draw, and its backdrop.
    people: Vec<(String, i64, SheetId)>,
}

async fn prepared(data: &Path) -> Class {
    let app = App::open(data, options()).await.expect("a data folder");
    let lesson = app.store.write(|c| queries::create(c, "Bench", "class"));
    let lesson = lesson.await.expect("a lesson");
    let backdrop = app.live.look(lesson).await.expect("a look").order[0].id;
    let sheet = bozzetto::worksheets::give_whole(&app, lesson, backdrop.0 as i64, "Ring it");
    let sheet = sheet.await.expect("a worksheet");
    let mut people = Vec::new();
    for n in 0..PEOPLE {
        let cookie = join(&app, lesson, n as u64).await;
        let begin = move |conn: &rusqlite::Connection| {
            let newest = "SELECT max(id) FROM participant WHERE lesson = ?1";
            let person = conn.query_row(newest, [lesson], |row| row.get(0))?;
            let answer = bozzetto::worksheets::begun_by(conn, lesson, sheet, person)?;
            let shown = of_lesson(conn, answer.drawn_in)?.remove(0);
            Ok((answer.drawn_in, SheetId::Backdrop(shown.id)))
        };
        let (drawn_in, held) = app.store.write(begin).await.expect("an answer");
        people.push((cookie, drawn_in, held));
    }
    Class {
        lesson,
        sheet,
        people,
    }
}

fn options() -> Options {
    Options {
        program: env!("CARGO_BIN_EXE_bozzetto").into(),
        ..Options::new("127.0.0.1:0".parse().expect("an address"))
    }
}

/// A server in a process of its own, which can be killed.
async fn serve(data: &Path) -> (Child, SocketAddr) {
    let port = std::net::TcpListener::bind("127.0.0.1:0").expect("a port");
    let address = port.local_addr().expect("an address");
    drop(port);
    let child = Command::new(env!("CARGO_BIN_EXE_bozzetto"))
        .args(["serve", "--data"])
        .arg(data)
        .args(["--listen", &address.to_string()])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .expect("a server");
    while tokio::net::TcpStream::connect(address).await.is_err() {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    (child, address)
}

/// What the server has acknowledged: changes, and hand-ins with how long each took.
#[derive(Default)]
struct Acknowledged {
    changes: HashMap<i64, u64>,
    hand_ins: Vec<f64>,
}

/// Everybody draws, and hands in at a moment of their own; each goes on until it is done or the line breaks.
async fn all_draw(class: &Class, address: SocketAddr, heard: &Arc<Mutex<Acknowledged>>) {
    let begun = Instant::now();
    let tasks = class.people.iter().enumerate().map(|(n, person)| {
        let ((cookie, drawn_in, held), heard) = (person.clone(), heard.clone());
        let path = format!("/follow/{}/mine/{}", class.lesson, class.sheet);
        tokio::spawn(async move {
            let mut socket = connect(address, &format!("{path}/live"), Some(&cookie)).await;
            for id in 1..=STROKES {
                let mut mark = stroke(id, 40);
                mark.author = AuthorId(0);
                let step = Step {
                    sheet: held,
                    op: Op::Add(mark),
                };
                let id = ChangeId(id);
                let intent = Intent::Do(vec![step]);
                let message = Message::Binary(encode(&ToServer::Act { id, intent }).into());
                if socket.send(message).await.is_err() {
                    return;
                }
            }
            let mut known = 0;
            while known < STROKES {
                let bytes = match socket.next().await {
                    Some(Ok(Message::Binary(bytes))) => bytes,
                    Some(Ok(_)) => continue,
                    Some(Err(_)) | None => return,
                };
                if let Some(FromServer::Change { kept: true, .. } | FromServer::Known { .. }) =
                    decode(&bytes)
                {
                    known += 1;
                    *heard
                        .lock()
                        .expect("a list")
                        .changes
                        .entry(drawn_in)
                        .or_default() += 1;
                }
            }
            let due = begun + WITHIN.mul_f64(n as f64 / PEOPLE as f64);
            tokio::time::sleep_until(due.into()).await;
            let asked = Instant::now();
            let post = tokio::task::spawn_blocking(move || {
                ureq::post(format!("http://{address}{path}/hand-in"))
                    .header("cookie", &cookie)
                    .send_empty()
            });
            if post.await.expect("a thread").is_ok() {
                let took = milliseconds(asked.elapsed());
                heard.lock().expect("a list").hand_ins.push(took);
            }
        })
    });
    let tasks: Vec<_> = tasks.collect();
    for task in tasks {
        let _ = task.await;
    }
}

/// What of that is on disk: changes by lesson, and hand-ins.
async fn on_disk(data: &Path, class: &Class) -> (HashMap<i64, u64>, u64) {
    let store = Store::open(data).expect("a store");
    let drawn: Vec<i64> = class
        .people
        .iter()
        .map(|(_, drawn_in, _)| *drawn_in)
        .collect();
    let read = store.read(move |conn| {
        let mut changes = HashMap::new();
        for lesson in drawn {
            let sheets = log::marks_at(conn, lesson, u64::MAX)?;
            let marks: usize = sheets.ids().map(|id| sheets.sheet(id).len()).sum();
            changes.insert(lesson, marks as u64);
        }
        let hand_ins = conn.query_row("SELECT count(*) FROM hand_in", [], |row| {
            row.get::<_, i64>(0)
        })?;
        Ok((changes, hand_ins as u64))
    });
    read.await.expect("a log")
}

pub async fn hand_ins() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let class = prepared(folder.path()).await;
    let (mut child, address) = serve(folder.path()).await;
    let before = resident_kb_of(child.id());
    let heard = Arc::default();
    all_draw(&class, address, &heard).await;
    let memory = (resident_kb_of(child.id()) - before) / PEOPLE as f64;
    let _ = child.kill();
    let _ = child.wait();
    let mut times = std::mem::take(&mut heard.lock().expect("a list").hand_ins);
    times.sort_by(f64::total_cmp);
    let note = format!(
        "{} of {PEOPLE} handed in within 5 s, {STROKES} strokes each",
        times.len()
    );
    row("handin.300.p50", percentile(&times, 0.5), "ms", None, &note);
    row(
        "handin.300.p99",
        percentile(&times, 0.99),
        "ms",
        None,
        &note,
    );
    row(
        "handin.300.memory",
        memory,
        "KB/participant",
        None,
        "of the server's process, growth",
    );

    // The same once more, killed in the middle.
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let class = prepared(folder.path()).await;
    let (mut child, address) = serve(folder.path()).await;
    let heard: Arc<Mutex<Acknowledged>> = Arc::default();
    let kill = async {
        tokio::time::sleep(WITHIN / 2).await;
        let _ = child.kill();
        let _ = child.wait();
    };
    tokio::join!(all_draw(&class, address, &heard), kill);
    let (changes, hand_ins) = on_disk(folder.path(), &class).await;
    let heard = heard.lock().expect("a list");
    let told = heard.changes.iter();
    let lost: u64 = told
        .map(|(lesson, told)| told.saturating_sub(changes.get(lesson).copied().unwrap_or(0)))
        .sum();
    let lost = lost + (heard.hand_ins.len() as u64).saturating_sub(hand_ins);
    let note = format!(
        "{} changes and {} hand-ins were acknowledged before the kill",
        heard.changes.values().sum::<u64>(),
        heard.hand_ins.len()
    );
    row("handin.300.lost", lost as f64, "acknowledged", None, &note);
}

/// Has everybody draw, and go on with a stroke a second each, for `e2e/bench.js` to look at the wall meanwhile; says where,
/// and ends with whoever started it.
pub async fn wall_held() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let class = prepared(folder.path()).await;
    let (_, address) = crate::serve(folder.path()).await;
    let heard = Arc::default();
    all_draw(&class, address, &heard).await;
    let live = format!("/follow/{}/mine/{}/live", class.lesson, class.sheet);
    for (cookie, _, held) in class.people.clone() {
        let live = live.clone();
        tokio::spawn(async move {
            let mut socket = connect(address, &live, Some(&cookie)).await;
            for id in STROKES + 1.. {
                let mut mark = stroke(id, 40);
                mark.author = AuthorId(0);
                let step = Step {
                    sheet: held,
                    op: Op::Add(mark),
                };
                let (id, intent) = (ChangeId(id), Intent::Do(vec![step]));
                let message = encode(&ToServer::Act { id, intent });
                if socket.send(Message::Binary(message.into())).await.is_err() {
                    return;
                }
                // What is heard meanwhile is let go.
                let heard = async { while socket.next().await.is_some() {} };
                let _ = tokio::time::timeout(Duration::from_secs(1), heard).await;
            }
        });
    }
    println!(
        "{}",
        serde_json::json!({ "wall": format!("http://{address}/lessons/{}/worksheets/{}", class.lesson, class.sheet) })
    );
    let mut nothing = String::new();
    let until_closed = move || std::io::stdin().read_line(&mut nothing);
    let _ = tokio::task::spawn_blocking(until_closed).await;
}
