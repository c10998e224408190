//! The messages between browser and server: one set of types, packed with postcard on both sides.
//!
//! New messages and fields are added at the end of their enums and structs together with a new
//! [`VERSION`]; a browser that says another version in its hello is sent away with a clear answer,
//! so no side ever has to read a form that it does not know.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::aids::pointing::Pointing;
use crate::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId, PersonId};
use crate::lesson::change::{Change, Intent};
use crate::marks::mark::Mark;
use crate::paint::wet::{WetInk, WetShape};
use crate::people::reach::Reach;
use crate::sheets::refusal::Refusal;
use crate::sheets::step::SheetId;
use crate::stage::backdrop::ViewState;
use crate::stage::laid::{Laid, Lay};
use crate::stage::state::{Stage, StageState};
use crate::stream::{Chunk, Still};

/// The form of the messages.
pub const VERSION: u16 = 14;

/// The longest message that a browser may send, in bytes.
pub const MAX_MESSAGE: usize = 1024 * 1024;

/// How often the server says that the line is alive, in milliseconds; and for how long a browser may
/// hear nothing before it takes the line for dead.
pub const BEAT: u64 = 2000;
/// See [`BEAT`].
pub const DEAD: u64 = 4500;

/// What every connection begins with.
const GREETING: &[u8; 2] = b"Bz";

/// The first message of a browser.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Hello {
    /// Who this tab has been so far; `None` for a new one.
    pub author: Option<AuthorId>,
    /// Where it left off: the server's epoch and the last change heard.
    pub resume: Option<(u64, u64)>,
}

impl Hello {
    /// The version stands before everything else, in a form that never changes.
    pub fn encode(&self) -> Vec<u8> {
        let mut bytes = GREETING.to_vec();
        bytes.extend(VERSION.to_le_bytes());
        bytes.extend(encode(self));
        bytes
    }

    /// # Errors
    /// With what the browser is to be told when it is no greeting, or another version's.
    pub fn decode(bytes: &[u8]) -> Result<Self, Goodbye> {
        let (head, body) = bytes.split_at_checked(4).ok_or(Goodbye::Unreadable)?;
        if &head[..2] != GREETING {
            return Err(Goodbye::Unreadable);
        }
        if head[2..] != VERSION.to_le_bytes() {
            return Err(Goodbye::OtherVersion);
        }
        decode(body).ok_or(Goodbye::Unreadable)
    }
}

/// Why the server ends a connection; travels as the close code of the socket, so that a browser
/// with any version understands it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[repr(u16)]
pub enum Goodbye {
    Unreadable = 4000,
    /// The browser's page is from another version of the server.
    OtherVersion = 4001,
    /// The lesson was deleted.
    LessonGone = 4002,
    /// The presenter has sent this participant away.
    SentAway = 4003,
    /// The session was ended, or the passphrase changed: the presenter has to enter again.
    NotAllowed = 4004,
    /// Too much was sent, or too many connections were opened.
    TooMuch = 4005,
}

/// From a browser.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum ToServer {
    /// The newest points of a stroke in progress.
    Wet(WetInk),
    /// The stroke was given up.
    WetEnd(MarkId),
    /// Something to be done for good.
    Act { id: ChangeId, intent: Intent },
    /// For the moment a backdrop is seen like this: it goes along with a hand. The server takes it into
    /// the log when it has come to rest.
    See {
        backdrop: BackdropId,
        seen: Box<ViewState>,
    },
    /// A shape that is being dragged, as it is now.
    WetShape(Box<WetShape>),
    /// The next frame of a moving backdrop.
    Chunk(Chunk),
    /// A moving backdrop for those who cannot decode a stream.
    Still(Still),
    /// From a participant or another presenter: nothing can be decoded before the next key frame.
    WantKey(BackdropId),
    /// Streams are to come as stills from now on.
    WantStills,
    /// This participant is sent away, and kept away.
    SendAway(PersonId),
    /// What is pointed with, at this moment.
    Point(Pointing),
    /// For the moment this lies over the picture like this: it goes along with a hand. As with
    /// [`ToServer::See`].
    Lay(Box<Lay>),
    /// This participant raises a hand, or takes it down.
    Raise(bool),
    /// A participant's hand comes down.
    Lower(PersonId),
    /// A participant may draw on the stage, or not any more; `None` for all who are here.
    PassPen { to: Option<PersonId>, pen: bool },
    /// A participant may operate the page on stage, and nobody else; `None` for nobody.
    PassHand { to: Option<PersonId> },
    /// From a participant who has the hand: what it does.
    Reach(Reach),
}

