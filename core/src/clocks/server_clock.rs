//! The server's clock, as a browser knows it from what it is told.

use std::collections::VecDeque;

/// For how many readings back it is believed: half a minute of beats. A machine whose own clock is set
/// anew is right again after that.
const BELIEVED: usize = 15;

/// What is known of the server's clock. A message is underway for some time, never for less than none,
/// so of what was heard lately the reading that puts the server's clock furthest ahead is nearest to the
/// truth: it is wrong by the shortest way that a message took (the one-way form of the least delay that
/// network clocks filter by, RFC 5905, section 10).
#[derive(Clone, Debug, Default)]
pub struct ServerClock {
    /// How many milliseconds each reading puts it ahead of this machine's.
    ahead: VecDeque<f64>,
}

impl ServerClock {
    /// The server said `now`, in milliseconds since 1970, and `here` it is so late by this machine's clock.
    pub fn heard(&mut self, now: u64, here: f64) {
        if self.ahead.len() == BELIEVED {
            self.ahead.pop_front();
        }
        self.ahead.push_back(now as f64 - here);
    }

    /// What the server's clock shows when this machine's shows `here`; the same as long as nothing was
    /// heard.
    pub fn at(&self, here: f64) -> u64 {
        let ahead = self.ahead.iter().copied().reduce(f64::max).unwrap_or(0.0);
        (here + ahead).max(0.0) as u64
    }
}
