//! A lesson shown again: which moment is shown when, and what a participant's page is told for it.

use std::collections::VecDeque;

use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::lesson::change::{Change, NOBODY, What};
use bozzetto_core::lesson::told::SheetMarks;
use bozzetto_core::recording::clock::Clock;
use bozzetto_core::recording::gaps::{BREAK, Gaps, SILENCE};
use bozzetto_core::recording::replay::{self, Lived, Seen, Told};
use bozzetto_core::sheets::step::Deed;
use bozzetto_core::stage::state::Stage;
use bozzetto_core::wire::{FromServer, OnStage, Start, State, Welcome, Yours, decode, encode};
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

/// Whoever looks on: nobody who did anything, so that nothing is taken for what this page did itself.
const SPECTATOR: AuthorId = AuthorId(u64::MAX);

/// What was found by words, and when it was seen: in milliseconds since 1970.
#[derive(Serialize, Tsify)]
pub struct Found {
    pub at: f64,
    pub words: String,
}

/// Everything that was found.
#[derive(Serialize, Tsify)]
pub struct AllFound {
    pub all: Vec<Found>,
}

/// A recording that is heard along with the lesson.
struct Heard {
    clock: Clock,
    /// The parts of the lesson's time that it has: see [`Clock::parts`].
    parts: Vec<(u64, u64)>,
}

/// See the module's description. Moments of the lesson are in milliseconds since 1970; what is shown is counted in seconds from
/// its beginning.
#[wasm_bindgen]
pub struct Replay {
    replay: replay::Replay,
    gaps: Gaps,
    /// Recordings of it that are heard.
    films: Vec<Heard>,
    /// Where its chapters begin: there is something to be shown, also where nothing was told any more.
    chapters: Vec<u64>,
    /// What is told next, when one thing is told in several messages.
    waiting: VecDeque<FromServer>,
    /// How many changes have been told: later ones have higher numbers, also of what was earlier.
    seq: u64,
}

#[wasm_bindgen]
impl Replay {
    /// Of what the server gives as `lived`.
    #[wasm_bindgen(constructor)]
    pub fn new(lived: &[u8]) -> Result<Replay, JsError> {
        let lived: Lived =
            decode(lived).ok_or_else(|| JsError::new("this page is older than the server"))?;
        Ok(Self {
            replay: replay::Replay::new(lived),
            gaps: Gaps::default(),
            films: Vec::new(),
            chapters: Vec::new(),
            waiting: VecDeque::new(),
            seq: 0,
        })
    }

    /// A recording of it, that begins and goes on at these times: in microseconds of the film and in milliseconds since 1970, by
    /// turns; it lasts so many microseconds.
    pub fn add_film(&mut self, clock: &[f64], lasts: f64) {
        let clock = Clock::new(pairs(clock), lasts as u64);
        let parts = clock.parts();
        self.films.push(Heard { clock, parts });
    }

    /// A chapter of it begins at this moment.
    pub fn add_chapter(&mut self, at: f64) {
        self.chapters.push(at.max(0.0) as u64);
    }

    /// Which recording shows this moment of the lesson, counted from 0, and at which second; nothing where none does.
    pub fn film_at(&self, lesson: f64) -> Vec<f64> {
        let at = lesson.max(0.0) as u64;
        let shows = |film: &Heard| {
            film.parts
                .iter()
                .any(|(from, to)| (*from..*to).contains(&at))
        };
        let found = self.films.iter().position(shows);
        let found = found.and_then(|n| Some(vec![n as f64, self.films[n].clock.to_film(at)?]));
        found.unwrap_or_default()
    }

    /// Which moment of the lesson a recording shows at a second of it.
    pub fn of_film(&self, film: usize, seconds: f64) -> f64 {
        let at = self
            .films
            .get(film)
            .and_then(|film| film.clock.to_lesson(seconds));
        at.unwrap_or(0) as f64
    }

    /// Gaps are skipped, or only breaks; nothing is left out of what is heard. `parts` are the beginnings and ends of what is
    /// shown at all, everything where there are none.
    pub fn set_gaps(&mut self, skipped: bool, heard: bool, parts: &[f64]) {
        let told = &self.replay.lived().told;
        let told = told.iter().map(|told| told.at);
        let mut happened: Vec<u64> = told.chain(self.chapters.iter().copied()).collect();
        happened.sort_unstable();
        let longest = if skipped { SILENCE } else { BREAK };
        let whole = self.films.iter().filter(|_| heard);
        let whole: Vec<(u64, u64)> = whole.flat_map(|film| film.parts.clone()).collect();
        self.gaps = Gaps::new(&happened, &whole, longest);
        if !parts.is_empty() {
            self.gaps = self.gaps.within(&pairs(parts));
        }
    }

