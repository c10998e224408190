//! Waiting: each wrong guess from an address makes the next one wait longer.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// Wrong guesses that cost nothing: a slip of the finger.
const FREE: u32 = 2;
const LONGEST: Duration = Duration::from_secs(60);
/// Whoever has not guessed for so long starts afresh.
const FORGIVEN: Duration = Duration::from_secs(15 * 60);

/// Guesses by address.
#[derive(Default)]
pub struct Waits {
    guesses: Mutex<HashMap<IpAddr, Guesses>>,
}

struct Guesses {
    wrong: u32,
    last: Instant,
}

impl Waits {
    /// How long this address has to wait before it may try again; zero when it may.
    pub fn left(&self, from: IpAddr, now: Instant) -> Duration {
        let guesses = self.guesses.lock().expect("counting does not panic");
        let Some(g) = guesses.get(&from) else {
            return Duration::ZERO;
        };
        pause_after(g.wrong).saturating_sub(now.duration_since(g.last))
    }

    /// A guess was wrong. Gives how long the next one has to wait.
    pub fn wrong(&self, from: IpAddr, now: Instant) -> Duration {
        let mut guesses = self.guesses.lock().expect("counting does not panic");
        guesses.retain(|_, g| now.duration_since(g.last) < FORGIVEN);
        let g = guesses.entry(from).or_insert(Guesses {
            wrong: 0,
            last: now,
        });
        g.wrong += 1;
        g.last = now;
        pause_after(g.wrong)
    }

    /// A guess was right.
    pub fn right(&self, from: IpAddr) {
        self.guesses
            .lock()
            .expect("counting does not panic")
            .remove(&from);
    }
}

/// "1 second", "2 seconds".
pub fn in_words(seconds: u64) -> String {
    match seconds {
        1 => "1 second".to_owned(),
        s => format!("{s} seconds"),
    }
}

/// 1, 2, 4, … seconds once the free guesses are used up.
fn pause_after(wrong: u32) -> Duration {
    match wrong.checked_sub(FREE + 1) {
        None => Duration::ZERO,
        Some(n) => Duration::from_secs(1 << n.min(6)).min(LONGEST),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_wrong_guess_waits_longer_and_a_right_one_forgives() {
        let waits = Waits::default();
        let (ip, other) = ([10, 0, 0, 1].into(), [10, 0, 0, 2].into());
        let start = Instant::now();
        let pauses: Vec<u64> = (0..10).map(|_| waits.wrong(ip, start).as_secs()).collect();
        assert_eq!(pauses, [0, 0, 1, 2, 4, 8, 16, 32, 60, 60]);
        assert_eq!(
            waits.left(ip, start + Duration::from_secs(20)).as_secs(),
            40
        );
        assert_eq!(waits.left(other, start), Duration::ZERO);
        waits.right(ip);
        assert_eq!(waits.left(ip, start), Duration::ZERO);
    }
}
