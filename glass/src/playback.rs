//! Playing videos: what the rail's keys ask for, and what each browser's player has to do.

use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::playback::{Correction, Playback, correction};
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::script::given;

/// A video as it is at this moment.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct Playing {
    playing: bool,
    moment: f64,
    duration: f64,
    rate: f64,
    looped: bool,
    muted: bool,
}

#[wasm_bindgen]
impl Glass {
    /// How a video goes on; `None` for what is none.
    pub fn playing(&self, id: &str) -> Result<Option<Ts<Playing>>, JsError> {
        let Some((playback, duration, _)) = self.backdrop(id).and_then(of) else {
            return Ok(None);
        };
        let now = self.now();
        let playing = Playing {
            playing: playback.moves(now, duration),
            moment: playback.moment(now, duration),
            duration,
            rate: playback.rate,
            looped: playback.looped,
            muted: playback.muted,
        };
        given(playing).map(Some)
    }

    /// What a player that shows the moment `shown` has to do: 0 nothing, 1 play at the speed that
    /// follows, 2 jump to the moment that follows.
    pub fn player_does(&self, id: &str, shown: f64) -> Vec<f64> {
        let Some((playback, duration, _)) = self.backdrop(id).and_then(of) else {
            return vec![0.0, 1.0];
        };
        let now = self.now();
        let moves = Playback {
            playing: playback.moves(now, duration),
            ..playback
        };
        match correction(&moves, shown, playback.moment(now, duration)) {
            Correction::None => vec![0.0, playback.rate],
            Correction::Rate(rate) => vec![1.0, rate],
            Correction::Seek(to) => vec![2.0, to],
        }
    }

    pub fn play(&mut self, id: &str, playing: bool) {
        self.play_on(id, |p, now, duration, _| p.play(playing, now, duration));
    }

    /// Goes to a moment, in seconds.
    pub fn seek(&mut self, id: &str, to: f64) {
        self.play_on(id, |p, now, duration, _| p.seek(to, now, duration));
    }

    /// Stops, some frames further on or back.
    pub fn step_frames(&mut self, id: &str, frames: i32) {
        self.play_on(id, |p, now, duration, frame| {
            p.step(frames, frame, now, duration)
        });
    }

    pub fn set_rate(&mut self, id: &str, rate: f64) {
        self.play_on(id, |p, now, duration, _| p.at_rate(rate, now, duration));
    }

    pub fn set_looped(&mut self, id: &str, looped: bool) {
        self.play_on(id, |p, now, duration, _| Playback {
            looped,
            ..p.seek(p.moment(now, duration), now, duration)
        });
    }

    pub fn set_muted(&mut self, id: &str, muted: bool) {
        self.play_on(id, |p, _, _, _| Playback { muted, ..p });
    }
}

impl Glass {
    fn play_on(&mut self, id: &str, deed: impl FnOnce(Playback, u64, f64, f64) -> Playback) {
        if let Some((playback, duration, frame)) = self.backdrop(id).and_then(of) {
            let next = deed(playback, self.now(), duration, frame);
            self.see(id, |seen| seen.playback = next);
        }
    }
}

/// How a video is played, its length and that of a frame, in seconds.
fn of(backdrop: &BackdropView) -> Option<(Playback, f64, f64)> {
    match backdrop.kind {
        BackdropKind::Video { duration, frame } => Some((backdrop.seen.playback, duration, frame)),
        _ => None,
    }
}
