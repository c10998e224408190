//! Playing a video: which moment of it everybody sees.
//!
//! Nobody is sent pictures. What is kept is where it was at a moment of the server's clock and how
//! fast it goes from there; every browser works out the rest, so that a follower who comes late or
//! loses the line is at the right place without asking.

use serde::{Deserialize, Serialize};

/// How a video goes on from a moment of the server's clock.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Playback {
    pub playing: bool,
    /// The moment of the video, in seconds from its beginning, at `since`.
    pub at: f64,
    /// Milliseconds since 1970 by the server's clock.
    pub since: u64,
    /// Seconds of the video to a second of the clock; see [`RATES`].
    pub rate: f64,
    /// Begins again at its end.
    pub looped: bool,
    pub muted: bool,
}

/// The speeds to choose from.
pub const RATES: [f64; 6] = [0.25, 0.5, 0.75, 1.0, 1.5, 2.0];

/// A frame's length where the video does not say: 25 to a second.
pub const FRAME: f64 = 0.04;

impl Default for Playback {
    fn default() -> Self {
        Self {
            playing: false,
            at: 0.0,
            since: 0,
            rate: 1.0,
            looped: false,
            muted: false,
        }
    }
}

impl Playback {
    /// The moment of a video `duration` seconds long at `now` by the server's clock.
    ///
    /// ```
    /// use bozzetto_core::stage::playback::Playback;
    /// let p = Playback { playing: true, at: 8.0, since: 1000, rate: 2.0, ..Default::default() };
    /// assert_eq!(p.moment(2000, 60.0), 10.0);
    /// assert_eq!(p.moment(60_000, 60.0), 60.0);
    /// assert_eq!(Playback { looped: true, ..p }.moment(28_000, 60.0), 2.0);
    /// ```
    pub fn moment(&self, now: u64, duration: f64) -> f64 {
        if !self.playing {
            return self.at.clamp(0.0, duration);
        }
        // Clocks may disagree a little: what has not begun yet is at its beginning.
        let gone = now.saturating_sub(self.since) as f64 / 1000.0;
        let at = self.at + gone * self.rate;
        if self.looped && duration > 0.0 {
            at.rem_euclid(duration)
        } else {
            at.clamp(0.0, duration)
        }
    }

    /// Whether it is still moving at `now`.
    pub fn moves(&self, now: u64, duration: f64) -> bool {
        self.playing && (self.looped || self.moment(now, duration) < duration)
    }

    /// From `now` on it plays, or stops; at its end it plays from the beginning.
    pub fn play(self, playing: bool, now: u64, duration: f64) -> Self {
        let at = self.moment(now, duration);
        let from = if playing && at >= duration { 0.0 } else { at };
        Self {
            playing,
            ..self.from(from, now)
        }
    }

    /// Goes on from another moment.
    pub fn seek(self, to: f64, now: u64, duration: f64) -> Self {
        self.from(to.clamp(0.0, duration), now)
    }

    /// Stops, some frames of `frame` seconds further on or back; in the middle of a frame, so that
    /// rounding shows no neighbour.
    ///
    /// ```
    /// use bozzetto_core::stage::playback::Playback;
    /// let p = Playback { playing: true, at: 1.0, since: 0, ..Default::default() };
    /// let next = p.step(1, 0.04, 0, 10.0);
    /// assert!(!next.playing && (next.at - 1.06).abs() < 1e-9);
    /// assert!((next.step(-1, 0.04, 0, 10.0).at - 1.02).abs() < 1e-9);
    /// ```
    pub fn step(self, frames: i32, frame: f64, now: u64, duration: f64) -> Self {
        let frame = if frame.is_finite() && frame > 0.001 {
            frame
        } else {
            FRAME
        };
        // A moment that is a frame's first, up to rounding, belongs to it.
        let number = ((self.moment(now, duration) + 1e-6) / frame).floor();
        let to = (number + f64::from(frames) + 0.5) * frame;
        Self {
            playing: false,
            ..self.seek(to, now, duration)
        }
    }

    /// Goes on at another speed.
    pub fn at_rate(self, rate: f64, now: u64, duration: f64) -> Self {
        Self {
            rate,
            ..self.from(self.moment(now, duration), now)
        }
    }

    fn from(self, at: f64, now: u64) -> Self {
        Self {
            at,
            since: now,
            ..self
        }
    }

    /// Within what playing may be, whatever was sent.
    pub fn settled(self, duration: f64) -> Self {
        let at = if self.at.is_finite() { self.at } else { 0.0 };
        let rate = RATES
            .into_iter()
            .find(|r| *r == self.rate)
            .unwrap_or_default();
        Self {
            at: at.clamp(0.0, duration),
            rate: if rate == 0.0 { 1.0 } else { rate },
            ..self
        }
    }
}

/// What a browser does about a video that is not where it should be.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Correction {
    /// Near enough.
    None,
    /// Plays at this speed until it is there: nobody sees or hears it.
    Rate(f64),
    /// Too far away: jumps.
    Seek(f64),
}

