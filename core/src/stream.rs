//! Picture streams: moving backdrops as participants get them.
//!
//! The presenter's browser encodes each moving backdrop once; the server passes the chunks on
//! without reading them; participants' browsers decode. Marks are not in the stream: they lie on
//! top as vectors, and stay sharp.

use serde::{Deserialize, Serialize};

use crate::frames::{Held, Rect};
use crate::ids::BackdropId;

/// One encoded frame.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Chunk {
    pub backdrop: BackdropId,
    /// Which run of the encoder it belongs to: drawn anew whenever that starts again.
    pub run: u32,
    /// Its place in the run.
    pub number: u32,
    /// A frame that needs no other to be decoded: where somebody can begin.
    pub key: Option<Codec>,
    /// When the frame was taken, in milliseconds since 1970 by the server's clock.
    pub taken: u64,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
    pub data: Vec<u8>,
}

/// How a run is encoded.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Codec {
    /// As the WebCodecs codec registry writes it, `vp8` or `vp09.00.10.08` for example.
    pub name: String,
    pub width: u32,
    pub height: u32,
    /// The colour space, as JSON, as WebCodecs describes it: decoders guess wrongly without.
    pub colour: String,
}

/// A single picture, for who cannot decode a stream: a JPEG file.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Still {
    pub backdrop: BackdropId,
    pub taken: u64,
    pub shows: Rect<Held>,
    pub data: Vec<u8>,
}

/// The largest chunk or still, in bytes.
pub const MAX_DATA: usize = 900 * 1024;

impl Chunk {
    /// Whether it can be passed on.
    pub fn is_sound(&self) -> bool {
        let named = |c: &Codec| {
            c.name.len() <= 40 && c.colour.len() <= 300 && (1..=8192).contains(&c.width)
        };
        self.data.len() <= MAX_DATA && sound(&self.shows) && self.key.as_ref().is_none_or(named)
    }
}

impl Still {
    /// Whether it can be passed on.
    pub fn is_sound(&self) -> bool {
        self.data.len() <= MAX_DATA && sound(&self.shows)
    }
}

fn sound(r: &Rect<Held>) -> bool {
    [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite()) && !r.is_empty()
}

/// Which chunks of a stream somebody can use, who may miss some and comes at any time.
///
/// ```
/// use bozzetto_core::stream::{Take, Gate};
/// let mut gate = Gate::default();
/// assert_eq!(gate.take(7, 3, false), Take::WantsKey); // came late
/// assert_eq!(gate.take(7, 4, false), Take::Skip);     // has asked already
/// assert_eq!(gate.take(7, 5, true), Take::Decode);
/// assert_eq!(gate.take(7, 6, false), Take::Decode);
/// assert_eq!(gate.take(7, 8, false), Take::WantsKey); // 7 was lost
/// assert_eq!(gate.take(8, 0, true), Take::Decode);    // the encoder began again
/// ```
#[derive(Clone, Copy, Default, Debug)]
pub struct Gate {
    /// The run and the number that come next, once something could be decoded.
    next: Option<(u32, u32)>,
    asked: bool,
}

/// What to do with a chunk.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Take {
    Decode,
    /// It cannot be decoded, and a key frame is to be asked for.
    WantsKey,
    /// It cannot be decoded; a key frame is on its way.
    Skip,
}

impl Gate {
    pub fn take(&mut self, run: u32, number: u32, key: bool) -> Take {
        if key || self.next == Some((run, number)) {
            self.next = Some((run, number.wrapping_add(1)));
            self.asked = false;
            return Take::Decode;
        }
        self.next = None;
        if std::mem::replace(&mut self.asked, true) {
            Take::Skip
        } else {
            Take::WantsKey
        }
    }

    /// The decoder failed, or the key frame that was asked for did not come: ask again.
    pub fn reset(&mut self) {
        *self = Gate::default();
    }
}

/// What an encoder is set to.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pace {
    /// Bits to a second.
    pub bits: f64,
    /// Frames to a second.
    pub frames: f64,
}

