//! Fading ink, as it is seen from moment to moment.

use bozzetto_core::clocks::server_clock::ServerClock;
use bozzetto_core::sheets::fade;
use wasm_bindgen::prelude::wasm_bindgen;

use crate::Glass;

/// How soon to look again while fading ink is being drawn, in milliseconds.
const WHILE_DRAWN: f64 = 200.0;

impl Glass {
    /// Paints fading ink as faint as it is now. Gives the milliseconds until this has to be asked
    /// again: 0 for the next frame, `None` when nothing fades.
    pub(crate) fn fade(&mut self) -> Option<f64> {
        let groups = fade::groups(self.replica.sheets(), &self.picture.wet.fading());
        let now = self.now();
        let in_view = self.in_view();
        let mut moving = false;
        for group in &groups {
            let opacity = group.opacity(now) as f32;
            moving |= opacity > 0.0 && opacity < 1.0;
            for (sheet, id) in &group.marks {
                if self.picture.painter.opacity(*id) != opacity {
                    self.picture.painter.set_opacity(*id, opacity);
                    self.invalidate_where(&in_view, *sheet, *id);
                }
            }
        }
        if moving {
            return Some(0.0);
        }
        let waits = groups.iter().any(|g| g.begins.is_none());
        match fade::next(&groups, now) {
            Some(at) => Some((at - now) as f64),
            None => waits.then_some(WHILE_DRAWN),
        }
    }

    /// The server's clock as far as it is known here.
    pub(crate) fn now(&self) -> u64 {
        self.session.clock.at(crate::clock::machine())
    }
}

#[wasm_bindgen]
impl Glass {
    /// It is this moment of the lesson, in milliseconds since 1970, whatever was heard: of a lesson that is shown again.
    pub fn set_clock(&mut self, now: f64) {
        self.session.clock = ServerClock::default();
        let now = now.max(0.0) as u64;
        self.session.clock.heard(now, crate::clock::machine());
    }
}