/// Nearer than this nobody notices, in seconds.
const NEAR: f64 = 0.06;
/// Farther than this it jumps; followers are promised half a second.
const FAR: f64 = 0.4;
/// How much faster or slower a video plays to catch up. A twentieth is not heard as another pitch
/// by most (common practice, no source).
const NUDGE: f64 = 0.05;

/// What to do when a video shows the moment `shown` and should show `wanted`, both in seconds.
///
/// ```
/// use bozzetto_core::stage::playback::{Correction, Playback, correction};
/// let p = Playback { playing: true, ..Default::default() };
/// assert_eq!(correction(&p, 4.97, 5.0), Correction::None);
/// assert_eq!(correction(&p, 4.8, 5.0), Correction::Rate(1.05));
/// assert_eq!(correction(&p, 5.2, 5.0), Correction::Rate(0.95));
/// assert_eq!(correction(&p, 1.0, 5.0), Correction::Seek(5.0));
/// // One that stands still shows exactly the moment that is meant.
/// assert_eq!(correction(&Playback::default(), 4.97, 5.0), Correction::Seek(5.0));
/// ```
pub fn correction(playback: &Playback, shown: f64, wanted: f64) -> Correction {
    let off = wanted - shown;
    if !playback.playing {
        return if off.abs() > 1e-3 {
            Correction::Seek(wanted)
        } else {
            Correction::None
        };
    }
    if off.abs() > FAR * playback.rate.max(1.0) {
        Correction::Seek(wanted)
    } else if off.abs() > NEAR {
        Correction::Rate(playback.rate * (1.0 + NUDGE * off.signum()))
    } else {
        Correction::None
    }
}

/// The length of a video's frame in seconds, from the moments of frames that were shown one after
/// the other; 0 when it cannot be told. Some may have been left out, and moments are often rounded
/// to a millisecond.
///
/// ```
/// use bozzetto_core::stage::playback::frame_length;
/// // Thirty frames a second, in milliseconds, with one left out.
/// let length = frame_length(&[0.0, 0.033, 0.067, 0.133, 0.167, 0.2]);
/// assert!((length - 1.0 / 30.0).abs() < 1e-4);
/// assert_eq!(frame_length(&[1.0]), 0.0);
/// ```
pub fn frame_length(moments: &[f64]) -> f64 {
    let steps = moments.windows(2).map(|w| w[1] - w[0]);
    let steps: Vec<f64> = steps.filter(|s| *s >= SHORTEST_FRAME).collect();
    let Some(shortest) = steps.iter().copied().reduce(f64::min) else {
        return 0.0;
    };
    let frames: f64 = steps.iter().map(|s| (s / shortest).round()).sum();
    let length = steps.iter().sum::<f64>() / frames;
    if (SHORTEST_FRAME..=LONGEST_FRAME).contains(&length) {
        length
    } else {
        0.0
    }
}

/// In seconds: 250 frames a second, and slides that are shown as a video.
const SHORTEST_FRAME: f64 = 0.004;
const LONGEST_FRAME: f64 = 1.0;

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is done to a video, it never jumps but where it was told to, and stays within
        /// its length.
        #[test]
        fn goes_on_from_where_it_is(
            duration in 1.0..600.0f64, at in 0.0..1.0f64, rate in 0..6usize, looped: bool,
            waits in prop::collection::vec((0..20_000u64, 0..3u8, 0..6usize), 1..10),
        ) {
            let mut now = 1_000_000;
            let mut p = Playback { playing: true, at: at * duration, since: now, rate: RATES[rate], looped, muted: false };
            for (wait, deed, rate) in waits {
                now += wait;
                let before = p.moment(now, duration);
                prop_assert!((0.0..=duration).contains(&before));
                let at_end = before >= duration;
                p = match deed {
                    0 => p.play(true, now, duration),
                    1 => p.play(false, now, duration),
                    _ => p.at_rate(RATES[rate], now, duration),
                };
                let after = p.moment(now, duration);
                let again = at_end && deed == 0 && after == 0.0;
                // A loop's end and its beginning are one moment.
                let round = p.looped && (before - after).abs() > duration - 1e-6;
                prop_assert!((before - after).abs() < 1e-6 || again || round, "{before} {after}");
            }
        }
    }

    proptest! {
        /// The usual speeds of films (ITU-R BT.2020, table 3), as containers round them, with up to
        /// two in a row left out by a browser that is busy.
        #[test]
        fn a_frame_is_as_long_as_the_film_says(
            which in 0..7usize, left_out in prop::collection::vec(0..3usize, 12), digits in 3..7,
        ) {
            let per_second = [24_000.0 / 1001.0, 24.0, 25.0, 30_000.0 / 1001.0, 30.0, 50.0, 60.0][which];
            prop_assume!(left_out.contains(&0));
            let rounding = 10f64.powi(digits);
            let mut number = 0.0;
            let mut moments = vec![0.0];
            for out in left_out {
                number += 1.0 + out as f64;
                moments.push((number / per_second * rounding).round() / rounding);
            }
            // Both ends are off by half of what is rounded to at most.
            let off = (frame_length(&moments) - 1.0 / per_second).abs();
            prop_assert!(off <= 1.0 / rounding / number + 1e-12, "{off}");
        }
    }
}
