//! An open lesson: a task that owns what it remembers, puts changes in order and tells everybody.
//!
//! A change is applied in memory as soon as it arrives, so that the next one is judged by it; it is
//! written together with whatever else has come meanwhile, and told to everybody once it is on
//! disk. When the disk does not take it, it is told all the same, marked as not kept, and written
//! again until it is; its sender holds on to it until then.

mod coming;
mod errands;
mod fading;
mod on_stage;
mod ordering;
mod passing;
mod presence;
mod publishing;
mod streaming;
mod writing;

pub use on_stage::placed;

use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use bozzetto_core::geometry::frames::{self, Glass, Map, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId, PersonId};
use bozzetto_core::lesson::{self, change::Change};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::paint::wet::WetStrokes;
use bozzetto_core::people::pens::Pens;
use bozzetto_core::people::rights;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::sheets::step::{SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropView, ViewState};
use bozzetto_core::stage::laid::Lay;
use bozzetto_core::stage::pane::Pane;
use bozzetto_core::stage::state::{Stage, StageState};
use bozzetto_core::stream::Watching;
use bozzetto_core::wire::{FromServer, Goodbye, Hello, OnStage, Sees, TakeAway, ToServer, Yours};
use bytes::Bytes;
use tokio::sync::{mpsc, oneshot, watch};
use tokio::task::JoinHandle;
use tokio::time::Instant;

use self::errands::{Errand, Errands};
use self::presence::Absent;
use super::Live;
use super::broadcast::{Broadcast, Subscription};
use super::log::{self, Opened};
use crate::auth::participant::Participant;
use crate::store::Store;

/// Who is at the other end of a connection.
#[derive(Clone, Debug)]
pub enum Role {
    Presenter,
    Participant(Participant),
    /// Of a worksheet, which is all of its lesson: the participant of this number.
    Author(i64),
}

impl Role {
    /// As core judges it, of somebody to whom nothing was passed.
    pub fn rights(&self) -> rights::Role {
        match self {
            Role::Presenter => rights::Role::Presenter,
            Role::Participant(_) => rights::Role::Participant {
                pen: false,
                hand: false,
                screen: None,
            },
            Role::Author(_) => rights::Role::Author,
        }
    }
}

/// What is said to one browser alone.
#[derive(Clone, Debug)]
pub enum Said {
    Message(Bytes),
    /// The last word.
    Goodbye(Goodbye),
}

/// What participants are being shown, for who fetches a file of it.
#[derive(Clone, Debug, Default)]
pub struct Shown {
    pub stage: Stage,
    /// The pictures that lie on it.
    pub placed: Vec<Placement>,
    pub take_aways: Vec<TakeAway>,
}

/// What a lesson is told.
pub enum Command {
    Join {
        role: Role,
        hello: Hello,
        direct: mpsc::Sender<Said>,
        reply: oneshot::Sender<Joined>,
    },
    /// The connection lost frames and wants to be brought up.
    CatchUp {
        connection: u64,
        reply: oneshot::Sender<(Bytes, Subscription)>,
    },
    Leave {
        connection: u64,
        /// It ended without a word.
        lost: bool,
    },
    Message {
        connection: u64,
        message: ToServer,
    },
    /// Something was too long to be read; perhaps it is known which change it asks for.
    TooLong {
        connection: u64,
        change: Option<ChangeId>,
    },
    /// Something could not even be read.
    Unreadable {
        connection: u64,
        why: Refusal,
    },
    Look {
        reply: oneshot::Sender<Look>,
    },
    /// Whether somebody is connected.
    IsUsed {
        reply: oneshot::Sender<bool>,
    },
    /// What participants may fetch pictures of.
    Shown {
        reply: oneshot::Sender<Shown>,
    },
    /// Running order or name have changed in the database; perhaps something is to go on stage.
    Changed {
        goto: Option<BackdropId>,
    },
    /// Running order has changed, and these two are to go on stage beside each other.
    SideBySide(BackdropId, BackdropId),
    /// These steps are made, by nobody; after what was told before.
    Draw(Vec<Step>),
    CapturesChanged,
    /// Somebody is called otherwise from now on.
    PersonNamed {
        person: PersonId,
        name: String,
    },
    /// Somebody is at what is their own, or their line was lost there.
    Sees {
        person: PersonId,
        name: String,
        sees: Sees,
    },
    /// A backdrop shows a participant's screen.
    Screen {
        backdrop: BackdropId,
        of: PersonId,
    },
    /// A participant shows their screen no more.
    NoScreen(PersonId),
    /// What was kept of somebody is removed.
    PersonGone(PersonId),
    /// What participants have of their own has changed.
    MineChanged,
    /// The same, of one of them.
    MineOfChanged(PersonId),
    /// Something that a participant has sent waits for the presenter, or waits no more.
    SentChanged,
    /// The lesson was deleted.
    Deleted,
}

