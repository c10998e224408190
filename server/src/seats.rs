//! How many connections there may be: fewer than the process may have files, with some kept for
//! presenters, so that a lesson goes on whoever else comes.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use crate::error::AppError;

/// The most connections, however many files the process may have.
const MOST: u64 = 16_384;
/// Files that are no connections: the database, what is served, workers.
const FILES: u64 = 200;
/// Connections that are kept for addresses at which a presenter was seen.
const FOR_PRESENTERS: usize = 64;
/// How long such an address is remembered.
const REMEMBERED: Duration = Duration::from_secs(12 * 3600);

/// A participant's place, as long as it is held.
pub type Seat = OwnedSemaphorePermit;

/// All connections; cheap to clone.
#[derive(Clone)]
pub struct Seats {
    inner: Arc<Inner>,
}

struct Inner {
    /// For everybody, without those that are kept for presenters.
    general: usize,
    all: usize,
    sockets: Arc<Semaphore>,
    taken: Mutex<Taken>,
}

#[derive(Default)]
struct Taken {
    all: usize,
    by_address: HashMap<IpAddr, usize>,
    /// Where a presenter was seen, and when.
    presenters: HashMap<IpAddr, Instant>,
}

impl Default for Seats {
    fn default() -> Self {
        Self::of(files().saturating_sub(FILES).clamp(128, MOST) as usize)
    }
}

/// How many files the process may have open; as many as the system lets it.
fn files() -> u64 {
    let limit = getrlimit(Resource::Nofile);
    let wanted = limit.maximum.unwrap_or(MOST + FILES).min(MOST + FILES);
    let raised = Rlimit {
        current: Some(wanted),
        maximum: limit.maximum,
    };
    match setrlimit(Resource::Nofile, raised) {
        Ok(()) => wanted,
        Err(_) => limit.current.unwrap_or(1024),
    }
}

impl Seats {
    /// So many connections in all.
    pub fn of(all: usize) -> Self {
        let general = all.saturating_sub(FOR_PRESENTERS.min(all / 4));
        // A participant's page asks for files beside its socket.
        let sockets = Arc::new(Semaphore::new(general / 4 * 3));
        let inner = Arc::new(Inner {
            general,
            all,
            sockets,
            taken: Mutex::default(),
        });
        Self { inner }
    }

    /// A presenter was seen at this address.
    pub fn presenter_at(&self, from: IpAddr) {
        let mut taken = self.inner.taken.lock().expect("nothing panics with it");
        taken
            .presenters
            .retain(|_, seen| seen.elapsed() < REMEMBERED);
        taken.presenters.insert(from, Instant::now());
    }

    /// A connection from this address, until what is given is dropped; `None` when there are too
    /// many.
    pub fn admit(&self, from: IpAddr) -> Option<Admitted> {
        let mut taken = self.inner.taken.lock().expect("nothing panics with it");
        let seen = taken.presenters.get(&from);
        let known = from.is_loopback() || seen.is_some_and(|at| at.elapsed() < REMEMBERED);
        let most = match known {
            true => self.inner.all,
            false => self.inner.general,
        };
        // One address, which may be a school's router, leaves a quarter to others.
        let own = taken.by_address.get(&from).copied().unwrap_or(0);
        if taken.all >= most || (!known && own >= self.inner.general / 4 * 3) {
            return None;
        }
        taken.all += 1;
        *taken.by_address.entry(from).or_default() += 1;
        let seats = self.clone();
        Some(Admitted { seats, from })
    }

    /// A place for a participant's socket.
    ///
    /// # Errors
    /// When there is none.
    pub fn for_a_participant(&self) -> Result<Seat, AppError> {
        let sockets = self.inner.sockets.clone();
        sockets.try_acquire_owned().map_err(|_| {
            AppError::Busy("There is no room for more participants at the moment.".to_owned())
        })
    }
}

/// A connection that was let in.
pub struct Admitted {
    seats: Seats,
    from: IpAddr,
}

impl Drop for Admitted {
    fn drop(&mut self) {
        let taken = self.seats.inner.taken.lock();
        let mut taken = taken.expect("nothing panics with it");
        taken.all -= 1;
        if let Some(own) = taken.by_address.get_mut(&self.from) {
            *own -= 1;
            if *own == 0 {
                taken.by_address.remove(&self.from);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// However many strangers come, a presenter who was there before gets in; and one address does
    /// not take everything.
    #[test]
    fn there_is_room_for_presenters() {
        let seats = Seats::of(200);
        let (stranger, other): (IpAddr, IpAddr) = ([10, 0, 0, 1].into(), [10, 0, 0, 2].into());
        let presenter: IpAddr = [10, 0, 0, 3].into();
        seats.presenter_at(presenter);
        let mut held: Vec<_> = std::iter::from_fn(|| seats.admit(stranger)).collect();
        assert_eq!(held.len(), 150 / 4 * 3);
        held.extend(std::iter::from_fn(|| seats.admit(other)));
        assert_eq!(held.len(), 150);
        let late: Vec<_> = std::iter::from_fn(|| seats.admit(presenter)).collect();
        assert_eq!(late.len(), 50);
        drop(held);
        assert!(seats.admit(other).is_some());
    }
}
