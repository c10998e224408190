//! Participants who are not at the stage just now: at what is their own, or lost with their line.

use std::time::Duration;

use bozzetto_core::geometry::ids::PersonId;
use bozzetto_core::wire::{FromServer, Person, Sees};
use tokio::time::Instant;

use super::Lesson;

/// Whoever is at what is their own says so at least this often, and some seconds are for the line.
const OWN: Duration = Duration::from_secs(20);
/// A line that is lost is told of for so long.
const LOST: Duration = Duration::from_secs(600);

/// Somebody who is not at the stage.
pub(super) struct Absent {
    pub(super) name: String,
    sees: Sees,
    until: Instant,
}

impl Lesson {
    /// Somebody is at what is their own, or their line was lost there.
    pub(super) fn sees(&mut self, person: PersonId, name: String, sees: Sees) {
        let lasts = match sees {
            Sees::Nothing => LOST,
            _ => OWN,
        };
        let until = Instant::now() + lasts;
        let absent = Absent { name, sees, until };
        let before = self.absent.insert(person, absent);
        if before.is_none_or(|before| before.sees != sees) {
            self.tell_absent(person);
        }
    }

    /// Somebody's last connection to the stage has gone.
    pub(super) fn not_at_stage(&mut self, person: PersonId, name: String, lost: bool) {
        if lost && !self.absent.contains_key(&person) {
            self.sees(person, name, Sees::Nothing);
        } else {
            self.tell_absent(person);
        }
    }

    /// Tells presenters where somebody is who is not at the stage; or that they have left.
    fn tell_absent(&self, person: PersonId) {
        if !self.connections_of(person.0 as i64).is_empty() {
            return;
        }
        let told = match self.absent.get(&person) {
            Some(absent) => FromServer::Came(self.as_person(person, absent)),
            None => FromServer::Left(person),
        };
        self.publish_to_presenters(&told);
    }

    fn as_person(&self, person: PersonId, absent: &Absent) -> Person {
        self.person(person.0 as i64, &absent.name, absent.sees)
    }

    /// All who are not at the stage.
    pub(super) fn all_absent(&self) -> impl Iterator<Item = Person> {
        let away =
            |(person, _): &(&PersonId, &Absent)| self.connections_of(person.0 as i64).is_empty();
        let all = self.absent.iter().filter(away);
        all.map(|(person, absent)| self.as_person(*person, absent))
    }

    /// When somebody is told of no more.
    pub(super) fn absent_until(&self) -> Option<Instant> {
        self.absent.values().map(|absent| absent.until).min()
    }

    pub(super) fn forget_absent(&mut self) {
        let now = Instant::now();
        let over = |absent: &Absent| absent.until <= now;
        let gone: Vec<PersonId> = self
            .absent
            .iter()
            .filter(|(_, a)| over(a))
            .map(|(p, _)| *p)
            .collect();
        for person in gone {
            self.absent.remove(&person);
            self.tell_absent(person);
        }
    }
}