/// From the server.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum FromServer {
    /// The answer to a hello: everything as it is.
    Welcome(Box<Welcome>),
    /// A change in its place in the order. Once it is `kept` it is on disk, and its sender need not
    /// hold on to it; otherwise [`FromServer::Known`] follows when it is.
    Change {
        seq: u64,
        change: Change,
        kept: bool,
    },
    /// This change is on disk.
    Known {
        id: ChangeId,
    },
    /// This change was not made.
    Refused {
        id: ChangeId,
        why: Refusal,
    },
    Wet {
        author: AuthorId,
        ink: WetInk,
    },
    WetEnd {
        mark: MarkId,
    },
    /// To participants: this is on stage now, with its marks.
    OnStage(Box<OnStage>),
    /// To participants: nothing new is shown until further notice, or it goes on.
    Paused(bool),
    /// To presenters: who is here; [`FromServer::Came`] and [`FromServer::Left`] tell what changes.
    People(Vec<Person>),
    /// To participants: what can be picked up.
    TakeAways(Vec<TakeAway>),
    /// To presenters: what a participant's hand does in the page on stage.
    Reach(Reach),
    /// To presenters: whether the disk takes what is drawn.
    Keeping(bool),
    /// To presenters: the captures have changed.
    Captures,
    /// What was asked for cannot be done.
    Sorry(Refusal),
    /// For the moment a backdrop is seen like this; who did it knows already. To participants also when
    /// it is so for good.
    See {
        author: AuthorId,
        backdrop: BackdropId,
        seen: Box<ViewState>,
    },
    WetShape(Box<WetShape>),
    Chunk {
        author: AuthorId,
        chunk: Chunk,
    },
    Still {
        author: AuthorId,
        still: Still,
    },
    /// To whoever sends a stream: somebody cannot go on without a key frame.
    WantKey(BackdropId),
    /// To presenters: no more pictures come of this backdrop, which is a participant's screen.
    ScreenOver(BackdropId),
    /// To whoever sends a stream: how many who are here get stills, and how many streams.
    Watching {
        stills: u32,
        streams: u32,
    },
    /// To presenters: somebody has come, or is otherwise than they were.
    Came(Person),
    /// To presenters: somebody has left.
    Left(PersonId),
    /// To presenters: so many marks were left out, since there is too much to draw in them.
    LeftOut(u32),
    /// Every [`BEAT`] milliseconds: the line is alive, and this is the server's clock, in milliseconds
    /// since 1970.
    Beat(u64),
    /// To presenters: their settings are like this now, as JSON.
    Settings(String),
    /// What somebody points with, at this moment.
    Point {
        author: AuthorId,
        pointing: Pointing,
    },
    /// For the moment this lies over the picture like this; who did it knows already.
    Lay {
        author: AuthorId,
        lay: Box<Lay>,
    },
    /// To participants: this lies over the picture now, and nothing else.
    Laid(Box<Laid>),
    /// What participants have of their own has changed, for some of them; each asks for what is theirs.
    Mine,
    /// To one participant: what they have of the presenter now.
    Yours(Yours),
}

/// See [`FromServer::Welcome`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Welcome {
    pub author: AuthorId,
    /// Drawn anew whenever the server takes a lesson up; sequence numbers compare only within one.
    pub epoch: u64,
    pub seq: u64,
    /// The server's clock, in milliseconds since 1970.
    pub now: u64,
    pub start: Start,
    /// Changes of this author's that the server could undo and redo.
    pub history: (u32, u32),
    pub wet: Vec<(AuthorId, WetInk)>,
    pub state: State,
}

