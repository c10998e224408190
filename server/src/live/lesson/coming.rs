//! Who comes and goes, and where their copy of the lesson starts.

use std::collections::BTreeMap;
use std::sync::Arc;

use bozzetto_core::change::SheetId;
use bozzetto_core::ids::AuthorId;
use bozzetto_core::mark::Mark;
use bozzetto_core::wet::WetInk;
use bozzetto_core::wire::{FromServer, Hello, Person, Start, State, Welcome, encode};
use bytes::Bytes;
use tokio::sync::mpsc;

use super::{Connection, Joined, Lesson, Role, nowhere};

impl Lesson {
    pub(super) fn join(
        &mut self,
        role: Role,
        hello: &Hello,
        direct: mpsc::Sender<Bytes>,
    ) -> Joined {
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
                stills: false,
            },
        );
        if participant {
            self.tell_presenters(&FromServer::People(self.people()));
        }
        self.tell_watching();
        self.want_keys();
        Joined {
            connection,
            welcome,
            frames,
        }
    }

    pub(super) fn leave(&mut self, connection: u64) {
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
        self.tell_watching();
    }

    pub(super) fn welcome(&self, role: &Role, author: AuthorId, hello: &Hello) -> Bytes {
        let welcome = match role {
            Role::Presenter => Welcome {
                author,
                epoch: self.epoch,
                now: crate::now() as u64,
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
                    now: crate::now() as u64,
                    seq: stage.seq,
                    start: Start::Sheets(stage.sheets),
                    history: (0, 0),
                    wet: stage.wet,
                    state: State::Participant {
                        lesson: self.outline.name.clone(),
                        aspect: self.outline.aspect,
                        paused: self.outline.paused,
                        backdrops: Box::new(stage.backdrops),
                        take_aways: self.take_aways.clone(),
                    },
                }
            }
        };
        encode(&FromServer::Welcome(Box::new(welcome))).into()
    }

    /// From where a presenter's copy goes on: what it missed if that is at hand, or everything.
    pub(super) fn start(&self, hello: &Hello) -> Start {
        if let Some((epoch, seq)) = hello.resume
            && epoch == self.epoch
            && seq <= self.seq
            && self
                .recent
                .front()
                .is_none_or(|(first, _)| *first <= seq + 1)
        {
            // Those that are being written belong to it too: the welcome speaks of all up to now.
            let so_far = self.recent.iter().chain(&self.unwritten);
            return Start::Missed {
                changes: so_far.filter(|(s, _)| *s > seq).cloned().collect(),
                kept: self.seq - self.unwritten.len() as u64,
            };
        }
        let ids: Vec<SheetId> = self.sheets.ids().collect();
        Start::Sheets(self.marks_of(&ids))
    }

    pub(super) fn marks_of(&self, ids: &[SheetId]) -> Vec<(SheetId, Vec<Arc<Mark>>)> {
        ids.iter()
            .map(|id| (*id, self.sheets.sheet(*id).marks().cloned().collect()))
            .collect()
    }

    pub(super) fn wet_so_far(&self, only: Option<&[SheetId]>) -> Vec<(AuthorId, WetInk)> {
        self.wet
            .iter()
            .filter(|(_, s)| only.is_none_or(|ids| ids.contains(&s.sheet)))
            .map(|(id, s)| (s.author, s.so_far(id)))
            .collect()
    }

    /// Everybody who is here, once, by name.
    pub(super) fn people(&self) -> Vec<Person> {
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
}
