//! What the server says, and what the page has to know of it.

use bozzetto_core::ids::AuthorId;
use bozzetto_core::wire::{
    BackdropView, FromServer, LessonView, OnStage, Person, Start, State, TakeAway, Welcome, decode,
};
use serde::Serialize;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::layers::views;

/// For the page, as JSON; marks and ink only show in the layers.
#[derive(Serialize)]
#[serde(tag = "type", rename_all = "camelCase")]
enum Event {
    Welcome {
        author: String,
    },
    Lesson(LessonEvent),
    Backdrop(BackdropEvent),
    People {
        people: Vec<Person>,
    },
    TakeAways {
        items: Vec<TakeAway>,
    },
    Keeping {
        keeping: bool,
    },
    Paused {
        paused: bool,
    },
    Captures,
    /// A change is safe: it need not be kept here any longer.
    Kept {
        id: String,
    },
    /// Something was not done, and this is why.
    Sorry {
        why: String,
    },
}

#[derive(Serialize)]
struct LessonEvent {
    name: String,
    order: Vec<BackdropEvent>,
    current: Option<String>,
    paused: bool,
}

/// `id` is `None` for a bare stage. Ids are strings, since a script's numbers end at 2⁵³.
#[derive(Serialize, Default)]
struct BackdropEvent {
    id: Option<String>,
    name: String,
    picture: bool,
}

impl BackdropEvent {
    fn of(view: Option<&BackdropView>) -> Self {
        view.map_or_else(Self::default, |b| Self {
            id: Some(b.id.0.to_string()),
            name: b.name.clone(),
            picture: matches!(b.kind, bozzetto_core::wire::BackdropKind::Picture { .. }),
        })
    }
}

#[wasm_bindgen]
impl Glass {
    /// Takes a message from the server; gives a JSON array of events for the page.
    pub fn receive(&mut self, bytes: &[u8]) -> String {
        let mut events = Vec::new();
        if let Some(message) = decode::<FromServer>(bytes) {
            self.take(message, &mut events);
        }
        serde_json::to_string(&events).unwrap_or_else(|_| "[]".to_owned())
    }
}

impl Glass {
    fn take(&mut self, message: FromServer, events: &mut Vec<Event>) {
        match message {
            FromServer::Welcome(welcome) => self.welcome(*welcome, events),
            FromServer::Change { seq, change, kept } => {
                if self.resume.is_some_and(|(_, last)| seq <= last) {
                    return;
                }
                self.resume = self.resume.map(|(epoch, _)| (epoch, seq));
                for step in &change.steps {
                    if let bozzetto_core::change::Op::Add(mark) = &step.op {
                        let in_view = self.in_view();
                        self.wet.end(mark.id, &views(&in_view));
                    }
                }
                if !kept && let Some(own) = self.replica.pending().find(|p| p.id == change.id) {
                    self.unkept.insert(own.id, own.intent.clone());
                }
                let shown = self.replica.hear(&change);
                self.show(shown);
                if kept && change.author == self.replica.author() {
                    events.push(Event::Kept {
                        id: change.id.0.to_string(),
                    });
                }
            }
            FromServer::Known { id } => {
                self.unkept.remove(&id);
                let shown = self.replica.acknowledged(id);
                self.show(shown);
                events.push(Event::Kept {
                    id: id.0.to_string(),
                });
            }
            FromServer::Refused { id, why } => {
                let shown = self.replica.refused(id);
                self.show(shown);
                events.push(Event::Kept {
                    id: id.0.to_string(),
                });
                events.push(Event::Sorry {
                    why: why.to_string(),
                });
            }
            FromServer::Wet { author, ink } => self.take_wet(author, &ink),
            FromServer::WetEnd { mark } => {
                let in_view = self.in_view();
                self.wet.end(mark, &views(&in_view));
            }
            FromServer::Lesson(lesson) => self.take_lesson(lesson, events),
            FromServer::OnStage(on_stage) => self.take_stage(*on_stage, events),
            FromServer::Paused(paused) => events.push(Event::Paused { paused }),
            FromServer::People(people) => events.push(Event::People { people }),
            FromServer::TakeAways(items) => events.push(Event::TakeAways { items }),
            FromServer::Keeping(keeping) => events.push(Event::Keeping { keeping }),
            FromServer::Captures => events.push(Event::Captures),
            FromServer::Sorry(why) => events.push(Event::Sorry {
                why: why.to_string(),
            }),
        }
    }

