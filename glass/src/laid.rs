//! Spotlight and clocks: how the row shows them, and what is done with them there.

use bozzetto_core::aids::region::{Form, Region};
use bozzetto_core::aids::spotlight::Spotlight;
use bozzetto_core::clocks::countdown::{self, Countdown, Stage};
use bozzetto_core::clocks::face::{Place, shown};
use bozzetto_core::clocks::stopwatch::Stopwatch;
use bozzetto_core::clocks::{Clock, Measures, Press, Runs};
use bozzetto_core::instruments::instrument::Which;
use bozzetto_core::stage::laid::Lay;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::cover::CoverShown;
use crate::instruments::{InstrumentShown, MeasuringShown};
use crate::magnifier::MagnifierShown;
use crate::script::{Given, given};

/// What lies over the picture, as the row shows it.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct LaidShown {
    /// `None` when it is put away.
    pub spotlight: Option<SpotlightShown>,
    pub magnifier: Option<MagnifierShown>,
    /// On the backdrop in use; `None` when it is put away.
    pub cover: Option<CoverShown>,
    /// How many parts of the page in use are hidden.
    pub hidden: usize,
    /// No further part of the backdrop in use can be hidden.
    pub hides_all_it_can: bool,
    /// Those that are not put away.
    pub clocks: Vec<ClockShown>,
    pub ruler: Option<InstrumentShown>,
    pub protractor: Option<InstrumentShown>,
    pub compasses: Option<InstrumentShown>,
    pub measuring: Option<MeasuringShown>,
}

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct SpotlightShown {
    /// Of the light that a hand had hold of last: `oval`, `circle`, `box` or `loop`.
    pub form: &'static str,
    /// In glass units, across.
    pub size: f64,
    /// In percent.
    pub dimness: f64,
    pub soft: bool,
    pub told: bool,
    pub lights: usize,
}

#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct ClockShown {
    pub id: String,
    pub countdown: bool,
    /// What its face says.
    pub reading: String,
    pub runs: bool,
    pub over: bool,
    pub told: bool,
    /// Of a countdown: how long it takes, as it is typed, and in minutes.
    pub length: String,
    pub minutes: f64,
    pub loud: bool,
    pub warns: bool,
    pub laps: Vec<LapShown>,
}

#[derive(Serialize, Tsify)]
pub struct LapShown {
    pub name: String,
    pub split: String,
    pub total: String,
    pub best: bool,
    pub worst: bool,
}

/// Lengths of a countdown that are at hand, in minutes.
#[wasm_bindgen]
pub fn usual_minutes() -> Vec<u32> {
    countdown::USUAL.to_vec()
}

/// Figures that are keyed in one after another, as a time.
#[wasm_bindgen]
pub fn keyed_length(figures: &str) -> String {
    countdown::keyed(figures)
}

/// What is heard of countdowns.
#[derive(Serialize, Tsify)]
pub struct Signals {
    /// One is over.
    pub over: bool,
    /// One ends soon.
    pub warns: bool,
    /// In how many milliseconds there is something to be heard, -1 for never.
    pub wait: f64,
}

fn word(form: &Form) -> &'static str {
    match form {
        Form::Oval => "oval",
        Form::Circle => "circle",
        Form::Box => "box",
        Form::Loop(_) => "loop",
    }
}

fn spotlight_shown(spotlight: &Spotlight) -> Option<SpotlightShown> {
    let last = spotlight.last().filter(|_| !spotlight.away)?;
    Some(SpotlightShown {
        form: word(&last.form),
        size: (2.0 * last.half.0.max(last.half.1)).round(),
        dimness: (spotlight.dimness * 100.0).round(),
        soft: spotlight.soft,
        told: spotlight.told,
        lights: spotlight.lights.len(),
    })
}

fn clock_shown(clock: &Clock, now: u64) -> ClockShown {
    let passed = clock.passed(now);
    let (countdown, laps) = match &clock.measures {
        Measures::Countdown(countdown) => (Some(*countdown), Vec::new()),
        Measures::Stopwatch(watch) => (None, laps(watch)),
    };
    let set = countdown.unwrap_or_default();
    ClockShown {
        id: clock.id.to_string(),
        countdown: countdown.is_some(),
        reading: clock.reading(now),
        runs: clock.runs.runs(),
        over: countdown.is_some_and(|c| c.stage(passed) == Stage::Over),
        told: clock.told,
        length: shown(set.length, false),
        minutes: set.length as f64 / 60_000.0,
        loud: set.loud,
        warns: set.warns > 0,
        laps,
    }
}

