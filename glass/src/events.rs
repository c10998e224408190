//! What the server says, and what the page has to know of it.

use bozzetto_core::geometry::frames::Size;
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::Change;
use bozzetto_core::lesson::replica::Shown;
use bozzetto_core::sheets::step::Op;
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stage::state::StageState;
use bozzetto_core::stream::Watching;
use bozzetto_core::wire::{
    FromServer, OnStage, Person, Start, State, TakeAway, Welcome, Yours, decode,
};
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::layers::views;
use crate::script::{Given, given};

/// What a page hears; marks and ink only show in the layers.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
#[serde(tag = "type", rename_all = "camelCase")]
pub enum Heard {
    Welcome {
        author: String,
    },
    Lesson(LessonEvent),
    /// Something else is on stage, or lies differently there.
    Panes,
    /// How many participants get stills, and how many streams.
    Watching {
        stills: u32,
        streams: u32,
    },
    /// Somebody cannot go on without a key frame.
    WantKey {
        id: String,
    },
    /// A participant's screen comes no more.
    ScreenOver {
        id: String,
    },
    /// Frames of streams have come.
    Frames,
    People {
        people: Vec<Person>,
    },
    Came {
        person: Person,
    },
    Left {
        id: u64,
    },
    /// So many marks were left out when the lesson was opened.
    Settings {
        json: String,
    },
    LeftOut {
        count: u32,
    },
    TakeAways {
        items: Vec<TakeAway>,
    },
    /// What this participant has of their own may have changed.
    Mine,
    /// What this participant has of the presenter.
    Yours {
        yours: Yours,
    },
    /// What a participant's hand does in a page on stage: `down`, `move`, `up`, `wheel` or `key`. `x` and `y` are in
    /// the page's own CSS pixels, from its beginning.
    Reach {
        id: String,
        does: &'static str,
        x: f64,
        y: f64,
        dx: f64,
        dy: f64,
        key: String,
    },
    Keeping {
        keeping: bool,
    },
    Paused {
        paused: bool,
    },
    Captures,
    /// A backdrop on stage is seen differently.
    Seen {
        id: String,
    },
    /// A change is safe: it need not be kept here any longer.
    Kept {
        id: String,
    },
    /// Something was not done, and this is why.
    Sorry {
        why: String,
    },
    /// A text has been begun, opened or ended by a tap.
    Typing,
    /// The hand is on another pane.
    Active,
}

/// In the order in which it happened.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct AllHeard(pub Vec<Heard>);

/// What the page has to hear of.
#[derive(Default)]
pub(crate) struct News {
    /// What was done here.
    pub(crate) events: Vec<Heard>,
    /// What the page was told of the lesson last.
    pub(crate) lesson: Option<LessonEvent>,
}

#[derive(Clone, PartialEq, Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct LessonEvent {
    name: String,
    order: Vec<BackdropEvent>,
    current: Option<String>,
    beside: Option<String>,
    paused: bool,
}

/// Ids are strings, since a script's numbers end at 2⁵³.
#[derive(Clone, PartialEq, Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct BackdropEvent {
    id: String,
    name: String,
    kind: &'static str,
    pages: u32,
}

impl BackdropEvent {
    fn of(b: &BackdropView) -> Self {
        Self {
            id: b.id.0.to_string(),
            name: b.name.clone(),
            kind: crate::panes::word(&b.kind),
            pages: b.kind.pages(),
        }
    }
}

impl Heard {
    /// What the page shows of a lesson.
    pub(crate) fn lesson(stage: &StageState) -> LessonEvent {
        let there = |id: &BackdropId| stage.backdrop(*id).is_some();
        LessonEvent {
            name: stage.name.clone(),
            order: stage.order.iter().map(BackdropEvent::of).collect(),
            current: stage.current.filter(there).map(|id| id.0.to_string()),
            beside: stage.beside.map(|b| b.backdrop.0.to_string()),
            paused: stage.paused,
        }
    }

    pub(crate) fn seen(id: BackdropId) -> Self {
        Heard::Seen {
            id: id.0.to_string(),
        }
    }
}

#[wasm_bindgen]
impl Glass {
    /// Takes a message from the server; gives what the page has to hear of it.
    pub fn receive(&mut self, bytes: &[u8]) -> Given<AllHeard> {
        given(AllHeard(self.take_message(bytes)))
    }

    /// What the page has to hear of what was done here.
    pub fn news(&mut self) -> Given<AllHeard> {
        given(AllHeard(std::mem::take(&mut self.news.events)))
    }
}

