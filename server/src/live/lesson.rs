//! An open lesson: a task that owns its sheets, puts changes in order and tells everybody.
//!
//! A change is applied in memory as soon as it arrives, so that the next one is judged by it; it is
//! written together with whatever else has come meanwhile, and told to everybody once it is on
//! disk. When the disk does not take it, it is told all the same, marked as not kept, and written
//! again until it is; its sender holds on to it until then.

use std::collections::{BTreeMap, HashMap, VecDeque};
use std::time::Duration;

use bozzetto_core::change::{Change, Refusal, SheetId, check_steps};
use bozzetto_core::change::{Intent, Step};
use bozzetto_core::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::sheet::Sheets;
use bozzetto_core::wet::WetStrokes;
use bozzetto_core::wire::{
    BackdropView, FromServer, Hello, LessonView, OnStage, Person, Start, State, TakeAway, ToServer,
    Welcome, encode,
};
use bytes::Bytes;
use rusqlite::params;
use tokio::sync::{mpsc, oneshot};
use tokio::task::JoinHandle;

use super::Live;
use super::broadcast::{Broadcast, Frame, Subscription};
use super::log::{self, Opened, Outline, RECENT};
use crate::auth::participant::Participant;
use crate::store::Store;

/// Who is at the other end of a connection.
#[derive(Clone, Debug)]
pub enum Role {
    Presenter,
    Participant(Participant),
}

/// What a lesson is told.
pub enum Command {
    Join {
        role: Role,
        hello: Hello,
        direct: mpsc::Sender<Bytes>,
        reply: oneshot::Sender<Joined>,
    },
    /// The connection lost frames and wants to be brought up.
    CatchUp {
        connection: u64,
        reply: oneshot::Sender<(Bytes, Subscription)>,
    },
    Leave {
        connection: u64,
    },
    Message {
        connection: u64,
        message: ToServer,
    },
    /// Something could not even be read.
    Unreadable {
        connection: u64,
        why: Refusal,
    },
    Look {
        reply: oneshot::Sender<Look>,
    },
    /// Running order or name have changed in the database; perhaps something is to go on stage.
    Changed {
        goto: Option<BackdropId>,
    },
    CapturesChanged,
    /// The lesson was deleted.
    Deleted,
}

/// The answer to [`Command::Join`].
pub struct Joined {
    pub connection: u64,
    pub welcome: Bytes,
    pub frames: Subscription,
}

/// A lesson at one moment.
pub struct Look {
    pub sheets: Sheets,
    pub seq: u64,
    pub name: String,
    pub aspect: (f64, f64),
    pub order: Vec<BackdropView>,
    pub current: Option<BackdropView>,
    /// What participants may fetch pictures of.
    pub shown_to_participants: Option<BackdropView>,
}

struct Connection {
    role: Role,
    author: AuthorId,
    direct: mpsc::Sender<Bytes>,
}

struct Lesson {
    id: i64,
    store: Store,
    epoch: u64,
    seq: u64,
    sheets: Sheets,
    recent: VecDeque<(u64, Change)>,
    known: HashMap<ChangeId, u64>,
    outline: Outline,
    take_aways: Vec<TakeAway>,
    wet: WetStrokes,
    presenters: Broadcast,
    participants: Broadcast,
    connections: BTreeMap<u64, Connection>,
    next_connection: u64,
    /// What participants go on seeing while the lesson is paused.
    held: Option<OnStage>,
    /// Applied, and not yet written.
    unwritten: VecDeque<(u64, Change)>,
    /// How many of these everybody has been told of, because the disk would not take them.
    told_unkept: usize,
    writing: Option<JoinHandle<(usize, bool)>>,
    snapshot_at: u64,
}

/// A lesson that nobody watches is put away after this long.
const IDLE: Duration = Duration::from_secs(120);
/// How long to wait before writing again after the disk refused.
const RETRY: Duration = Duration::from_secs(1);
/// How many changes make a new snapshot worth while.
const SNAPSHOT_EVERY: u64 = 400;