/// From where a browser's copy starts.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Start {
    /// From these sheets.
    Sheets(Vec<(SheetId, Vec<Arc<Mark>>)>),
    /// From these sheets and this stage: a presenter's.
    Lesson {
        sheets: Vec<(SheetId, Vec<Arc<Mark>>)>,
        stage: Box<StageState>,
    },
    /// From what it had, with these changes that it missed. Those up to `kept` are on disk; of the
    /// others it is told when they are.
    Missed {
        changes: Vec<(u64, Change)>,
        kept: u64,
    },
}

/// What else there is to know, by who asks.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum State {
    Presenter {
        /// How backdrops are seen for the moment, where that differs from what is remembered.
        moments: Vec<(BackdropId, ViewState)>,
        /// The same for what lies over the picture.
        laying: Vec<Lay>,
        people: Vec<Person>,
        keeping: bool,
        /// How many marks were left out since the lesson was opened: see [`FromServer::LeftOut`].
        left_out: u32,
    },
    Participant {
        lesson: String,
        aspect: (f64, f64),
        paused: bool,
        backdrops: Box<Stage>,
        take_aways: Vec<TakeAway>,
        yours: Yours,
    },
}

/// See [`FromServer::OnStage`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct OnStage {
    /// The last change that these sheets contain.
    pub seq: u64,
    pub backdrops: Stage,
    pub sheets: Vec<(SheetId, Vec<Arc<Mark>>)>,
    pub wet: Vec<(AuthorId, WetInk)>,
}

/// A participant who is here.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Person {
    pub id: PersonId,
    pub name: String,
    /// They may draw on the stage.
    pub pen: bool,
    /// They operate the page on stage.
    pub hand: bool,
    /// Their hand is raised, and it is the so manieth, from 1.
    pub raised: Option<u32>,
    pub sees: Sees,
}

/// What a participant sees, and how.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[cfg_attr(
    feature = "scripts",
    derive(tsify::Tsify),
    serde(rename_all = "camelCase")
)]
pub enum Sees {
    /// The stage, with what moves as a stream.
    Streams,
    /// The stage, with what moves as stills.
    Stills,
    /// What is their own.
    Own,
    /// Their line is lost.
    Nothing,
}

/// What a participant has of the presenter.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Yours {
    /// The number of their colour, if they may draw on the stage: see [`colour`](crate::people::pens::colour).
    pub pen: Option<u32>,
    /// They may operate the page on stage.
    pub hand: bool,
    /// The backdrop that shows their screen, whose pictures they send.
    pub screen: Option<BackdropId>,
    /// Their hand is raised.
    pub raised: bool,
}

/// Something that participants can pick up.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct TakeAway {
    pub id: u64,
    pub name: String,
    pub width: u32,
    pub height: u32,
    /// Changes with its picture, so that no page shows an older one.
    pub version: u32,
}

/// Which change a message asks for, from its first bytes alone; `None` for what asks for none. A message
/// that is too long to be read is refused by its name.
pub fn asked_for(message: &[u8]) -> Option<ChangeId> {
    let (id, intent) = (ChangeId(0), Intent::Undo);
    let kind = *encode(&ToServer::Act { id, intent }).first()?;
    let rest = message.strip_prefix(&[kind])?;
    postcard::take_from_bytes(rest).ok().map(|(id, _)| id)
}

/// Packs a message.
pub fn encode<T: Serialize>(message: &T) -> Vec<u8> {
    postcard::to_allocvec(message).expect("messages are plain data and memory is all it takes")
}

/// Unpacks a message; `None` when it is not one, or has something behind it.
pub fn decode<T: for<'de> Deserialize<'de>>(bytes: &[u8]) -> Option<T> {
    let (message, rest) = postcard::take_from_bytes(bytes).ok()?;
    rest.is_empty().then_some(message)
}
