//! Those who say too much, too slowly, or listen to nothing: they cost their own connection.

use std::time::{Duration, Instant};

use crate::common::{Browser, Server, add, stroke};
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::wire::{FromServer, Hello, Sees, ToServer};
use futures_util::{SinkExt, StreamExt};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;

/// Eight seconds' worth of asking for key frames and stills: the presenter hears a few of them, and
/// the asker is left out and then dropped.
#[tokio::test(flavor = "multi_thread")]
async fn asking_without_end_reaches_nobody() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let sources = axum::http::Request::post(format!("/lessons/{lesson}/sources"))
        .header("content-type", "application/x-www-form-urlencoded");
    assert_eq!(server.ask(sources, "what=bench").await.status(), 204);
    let camera = server
        .app
        .live
        .look(lesson)
        .await
        .unwrap()
        .stage
        .current
        .unwrap()
        .id;
    let (mut presenter, _) = server.presenter(lesson).await;
    let cookie = server.join(lesson, "Sefa").await;
    let (mut wild, _) = server.participant(lesson, &cookie).await;
    for i in 0..5000 {
        let message = match i % 2 {
            0 => ToServer::WantKey(camera),
            _ => ToServer::WantStills,
        };
        if !wild.try_send(&message).await {
            break;
        }
    }
    // A stroke comes back behind all that was told of it.
    let backdrop = server.first_backdrop(lesson).await;
    presenter.act(1, add(backdrop, stroke(1))).await;
    let (mut keys, mut watching) = (0, 0);
    loop {
        match presenter.next().await {
            FromServer::WantKey(_) => keys += 1,
            FromServer::Watching { .. } => watching += 1,
            FromServer::Change { .. } => break,
            _ => {}
        }
    }
    assert!(keys < 12 && watching < 8, "{keys} {watching}");
    assert!(wild.ended().await, "whoever goes on like that is dropped");
}

/// A participant's message is small: a longer one is refused, a much longer one ends the connection
/// before it is in memory.
#[tokio::test(flavor = "multi_thread")]
async fn participants_messages_are_small() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let cookie = server.join(lesson, "Sefa").await;
    let (mut wild, _) = server.participant(lesson, &cookie).await;
    wild.send_bytes(vec![1; 1500]).await;
    let sorry = wild.until(|m| match m {
        FromServer::Sorry(why) => Some(why),
        _ => None,
    });
    assert_eq!(sorry.await, Refusal::TooLarge);
    wild.send_bytes(vec![1; 3000]).await;
    assert!(wild.ended().await);
}

/// Whoever never reads is dropped once what waits for them is too much; the lesson goes on, and
/// nothing piles up.
#[tokio::test(flavor = "multi_thread")]
async fn who_never_reads_is_dropped() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let backdrop = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let cookie = server.join(lesson, "Sefa").await;
    let mut deaf = Vec::new();
    for _ in 0..6 {
        let mut request = format!("ws://{}/follow/{lesson}/live", server.address)
            .into_client_request()
            .unwrap();
        request
            .headers_mut()
            .insert("cookie", cookie.parse().unwrap());
        let (mut socket, _) = tokio_tungstenite::connect_async(request).await.unwrap();
        let hello = Hello {
            author: None,
            resume: None,
        };
        socket
            .send(Message::Binary(hello.encode().into()))
            .await
            .unwrap();
        // Its welcome is the last that it reads for long: which is the first to join is certain.
        socket.next().await.unwrap().unwrap();
        deaf.push(socket);
    }
    let begun = Instant::now();
    let mut id = 0;
    while begun.elapsed() < Duration::from_secs(1) {
        id += 1;
        presenter.act(id, add(backdrop, stroke(id))).await;
        assert!(presenter.told(id).await);
    }
    // A seventh connection of the same participant ends the first, which hears why, though it has not
    // read yet what came before, and says things itself meanwhile.
    let (_seventh, _) = server.participant(lesson, &cookie).await;
    for _ in 0..20 {
        id += 1;
        presenter.act(id, add(backdrop, stroke(id))).await;
        assert!(presenter.told(id).await);
        let _ = deaf[0].send(Message::Ping(Vec::new().into())).await;
    }
    let mut ended = false;
    while let Some(Ok(message)) = deaf[0].next().await {
        ended |= matches!(message, Message::Close(Some(frame)) if u16::from(frame.code) == 4005);
    }
    assert!(ended);
}