    fn welcome(&mut self, welcome: Welcome, events: &mut Vec<Event>) {
        self.connected = true;
        self.author = Some(welcome.author);
        self.resume = Some((welcome.epoch, welcome.seq));
        events.push(Event::Welcome {
            author: welcome.author.0.to_string(),
        });
        // Other people's strokes may have ended while we were away; our own go on.
        let own = self.replica.author();
        let strangers: Vec<AuthorId> = self
            .wet
            .iter()
            .map(|(_, s)| s.author)
            .filter(|a| *a != own)
            .collect();
        let in_view = self.in_view();
        for author in strangers {
            self.wet.end_all_of(author, &views(&in_view));
        }
        match welcome.state {
            State::Presenter {
                lesson,
                people,
                keeping,
            } => {
                self.take_lesson(lesson, events);
                events.push(Event::People { people });
                events.push(Event::Keeping { keeping });
            }
            State::Participant {
                lesson: _,
                paused,
                backdrop,
                take_aways,
            } => {
                self.put_on_stage(backdrop, events);
                events.push(Event::Paused { paused });
                events.push(Event::TakeAways { items: take_aways });
            }
        }
        match welcome.start {
            Start::Sheets(sheets) => {
                let shown = self.replica.load(welcome.author, sheets, welcome.history);
                self.show(shown);
                for (id, intent) in std::mem::take(&mut self.unkept) {
                    let shown = self.replica.resume(id, intent);
                    self.show(shown);
                }
            }
            Start::Missed(changes) => {
                for (_, change) in changes {
                    let own = change.author == self.replica.author();
                    let shown = self.replica.hear(&change);
                    self.show(shown);
                    if own {
                        events.push(Event::Kept {
                            id: change.id.0.to_string(),
                        });
                    }
                }
            }
        }
        for (author, ink) in welcome.wet {
            self.take_wet(author, &ink);
        }
        let pending: Vec<_> = self
            .replica
            .pending()
            .map(|p| (p.id, p.intent.clone()))
            .collect();
        for (id, intent) in pending {
            self.queue(id, intent);
        }
    }

    fn take_wet(&mut self, author: AuthorId, ink: &bozzetto_core::wet::WetInk) {
        if author != self.replica.author() {
            let in_view = self.in_view();
            self.wet.extend(author, ink, Vec::new(), &views(&in_view));
        }
    }

    fn take_lesson(&mut self, lesson: LessonView, events: &mut Vec<Event>) {
        self.area = bozzetto_core::frames::Size::glass(lesson.aspect.0, lesson.aspect.1);
        self.order = lesson.order;
        let current = lesson
            .current
            .and_then(|id| self.order.iter().find(|b| b.id == id).cloned());
        events.push(Event::Lesson(LessonEvent {
            name: lesson.name,
            order: self
                .order
                .iter()
                .map(|b| BackdropEvent::of(Some(b)))
                .collect(),
            current: current.as_ref().map(|b| b.id.0.to_string()),
            paused: lesson.paused,
        }));
        self.put_on_stage(current, events);
    }

    fn take_stage(&mut self, on_stage: OnStage, events: &mut Vec<Event>) {
        if let Some((epoch, _)) = self.resume {
            self.resume = Some((epoch, on_stage.seq));
        }
        self.wet.clear();
        self.put_on_stage(on_stage.backdrop, events);
        let author = self.replica.author();
        let shown = self.replica.load(author, on_stage.sheets, (0, 0));
        self.show(shown);
        for (author, ink) in on_stage.wet {
            self.take_wet(author, &ink);
        }
    }

    fn put_on_stage(&mut self, backdrop: Option<BackdropView>, events: &mut Vec<Event>) {
        if self.current != backdrop {
            // A stroke belongs to the backdrop that it was begun on.
            self.lift_all();
            self.current = backdrop;
            self.spoil_everything();
        }
        events.push(Event::Backdrop(BackdropEvent::of(self.current.as_ref())));
    }
}
