//! Who comes and goes, and where their copy of the lesson starts.

use std::collections::BTreeMap;
use std::sync::Arc;

use bozzetto_core::geometry::ids::{AuthorId, BackdropId, PersonId};
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::paint::wet::WetInk;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::wire::{
    FromServer, Goodbye, Hello, Person, Sees, Start, State, Welcome, encode,
};
use bytes::Bytes;
use tokio::sync::mpsc;

use super::{Connection, Joined, Lesson, Passed, Role, Said};
use crate::auth::participant::Participant;

/// How many connections a participant may have: a few tabs and devices.
const MOST_EACH: usize = 6;

impl Lesson {
    pub(super) fn join(&mut self, role: Role, hello: &Hello, direct: mpsc::Sender<Said>) -> Joined {
        let author = match &role {
            Role::Presenter => hello.author.unwrap_or_else(|| AuthorId(rand::random())),
            // A participant cannot choose to be somebody else.
            Role::Participant(Participant { id, .. }) | Role::Author(id) => AuthorId(*id as u64),
        };
        let welcome = self.welcome(&role, author, hello);
        if let Role::Participant(_) = &role
            && self.covered.is_empty()
            && self
                .told
                .on_stage()
                .each()
                .any(|b| !b.seen.withheld().is_empty())
        {
            let on_stage = self.on_stage();
            self.note_covered(&on_stage);
        }
        let frames = self.channel(&role).subscribe();
        self.next_connection += 1;
        let connection = self.next_connection;
        if let Role::Participant(p) = &role {
            self.watching.streams += 1;
            let own = self.connections_of(p.id);
            self.absent.remove(&PersonId(p.id as u64));
            if own.is_empty() {
                self.note_seen(p.id);
                let person = self.person(p.id, &p.name, Sees::Streams);
                self.publish_to_presenters(&FromServer::Came(person));
            }
            // A phone that comes back has left a line behind that is not known to be dead yet.
            if own.len() >= MOST_EACH {
                self.say(own[0], Said::Goodbye(Goodbye::TooMuch));
                self.leave(own[0], false);
            }
        }
        let person = PersonId(author.0);
        let passed = Arc::new(Passed::default());
        if matches!(role, Role::Participant(_)) {
            passed.set(&self.pens.of(person));
        }
        self.by_author.entry(author).or_default().push(connection);
        self.connections.insert(
            connection,
            Connection {
                role,
                author,
                direct,
                stills: false,
                passed: passed.clone(),
            },
        );
        self.publish_watching();
        self.want_keys();
        Joined {
            connection,
            welcome,
            frames,
            passed,
        }
    }

    /// `lost` where it ended without a word.
    pub(super) fn leave(&mut self, connection: u64, lost: bool) {
        let Some(gone) = self.connections.remove(&connection) else {
            return;
        };
        let theirs = self.by_author.entry(gone.author).or_default();
        theirs.retain(|c| *c != connection);
        let still_here = !theirs.is_empty();
        if !still_here {
            self.by_author.remove(&gone.author);
        }
        if !still_here {
            self.end_all_wet(gone.author);
            self.remember_moments(Some(gone.author));
        }
        if let Role::Participant(p) = &gone.role {
            let count = match gone.stills {
                true => &mut self.watching.stills,
                false => &mut self.watching.streams,
            };
            *count = count.saturating_sub(1);
            if !still_here {
                self.note_seen(p.id);
                self.not_at_stage(PersonId(p.id as u64), p.name.clone(), lost);
            }
        }
        self.publish_watching();
    }

    /// A participant's connections, the oldest first.
    pub(super) fn connections_of(&self, participant: i64) -> Vec<u64> {
        let theirs = AuthorId(participant as u64);
        let mine = |c: &Connection| c.author == theirs && matches!(c.role, Role::Participant(_));
        let all = self.by_author.get(&theirs).into_iter().flatten();
        all.copied()
            .filter(|id| self.connections.get(id).is_some_and(mine))
            .collect()
    }

    pub(super) fn welcome(&self, role: &Role, author: AuthorId, hello: &Hello) -> Bytes {
        let welcome = match role {
            Role::Presenter | Role::Author(_) => Welcome {
                author,
                epoch: self.epoch,
                now: crate::now() as u64,
                seq: self.seq,
                start: self.start(hello),
                history: self.history(author),
                wet: self.wet_so_far(None),
                state: State::Presenter {
                    moments: self.moments_seen(),
                    laying: self.laying.iter().map(|(_, lay)| lay.clone()).collect(),
                    people: self.people(),
                    keeping: self.told_unkept == 0,
                    left_out: self.left_out,
                },
            },
            Role::Participant(who) => {
                let yours = self.pens.of(PersonId(who.id as u64));
                let (stage, take_aways, lesson) = match &self.held {
                    Some(held) => (
                        held.on_stage.clone(),
                        held.take_aways.clone(),
                        held.name.clone(),
                    ),
                    None => (
                        self.on_stage(),
                        self.take_aways.clone(),
                        self.told.name.clone(),
                    ),
                };
                Welcome {
                    author,
                    epoch: self.epoch,
                    now: crate::now() as u64,
                    seq: stage.seq,
                    start: Start::Sheets(stage.sheets),
                    history: self.history(author),
                    wet: stage.wet,
                    state: State::Participant {
                        lesson,
                        aspect: self.told.aspect,
                        paused: self.told.paused,
                        backdrops: Box::new(stage.backdrops),
                        take_aways,
                        yours,
                    },
                }
            }
        };
        encode(&FromServer::Welcome(Box::new(welcome))).into()
    }

    /// How far an author can undo and redo.
    fn history(&self, author: AuthorId) -> (u32, u32) {
        let all = self.state.sheets.histories();
        (all.undo(author).len() as u32, all.redo(author).len() as u32)
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
        let ids: Vec<SheetId> = self.state.sheets.ids().collect();
        Start::Lesson {
            sheets: self.marks_of(&ids),
            stage: Box::new(self.state.stage.clone()),
        }
    }

    /// How backdrops are seen for the moment.
    fn moments_seen(&self) -> Vec<(BackdropId, ViewState)> {
        let all = self.moments.iter();
        all.map(|(id, (_, seen))| (*id, seen.clone())).collect()
    }

    pub(super) fn marks_of(&self, ids: &[SheetId]) -> Vec<(SheetId, Vec<Arc<Mark>>)> {
        ids.iter()
            .map(|id| (*id, self.state.sheets.sheet(*id).marks().cloned().collect()))
            .collect()
    }

    pub(super) fn wet_so_far(&self, only: Option<&[SheetId]>) -> Vec<(AuthorId, WetInk)> {
        self.wet
            .iter()
            .filter(|(_, s)| only.is_none_or(|ids| ids.contains(&s.sheet)))
            .map(|(id, s)| (s.author, s.so_far(id)))
            .collect()
    }

    /// Everybody who is here, once.
    pub(super) fn people(&self) -> Vec<Person> {
        let mut here: BTreeMap<i64, (&str, Sees)> = BTreeMap::new();
        for c in self.connections.values() {
            if let Role::Participant(p) = &c.role {
                let sees = match c.stills {
                    true => Sees::Stills,
                    false => Sees::Streams,
                };
                here.insert(p.id, (&p.name, sees));
            }
        }
        let each = here.into_iter();
        each.map(|(id, (name, sees))| self.person(id, name, sees))
            .chain(self.all_absent())
            .collect()
    }
}