/// The fastest and the slowest.
pub const FASTEST: Pace = Pace {
    bits: 4_000_000.0,
    frames: 30.0,
};
pub const SLOWEST: Pace = Pace {
    bits: 250_000.0,
    frames: 5.0,
};
/// Where a stream begins.
pub const FIRST: Pace = Pace {
    bits: 1_500_000.0,
    frames: 24.0,
};

/// Adapts an encoder to what the line and the machine take: it goes up by little and down by much,
/// as congestion control does (additive increase, multiplicative decrease; Chiu and Jain 1989,
/// from memory), so that several streams on one line come to share it.
#[derive(Clone, Copy, Debug)]
pub struct Governor {
    pace: Pace,
    /// When it was last changed, in milliseconds.
    changed: f64,
}

/// Waiting to be sent, in seconds of the stream: more is congestion, and adds to the delay.
const CONGESTED: f64 = 0.15;
/// Frames in the encoder: one is being worked on; if more wait, the machine is too slow, and each
/// that waits adds to the delay.
const OVERLOADED: u32 = 1;
/// No faster than once in this many milliseconds, so that a change can show.
const DOWN_EVERY: f64 = 500.0;
const UP_EVERY: f64 = 2000.0;

impl Default for Governor {
    fn default() -> Self {
        Self {
            pace: FIRST,
            changed: 0.0,
        }
    }
}

impl Governor {
    pub fn pace(&self) -> Pace {
        self.pace
    }

    /// Takes note of how many bytes wait to be sent and how many frames are in the encoder, at `now`
    /// in milliseconds; gives the new pace when it is another.
    pub fn report(&mut self, unsent: f64, unencoded: u32, now: f64) -> Option<Pace> {
        let waiting = unsent * 8.0 / self.pace.bits;
        let since = now - self.changed;
        let before = self.pace;
        if (waiting > CONGESTED || unencoded > OVERLOADED) && since >= DOWN_EVERY {
            self.pace.bits = (before.bits * 0.6).max(SLOWEST.bits);
            if unencoded > OVERLOADED || self.pace.bits == SLOWEST.bits {
                self.pace.frames = (before.frames * 0.7).max(SLOWEST.frames);
            }
        } else if waiting < CONGESTED / 5.0 && unencoded <= 1 && since >= UP_EVERY {
            self.pace.bits = (before.bits + 250_000.0).min(FASTEST.bits);
            self.pace.frames = (before.frames + 3.0).min(FASTEST.frames);
        }
        if self.pace == before {
            return None;
        }
        self.changed = now;
        Some(self.pace)
    }

    /// Whether a further frame is to be left out, since too many wait already.
    pub fn skips(&self, unsent: f64, unencoded: u32) -> bool {
        unencoded > OVERLOADED || unsent * 8.0 / self.pace.bits > 2.0 * CONGESTED
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A line of any speed, simulated: the delay stays small, and what the line takes is used.
    #[test]
    fn uses_the_line_and_does_not_fill_it() {
        for line in [600_000.0, 1_500_000.0, 3_000_000.0] {
            let mut governor = Governor::default();
            let (mut unsent, mut sent, mut late) = (0.0f64, 0.0f64, 0);
            let steps = 600;
            for step in 0..steps {
                // A tenth of a second at a time.
                let pace = governor.pace();
                if !governor.skips(unsent, 0) {
                    unsent += pace.bits / 80.0;
                }
                let out = unsent.min(line / 80.0);
                unsent -= out;
                governor.report(unsent, 0, f64::from(step) * 100.0);
                if step > 100 {
                    sent += out * 8.0;
                    late += u32::from(unsent * 8.0 / line > 0.6);
                }
            }
            let used = sent / (line * 49.9);
            assert!(used > 0.55, "{line}: {used} of the line is used");
            assert!(late < 10, "{line}: late {late} times");
        }
    }

    /// A machine that cannot encode so many frames gets fewer.
    #[test]
    fn a_slow_machine_gets_fewer_frames() {
        let mut governor = Governor::default();
        for second in 1..20 {
            governor.report(0.0, 9, f64::from(second) * 1000.0);
        }
        assert_eq!(governor.pace(), SLOWEST);
        for second in 20..200 {
            governor.report(0.0, 0, f64::from(second) * 1000.0);
        }
        assert_eq!(governor.pace(), FASTEST);
    }
}
