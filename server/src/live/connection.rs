//! One browser's socket.

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use axum::extract::ws::{CloseFrame, Message, WebSocket};
use bozzetto_core::change::Refusal;
use bozzetto_core::wire::{Goodbye, Hello, MAX_MESSAGE, ToServer, decode};
use bytes::Bytes;
use futures_util::stream::{SplitSink, SplitStream};
use futures_util::{SinkExt, StreamExt};
use tokio::sync::{mpsc, oneshot};

use super::broadcast::{Heard, Subscription};
use super::lesson::{Command, Joined, Role};

/// How long a new connection may take to say hello.
const HELLO: Duration = Duration::from_secs(10);
/// How often a silent line is tried, and after how long it counts as dead.
const PING: Duration = Duration::from_secs(15);
const DEAD: Duration = Duration::from_secs(45);
/// Answers that wait for one browser.
const ANSWERS: usize = 256;
/// Messages longer than this end the connection; those over [`MAX_MESSAGE`] are only refused.
pub const HARD_LIMIT: usize = 16 * MAX_MESSAGE;

/// Serves a socket until either side goes away.
pub async fn serve(mut socket: WebSocket, lesson: mpsc::Sender<Command>, role: Role) {
    let hello = match tokio::time::timeout(HELLO, socket.recv()).await {
        Ok(Some(Ok(Message::Binary(bytes)))) => Hello::decode(&bytes),
        _ => Err(Goodbye::Unreadable),
    };
    let hello = match hello {
        Ok(hello) => hello,
        Err(why) => return close(&mut socket, why).await,
    };
    let (direct, answers) = mpsc::channel(ANSWERS);
    let (reply, joined) = oneshot::channel();
    let join = Command::Join {
        role,
        hello,
        direct,
        reply,
    };
    if lesson.send(join).await.is_err() {
        return;
    }
    // The lesson could not be opened just now; the browser tries again.
    let Ok(joined) = joined.await else {
        return;
    };
    let connection = joined.connection;
    let (sink, stream) = socket.split();
    // Whether streams are to come as stills.
    let stills = AtomicBool::new(false);
    tokio::select! {
        () = send_all(sink, joined, answers, &lesson, &stills) => {}
        () = take_all(stream, connection, &lesson, &stills) => {}
    }
    let _ = lesson.send(Command::Leave { connection }).await;
}

/// Tells a browser that its lesson is gone, in the only way that its page can hear.
pub async fn say_gone(mut socket: WebSocket) {
    close(&mut socket, Goodbye::LessonGone).await;
}

async fn close(socket: &mut WebSocket, why: Goodbye) {
    let frame = CloseFrame {
        code: why as u16,
        reason: "".into(),
    };
    let _ = socket.send(Message::Close(Some(frame))).await;
}

type Sink = SplitSink<WebSocket, Message>;

async fn send_all(
    mut sink: Sink,
    joined: Joined,
    mut answers: mpsc::Receiver<Bytes>,
    lesson: &mpsc::Sender<Command>,
    stills: &AtomicBool,
) {
    let Joined {
        connection,
        welcome,
        mut frames,
    } = joined;
    if sink.send(Message::Binary(welcome)).await.is_err() {
        return;
    }
    let mut ping = tokio::time::interval(PING);
    loop {
        let message = tokio::select! {
            heard = frames.next(stills) => match heard {
                Heard::Frame(frame) => Message::Binary(frame.bytes),
                Heard::Lost => match catch_up(connection, lesson).await {
                    Some((welcome, again)) => {
                        frames = again;
                        Message::Binary(welcome)
                    }
                    None => return,
                },
                Heard::Closed => {
                    let code = Goodbye::LessonGone as u16;
                    Message::Close(Some(CloseFrame { code, reason: "".into() }))
                }
            },
            Some(answer) = answers.recv() => Message::Binary(answer),
            _ = ping.tick() => Message::Ping(Bytes::new()),
        };
        let last = matches!(message, Message::Close(_));
        if sink.send(message).await.is_err() || last {
            return;
        }
    }
}

async fn catch_up(
    connection: u64,
    lesson: &mpsc::Sender<Command>,
) -> Option<(Bytes, Subscription)> {
    let (reply, answer) = oneshot::channel();
    let command = Command::CatchUp { connection, reply };
    lesson.send(command).await.ok()?;
    answer.await.ok()
}

async fn take_all(
    mut stream: SplitStream<WebSocket>,
    connection: u64,
    lesson: &mpsc::Sender<Command>,
    stills: &AtomicBool,
) {
    while let Ok(Some(Ok(message))) = tokio::time::timeout(DEAD, stream.next()).await {
        let command = match message {
            Message::Binary(bytes) if bytes.len() > MAX_MESSAGE => Command::Unreadable {
                connection,
                why: Refusal::TooLarge,
            },
            Message::Binary(bytes) => match decode(&bytes) {
                Some(message) => {
                    if message == ToServer::WantStills {
                        stills.store(true, Ordering::Relaxed);
                    }
                    Command::Message {
                        connection,
                        message,
                    }
                }
                None => Command::Unreadable {
                    connection,
                    why: Refusal::Unreadable,
                },
            },
            Message::Text(_) => Command::Unreadable {
                connection,
                why: Refusal::Unreadable,
            },
            Message::Close(_) => return,
            Message::Ping(_) | Message::Pong(_) => continue,
        };
        if lesson.send(command).await.is_err() {
            return;
        }
    }
}
