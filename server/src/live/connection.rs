//! One browser's socket.

use std::num::NonZeroU32;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use axum::extract::ws::{CloseFrame, Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::people::rights;
use bozzetto_core::prefs::settings::Settings;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::wire::{
    self, FromServer, Goodbye, Hello, Sees, ToServer, asked_for, decode, encode,
};
use bytes::Bytes;
use futures_util::stream::{SplitSink, SplitStream};
use futures_util::{SinkExt, Stream, StreamExt};
use governor::{DefaultDirectRateLimiter, Quota, RateLimiter};
use tokio::sync::{mpsc, oneshot};

use super::broadcast::{Heard, Subscription};
use super::lesson::{Command, Joined, Passed, Role, Said};
use crate::app::App;
use crate::auth::participant::{self, Participant};
use crate::auth::sessions;
use crate::seats::Seat as Taken;

/// How long a new connection may take to say hello.
const HELLO: Duration = Duration::from_secs(10);
/// How often a browser is told that the line is alive, and asked whether it is.
const BEAT: Duration = Duration::from_millis(wire::BEAT);
const PING: Duration = Duration::from_secs(5);
/// After how long a line on which nothing comes counts as dead: some pings.
const DEAD: Duration = Duration::from_secs(16);
/// How long the other side may take to answer a goodbye.
const FAREWELL: Duration = Duration::from_secs(5);
/// How often it is looked whether a presenter's session still holds.
const LOOK: Duration = Duration::from_secs(15);
/// Answers that wait for one browser.
const ANSWERS: usize = 256;
/// How much longer than is taken a message may be to be refused; one that is longer still ends the
/// connection.
const MARGIN: usize = 2;
/// How many messages a participant may send at once, and a second; what is beyond that is left out.
const AT_ONCE: NonZeroU32 = NonZeroU32::new(20).unwrap();
const A_SECOND: NonZeroU32 = NonZeroU32::new(4).unwrap();
/// How many messages whoever marks a worksheet may send a second: a pen in each of some hands.
const DRAWN_A_SECOND: NonZeroU32 = NonZeroU32::new(250).unwrap();
/// How many kB participants may send a second, and at once: a picture stream as fine as ours, or ink without end. What is
/// beyond that is read later, so that their browser sends less.
const KB_A_SECOND: NonZeroU32 = NonZeroU32::new(1500).unwrap();
const KB_AT_ONCE: NonZeroU32 = NonZeroU32::new(6000).unwrap();
/// Whoever has had so many messages left out is no browser of ours.
const PATIENCE: u32 = 200;

/// Who takes a place at a lesson.
pub enum Seat {
    /// With the hash of the session, where there are sessions.
    Presenter(Option<String>),
    Participant(Participant, Taken),
    /// Of a worksheet; and the lesson in which they have it.
    Author(Participant, i64, Taken),
}

impl Seat {
    fn role(&self) -> Role {
        match self {
            Seat::Presenter(_) => Role::Presenter,
            Seat::Author(who, ..) => Role::Author(who.id),
            Seat::Participant(who, _) => Role::Participant(who.clone()),
        }
    }
}

/// How many bytes are read from a socket at once: a participant says little, and there are many of them.
const READS: usize = 4 * 1024;
const READS_MUCH: usize = 64 * 1024;

/// How many messages go out with one flush at the most.
const AT_A_TIME: usize = 32;

/// Makes a socket of a request, for somebody who may have one.
pub fn upgrade(upgrade: WebSocketUpgrade, app: &App, lesson: i64, seat: Seat) -> Response {
    let rights = seat.role().rights();
    // A pen may be passed to them later, or their screen taken onto the stage; which backdrop that is does not matter here.
    let most = match rights {
        rights::Role::Participant { hand, .. } => rights::Role::Participant {
            pen: true,
            hand,
            screen: Some(BackdropId(0)),
        },
        other => other,
    };
    let longest = most.longest_message() * MARGIN;
    let buffer = match rights {
        rights::Role::Participant { .. } => READS,
        rights::Role::Presenter | rights::Role::Author => READS_MUCH,
    };
    let app = app.clone();
    upgrade
        .read_buffer_size(buffer)
        .max_message_size(longest)
        .max_frame_size(longest)
        .on_upgrade(async move |socket| serve(socket, app, lesson, seat).await)
}

/// Serves a socket until either side goes away.
async fn serve(mut socket: WebSocket, app: App, lesson: i64, seat: Seat) {
    let hello = match tokio::time::timeout(HELLO, socket.recv()).await {
        Ok(Some(Ok(Message::Binary(bytes)))) => Hello::decode(&bytes),
        _ => Err(Goodbye::Unreadable),
    };
    let hello = match hello {
        Ok(hello) => hello,
        Err(why) => return close(&mut socket, why).await,
    };
    let lesson = app.live.lesson(lesson);
    let (direct, answers) = mpsc::channel(ANSWERS);
    let (reply, joined) = oneshot::channel();
    let role = seat.role();
    let rights = role.rights();
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
    let passed = joined.passed.clone();
    let (sink, mut stream) = socket.split();
    // Whether streams are to come as stills.
    let stills = AtomicBool::new(false);
    let there = Line {
        app: &app,
        connection,
        lesson: &lesson,
        stills: &stills,
    };
    there.tell_where(&seat, Sees::Own).await;
    let goes = tokio::select! {
        goes = there.send_all(sink, joined, answers, &seat) => goes,
        goes = there.take_all(&mut stream, rights, &passed) => goes,
    };
    let lost = goes == Goes::Lost;
    let _ = lesson.send(Command::Leave { connection, lost }).await;
    if lost {
        there.tell_where(&seat, Sees::Nothing).await;
    }
    if goes == Goes::ToldWhy {
        heard_out(&mut stream).await;
    }
}

/// How a connection ends.
#[derive(PartialEq, Eq)]
enum Goes {
    /// The other side went, and said so; or this one does.
    Alone,
    /// Without a word.
    Lost,
    /// The other side was told why; it has to hear it yet.
    ToldWhy,
}

/// Waits until the other side has answered a goodbye, as RFC 6455 wants it (7.1.1): a line that is
/// closed while something still comes over it is torn, and a goodbye on its way is lost with it.
async fn heard_out(stream: &mut (impl Stream<Item = Result<Message, axum::Error>> + Unpin)) {
    let answered = async { while let Some(Ok(_)) = stream.next().await {} };
    let _ = tokio::time::timeout(FAREWELL, answered).await;
}

/// Tells a browser that its lesson is gone, in the only way that its page can hear.
pub async fn say_gone(mut socket: WebSocket) {
    close(&mut socket, Goodbye::LessonGone).await;
}

async fn close(socket: &mut WebSocket, why: Goodbye) {
    if socket.send(goodbye(why)).await.is_ok() {
        heard_out(socket).await;
    }
}

/// What both directions of a connection know.
struct Line<'a> {
    app: &'a App,
    connection: u64,
    lesson: &'a mpsc::Sender<Command>,
    stills: &'a AtomicBool,
}