/// The answer to [`Command::Join`].
pub struct Joined {
    pub connection: u64,
    pub welcome: Bytes,
    pub frames: Subscription,
    pub passed: Arc<Passed>,
}

/// What a participant has been passed, now and later.
#[derive(Default)]
pub struct Passed {
    /// A pen, the hand, or their screen on stage: they say much.
    pub often: AtomicBool,
    /// Their screen is on stage: what they say is long.
    pub screen: AtomicBool,
}

impl Passed {
    pub(super) fn set(&self, yours: &Yours) {
        let screen = yours.screen.is_some();
        let often = yours.pen.is_some() || yours.hand || screen;
        self.often.store(often, Ordering::Relaxed);
        self.screen.store(screen, Ordering::Relaxed);
    }
}

/// A lesson at one moment.
pub struct Look {
    /// The number of the last change.
    pub seq: u64,
    pub sheets: Sheets,
    /// The number of the last change of marks.
    pub marked: u64,
    pub name: String,
    pub aspect: (f64, f64),
    pub order: Vec<BackdropView>,
    pub stage: Stage,
}

impl Look {
    /// The panes on stage.
    pub fn panes(&self) -> Vec<Pane<'_>> {
        self.stage.panes(Size::glass(self.aspect.0, self.aspect.1))
    }
}

struct Connection {
    role: Role,
    author: AuthorId,
    direct: mpsc::Sender<Said>,
    /// Gets stills instead of streams.
    stills: bool,
    passed: Arc<Passed>,
}

struct Lesson {
    id: i64,
    store: Store,
    epoch: u64,
    seq: u64,
    /// Everything in its order, written or not.
    state: lesson::Lesson,
    /// The number of the last change of marks.
    marked: u64,
    /// Backdrops that were taken out of the running order. Marks that were being drawn on them are kept:
    /// they come back with them.
    removed: Vec<BackdropId>,
    /// The stage as people have been told of it.
    told: StageState,
    recent: VecDeque<(u64, Change)>,
    known: HashMap<ChangeId, u64>,
    take_aways: Vec<TakeAway>,
    /// What was passed to participants; gone when the lesson is put away.
    pens: Pens,
    /// Who is not at the stage.
    absent: BTreeMap<PersonId, Absent>,
    /// Changes when somebody is sent away.
    away: watch::Sender<()>,
    wet: WetStrokes,
    presenters: Broadcast,
    participants: Broadcast,
    connections: BTreeMap<u64, Connection>,
    /// The connections of each author, the oldest first.
    by_author: HashMap<AuthorId, Vec<u64>>,
    next_connection: u64,
    /// How many connections of participants get streams, and how many stills.
    watching: Watching,
    /// What participants go on seeing while the lesson is paused, and what they can pick up.
    held: Option<Held>,
    /// When presenters were last told that somebody cannot go on without a key frame, and whether
    /// somebody has asked since.
    keys: BTreeMap<BackdropId, KeyWanted>,
    /// How many marks were left out when the lesson was opened.
    left_out: u32,
    /// How backdrops are seen while they go along with a hand, and whose hand that is.
    moments: BTreeMap<BackdropId, (AuthorId, ViewState)>,
    /// Of those, the ones that have become changes which nobody has been told of yet, with the numbers of these: as
    /// somebody saw a backdrop last it stays, also while that is written.
    settling: Vec<(u64, BackdropId, ViewState)>,
    /// Marks that lie beneath a cover, as participants were told last of what is on stage: they know nothing of
    /// them.
    covered: HashSet<MarkId>,
    /// The same as `moments` for what lies over the picture.
    laying: Vec<(AuthorId, Lay)>,
    /// When that will have come to rest.
    rests: Option<Instant>,
    errands: Errands,
    /// Applied, and not yet written.
    unwritten: VecDeque<(u64, Change)>,
    /// How many of these everybody has been told of, because the disk would not take them.
    told_unkept: usize,
    writing: Option<JoinHandle<(usize, bool)>>,
    snapshot_at: u64,
}