impl Glass {
    /// See [`Glass::receive`].
    pub fn take_message(&mut self, bytes: &[u8]) -> Vec<Heard> {
        let mut events = Vec::new();
        if let Some(message) = decode::<FromServer>(bytes) {
            self.take(message, &mut events);
        }
        events.append(&mut self.news.events);
        events
    }

    fn take(&mut self, message: FromServer, events: &mut Vec<Heard>) {
        match message {
            FromServer::Welcome(welcome) => self.welcome(*welcome, events),
            FromServer::Change { seq, change, kept } => {
                if self.session.resume.is_none_or(|(_, last)| seq > last) {
                    self.session.resume = self.session.resume.map(|(epoch, _)| (epoch, seq));
                    self.take_change(&change, kept, events);
                } else if kept && self.is_ours(&change) {
                    // The welcome had it already, before it was on disk.
                    self.take_known(change.id, events);
                }
            }
            FromServer::Known { id } => self.take_known(id, events),
            FromServer::Refused { id, why } => {
                let shown = self.replica.refused(id);
                self.show(shown);
                events.push(Heard::Kept {
                    id: id.0.to_string(),
                });
                events.push(Heard::Sorry {
                    why: why.to_string(),
                });
            }
            FromServer::Wet { author, ink } => self.take_wet(author, &ink),
            FromServer::WetShape(shape) => {
                if shape.mark.author != self.replica.author() {
                    self.put_wet(*shape);
                }
            }
            FromServer::See {
                author,
                backdrop,
                seen,
            } => {
                if author != self.replica.author() && self.take_moment(backdrop, *seen) {
                    events.push(Heard::seen(backdrop));
                }
            }
            FromServer::Chunk { author, chunk } => {
                if author != self.replica.author() && !self.sends(chunk.backdrop) {
                    self.take_chunk(chunk);
                    events.push(Heard::Frames);
                }
            }
            FromServer::Still { author, still } => {
                if author != self.replica.author() {
                    self.take_still(still);
                    events.push(Heard::Frames);
                }
            }
            FromServer::WantKey(backdrop) => {
                let id = backdrop.0.to_string();
                events.push(Heard::WantKey { id });
            }
            FromServer::ScreenOver(backdrop) => {
                let id = backdrop.0.to_string();
                events.push(Heard::ScreenOver { id });
            }
            FromServer::Watching { stills, streams } => {
                self.streams.watching = Watching { stills, streams };
                events.push(Heard::Watching { stills, streams });
            }
            FromServer::Point { author, pointing } => {
                if author != self.replica.author() {
                    self.picture.pointers.take(author, &pointing);
                }
            }
            FromServer::Lay { author, lay } => {
                if author != self.replica.author() {
                    self.take_laying(*lay);
                }
            }
            FromServer::Laid(laid) => self.take_laid(*laid),
            FromServer::WetEnd { mark } => self.end_wet(mark),
            FromServer::OnStage(on_stage) => self.take_stage(*on_stage, events),
            FromServer::Paused(paused) => events.push(Heard::Paused { paused }),
            FromServer::People(people) => events.push(Heard::People { people }),
            FromServer::Came(person) => events.push(Heard::Came { person }),
            FromServer::Left(id) => events.push(Heard::Left { id: id.0 }),
            FromServer::Beat(now) => self.session.clock.heard(now, crate::clock::machine()),
            FromServer::Settings(json) => events.push(Heard::Settings { json }),
            FromServer::LeftOut(count) => events.push(Heard::LeftOut { count }),
            FromServer::TakeAways(items) => events.push(Heard::TakeAways { items }),
            FromServer::Mine => events.push(Heard::Mine),
            FromServer::Reach(reach) => events.push(Heard::reach(reach)),
            FromServer::Yours(yours) => events.push(Heard::Yours { yours }),
            FromServer::Keeping(keeping) => events.push(Heard::Keeping { keeping }),
            FromServer::Captures => events.push(Heard::Captures),
            FromServer::Sorry(why) => events.push(Heard::Sorry {
                why: why.to_string(),
            }),
        }
    }

    /// A change in its place in the order.
    fn take_change(&mut self, change: &Change, kept: bool, events: &mut Vec<Heard>) {
        for step in change.steps() {
            if let Op::Add(mark) | Op::Replace(mark) = &step.op {
                self.end_wet(mark.id);
            }
        }
        let ours = self.is_ours(change);
        if !kept && let Some(own) = self.replica.pending().find(|p| p.id == change.id) {
            self.session.unkept.insert(own.id, own.intent.clone());
        }
        self.settle_moments(change, self.replica.author());
        let shown = self.replica.hear(change);
        self.show(shown);
        if kept && ours {
            events.push(Heard::Kept {
                id: change.id.0.to_string(),
            });
        }
    }