/// How long a message is, in whole kB.
fn kb_of(message: &Message) -> Option<NonZeroU32> {
    match message {
        Message::Binary(bytes) => NonZeroU32::new((bytes.len() / 1000) as u32),
        _ => None,
    }
}

fn json(settings: &Settings) -> String {
    serde_json::to_string(settings).expect("settings are plain data")
}

fn goodbye(why: Goodbye) -> Message {
    Message::Close(Some(CloseFrame {
        code: why as u16,
        reason: "".into(),
    }))
}

impl Line<'_> {
    async fn send_all(
        &self,
        mut sink: SplitSink<WebSocket, Message>,
        joined: Joined,
        mut answers: mpsc::Receiver<Said>,
        seat: &Seat,
    ) -> Goes {
        let Joined {
            welcome,
            mut frames,
            ..
        } = joined;
        if sink.send(Message::Binary(welcome)).await.is_err() {
            return Goes::Alone;
        }
        let mut beat = tokio::time::interval(BEAT);
        let mut ping = tokio::time::interval(PING);
        let mut look = tokio::time::interval(LOOK);
        let mut sessions = self.app.sessions.subscribe();
        let mut away = self.app.live.away.subscribe();
        // Once at first: they may have been changed while this browser was away.
        let mut settings = self.app.settings.subscribe();
        settings.mark_changed();
        loop {
            let message = tokio::select! {
                heard = frames.next(self.stills) => match heard {
                    Heard::Frame(frame) => Message::Binary(frame.bytes),
                    Heard::Lost => match self.catch_up().await {
                        Some((welcome, again)) => {
                            frames = again;
                            Message::Binary(welcome)
                        }
                        None => return Goes::Alone,
                    },
                    Heard::Closed => goodbye(Goodbye::LessonGone),
                },
                Some(answer) = answers.recv() => match answer {
                    Said::Message(bytes) => Message::Binary(bytes),
                    Said::Goodbye(why) => goodbye(why),
                },
                _ = beat.tick() => {
                    Message::Binary(encode(&FromServer::Beat(crate::now() as u64)).into())
                }
                _ = ping.tick() => Message::Ping(Bytes::new()),
                _ = look.tick() => match self.may_stay(seat).await {
                    true => {
                        self.tell_where(seat, Sees::Own).await;
                        continue;
                    }
                    false => goodbye(Goodbye::NotAllowed),
                },
                Ok(()) = away.changed(), if matches!(seat, Seat::Author(..)) => {
                    match self.may_stay(seat).await {
                        true => continue,
                        false => goodbye(Goodbye::SentAway),
                    }
                }
                Ok(()) = settings.changed(), if matches!(seat, Seat::Presenter(_)) => {
                    match self.app.store.read(crate::settings::read).await {
                        Ok(now) => Message::Binary(encode(&FromServer::Settings(json(&now))).into()),
                        Err(_) => continue,
                    }
                }
                Ok(()) = sessions.changed() => match self.may_stay(seat).await {
                    true => continue,
                    false => goodbye(Goodbye::NotAllowed),
                },
            };
            let last = matches!(message, Message::Close(_));
            if sink.feed(message).await.is_err() {
                return Goes::Lost;
            }
            // Whoever is behind gets what is there in one piece.
            for _ in 0..AT_A_TIME {
                let more = frames.more(self.stills).filter(|_| !last);
                let Some(frame) = more else { break };
                if sink.feed(Message::Binary(frame.bytes)).await.is_err() {
                    return Goes::Lost;
                }
            }
            if sink.flush().await.is_err() {
                return Goes::Lost;
            }
            if last {
                return Goes::ToldWhy;
            }
        }
    }

    /// Whether a presenter's session has not ended meanwhile, and whoever marks a worksheet was not sent away from its
    /// lesson. What cannot be looked up now is looked up the next time.
    async fn may_stay(&self, seat: &Seat) -> bool {
        if let Seat::Author(who, lesson, _) = seat {
            let (person, lesson) = (who.id, *lesson);
            let there =
                move |conn: &rusqlite::Connection| participant::is_there(conn, lesson, person);
            return self.app.store.read(there).await.unwrap_or(true);
        }
        let Seat::Presenter(Some(hash)) = seat else {
            return true;
        };
        let hash = hash.clone();
        let look = self.app.store.read(move |conn| {
            let holds = sessions::holds(conn, &hash)?;
            Ok((holds, hash))
        });
        match look.await {
            Ok((holds, hash)) => {
                if holds {
                    // When it was used last is of no weight.
                    let _ = self
                        .app
                        .store
                        .write(move |c| sessions::touch(c, &hash))
                        .await;
                }
                holds
            }
            Err(_) => true,
        }
    }

    /// Tells the lesson of a worksheet where its author is.
    async fn tell_where(&self, seat: &Seat, sees: Sees) {
        if let Seat::Author(who, lesson, _) = seat {
            self.app.live.tell_where(*lesson, who, sees).await;
        }
    }

    async fn catch_up(&self) -> Option<(Bytes, Subscription)> {
        let (reply, answer) = oneshot::channel();
        let command = Command::CatchUp {
            connection: self.connection,
            reply,
        };
        self.lesson.send(command).await.ok()?;
        answer.await.ok()
    }

    async fn take_all(
        &self,
        stream: &mut SplitStream<WebSocket>,
        seat: rights::Role,
        passed: &Passed,
    ) -> Goes {
        let connection = self.connection;
        let watching: DefaultDirectRateLimiter =
            RateLimiter::direct(Quota::per_second(A_SECOND).allow_burst(AT_ONCE));
        let drawing: DefaultDirectRateLimiter =
            RateLimiter::direct(Quota::per_second(DRAWN_A_SECOND));
        let much: DefaultDirectRateLimiter =
            RateLimiter::direct(Quota::per_second(KB_A_SECOND).allow_burst(KB_AT_ONCE));
        let mut left_out = 0;
        let unreadable = |why| Command::Unreadable { connection, why };
        while let Ok(Some(Ok(message))) = tokio::time::timeout(DEAD, stream.next()).await {
            let rights = match seat {
                rights::Role::Participant { hand, .. } => {
                    let screen = passed.screen.load(Ordering::Relaxed);
                    rights::Role::Participant {
                        pen: passed.often.load(Ordering::Relaxed),
                        hand,
                        // Which backdrop that is does not matter here.
                        screen: screen.then_some(BackdropId(0)),
                    }
                }
                other => other,
            };
            let longest = rights.longest_message();
            if let (true, Some(kb)) = (rights.is_guest(), kb_of(&message)) {
                // No message is longer than may come at once.
                let _ = much.until_n_ready(kb).await;
            }
            match rights {
                rights::Role::Presenter => {}
                // Nothing that is drawn is left out: it is read later.
                rights::Role::Author | rights::Role::Participant { pen: true, .. } => {
                    drawing.until_ready().await;
                }
                rights::Role::Participant { pen: false, .. } => {
                    if !matches!(message, Message::Close(_)) && watching.check().is_err() {
                        left_out += 1;
                        if left_out > PATIENCE {
                            return Goes::Alone;
                        }
                        continue;
                    }
                }
            }
            let command = match message {
                // The socket takes what somebody with a pen may say, since one may be passed to them.
                Message::Binary(bytes) if bytes.len() > longest * MARGIN => return Goes::Alone,
                Message::Binary(bytes) if bytes.len() > longest => Command::TooLong {
                    connection,
                    change: asked_for(&bytes),
                },
                Message::Binary(bytes) => match decode(&bytes) {
                    Some(message) => {
                        if message == ToServer::WantStills {
                            self.stills.store(true, Ordering::Relaxed);
                        }
                        Command::Message {
                            connection,
                            message,
                        }
                    }
                    None => unreadable(Refusal::Unreadable),
                },
                Message::Text(_) => unreadable(Refusal::Unreadable),
                Message::Close(_) => return Goes::Alone,
                Message::Ping(_) | Message::Pong(_) => continue,
            };
            if self.lesson.send(command).await.is_err() {
                return Goes::Alone;
            }
        }
        Goes::Lost
    }
}