pub async fn run(id: i64, store: Store, live: Live, mut queue: mpsc::Receiver<Command>) {
    let opened = store
        .read(move |conn| Ok((log::open(conn, id)?, crate::captures::handed_out(conn, id)?)))
        .await;
    let mut lesson = match opened {
        Ok((Some(opened), take_aways)) => Lesson::new(id, store, opened, take_aways),
        Ok((None, _)) => return live_ends(&live, id),
        Err(e) => {
            tracing::error!("lesson {id} could not be opened: {e}");
            return live_ends(&live, id);
        }
    };
    loop {
        let idle = lesson.connections.is_empty() && lesson.unwritten.is_empty();
        tokio::select! {
            command = queue.recv() => match command {
                Some(Command::Deleted) | None => break,
                Some(command) => lesson.take(command).await,
            },
            done = written(&mut lesson.writing) => lesson.after_write(done).await,
            () = tokio::time::sleep(IDLE), if idle => {
                let unheld = || queue.is_empty() && queue.sender_strong_count() == 1;
                if live.forget(id, unheld) {
                    lesson.put_away().await;
                    return;
                }
            }
        }
    }
    live_ends(&live, id);
}

fn live_ends(live: &Live, id: i64) {
    live.forget(id, || true);
}

async fn written(writing: &mut Option<JoinHandle<(usize, bool)>>) -> (usize, bool) {
    match writing {
        Some(task) => task.await.unwrap_or((0, false)),
        None => std::future::pending().await,
    }
}

impl Lesson {
    fn new(id: i64, store: Store, opened: Opened, take_aways: Vec<TakeAway>) -> Self {
        Self {
            id,
            store,
            epoch: rand::random(),
            seq: opened.seq,
            snapshot_at: opened.seq.saturating_sub(opened.recent.len() as u64),
            sheets: opened.sheets,
            recent: opened.recent.into(),
            known: opened.known,
            outline: opened.outline,
            take_aways,
            wet: WetStrokes::default(),
            presenters: Broadcast::default(),
            participants: Broadcast::default(),
            connections: BTreeMap::new(),
            next_connection: 0,
            held: None,
            unwritten: VecDeque::new(),
            told_unkept: 0,
            writing: None,
        }
    }

    async fn take(&mut self, command: Command) {
        match command {
            Command::Join {
                role,
                hello,
                direct,
                reply,
            } => {
                let _ = reply.send(self.join(role, &hello, direct));
            }
            Command::CatchUp { connection, reply } => {
                if let Some(c) = self.connections.get(&connection) {
                    let resume = Hello {
                        author: Some(c.author),
                        resume: None,
                    };
                    let welcome = self.welcome(&c.role, c.author, &resume);
                    let _ = reply.send((welcome, self.channel(&c.role).subscribe()));
                }
            }
            Command::Leave { connection } => self.leave(connection),
            Command::Message {
                connection,
                message,
            } => self.message(connection, message).await,
            Command::Unreadable { connection, why } => {
                self.answer(connection, &FromServer::Sorry(why))
            }
            Command::Look { reply } => {
                let _ = reply.send(self.look());
            }
            Command::Changed { goto } => self.reload(goto).await,
            Command::CapturesChanged => self.captures_changed().await,
            Command::Deleted => {}
        }
    }

    fn join(&mut self, role: Role, hello: &Hello, direct: mpsc::Sender<Bytes>) -> Joined {
        let author = match &role {
            Role::Presenter => hello.author.unwrap_or_else(|| AuthorId(rand::random())),
            // A participant cannot choose to be somebody else.
            Role::Participant(p) => AuthorId(p.id as u64),
        };
        let welcome = self.welcome(&role, author, hello);
        let frames = self.channel(&role).subscribe();
        self.next_connection += 1;
        let connection = self.next_connection;
        let participant = matches!(role, Role::Participant(_));
        self.connections.insert(
            connection,
            Connection {
                role,
                author,
                direct,
            },
        );
        if participant {
            self.tell_presenters(&FromServer::People(self.people()));
        }
        Joined {
            connection,
            welcome,
            frames,
        }
    }

