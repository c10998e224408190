//! Guessing codes and passphrases: how often somebody may try, counted before a try is looked at.
//!
//! Three budgets hold at once: one for each browser that we know, one for each address, and one over
//! all. Those of an address and over all are large enough for an assembly that comes in together;
//! what is left after that is a trickle. A browser that tries too often has used up its own budget,
//! and holds up nobody else behind its address; and where somebody has used up an address's budget
//! all the same, the first tries of every other browser are still taken. Right tries cost as much as
//! wrong ones, so none makes room for more.

use std::hash::Hash;
use std::net::{IpAddr, Ipv6Addr};
use std::num::NonZeroU32;
use std::time::Duration;

use governor::clock::{Clock, DefaultClock};
use governor::{DefaultDirectRateLimiter, DefaultKeyedRateLimiter, Quota, RateLimiter};

use super::browser::Browser;

/// So many tries at once, and then one in each `every`.
#[derive(Clone, Copy, Debug)]
pub struct Budget {
    pub at_once: u32,
    pub every: Duration,
}

impl Budget {
    const fn new(at_once: u32, seconds: u64) -> Self {
        let every = Duration::from_secs(seconds);
        Self { at_once, every }
    }

    fn quota(self) -> Quota {
        let most = NonZeroU32::new(self.at_once).unwrap_or(NonZeroU32::MIN);
        Quota::with_period(self.every)
            .unwrap_or(Quota::per_second(most))
            .allow_burst(most)
    }
}

/// Budgets of one kind of guess.
#[derive(Clone, Copy, Debug)]
pub struct Budgets {
    pub browser: Budget,
    pub address: Budget,
    pub all: Budget,
    /// How many browsers of an address are given a name.
    pub newcomers: Budget,
}

/// Join codes: 19⁸ of them. Over all one try a second goes on for ever: 270 years until a certain
/// lesson's code is found, as likely as not.
pub const JOINING: Budgets = Budgets {
    browser: Budget::new(6, 10),
    address: Budget::new(600, 5),
    all: Budget::new(3000, 1),
    newcomers: Budget::new(1000, 10),
};

/// The passphrase. Who has entered before has a budget apart, so that nobody is kept out by others.
pub const ENTERING: Budgets = Budgets {
    browser: Budget::new(5, 10),
    address: Budget::new(5, 20),
    all: Budget::new(30, 10),
    newcomers: Budget::new(1, 60),
};

/// Whether a try may be made.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Verdict {
    Go,
    /// Not yet; in so long, in words.
    Wait(String),
}

/// A browser's first tries, which do not count against its address.
const FIRST: Budget = Budget::new(2, 3600);

/// Counts tries.
pub struct Guesses {
    browser: DefaultKeyedRateLimiter<u64>,
    first: DefaultKeyedRateLimiter<u64>,
    address: DefaultKeyedRateLimiter<IpAddr>,
    newcomers: DefaultKeyedRateLimiter<IpAddr>,
    all: DefaultDirectRateLimiter,
}

/// From how many names on those that have their whole budget are forgotten.
const MANY: usize = 10_000;

impl Guesses {
    pub fn new(budgets: Budgets) -> Self {
        Self {
            browser: RateLimiter::keyed(budgets.browser.quota()),
            first: RateLimiter::keyed(FIRST.quota()),
            address: RateLimiter::keyed(budgets.address.quota()),
            newcomers: RateLimiter::keyed(budgets.newcomers.quota()),
            all: RateLimiter::direct(budgets.all.quota()),
        }
    }

    /// Counts a try from a browser, if it has a name, at an address.
    pub fn try_once(&self, browser: Option<Browser>, from: IpAddr) -> Verdict {
        let clock = DefaultClock::default();
        let wait = |until: governor::NotUntil<_>| {
            Verdict::Wait(in_words(until.wait_time_from(clock.now())))
        };
        if let Some(browser) = browser
            && let Err(until) = key(&self.browser, &browser.0)
        {
            return wait(until);
        }
        let first = browser.is_some_and(|b| key(&self.first, &b.0).is_ok());
        if !first && let Err(until) = key(&self.address, &network(from)) {
            return wait(until);
        }
        match self.all.check() {
            Err(until) => wait(until),
            Ok(()) => Verdict::Go,
        }
    }

    /// Counts a try from somebody who was let in before: only against their own budget.
    pub fn try_known(&self, browser: Browser) -> Verdict {
        match key(&self.browser, &browser.0) {
            Ok(()) => Verdict::Go,
            Err(until) => {
                let now = DefaultClock::default().now();
                Verdict::Wait(in_words(until.wait_time_from(now)))
            }
        }
    }

    /// Whether a browser at this address is given a name.
    pub fn newcomer(&self, from: IpAddr) -> bool {
        key(&self.newcomers, &network(from)).is_ok()
    }
}

type Until = governor::NotUntil<<DefaultClock as Clock>::Instant>;

fn key<K: Hash + Eq + Clone>(limiter: &DefaultKeyedRateLimiter<K>, key: &K) -> Result<(), Until> {
    if limiter.len() > MANY {
        limiter.retain_recent();
    }
    limiter.check_key(key)
}

/// Whoever has an IPv6 address has 2⁶⁴ of them: what counts is the network.
fn network(ip: IpAddr) -> IpAddr {
    match ip.to_canonical() {
        IpAddr::V6(ip) => {
            let [a, b, c, d, ..] = ip.segments();
            IpAddr::V6(Ipv6Addr::new(a, b, c, d, 0, 0, 0, 0))
        }
        ip => ip,
    }
}

/// "1 second", "2 seconds", rounded up.
fn in_words(time: Duration) -> String {
    match time.as_secs_f64().ceil() as u64 {
        0 | 1 => "1 second".to_owned(),
        s => format!("{s} seconds"),
    }
}
