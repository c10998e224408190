//! Fading ink, as it is seen from moment to moment.

use bozzetto_core::sheets::fade;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// Paints fading ink as faint as it is now. Gives the milliseconds until this has to be asked
    /// again: 0 for the next frame, -1 when nothing fades.
    pub fn fade(&mut self) -> f64 {
        let groups = fade::groups(self.replica.sheets(), &self.wet.fading());
        let now = self.now();
        let in_view = self.in_view();
        let mut moving = false;
        for group in &groups {
            let opacity = group.opacity(now) as f32;
            moving |= opacity > 0.0 && opacity < 1.0;
            for (sheet, id) in &group.marks {
                if self.painter.opacity(*id) != opacity {
                    self.painter.set_opacity(*id, opacity);
                    self.invalidate_where(&in_view, *sheet, *id);
                }
            }
        }
        if moving {
            return 0.0;
        }
        let waits = groups.iter().any(|g| g.begins.is_none());
        match fade::next(&groups, now) {
            Some(at) => (at - now) as f64,
            None if waits => 200.0,
            None => -1.0,
        }
    }
}

impl Glass {
    /// The server's clock as far as it is known here.
    pub(crate) fn now(&self) -> u64 {
        (crate::clock::machine() + self.clock_ahead).max(0.0) as u64
    }
}
