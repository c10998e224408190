//! What the page shows anew, once a frame.

use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::script::{Given, given};

/// What is out of date since the last frame.
#[derive(Default)]
pub(crate) struct Stale {
    /// Backdrops lie elsewhere, or are seen otherwise.
    pub(crate) view: bool,
    /// Something that the rail, its row or the selection show.
    pub(crate) changed: bool,
}

/// What a page has to do in a frame.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct Frame {
    /// Backdrops have to be laid out anew.
    pub view: bool,
    /// The rail, its row and the selection have to look at what they show.
    pub changed: bool,
    /// In how many milliseconds another frame is wanted, if nothing happens: 0 for the next one, -1 for
    /// none.
    pub wait: f64,
}

#[wasm_bindgen]
impl Glass {
    /// It is the moment `now` of the page's clock: tools that wait are woken, ink fades. Says what has to
    /// be shown anew; asking clears it. What of the layers is out of date, [`Glass::damage`] says.
    pub fn frame(&mut self, now: f64) -> Given<Frame> {
        self.at_desk(|router, desk| router.wake(desk, now));
        let waits = [
            self.fade(),
            self.wakes_at().map(|at| (at - now).max(0.0)),
            self.show_pointing(now),
            self.show_clocks(),
        ];
        let wait = waits.into_iter().flatten().min_by(f64::total_cmp);
        let Stale { view, changed } = std::mem::take(&mut self.stale);
        given(Frame {
            view,
            changed,
            wait: wait.unwrap_or(-1.0),
        })
    }
}
