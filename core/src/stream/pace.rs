//! How much an encoder makes of a backdrop: as much as line and machine take.

/// What an encoder is set to.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pace {
    /// Bits to a second.
    pub bits: f64,
    /// Frames to a second.
    pub frames: f64,
}

/// What waits on its way out.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Line {
    /// Bytes that are still to be sent.
    pub unsent: f64,
    /// Frames that are still being encoded.
    pub unencoded: u32,
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
    frames: 30.0,
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
    /// How much is to be sent at this moment.
    pub fn pace(&self) -> Pace {
        self.pace
    }

    /// Takes note of what waits, at `now` in milliseconds; gives the new pace when it is another.
    pub fn report(&mut self, line: Line, now: f64) -> Option<Pace> {
        let Line { unsent, unencoded } = line;
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
    pub fn skips(&self, line: Line) -> bool {
        line.unencoded > OVERLOADED || line.unsent * 8.0 / self.pace.bits > 2.0 * CONGESTED
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
                if !governor.skips(Line {
                    unsent,
                    unencoded: 0,
                }) {
                    unsent += pace.bits / 80.0;
                }
                let out = unsent.min(line / 80.0);
                unsent -= out;
                governor.report(
                    Line {
                        unsent,
                        unencoded: 0,
                    },
                    f64::from(step) * 100.0,
                );
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
            governor.report(
                Line {
                    unsent: 0.0,
                    unencoded: 9,
                },
                f64::from(second) * 1000.0,
            );
        }
        assert_eq!(governor.pace(), SLOWEST);
        for second in 20..200 {
            governor.report(Line::default(), f64::from(second) * 1000.0);
        }
        assert_eq!(governor.pace(), FASTEST);
    }
}