    fn leave(&mut self, connection: u64) {
        let Some(gone) = self.connections.remove(&connection) else {
            return;
        };
        let still_here = self.connections.values().any(|c| c.author == gone.author);
        if !still_here {
            for mark in self.wet.end_all_of(gone.author, &nowhere) {
                self.tell_everybody(&FromServer::WetEnd { mark }, false);
            }
        }
        if matches!(gone.role, Role::Participant(_)) {
            self.tell_presenters(&FromServer::People(self.people()));
        }
    }

    fn welcome(&self, role: &Role, author: AuthorId, hello: &Hello) -> Bytes {
        let welcome = match role {
            Role::Presenter => Welcome {
                author,
                epoch: self.epoch,
                seq: self.seq,
                start: self.start(hello),
                history: (
                    self.sheets.histories().undo(author).len() as u32,
                    self.sheets.histories().redo(author).len() as u32,
                ),
                wet: self.wet_so_far(None),
                state: State::Presenter {
                    lesson: self.view(),
                    people: self.people(),
                    keeping: self.told_unkept == 0,
                },
            },
            Role::Participant(_) => {
                let stage = self.held.clone().unwrap_or_else(|| self.on_stage());
                Welcome {
                    author,
                    epoch: self.epoch,
                    seq: stage.seq,
                    start: Start::Sheets(stage.sheets),
                    history: (0, 0),
                    wet: stage.wet,
                    state: State::Participant {
                        lesson: self.outline.name.clone(),
                        paused: self.outline.paused,
                        backdrop: stage.backdrop,
                        take_aways: self.take_aways.clone(),
                    },
                }
            }
        };
        encode(&FromServer::Welcome(Box::new(welcome))).into()
    }

    /// From where a presenter's copy goes on: what it missed if that is at hand, or everything.
    fn start(&self, hello: &Hello) -> Start {
        if let Some((epoch, seq)) = hello.resume
            && epoch == self.epoch
            && seq <= self.seq
            && self
                .recent
                .front()
                .is_none_or(|(first, _)| *first <= seq + 1)
        {
            let missed = self.recent.iter().filter(|(s, _)| *s > seq).cloned();
            return Start::Missed(missed.collect());
        }
        let ids: Vec<SheetId> = self.sheets.ids().collect();
        Start::Sheets(self.marks_of(&ids))
    }

    fn marks_of(
        &self,
        ids: &[SheetId],
    ) -> Vec<(SheetId, Vec<std::sync::Arc<bozzetto_core::mark::Mark>>)> {
        ids.iter()
            .map(|id| (*id, self.sheets.sheet(*id).marks().cloned().collect()))
            .collect()
    }