    /// Whether this page waits for a change to be kept, or made it.
    fn is_ours(&self, change: &Change) -> bool {
        change.author == self.replica.author()
            || self.session.unkept.contains_key(&change.id)
            || self.replica.pending().any(|p| p.id == change.id)
    }

    /// An own change is on disk.
    fn take_known(&mut self, id: ChangeId, events: &mut Vec<Heard>) {
        self.session.unkept.remove(&id);
        let shown = self.replica.acknowledged(id);
        self.show(shown);
        events.push(Heard::Kept {
            id: id.0.to_string(),
        });
    }

    fn welcome(&mut self, welcome: Welcome, events: &mut Vec<Heard>) {
        self.post.connect(true);
        self.session
            .clock
            .heard(welcome.now, crate::clock::machine());
        self.session.author = Some(welcome.author);
        self.session.resume = Some((welcome.epoch, welcome.seq));
        events.push(Heard::Welcome {
            author: welcome.author.0.to_string(),
        });
        // Other people's strokes may have ended while we were away; our own go on.
        let own = self.replica.author();
        let strangers: Vec<AuthorId> = self
            .picture
            .wet
            .iter()
            .map(|(_, s)| s.author)
            .filter(|a| *a != own)
            .collect();
        let in_view = self.in_view();
        for author in strangers {
            self.picture.wet.end_all_of(author, &views(&in_view));
        }
        let mut moments = None;
        match welcome.state {
            State::Presenter {
                moments: theirs,
                laying,
                people,
                keeping,
                left_out,
            } => {
                moments = Some((theirs, laying));
                if left_out > 0 {
                    events.push(Heard::LeftOut { count: left_out });
                }
                events.push(Heard::People { people });
                events.push(Heard::Keeping { keeping });
            }
            State::Participant {
                lesson: _,
                aspect,
                paused,
                backdrops,
                take_aways,
                yours,
            } => {
                self.picture.area = Size::glass(aspect.0, aspect.1);
                self.put_on_stage(*backdrops, events);
                events.push(Heard::Paused { paused });
                events.push(Heard::TakeAways { items: take_aways });
                events.push(Heard::Mine);
                events.push(Heard::Yours { yours });
            }
        }
        match welcome.start {
            Start::Sheets(sheets) => {
                let stage = StageState::default();
                let shown = self
                    .replica
                    .load(welcome.author, sheets, stage, welcome.history);
                self.show(shown);
            }
            Start::Lesson { sheets, stage } => {
                self.picture.area = Size::glass(stage.aspect.0, stage.aspect.1);
                let shown = self
                    .replica
                    .load(welcome.author, sheets, *stage, welcome.history);
                self.show(shown);
                for (id, intent) in std::mem::take(&mut self.session.unkept) {
                    let shown = self.replica.resume(id, intent);
                    self.show(shown);
                }
            }
            Start::Missed { changes, kept } => {
                for (seq, change) in changes {
                    self.take_change(&change, seq <= kept, events);
                }
            }
        }
        if let Some((theirs, laying)) = moments {
            self.renew_moments(theirs, laying);
        }
        for (author, ink) in welcome.wet {
            self.take_wet(author, &ink);
        }
        // What is in order but was not on disk when the line broke is asked after again.
        for (id, intent) in self.all_pending() {
            self.post.queue(id, intent);
        }
    }

    fn take_wet(&mut self, author: AuthorId, ink: &bozzetto_core::paint::wet::WetInk) {
        if author != self.replica.author() {
            let in_view = self.in_view();
            let now = self.now();
            self.picture.extend(&in_view, author, ink, Vec::new(), now);
        }
    }

    fn take_stage(&mut self, on_stage: OnStage, events: &mut Vec<Heard>) {
        if let Some((epoch, _)) = self.session.resume {
            self.session.resume = Some((epoch, on_stage.seq));
        }
        self.picture.wet.clear();
        self.put_on_stage(on_stage.backdrops, events);
        let author = self.replica.author();
        // How far is not said here; the server says so when there is nothing left.
        let history = match self.session.guest {
            true => (1, 0),
            false => (0, 0),
        };
        let before = self.replica.sheets().clone();
        self.replica
            .load(author, on_stage.sheets, StageState::default(), history);
        // Often little is otherwise: what is the same need not be drawn again.
        let touched = before.difference(self.replica.sheets());
        self.show(Shown::Marks(touched));
        for (author, ink) in on_stage.wet {
            self.take_wet(author, &ink);
        }
    }
}
