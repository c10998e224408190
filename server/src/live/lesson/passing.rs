//! What the presenter passes to participants, and whose hand is raised.

use bozzetto_core::geometry::ids::{AuthorId, BackdropId, PersonId};
use bozzetto_core::people::reach::Reach;
use bozzetto_core::people::rights;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::wire::{FromServer, Goodbye, Person, Sees};

use super::{Connection, Lesson, Role, Said};
use crate::auth::participant;

impl Lesson {
    /// What somebody may do, with what was passed to them.
    pub(super) fn rights(&self, of: &Connection) -> rights::Role {
        match &of.role {
            Role::Participant(p) => rights::Role::Participant {
                pen: self.pens.has_pen(PersonId(p.id as u64)),
                hand: self.pens.has_hand(PersonId(p.id as u64)),
                screen: self.pens.screen_of(PersonId(p.id as u64)),
            },
            other => other.rights(),
        }
    }

    /// A participant raises a hand, or takes it down.
    pub(super) fn raise(&mut self, connection: u64, raised: bool) {
        let Some(Role::Participant(who)) = self.connections.get(&connection).map(|c| &c.role)
        else {
            return;
        };
        let person = PersonId(who.id as u64);
        match raised {
            true => self.pens.raise(person),
            false => self.pens.lower(person),
        }
        self.tell_of(person);
    }

    pub(super) fn lower(&mut self, person: PersonId) {
        self.pens.lower(person);
        self.tell_of(person);
    }

    /// Passes a pen to somebody, or to all who are here; or takes it back from them, or from all who have one.
    pub(super) fn pass_pen(&mut self, to: Option<PersonId>, pen: bool) {
        let whom = match (to, pen) {
            (Some(person), _) => vec![person],
            (None, true) => self.people().iter().map(|person| person.id).collect(),
            (None, false) => {
                let mut whom = self.pens.take_all_back();
                whom.extend(self.pens.pass_hand(None));
                whom
            }
        };
        for person in whom {
            match pen {
                true => self.pens.pass(person),
                false => {
                    self.pens.take_back(person);
                    self.end_all_wet(AuthorId(person.0));
                }
            }
            self.tell_of(person);
        }
    }

    /// Passes the hand to somebody, or takes it back.
    pub(super) fn pass_hand(&mut self, to: Option<PersonId>) {
        for person in self.pens.pass_hand(to) {
            self.tell_of(person);
        }
    }

    /// A backdrop shows a participant's screen from now on; their browser sends its pictures.
    pub(super) fn lend_screen(&mut self, backdrop: BackdropId, of: PersonId) {
        self.pens.lend_screen(backdrop, of);
        self.tell_of(of);
        self.publish_watching();
        self.want_key(backdrop);
    }

    /// A participant shows their screen no more.
    pub(super) fn end_screen(&mut self, of: PersonId) {
        let was = self.pens.screen_of(of);
        if let Some(backdrop) = was {
            self.pens.end_screen(of);
            self.tell_of(of);
            self.publish_to_presenters(&FromServer::ScreenOver(backdrop));
        }
    }

    /// What a participant's hand does in a page is done by presenters' browsers, which have the page; only in what is on
    /// stage, and not while that is paused.
    pub(super) fn reach(&mut self, reach: Reach) {
        let seen = self.told.in_view(SheetId::Backdrop(reach.backdrop));
        if let Some(reach) = reach.settled().filter(|_| seen && !self.told.paused) {
            self.publish_to_presenters(&FromServer::Reach(reach));
        }
    }

    /// Closes all that somebody has open.
    pub(super) fn send_out(&mut self, person: PersonId) {
        self.pass_pen(Some(person), false);
        if self.pens.has_hand(person) {
            self.pass_hand(None);
        }
        self.end_screen(person);
        self.lower(person);
        if self.absent.remove(&person).is_some() {
            self.publish_to_presenters(&FromServer::Left(person));
        }
        for connection in self.connections_of(person.0 as i64) {
            self.say(connection, Said::Goodbye(Goodbye::SentAway));
            self.leave(connection, false);
        }
        // Also from what is their own.
        self.away.send_replace(());
    }

    /// Somebody is called otherwise from now on.
    pub(super) fn rename(&mut self, person: PersonId, name: &str) {
        for connection in self.connections_of(person.0 as i64) {
            if let Some(Connection {
                role: Role::Participant(who),
                ..
            }) = self.connections.get_mut(&connection)
            {
                name.clone_into(&mut who.name);
            }
        }
        if let Some(absent) = self.absent.get_mut(&person) {
            name.clone_into(&mut absent.name);
        }
        self.tell_of(person);
    }

    /// When somebody was here last is written down, beside everything else.
    pub(super) fn note_seen(&self, id: i64) {
        let store = self.store.clone();
        tokio::spawn(async move {
            let seen = store.write(move |conn| participant::seen(conn, id));
            if let Err(e) = seen.await {
                tracing::warn!("{e}");
            }
        });
    }

    /// Tells somebody what they have now, and presenters, also of those whose hands are raised: they have moved up.
    fn tell_of(&self, person: PersonId) {
        let yours = self.pens.of(person);
        for id in self.connections_of(person.0 as i64) {
            if let Some(connection) = self.connections.get(&id) {
                connection.passed.set(&yours);
            }
            self.answer(id, &FromServer::Yours(yours));
        }
        let moved = self.pens.raised();
        for one in self.people() {
            if one.id == person || moved.contains(&one.id) {
                self.publish_to_presenters(&FromServer::Came(one));
            }
        }
    }

    /// A participant as presenters are told of them.
    pub(super) fn person(&self, id: i64, name: &str, sees: Sees) -> Person {
        let id = PersonId(id as u64);
        let mut line = self.pens.raised().iter();
        Person {
            id,
            name: name.to_owned(),
            pen: self.pens.has_pen(id),
            hand: self.pens.has_hand(id),
            raised: line.position(|other| *other == id).map(|n| n as u32 + 1),
            sees,
        }
    }
}