    async fn message(&mut self, connection: u64, message: ToServer) {
        let Some((author, presenter)) = self
            .connections
            .get(&connection)
            .map(|c| (c.author, matches!(c.role, Role::Presenter)))
        else {
            return;
        };
        if !presenter {
            // Participants watch; each message is judged here, whatever their page allows.
            let answer = match message {
                ToServer::Act { id, .. } => FromServer::Refused {
                    id,
                    why: Refusal::NotAllowed,
                },
                _ => FromServer::Sorry(Refusal::NotAllowed),
            };
            return self.answer(connection, &answer);
        }
        match message {
            ToServer::Wet(ink) => match ink.check() {
                Ok(()) => {
                    self.wet.extend(author, &ink, Vec::new(), &nowhere);
                    let seen = self.in_view(ink.sheet);
                    self.tell_everybody(&FromServer::Wet { author, ink }, !seen);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::WetEnd(mark) => {
                self.wet.end(mark, &nowhere);
                self.tell_everybody(&FromServer::WetEnd { mark }, false);
            }
            ToServer::Act { id, intent } => self.act(connection, author, id, &intent),
            ToServer::Goto(backdrop) => self.goto(backdrop).await,
            ToServer::Pause(paused) => self.pause(paused).await,
        }
    }

    fn act(&mut self, connection: u64, author: AuthorId, id: ChangeId, intent: &Intent) {
        if self.known.contains_key(&id) {
            // Sent again after a broken line. If it still waits for the disk, so does the answer.
            if !self.unwritten.iter().any(|(_, c)| c.id == id) {
                self.answer(connection, &FromServer::Known { id });
            }
            return;
        }
        match self.apply(author, id, intent) {
            Ok(()) => self.write(),
            Err(why) => self.answer(connection, &FromServer::Refused { id, why }),
        }
    }

    fn apply(&mut self, author: AuthorId, id: ChangeId, intent: &Intent) -> Result<(), Refusal> {
        if let Intent::Do(steps) | Intent::More(steps) = intent {
            check_steps(steps)?;
            self.check_sheets(steps)?;
        }
        let (deed, steps) = self.sheets.resolve(author, intent)?;
        let change = Change {
            id,
            author,
            at: crate::now() as u64,
            deed,
            steps,
        };
        self.sheets.apply(&change)?;
        for step in &change.steps {
            if let bozzetto_core::change::Op::Add(mark) = &step.op {
                self.wet.end(mark.id, &nowhere);
            }
        }
        self.seq += 1;
        self.known.insert(id, self.seq);
        self.unwritten.push_back((self.seq, change));
        Ok(())
    }

    fn check_sheets(&self, steps: &[Step]) -> Result<(), Refusal> {
        let exists = |sheet| match sheet {
            SheetId::Glass => true,
            SheetId::Backdrop(id) => self.outline.order.iter().any(|b| b.id == id),
        };
        match steps.iter().all(|s| exists(s.sheet)) {
            true => Ok(()),
            false => Err(Refusal::NoSuchSheet),
        }
    }

    /// Starts writing what waits, unless a write is under way: that one's end starts the next.
    fn write(&mut self) {
        if self.writing.is_some() || self.unwritten.is_empty() {
            return;
        }
        let batch: Vec<(u64, Change)> = self.unwritten.iter().cloned().collect();
        let (count, lesson, store) = (batch.len(), self.id, self.store.clone());
        let pause = if self.told_unkept > 0 {
            RETRY
        } else {
            Duration::ZERO
        };
        self.writing = Some(tokio::spawn(async move {
            if !pause.is_zero() {
                tokio::time::sleep(pause).await;
            }
            let done = store
                .write(move |conn| log::append(conn, lesson, &batch))
                .await;
            (count, done.is_ok())
        }));
    }

    async fn after_write(&mut self, (count, kept): (usize, bool)) {
        self.writing = None;
        if kept {
            let told = self.told_unkept.min(count);
            for i in 0..count {
                let Some((seq, change)) = self.unwritten.pop_front() else {
                    break;
                };
                if i < told {
                    self.tell_presenters(&FromServer::Known { id: change.id });
                } else {
                    self.tell_change(seq, &change, true);
                }
                self.remember(seq, change);
            }
            self.told_unkept -= told;
            if told > 0 && self.told_unkept == 0 {
                self.tell_presenters(&FromServer::Keeping(true));
            }
            self.snapshot_if_due();
        } else {
            if self.told_unkept == 0 {
                self.tell_presenters(&FromServer::Keeping(false));
            }
            let untold: Vec<_> = self
                .unwritten
                .iter()
                .skip(self.told_unkept)
                .cloned()
                .collect();
            self.told_unkept = self.unwritten.len();
            for (seq, change) in untold {
                self.tell_change(seq, &change, false);
            }
        }
        self.write();
    }

    fn remember(&mut self, seq: u64, change: Change) {
        self.recent.push_back((seq, change));
        if self.recent.len() > RECENT {
            self.recent.pop_front();
        }
    }

    fn snapshot_if_due(&mut self) {
        if self.unwritten.is_empty() && self.seq >= self.snapshot_at + SNAPSHOT_EVERY {
            self.snapshot_at = self.seq;
            tokio::spawn(self.snapshot());
        }
    }

    fn snapshot(&self) -> impl Future<Output = ()> + Send + 'static {
        let (store, lesson, seq) = (self.store.clone(), self.id, self.seq);
        let snapshot = self.sheets.snapshot();
        async move {
            let kept = store
                .write(move |conn| log::keep_snapshot(conn, lesson, seq, &snapshot))
                .await;
            if let Err(e) = kept {
                tracing::warn!("no snapshot of lesson {lesson}: {e}");
            }
        }
    }

    async fn put_away(&mut self) {
        if self.seq > self.snapshot_at {
            self.snapshot().await;
        }
    }

    /// Puts another backdrop on stage.
    async fn goto(&mut self, backdrop: BackdropId) {
        let known = self.outline.order.iter().any(|b| b.id == backdrop);
        if !known || self.outline.current == Some(backdrop) {
            return;
        }
        self.outline.current = Some(backdrop);
        self.set("current", backdrop.0 as i64).await;
        self.tell_stage();
    }

    async fn pause(&mut self, paused: bool) {
        if paused == self.outline.paused {
            return;
        }
        if paused {
            self.held = Some(self.on_stage());
            self.tell_participants(&FromServer::Paused(true));
        }
        self.outline.paused = paused;
        self.set("paused", i64::from(paused)).await;
        self.tell_presenters(&FromServer::Lesson(self.view()));
        if !paused {
            self.held = None;
            self.tell_participants(&FromServer::Paused(false));
            self.tell_participants(&FromServer::OnStage(Box::new(self.on_stage())));
            self.tell_participants(&FromServer::TakeAways(self.take_aways.clone()));
        }
    }

    async fn set(&self, column: &'static str, value: i64) {
        let id = self.id;
        let kept = self
            .store
            .write(move |conn| {
                conn.execute(
                    &format!("UPDATE lesson SET {column} = ?1 WHERE id = ?2"),
                    params![value, id],
                )?;
                Ok(())
            })
            .await;
        if let Err(e) = kept {
            tracing::error!("lesson {id}: {column} is not kept: {e}");
        }
    }

    async fn reload(&mut self, goto: Option<BackdropId>) {
        let id = self.id;
        match self.store.read(move |conn| log::outline(conn, id)).await {
            Ok(Some(outline)) => {
                let before = self.outline.current;
                // What is on stage is this task's to say.
                let current = self
                    .outline
                    .current
                    .filter(|c| outline.order.iter().any(|b| b.id == *c));
                self.outline = Outline {
                    current: current.or(outline.current),
                    ..outline
                };
                match goto {
                    Some(next) if Some(next) != self.outline.current => self.goto(next).await,
                    _ if before != self.outline.current => self.tell_stage(),
                    _ => self.tell_presenters(&FromServer::Lesson(self.view())),
                }
            }
            Ok(None) => {}
            Err(e) => tracing::error!("lesson {id} could not be read again: {e}"),
        }
    }

    async fn captures_changed(&mut self) {
        let id = self.id;
        match self
            .store
            .read(move |conn| crate::captures::handed_out(conn, id))
            .await
        {
            Ok(take_aways) => self.take_aways = take_aways,
            Err(e) => tracing::error!("lesson {id}: captures could not be read: {e}"),
        }
        self.tell_presenters(&FromServer::Captures);
        self.tell_participants(&FromServer::TakeAways(self.take_aways.clone()));
    }

    fn view(&self) -> LessonView {
        LessonView {
            name: self.outline.name.clone(),
            aspect: self.outline.aspect,
            order: self.outline.order.clone(),
            current: self.outline.current,
            paused: self.outline.paused,
        }
    }

    fn current(&self) -> Option<&BackdropView> {
        let order = &self.outline.order;
        order.iter().find(|b| Some(b.id) == self.outline.current)
    }

    fn in_view(&self, sheet: SheetId) -> bool {
        match sheet {
            SheetId::Glass => true,
            SheetId::Backdrop(id) => self.outline.current == Some(id),
        }
    }

    /// What participants see: the backdrop on stage and the marks in view, and nothing of what
    /// comes later in the running order.
    fn on_stage(&self) -> OnStage {
        let current = self.current().cloned();
        let ids: Vec<SheetId> = current
            .iter()
            .map(|b| SheetId::Backdrop(b.id))
            .chain([SheetId::Glass])
            .collect();
        // While the lesson is reopened paused, nobody knows what was seen before: show nothing.
        if self.outline.paused && self.held.is_none() {
            return OnStage {
                seq: self.seq,
                backdrop: None,
                sheets: Vec::new(),
                wet: Vec::new(),
            };
        }
        OnStage {
            seq: self.seq,
            backdrop: current,
            sheets: self.marks_of(&ids),
            wet: self.wet_so_far(Some(&ids)),
        }
    }

    fn wet_so_far(&self, only: Option<&[SheetId]>) -> Vec<(AuthorId, bozzetto_core::wet::WetInk)> {
        self.wet
            .iter()
            .filter(|(_, s)| only.is_none_or(|ids| ids.contains(&s.sheet)))
            .map(|(id, s)| (s.author, s.so_far(id)))
            .collect()
    }

    /// Everybody who is here, once, by name.
    fn people(&self) -> Vec<Person> {
        let mut here: BTreeMap<i64, &str> = BTreeMap::new();
        for c in self.connections.values() {
            if let Role::Participant(p) = &c.role {
                here.insert(p.id, &p.name);
            }
        }
        let mut people: Vec<Person> = here
            .into_values()
            .map(|name| Person {
                name: name.to_owned(),
            })
            .collect();
        people.sort_by_key(|p| p.name.to_lowercase());
        people
    }

    fn look(&self) -> Look {
        let shown = match (&self.held, self.outline.paused) {
            (Some(held), _) => held.backdrop.clone(),
            (None, true) => None,
            (None, false) => self.current().cloned(),
        };
        Look {
            sheets: self.sheets.clone(),
            seq: self.seq,
            name: self.outline.name.clone(),
            aspect: self.outline.aspect,
            order: self.outline.order.clone(),
            current: self.current().cloned(),
            shown_to_participants: shown,
        }
    }

    fn channel(&self, role: &Role) -> &Broadcast {
        match role {
            Role::Presenter => &self.presenters,
            Role::Participant(_) => &self.participants,
        }
    }

    fn tell_stage(&self) {
        self.tell_presenters(&FromServer::Lesson(self.view()));
        self.tell_participants(&FromServer::OnStage(Box::new(self.on_stage())));
    }

    /// Participants are told of what happens on the sheets that they see.
    fn tell_change(&self, seq: u64, change: &Change, kept: bool) {
        let whole = FromServer::Change {
            seq,
            change: change.clone(),
            kept,
        };
        let seen: Vec<Step> = change
            .steps
            .iter()
            .filter(|s| self.in_view(s.sheet))
            .cloned()
            .collect();
        if seen.len() == change.steps.len() {
            self.tell_everybody(&whole, false);
        } else {
            self.tell_presenters(&whole);
            if !seen.is_empty() {
                let mut change = change.clone();
                change.steps = seen;
                self.tell_participants(&FromServer::Change { seq, change, kept });
            }
        }
    }

    /// To all, encoded once.
    fn tell_everybody(&self, message: &FromServer, presenters_only: bool) {
        let frame = frame(message);
        if !presenters_only && !self.outline.paused {
            self.participants.publish(frame.clone());
        }
        self.presenters.publish(frame);
    }

    fn tell_presenters(&self, message: &FromServer) {
        self.presenters.publish(frame(message));
    }

    /// While the lesson is paused, participants are told nothing.
    fn tell_participants(&self, message: &FromServer) {
        if !self.outline.paused {
            self.participants.publish(frame(message));
        }
    }

    fn answer(&self, connection: u64, message: &FromServer) {
        if let Some(c) = self.connections.get(&connection) {
            // Whoever does not read answers does not get them.
            let _ = c.direct.try_send(encode(message).into());
        }
    }
}

fn frame(message: &FromServer) -> Frame {
    Frame {
        bytes: encode(message).into(),
        wet: matches!(message, FromServer::Wet { .. }),
    }
}

/// The server paints nothing: sheets are seen from nowhere.
fn nowhere(
    _: SheetId,
) -> Option<bozzetto_core::frames::Map<bozzetto_core::frames::Held, bozzetto_core::frames::Glass>> {
    None
}
