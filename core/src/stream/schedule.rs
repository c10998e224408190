//! When a frame of a moving backdrop is sent, and in which form.
//!
//! Pictures come as fast as the browser gives them. A frame goes out when the pace says that it is
//! due and nothing is jammed; a key frame when somebody needs one, but not one for each of a class
//! that comes in together; a still once a second, for those who cannot decode.

use super::pace::{Governor, Line, Pace};

/// Milliseconds between stills.
const STILL_EVERY: f64 = 1000.0;
/// Milliseconds between key frames that nobody has asked for: who lost a frame without knowing sees
/// right again after this at the latest.
const KEY_EVERY: f64 = 10_000.0;
/// Milliseconds at least between key frames that were asked for.
const KEY_AT_LEAST: f64 = 300.0;
/// A frame that comes this many milliseconds early counts as on time: screens and cameras keep
/// steps of their own.
const EARLY: f64 = 4.0;
/// Milliseconds until it is looked again whether a jam has gone.
const JAMMED: f64 = 20.0;

/// How many participants get what.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Watching {
    pub stills: u32,
    pub streams: u32,
}

/// What to do with the picture at hand.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Turn {
    /// Nobody watches.
    Nobody,
    /// Keep it; unless another one comes, it is its turn in so many milliseconds.
    Later(f64),
    /// Send it.
    Now,
}

/// See the module's description. All times are in milliseconds, by one clock that never goes back.
///
/// ```
/// use bozzetto_core::stream::{Line, Schedule, Turn, Watching};
/// let mut schedule = Schedule::default();
/// let watching = Watching { stills: 0, streams: 1 };
/// assert_eq!(schedule.turn(watching, Line::default(), 1000.0), Turn::Now);
/// schedule.sent(1000.0);
/// assert!(schedule.key(1000.0)); // the first frame stands by itself
/// // 30 frames a second at first: the next one is due after 33.3 ms, or a bit before.
/// assert!(matches!(schedule.turn(watching, Line::default(), 1010.0), Turn::Later(_)));
/// assert_eq!(schedule.turn(watching, Line::default(), 1032.0), Turn::Now);
/// assert!(!schedule.key(1032.0));
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Schedule {
    governor: Governor,
    last_frame: f64,
    last_still: f64,
    last_key: f64,
    wants: Key,
    /// What the encoder is set to: its frames' size, and bits to a second.
    set: Option<((u32, u32), f64)>,
}

/// Whether the next frame has to stand by itself.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Key {
    NotNeeded,
    /// Somebody has asked.
    Wanted,
    /// The encoder has begun anew.
    Needed,
}

impl Default for Schedule {
    fn default() -> Self {
        Self {
            governor: Governor::default(),
            last_frame: f64::NEG_INFINITY,
            last_still: f64::NEG_INFINITY,
            last_key: f64::NEG_INFINITY,
            wants: Key::Needed,
            set: None,
        }
    }
}

impl Schedule {
    /// An encoder begins. What has been learnt of the line stays.
    pub fn begin(&mut self) {
        self.wants = Key::Needed;
        self.set = None;
    }

    /// Somebody needs a frame that stands by itself, or a still.
    pub fn want_key(&mut self) {
        if self.wants == Key::NotNeeded {
            self.wants = Key::Wanted;
        }
        self.last_still = f64::NEG_INFINITY;
    }

    /// Whether somebody still waits for a frame that stands by itself; so many milliseconds after
    /// the last one it may be sent.
    pub fn awaited(&self) -> Option<f64> {
        (self.wants != Key::NotNeeded).then_some(KEY_AT_LEAST)
    }

    /// What is to be done with a picture that is at hand.
    pub fn turn(&mut self, watching: Watching, line: Line, now: f64) -> Turn {
        if watching == Watching::default() {
            return Turn::Nobody;
        }
        self.governor.report(line, now);
        // Where only stills are wanted, nothing else is drawn.
        let due = match watching.streams {
            0 => self.last_still + STILL_EVERY,
            _ => self.last_frame + 1000.0 / self.governor.pace().frames - EARLY,
        };
        if now < due {
            return Turn::Later(due - now);
        }
        if watching.streams > 0 && self.governor.skips(line) {
            return Turn::Later(JAMMED);
        }
        Turn::Now
    }

    /// A picture has been taken to be sent.
    pub fn sent(&mut self, now: f64) {
        self.last_frame = now;
    }

    /// Whether that picture is also sent as a still; if so, it counts as sent.
    pub fn still(&mut self, watching: Watching, now: f64) -> bool {
        let due = watching.stills > 0 && now - self.last_still >= STILL_EVERY;
        if due {
            self.last_still = now;
        }
        due
    }