fn laps(watch: &Stopwatch) -> Vec<LapShown> {
    let splits = watch.splits().into_iter();
    splits
        .map(|s| LapShown {
            name: s.lap.name.clone(),
            split: shown(s.split, true),
            total: shown(s.lap.total, true),
            best: s.best,
            worst: s.worst,
        })
        .collect()
}

/// A length of time as clocks show it, from milliseconds.
#[wasm_bindgen]
pub fn clock_face(ms: f64) -> String {
    shown(ms as u64, false)
}

#[wasm_bindgen]
impl Glass {
    /// What lies over the picture.
    pub fn laid(&self) -> Given<LaidShown> {
        let (laid, now) = (&self.stage.shown.laid, self.now());
        given(LaidShown {
            spotlight: laid.spotlight.as_ref().and_then(spotlight_shown),
            magnifier: self.magnifier_shown(),
            cover: self.cover_shown(),
            hidden: self.hidden_shown(),
            hides_all_it_can: self
                .active_backdrop()
                .is_some_and(|b| b.seen.hides_all_it_can()),
            clocks: laid
                .clocks
                .iter()
                .filter(|c| !c.away)
                .map(|c| clock_shown(c, now))
                .collect(),
            ruler: self.instrument_shown(Which::Ruler),
            protractor: self.instrument_shown(Which::Protractor),
            compasses: self.instrument_shown(Which::Compasses),
            measuring: self.measuring_shown(),
        })
    }

    /// The spotlight comes out as it was, to where something points, or to the middle; or it is put away.
    pub fn spotlight(&mut self, out: bool) {
        let known = self.stage.shown.laid.spotlight.clone();
        let middle = self.room_in_use().middle();
        self.lay(Lay::Spotlight(match out {
            true => Spotlight::out(known, self.hand.points_at(), middle),
            false => Spotlight {
                away: true,
                ..known.unwrap_or_default()
            },
        }));
    }

    /// The light that a hand had hold of last gets another form: `oval`, `circle` or `box`.
    pub fn form_light(&mut self, form: &str) {
        let form = match form {
            "circle" => Form::Circle,
            "box" => Form::Box,
            _ => Form::Oval,
        };
        self.change_light(|light| light.formed(form), true);
    }

    /// It becomes so large across, in glass units; `done` when that is not still being pulled.
    pub fn size_light(&mut self, size: f64, done: bool) {
        let by = |light: &Region| size / 2.0 / light.half.0.max(light.half.1);
        self.change_light(|light| light.grown(by(light)), done);
    }

    /// The rest is so dark, in percent; as [`Glass::size_light`].
    pub fn dim(&mut self, percent: f64, done: bool) {
        self.change_spotlight(|s| s.dimness = percent / 100.0, done);
    }

