//! Clocks: countdowns and stopwatches, by the server's clock, so that they are the same on all screens and
//! go on while nobody looks.
//!
//! What is kept is how much had passed at a moment; every page works out the rest.

pub mod countdown;
pub mod face;
pub mod server_clock;
pub mod stopwatch;

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Glass, Rect, Size};
use countdown::Countdown;
use stopwatch::Stopwatch;

/// The most clocks of a lesson.
pub const MOST: usize = 6;
/// The longest time that a clock shows, in milliseconds: a day.
pub const LONGEST: u64 = 24 * 60 * 60 * 1000;
/// The longest name of a clock or a lap, in letters.
const LONGEST_NAME: usize = 60;
/// How small a face may be, in glass units.
const SMALLEST: (f64, f64) = (160.0, 70.0);

/// How a clock runs. Moments are milliseconds since 1970 by the server's clock, lengths are milliseconds.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Runs {
    /// It stands, and so much has passed.
    Stands { passed: u64 },
    /// It runs since a moment, at which so much had passed.
    Since { at: u64, passed: u64 },
}

impl Default for Runs {
    fn default() -> Self {
        Runs::Stands { passed: 0 }
    }
}

impl Runs {
    /// How much has passed at a moment. Clocks may disagree a little: nothing passes before it runs.
    pub fn passed(self, now: u64) -> u64 {
        match self {
            Runs::Stands { passed } => passed,
            Runs::Since { at, passed } => passed.saturating_add(now.saturating_sub(at)),
        }
    }

    /// Whether it runs.
    pub fn runs(self) -> bool {
        matches!(self, Runs::Since { .. })
    }

    /// It runs from now on, or stands, and goes on from where it is.
    pub fn set(self, runs: bool, now: u64) -> Self {
        let passed = self.passed(now);
        match runs {
            true => Runs::Since { at: now, passed },
            false => Runs::Stands { passed },
        }
    }

    fn settled(self) -> Self {
        match self {
            Runs::Stands { passed } => Runs::Stands {
                passed: passed.min(LONGEST),
            },
            Runs::Since { at, passed } => Runs::Since {
                at,
                passed: passed.min(LONGEST),
            },
        }
    }
}

/// What a clock does.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Measures {
    Countdown(Countdown),
    Stopwatch(Stopwatch),
}

/// A clock on the glass.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Clock {
    /// Its name for us; drawn at random.
    pub id: u64,
    pub measures: Measures,
    pub runs: Runs,
    /// Where its face is, in glass units.
    pub face: Rect<Glass>,
    /// It is put away; it goes on all the same.
    pub away: bool,
    /// Participants see it.
    pub told: bool,
}

/// What somebody does with a clock.
#[derive(Clone, PartialEq, Debug)]
pub enum Press {
    /// It runs, or stands.
    Run(bool),
    /// It begins anew.
    Again,
    /// One more minute of a countdown: of one that is over, one from now on.
    Minute,
    /// A lap of a stopwatch.
    Lap,
}

impl Clock {
    /// A new one that stands, in the corner; beneath the `others` that are seen, while there is room.
    pub fn fresh(id: u64, measures: Measures, others: &[Clock], area: Size<Glass>) -> Self {
        /// Between two faces, in glass units.
        const APART: f64 = 16.0;
        let mut face = face::Place::Corner.face(area);
        let seen = others.iter().filter(|c| !c.away);
        let lowest = seen.map(|c| c.face.y1).fold(0.0, f64::max);
        if lowest > 0.0 && lowest + face.height() + 1.5 * APART < area.height {
            face = Rect::from_size(face.x0, lowest + APART, face.width(), face.height());
        }
        Self {
            id,
            measures,
            runs: Runs::default(),
            face,
            away: false,
            told: true,
        }
    }

    /// How much has passed at a moment, in milliseconds.
    pub fn passed(&self, now: u64) -> u64 {
        self.runs.passed(now)
    }

    /// As it is after something was done with it at a moment.
    pub fn pressed(&self, press: &Press, now: u64) -> Self {
        let mut clock = self.clone();
        let passed = self.passed(now);
        match (press, &mut clock.measures) {
            // One that is over has nothing to go on to.
            (Press::Run(true), Measures::Countdown(c)) if c.left(passed) == 0 => {
                clock.runs = Runs::Since { at: now, passed: 0 };
            }
            (Press::Run(runs), _) => clock.runs = self.runs.set(*runs, now),
            (Press::Again, Measures::Countdown(_)) => {
                clock.runs = Runs::Since { at: now, passed: 0 };
            }
            (Press::Again, Measures::Stopwatch(watch)) => {
                watch.laps.clear();
                clock.runs = Runs::default();
            }
            (Press::Minute, Measures::Countdown(c)) => *c = c.longer(passed),
            (Press::Lap, Measures::Stopwatch(watch)) if self.runs.runs() => watch.lap(passed),
            (Press::Minute | Press::Lap, _) => {}
        }
        clock
    }

    /// Within what a clock may be, whatever was sent.
    pub fn settled(mut self, area: Size<Glass>) -> Self {
        self.runs = self.runs.settled();
        match &mut self.measures {
            Measures::Countdown(countdown) => *countdown = countdown.settled(),
            Measures::Stopwatch(watch) => watch.settle(),
        }
        self.face = settled(&self.face, area);
        self
    }

    /// The moments at which it is to be heard: with `false` that it warns, with `true` that it is over.
    pub fn signals(&self) -> Vec<(u64, bool)> {
        let (Measures::Countdown(c), Runs::Since { at, passed }) = (&self.measures, self.runs)
        else {
            return Vec::new();
        };
        if !c.loud || passed >= c.length {
            return Vec::new();
        }
        let over = at + c.length - passed;
        let warns = (c.warns > 0 && over - at > c.warns).then(|| (over - c.warns, false));
        warns.into_iter().chain([(over, true)]).collect()
    }

    /// How long its face stays as it is at a moment, in milliseconds; `None` for as long as nobody does
    /// anything.
    pub fn changes_in(&self, now: u64) -> Option<u64> {
        if self.away || !self.runs.runs() {
            return None;
        }
        let passed = self.passed(now);
        match &self.measures {
            Measures::Countdown(c) => c.changes_in(passed),
            Measures::Stopwatch(_) => Some(stopwatch::STEP - passed % stopwatch::STEP),
        }
    }
}

/// A face that can be seen and reached.
fn settled(face: &Rect<Glass>, area: Size<Glass>) -> Rect<Glass> {
    let sound = [face.x0, face.y0, face.x1, face.y1]
        .iter()
        .all(|v| v.is_finite());
    let face = match sound && !face.is_empty() {
        true => *face,
        false => face::Place::Corner.face(area),
    };
    let width = face.width().clamp(SMALLEST.0, area.width);
    let height = face.height().clamp(SMALLEST.1, area.height);
    let x = face.x0.clamp(0.0, area.width - width);
    let y = face.y0.clamp(0.0, area.height - height);
    Rect::from_size(x, y, width, height)
}

/// A name as it is kept.
fn name(name: &str) -> String {
    name.chars().take(LONGEST_NAME).collect()
}
