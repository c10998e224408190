//! The time of a film while it is made. It goes by the sound, where there is some, so that picture and sound never part: a sound
//! card's clock is not the computer's.

use crate::clocks::server_clock::ServerClock;

/// See the module's description. Times of a film are in microseconds, all others in milliseconds.
#[derive(Clone, Debug)]
pub struct Timeline {
    /// The sound's clock, as it is known from when its samples came; nothing where there is no sound.
    sound: Option<ServerClock>,
    /// The film's time at which it went on last.
    film: f64,
    /// And the clock's; nothing while it stands still.
    since: Option<f64>,
}

impl Timeline {
    /// Of a film that is so long already. With `sound`, nothing goes on before [`Self::heard`].
    pub fn new(lasts: f64, sound: bool) -> Self {
        Self {
            sound: sound.then(ServerClock::default),
            film: lasts,
            since: None,
        }
    }

    /// Samples up to this time of the sound have come at `now`.
    pub fn heard(&mut self, sound: f64, now: f64) {
        if let Some(clock) = &mut self.sound {
            clock.heard(sound as u64, now);
        }
    }

    fn clock(&self, now: f64) -> f64 {
        self.sound
            .as_ref()
            .map_or(now, |sound| sound.at(now) as f64)
    }

    /// It goes on.
    pub fn go_on(&mut self, now: f64) {
        if self.since.is_none() {
            self.since = Some(self.clock(now));
        }
    }

    /// It stands still.
    pub fn halt(&mut self, now: f64) {
        self.film = self.at(now);
        self.since = None;
    }

    pub fn is_going(&self) -> bool {
        self.since.is_some()
    }

    /// The film's time at `now`.
    pub fn at(&self, now: f64) -> f64 {
        let gone = self
            .since
            .map_or(0.0, |since| (self.clock(now) - since).max(0.0));
        self.film + gone * 1000.0
    }

    /// The film's time of a sample at this time of the sound; nothing of one from before it went on.
    pub fn of_sound(&self, sound: f64) -> Option<f64> {
        let since = self.since?;
        (sound >= since).then_some(self.film + (sound - since) * 1000.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However much faster or slower a sound card's clock is, and however late its samples are told of: ten minutes on, the
        /// picture is taken to be where the sound is, to a few milliseconds (ITU-R BT.1359 has 45 ms as what is noticed).
        #[test]
        fn picture_and_sound_stay_together(skew in 0.9995..1.0005f64, delays in prop::collection::vec(0.0..8.0f64, 16), pause in 0.0..5e4f64) {
            let mut timeline = Timeline::new(0.0, true);
            let played = |now: f64| 500.0 + now * skew;
            let step = |timeline: &mut Timeline, n: usize| {
                let now = n as f64 * 100.0;
                timeline.heard(played(now), now + delays[n % delays.len()]);
                now
            };
            for n in 0..30 {
                step(&mut timeline, n);
            }
            timeline.go_on(3000.0);
            for n in 30..3000 {
                step(&mut timeline, n);
            }
            timeline.halt(300_000.0);
            let stands = timeline.at(300_000.0 + pause);
            prop_assert!(timeline.of_sound(played(300_000.0)).is_none());
            for n in 3000..6000 {
                step(&mut timeline, n);
            }
            timeline.go_on(600_000.0);
            prop_assert_eq!(stands, timeline.at(600_000.0));
            for n in 6000..9000 {
                let now = step(&mut timeline, n);
                let sound = timeline.of_sound(played(now));
                if let Some(sound) = sound {
                    let apart = (timeline.at(now) - sound).abs() / 1000.0;
                    prop_assert!(apart < 12.0, "{apart} ms");
                }
            }
        }
    }
}