/// Requests that are never finished, heads without end and silent lines are closed.
#[tokio::test(flavor = "multi_thread")]
async fn slow_and_endless_requests_are_closed() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start_with(data.path(), |o| o.connections = Some(400)).await;
    let mut halves = Vec::new();
    for _ in 0..300 {
        let mut line = TcpStream::connect(server.address).await.unwrap();
        line.write_all(b"GET / HTTP/1.1\r\nHost: 127")
            .await
            .unwrap();
        halves.push(line);
    }
    let mut long = TcpStream::connect(server.address).await.unwrap();
    let head = format!(
        "GET / HTTP/1.1\r\nHost: {}\r\nX: {}\r\n\r\n",
        server.address,
        "a".repeat(450_000)
    );
    // The server may close while it is being sent.
    let _ = long.write_all(head.as_bytes()).await;
    let mut said = Vec::new();
    let _ = long.read_to_end(&mut said).await;
    let said = String::from_utf8_lossy(&said).into_owned();
    assert!(
        said.is_empty() || said.starts_with("HTTP/1.1 431"),
        "{said}"
    );
    for mut line in halves {
        let mut said = Vec::new();
        let closed = tokio::time::timeout(Duration::from_secs(30), line.read_to_end(&mut said));
        let _ = closed.await.expect("it is closed");
    }
    assert_eq!(server.get("/healthz").await.status(), 200);
}

/// However many connections there are, presenters get theirs.
#[tokio::test(flavor = "multi_thread")]
async fn there_are_only_so_many_connections() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start_with(data.path(), |o| o.connections = Some(128)).await;
    let request = format!("GET /healthz HTTP/1.1\r\nHost: {}\r\n\r\n", server.address);
    let mut held = Vec::new();
    for _ in 0..128 {
        let mut line = TcpStream::connect(server.address).await.unwrap();
        line.write_all(request.as_bytes()).await.unwrap();
        let mut answer = [0; 12];
        line.read_exact(&mut answer).await.unwrap();
        assert_eq!(&answer, b"HTTP/1.1 200");
        held.push(line);
    }
    let mut late = TcpStream::connect(server.address).await.unwrap();
    let _ = late.write_all(request.as_bytes()).await;
    let mut said = Vec::new();
    let _ = late.read_to_end(&mut said).await;
    assert!(said.is_empty(), "the one too many is closed");
    drop(held);
    let mut back = TcpStream::connect(server.address).await.unwrap();
    let mut answer = [0; 12];
    // Those that were let go are noticed in a moment.
    for _ in 0..50 {
        if back.write_all(request.as_bytes()).await.is_ok()
            && back.read_exact(&mut answer).await.is_ok()
        {
            break;
        }
        tokio::task::yield_now().await;
        back = TcpStream::connect(server.address).await.unwrap();
    }
    assert_eq!(&answer, b"HTTP/1.1 200");
}

/// Joining tells presenters of one person at a time, and who comes back is the same person.
#[tokio::test(flavor = "multi_thread")]
async fn people_are_told_as_they_come_and_go() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let cookie = server.join(lesson, "Ines%E2%80%AE%E2%80%8B").await;
    let (first, _) = server.participant(lesson, &cookie).await;
    let person = presenter.until(|m| match m {
        FromServer::Came(person) => Some(person),
        _ => None,
    });
    let person = person.await;
    assert_eq!(person.name, "Ines");
    let (second, _) = server.participant(lesson, &cookie).await;
    drop(first);
    drop(second);
    // Two connections, one person: told once when the last has gone, here without a word.
    let told = async |presenter: &mut Browser| {
        let told = presenter.until(|m| match m {
            FromServer::Came(other) => Some(Ok((other.id, other.sees))),
            FromServer::Left(id) => Some(Err(id)),
            _ => None,
        });
        told.await
    };
    assert_eq!(told(&mut presenter).await, Ok((person.id, Sees::Nothing)));
    // Back at the stage, gone with a word, and at what is theirs.
    let there = server.participant(lesson, &cookie).await.0;
    assert_eq!(told(&mut presenter).await, Ok((person.id, Sees::Streams)));
    there.goes().await;
    assert_eq!(told(&mut presenter).await, Err(person.id));
    let mine =
        axum::http::Request::get(format!("/follow/{lesson}/mine")).header("cookie", cookie.clone());
    assert_eq!(server.ask(mine, String::new()).await.status(), 200);
    assert_eq!(told(&mut presenter).await, Ok((person.id, Sees::Own)));
    let count = |lesson: i64| {
        server.app.store.read(move |c| {
            let all = "SELECT count(*) FROM participant WHERE lesson = ?1";
            Ok(c.query_row(all, [lesson], |r| r.get::<_, i64>(0))?)
        })
    };
    // The same browser joins again under another name.
    let code = server
        .app
        .store
        .read(move |c| bozzetto::lessons::queries::code(c, lesson));
    let code = code.await.unwrap().unwrap();
    let request = axum::http::Request::post("/join")
        .header("content-type", "application/x-www-form-urlencoded")
        .header("cookie", cookie.clone());
    let again = server.ask(request, format!("code={code}&name=Inez")).await;
    assert_eq!(again.status(), 303);
    assert_eq!(count(lesson).await.unwrap(), 1);
}