/// See [`Lesson::held`].
struct Held {
    on_stage: OnStage,
    take_aways: Vec<TakeAway>,
    name: String,
}

/// See [`Lesson::keys`].
struct KeyWanted {
    told: Instant,
    again: bool,
}

/// A lesson that nobody watches is put away after this long.
const IDLE: Duration = Duration::from_secs(120);
/// How long to wait before writing again after the disk refused.
const RETRY: Duration = Duration::from_secs(1);
/// What goes along with a hand has come to rest when it has stayed for so long.
const MOMENT: Duration = Duration::from_millis(400);
/// How many changes make a new snapshot worth while.
const SNAPSHOT_EVERY: u64 = 400;

pub async fn run(id: i64, store: Store, live: Live, mut queue: mpsc::Receiver<Command>) {
    let opened = store
        .read(move |conn| {
            let opened = log::open(conn, id)?;
            // While it is paused, what was handed out since is not known to anybody.
            let paused = opened.as_ref().and_then(|o| o.tables.paused_at);
            let take_aways = crate::captures::handed_out(conn, id, paused)?;
            Ok((opened, take_aways))
        })
        .await;
    let mut lesson = match opened {
        Ok((Some(opened), take_aways)) => {
            Lesson::new(id, store, live.away.clone(), opened, take_aways)
        }
        Ok((None, ..)) => return live_ends(&live, id),
        Err(e) => {
            tracing::error!("lesson {id} could not be opened: {e}");
            return live_ends(&live, id);
        }
    };
    lesson.leave_out();
    loop {
        let idle = lesson.connections.is_empty()
            && lesson.unwritten.is_empty()
            && lesson.moments.is_empty()
            && lesson.laying.is_empty()
            && lesson.errands.is_empty();
        let fades = lesson.fades_in();
        let (rests, key_due) = (lesson.rests, lesson.key_due());
        let absent_until = lesson.absent_until();
        tokio::select! {
            command = queue.recv() => match command {
                Some(Command::Deleted) | None => break,
                Some(command) => lesson.take(command),
            },
            done = written(&mut lesson.writing) => lesson.after_write(done),
            done = lesson.errands.done() => lesson.after_errand(done),
            () = tokio::time::sleep(fades.unwrap_or_default()), if fades.is_some() => {
                lesson.clear_faded();
            }
            () = until(rests) => lesson.remember_moments(None),
            () = until(key_due) => lesson.tell_keys(),
            () = until(absent_until) => lesson.forget_absent(),
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

async fn until(moment: Option<Instant>) {
    match moment {
        Some(moment) => tokio::time::sleep_until(moment).await,
        None => std::future::pending().await,
    }
}

impl Lesson {
    fn new(
        id: i64,
        store: Store,
        away: watch::Sender<()>,
        opened: Opened,
        take_aways: Vec<TakeAway>,
    ) -> Self {
        let mut lesson = Self {
            id,
            store,
            epoch: rand::random(),
            seq: opened.seq,
            snapshot_at: opened.seq.saturating_sub(opened.recent.len() as u64),
            told: opened.lesson.stage.clone(),
            state: opened.lesson,
            marked: opened.seq,
            removed: Vec::new(),
            recent: opened.recent.into(),
            known: opened.known,
            take_aways,
            pens: Pens::default(),
            absent: BTreeMap::new(),
            away,
            wet: WetStrokes::default(),
            presenters: Broadcast::default(),
            participants: Broadcast::default(),
            connections: BTreeMap::new(),
            by_author: HashMap::new(),
            next_connection: 0,
            watching: Watching::default(),
            held: None,
            keys: BTreeMap::new(),
            left_out: 0,
            moments: BTreeMap::new(),
            settling: Vec::new(),
            covered: HashSet::new(),
            laying: Vec::new(),
            rests: None,
            errands: Errands::default(),
            unwritten: VecDeque::new(),
            told_unkept: 0,
            writing: None,
        };
        lesson.follow_tables(Some(opened.tables), None);
        // Nobody is here yet who would have to be told.
        lesson.told = lesson.state.stage.clone();
        // Of a lesson that is opened again while it is paused, nobody knows what was seen before.
        lesson.held = lesson.told.paused.then(|| Held {
            on_stage: OnStage {
                seq: lesson.seq,
                backdrops: Stage::default(),
                sheets: Vec::new(),
                wet: Vec::new(),
            },
            take_aways: lesson.take_aways.clone(),
            name: lesson.told.name.clone(),
        });
        lesson
    }

    fn take(&mut self, command: Command) {
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
            Command::Leave { connection, lost } => self.leave(connection, lost),
            Command::Sees { person, name, sees } => self.sees(person, name, sees),
            Command::Message {
                connection,
                message,
            } => self.message(connection, message),
            Command::TooLong { connection, change } => {
                let why = Refusal::TooLarge;
                let answer = match change {
                    Some(id) => FromServer::Refused { id, why },
                    None => FromServer::Sorry(why),
                };
                self.answer(connection, &answer);
            }
            Command::Unreadable { connection, why } => {
                self.answer(connection, &FromServer::Sorry(why))
            }
            Command::Look { reply } => self.errand(Errand::Look(reply)),
            Command::IsUsed { reply } => {
                let _ = reply.send(!self.connections.is_empty());
            }
            Command::Shown { reply } => self.errand(Errand::Shown(reply)),
            Command::Changed { goto } => self.errand(Errand::Reload {
                goto: goto.map(|current| (current, None)),
            }),
            Command::SideBySide(one, other) => self.errand(Errand::Reload {
                goto: Some((one, Some(other))),
            }),
            Command::Draw(steps) => self.errand(Errand::Draw(steps)),
            Command::CapturesChanged => self.errand(Errand::Captures),
            Command::PersonNamed { person, name } => self.rename(person, &name),
            Command::Screen { backdrop, of } => self.lend_screen(backdrop, of),
            Command::NoScreen(of) => self.end_screen(of),
            Command::PersonGone(person) => self.send_out(person),
            // Also while the stage is paused: a worksheet is given on purpose.
            Command::SentChanged => self.publish_to_presenters(&FromServer::Mine),
            Command::MineChanged => {
                self.publish_to_participants_even_paused(&FromServer::Mine);
                // Whoever marks a worksheet looks how it stands.
                self.publish_to_presenters(&FromServer::Mine);
            }
            Command::MineOfChanged(person) => self.tell_all_of(person, &FromServer::Mine),
            Command::Deleted => {}
        }
    }
}

/// The server paints nothing: sheets are seen from nowhere.
fn nowhere(_: SheetId) -> Option<Map<frames::Held, Glass>> {
    None
}