    pub fn soften(&mut self, soft: bool) {
        self.change_spotlight(|s| s.soft = soft, true);
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_spotlight(&mut self, told: bool) {
        self.change_spotlight(|s| s.told = told, true);
    }

    /// One light more.
    pub fn add_light(&mut self) {
        let area = self.picture.area;
        self.change_spotlight(|s| *s = s.with_another(area), true);
    }

    /// One light fewer.
    pub fn take_light(&mut self) {
        self.change_spotlight(|s| *s = s.with_one_fewer(), true);
    }

    // ---- Clocks ----

    /// The last clock of its kind comes out, or there is a new one; gives its name.
    pub fn clock_out(&mut self, countdown: bool) -> String {
        let clocks = &self.stage.shown.laid.clocks;
        let is_one = |c: &&Clock| matches!(c.measures, Measures::Countdown(_)) == countdown;
        if let Some(known) = clocks.iter().rev().find(is_one).cloned() {
            let (id, away) = (known.id, false);
            self.lay(Lay::Clock(Clock { away, ..known }));
            return id.to_string();
        }
        self.new_clock(countdown)
    }

    /// One more clock, that stands; gives its name.
    pub fn new_clock(&mut self, countdown: bool) -> String {
        let id = self.session.ids.next_id();
        let measures = match countdown {
            true => Measures::Countdown(Countdown::default()),
            false => Measures::Stopwatch(Stopwatch::default()),
        };
        let others = &self.stage.shown.laid.clocks;
        let clock = Clock::fresh(id, measures, others, self.picture.area);
        self.lay(Lay::Clock(clock));
        id.to_string()
    }

    /// Something is done with a clock: `run`, `stand`, `again`, `minute` or `lap`.
    pub fn press_clock(&mut self, id: &str, what: &str) {
        let press = match what {
            "run" => Press::Run(true),
            "stand" => Press::Run(false),
            "again" => Press::Again,
            "minute" => Press::Minute,
            _ => Press::Lap,
        };
        let now = self.now();
        self.change_clock(id, |clock| *clock = clock.pressed(&press, now));
    }

    /// A countdown takes as long as was typed, and stands at its beginning; gives why it cannot, if it
    /// cannot.
    pub fn set_length(&mut self, id: &str, typed: &str) -> Option<String> {
        let length = match countdown::length(typed) {
            Ok(length) => length,
            Err(why) => return Some(why.to_string()),
        };
        self.change_clock(id, |clock| {
            if let Measures::Countdown(countdown) = &mut clock.measures {
                *countdown = countdown.with_length(length);
                clock.runs = Runs::default();
            }
        });
        None
    }

    /// Its end is heard, or only seen.
    pub fn set_loud(&mut self, id: &str, loud: bool) {
        self.change_countdown(id, |countdown| countdown.loud = loud);
    }

    /// It warns before its end.
    pub fn set_warns(&mut self, id: &str, warns: bool) {
        self.change_countdown(id, |countdown| {
            countdown.warns = u64::from(warns);
            *countdown = countdown.with_length(countdown.length);
        });
    }

    /// Participants see it, or it is kept to the stage.
    pub fn tell_clock(&mut self, id: &str, told: bool) {
        self.change_clock(id, |clock| clock.told = told);
    }

    /// Its face goes into the `corner`, has `half` of the picture, or `all` of it.
    pub fn place_clock(&mut self, id: &str, place: &str) {
        let area = self.picture.area;
        let place = match place {
            "half" => Place::Half,
            "all" => Place::All,
            _ => Place::Corner,
        };
        self.change_clock(id, |clock| clock.face = place.face(area));
    }

    /// It is put away, and goes on.
    pub fn put_clock_away(&mut self, id: &str) {
        self.change_clock(id, |clock| clock.away = true);
    }

    /// It is gone for good.
    pub fn remove_clock(&mut self, id: &str) {
        if let Ok(id) = id.parse() {
            self.lay(Lay::NoClock(id));
        }
    }

    /// A lap, counted from 0, is called so.
    pub fn name_lap(&mut self, id: &str, lap: usize, name: &str) {
        self.change_clock(id, |clock| {
            if let Measures::Stopwatch(watch) = &mut clock.measures
                && let Some(lap) = watch.laps.get_mut(lap)
            {
                name.clone_into(&mut lap.name);
            }
        });
    }

    /// The laps of a stopwatch as a table, with `between` what stands side by side; empty when there is none.
    pub fn laps_table(&self, id: &str, between: char) -> String {
        match self.clock_of(id).map(|c| &c.measures) {
            Some(Measures::Stopwatch(watch)) => watch.table(between),
            _ => String::new(),
        }
    }

    /// What is to be heard now, since this was asked last, and in how many milliseconds to ask again.
    pub fn signals(&mut self) -> Given<Signals> {
        let now = self.now();
        let from = self.stage.heard_until.replace(now).unwrap_or(now);
        let running = self.stage.shown.laid.clocks.iter();
        let moments: Vec<(u64, bool)> = running.flat_map(Clock::signals).collect();
        let passed = moments
            .iter()
            .filter(|(at, _)| (from + 1..=now).contains(at));
        let to_come = moments.iter().map(|(at, _)| *at).filter(|at| *at > now);
        given(Signals {
            over: passed.clone().any(|(_, over)| *over),
            warns: passed.clone().any(|(_, over)| !over),
            wait: to_come.min().map_or(-1.0, |at| (at - now) as f64),
        })
    }
}

impl Glass {
    fn change_spotlight(&mut self, change: impl FnOnce(&mut Spotlight), done: bool) {
        let Some(mut spotlight) = self.stage.shown.laid.spotlight.clone() else {
            return;
        };
        change(&mut spotlight);
        let lay = Lay::Spotlight(spotlight);
        match done {
            true => self.lay(lay),
            false => self.drag(lay),
        }
    }

    fn change_light(&mut self, change: impl FnOnce(&Region) -> Region, done: bool) {
        self.change_spotlight(
            |spotlight| {
                if let Some(light) = spotlight.last().map(change) {
                    *spotlight = spotlight.with_last(light);
                }
            },
            done,
        );
    }

    fn clock_of(&self, id: &str) -> Option<&Clock> {
        let id = id.parse().ok()?;
        self.stage.shown.laid.clock(id)
    }

    fn change_clock(&mut self, id: &str, change: impl FnOnce(&mut Clock)) {
        let Some(mut clock) = self.clock_of(id).cloned() else {
            return;
        };
        change(&mut clock);
        self.lay(Lay::Clock(clock));
    }

    fn change_countdown(&mut self, id: &str, change: impl FnOnce(&mut Countdown)) {
        self.change_clock(id, |clock| {
            if let Measures::Countdown(countdown) = &mut clock.measures {
                change(countdown);
            }
        });
    }
}