    /// How the encoder is to be set for frames of this size; `None` when it is set well enough.
    pub fn setting(&mut self, size: (u32, u32)) -> Option<Pace> {
        let pace = self.governor.pace();
        let well =
            |(s, bits): ((u32, u32), f64)| s == size && (pace.bits / bits - 1.0).abs() <= 0.2;
        if self.set.is_some_and(well) {
            return None;
        }
        self.set = Some((size, pace.bits));
        self.wants = Key::Needed;
        Some(pace)
    }

    /// Whether the frame that is encoded now has to stand by itself; if so, it counts as sent.
    pub fn key(&mut self, now: f64) -> bool {
        let since = now - self.last_key;
        let key = match self.wants {
            Key::Needed => true,
            Key::Wanted => since > KEY_AT_LEAST,
            Key::NotNeeded => since > KEY_EVERY,
        };
        if key {
            self.last_key = now;
            self.wants = Key::NotNeeded;
        }
        key
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stream::{FIRST, SLOWEST};
    use proptest::prelude::*;

    /// A presenter's browser, simulated: pictures come at their own times, people come and ask.
    struct Sent {
        frames: Vec<(f64, bool)>,
        stills: Vec<f64>,
    }

    fn simulate(
        gaps: &[f64],
        asks: &[usize],
        watching: Watching,
        jam: impl Fn(f64) -> Line,
    ) -> Sent {
        let (mut schedule, mut now) = (Schedule::default(), 0.0);
        let mut sent = Sent {
            frames: vec![],
            stills: vec![],
        };
        for (i, gap) in gaps.iter().enumerate() {
            now += gap;
            if asks.contains(&i) {
                schedule.want_key();
            }
            if schedule.turn(watching, jam(now), now) != Turn::Now {
                continue;
            }
            schedule.sent(now);
            if schedule.still(watching, now) {
                sent.stills.push(now);
            }
            if watching.streams > 0 {
                schedule.setting((1280, 720));
                sent.frames.push((now, schedule.key(now)));
            }
        }
        sent
    }

    proptest! {
        /// However pictures come and whoever asks: never more frames than the pace allows, never
        /// long without a key frame, never two that were asked for close together.
        #[test]
        fn keeps_its_pace(
            gaps in prop::collection::vec(1.0..60.0f64, 400),
            asks in prop::collection::vec(0..400usize, 0..40),
        ) {
            let watching = Watching { stills: 1, streams: 3 };
            // As much waits as neither quickens nor slows the pace.
            let steady = Line { unsent: 0.1 * FIRST.bits / 8.0, unencoded: 1 };
            let sent = simulate(&gaps, &asks, watching, |_| steady);
            prop_assert!(sent.frames[0].1, "the first frame stands by itself");
            for pair in sent.frames.windows(2) {
                prop_assert!(pair[1].0 - pair[0].0 >= 1000.0 / FIRST.frames - EARLY - 1e-9);
            }
            let keys: Vec<f64> = sent.frames.iter().filter(|f| f.1).map(|f| f.0).collect();
            for pair in keys.windows(2) {
                prop_assert!(pair[1] - pair[0] > KEY_AT_LEAST);
                prop_assert!(pair[1] - pair[0] < KEY_EVERY + 200.0);
            }
            // Whoever asks has a key frame soon, and a still.
            let times: Vec<f64> = gaps.iter().scan(0.0, |t, g| { *t += g; Some(*t) }).collect();
            for &ask in &asks {
                let (at, end) = (times[ask], times[399]);
                let soon = |t: &f64| (at..at + KEY_AT_LEAST + 200.0).contains(t);
                if end > at + KEY_AT_LEAST + 200.0 {
                    prop_assert!(keys.iter().any(soon), "asked at {at}, keys {keys:?}");
                    prop_assert!(sent.stills.iter().any(soon));
                }
            }
        }
    }

    /// Nobody who decodes: a still a second is all that is drawn.
    #[test]
    fn stills_come_once_a_second() {
        let watching = Watching {
            stills: 2,
            streams: 0,
        };
        let sent = simulate(&[16.0; 1000], &[], watching, |_| Line::default());
        assert_eq!(sent.stills.len(), 16); // at 0.016 s, and each second of the 16 after it
        assert!(sent.frames.is_empty());
    }

    /// A line that stands still gets nothing more, and then the slowest pace.
    #[test]
    fn a_jam_is_not_made_longer() {
        let watching = Watching {
            stills: 0,
            streams: 1,
        };
        let jam = |now: f64| Line {
            unsent: if now < 20_000.0 { 1e6 } else { 0.0 },
            unencoded: 0,
        };
        let sent = simulate(&[10.0; 2100], &[], watching, jam);
        let until = |t: f64| sent.frames.iter().filter(|f| f.0 < t).count();
        assert_eq!(until(20_000.0), 0);
        // A second at the slowest pace, or a step faster.
        let then = until(21_001.0) as f64;
        assert!(
            (SLOWEST.frames..=SLOWEST.frames + 4.0).contains(&then),
            "{then}"
        );
    }
}