    /// How long what is shown is, in seconds.
    pub fn seconds(&self) -> f64 {
        self.gaps.seconds()
    }

    pub fn to_lesson(&self, shown: f64) -> f64 {
        self.gaps.to_lesson(shown) as f64
    }

    pub fn to_shown(&self, lesson: f64) -> f64 {
        self.gaps.to_shown(lesson.max(0.0) as u64)
    }

    /// Width to height of the picture area.
    pub fn aspect(&self) -> f64 {
        let (width, height) = self.replay.lived().aspect;
        width / height
    }

    /// With what a page begins.
    pub fn welcome(&self) -> Vec<u8> {
        encode(&FromServer::Welcome(Box::new(Welcome {
            author: SPECTATOR,
            epoch: 0,
            seq: 0,
            now: 0,
            start: Start::Sheets(Vec::new()),
            history: (0, 0),
            wet: Vec::new(),
            state: State::Participant {
                lesson: String::new(),
                aspect: self.replay.lived().aspect,
                paused: false,
                backdrops: Box::new(Stage::default()),
                take_aways: Vec::new(),
                yours: Yours::default(),
            },
        })))
    }

    /// What a page is told to show this moment of the lesson.
    pub fn seek(&mut self, at: f64) -> Vec<u8> {
        self.waiting.clear();
        let (stage, sheets) = self.replay.seek(at.max(0.0) as u64);
        encode(&self.on_stage(stage, sheets))
    }

    /// What a page is told next, if it was seen by this moment.
    pub fn next(&mut self, at: f64) -> Option<Vec<u8>> {
        if self.waiting.is_empty() {
            let told = self.replay.next(at.max(0.0) as u64)?;
            self.tell(told);
        }
        self.waiting.pop_front().map(|message| encode(&message))
    }

    /// When the mark was made that is to be seen at this moment at a place of the picture, as shares of its width and height;
    /// nothing where there is none.
    pub fn made_at(&self, at: f64, x: f64, y: f64) -> Option<f64> {
        let made = self.replay.made_at(at.max(0.0) as u64, x, y)?;
        Some(made as f64)
    }

    /// Typed text and backdrops with these words in them.
    pub fn search(&self, words: &str) -> Result<Ts<AllFound>, JsError> {
        let found = self.replay.search(words).into_iter().map(|found| Found {
            at: found.at as f64,
            words: found.words,
        });
        let all = AllFound {
            all: found.collect(),
        };
        Ok(all.into_ts()?)
    }
}

impl Replay {
    /// What is told as messages.
    fn tell(&mut self, told: Told) {
        let message = match told.what {
            Seen::Stage { stage, sheets } => self.on_stage(*stage, sheets),
            Seen::Marks(steps) => {
                self.seq += 1;
                let deed = Deed::Do;
                let change = Change {
                    id: ChangeId(self.seq),
                    author: NOBODY,
                    at: told.at,
                    what: What::Marks { deed, steps },
                };
                let (seq, kept) = (self.seq, true);
                FromServer::Change { seq, change, kept }
            }
            Seen::Views(views) => {
                let see = |(backdrop, seen)| FromServer::See {
                    author: NOBODY,
                    backdrop,
                    seen: Box::new(seen),
                };
                return self.waiting.extend(views.into_iter().map(see));
            }
            Seen::Laid(laid) => FromServer::Laid(laid),
        };
        self.waiting.push_back(message);
    }

    fn on_stage(&mut self, backdrops: Stage, sheets: SheetMarks) -> FromServer {
        self.seq += 1;
        FromServer::OnStage(Box::new(OnStage {
            seq: self.seq,
            backdrops,
            sheets,
            wet: Vec::new(),
        }))
    }
}

fn pairs(ends: &[f64]) -> Vec<(u64, u64)> {
    let pairs = ends.chunks_exact(2);
    pairs.map(|pair| (pair[0] as u64, pair[1] as u64)).collect()
}
