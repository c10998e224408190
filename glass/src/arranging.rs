//! What stands in which pane, and which pane the hand is on.

use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::state::Stage;
use bozzetto_core::stage::step::StageStep;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::events::Heard;

#[wasm_bindgen]
impl Glass {
    /// The hand is on the pane at this place, in CSS pixels: it is the one that keys and the rail
    /// are about. `true` when it was not before.
    pub fn touch_pane(&mut self, x: f64, y: f64) -> bool {
        let at = self.glass_point(x, y);
        let panes = self.panes();
        let hit = panes.iter().position(|p| p.room.contains(at));
        hit.is_some_and(|n| self.choose_pane(n))
    }

    /// The same for a pane by its number.
    pub fn choose_pane(&mut self, number: usize) -> bool {
        let other = std::mem::replace(&mut self.stage.active, number) != number;
        if other {
            self.news.events.push(Heard::Active);
            self.stale.changed = true;
        }
        other
    }

    /// Puts a backdrop in the pane in use. One that is in the
    /// other pane changes places.
    pub fn goto(&mut self, id: &str) {
        let Some(id) = id.parse().ok().map(BackdropId) else {
            return;
        };
        let (Some(current), beside) = self.arrangement() else {
            return self.arrange(id, None);
        };
        match beside {
            None => self.arrange(id, None),
            Some(b) if b.backdrop == id || current == id => {
                let there = usize::from(b.backdrop == id);
                if there != self.active_pane() {
                    self.swap();
                    self.stage.active = 1 - there;
                }
            }
            Some(b) if self.active_pane() == 0 => self.arrange(id, Some(b)),
            Some(b) => {
                let beside = Beside { backdrop: id, ..b };
                self.arrange(current, Some(beside));
            }
        }
    }

    /// Puts a backdrop beside what is on stage.
    pub fn put_beside(&mut self, id: &str) {
        let Some(id) = id.parse().ok().map(BackdropId) else {
            return;
        };
        if let (Some(current), beside) = self.arrangement()
            && current != id
        {
            let divider = beside.map_or(0.5, |b| b.divider);
            self.stage.active = 1;
            let backdrop = id;
            self.arrange(current, Some(Beside { backdrop, divider }));
        }
    }

    /// The two panes change places.
    pub fn swap(&mut self) {
        if let (Some(current), Some(beside)) = self.arrangement() {
            self.stage.active = 1 - self.active_pane();
            let other = Beside {
                backdrop: current,
                ..beside
            };
            self.arrange(beside.backdrop, Some(other));
        }
    }

    /// Only one pane stays: the one with this number.
    pub fn keep_pane(&mut self, number: usize) {
        if let (Some(current), Some(beside)) = self.arrangement() {
            self.stage.active = 0;
            let stays = if number == 0 {
                current
            } else {
                beside.backdrop
            };
            self.arrange(stays, None);
        }
    }

    /// Where the divider is: x in glass units; negative for none.
    pub fn divider(&self) -> f64 {
        match &self.stage.shown.beside {
            Some((_, divider)) => divider * self.picture.area.width,
            None => -1.0,
        }
    }

    /// Moves the divider to `x` CSS pixels. Only the last of a drag is to be `sent`.
    pub fn divide(&mut self, x: f64, sent: bool) {
        let divider = self.glass_point(x, 0.0).x / self.picture.area.width;
        if let (_, Some(beside)) = self.arrangement()
            && let Some((_, shown)) = &mut self.stage.shown.beside
        {
            *shown = Beside { divider, ..beside }.settled().divider;
            let divider = *shown;
            self.stage.moments.divider = (!sent).then_some(divider);
            self.invalidate_view();
            if sent {
                self.act(Intent::Stage(vec![StageStep::Divide(divider)]));
            }
        }
    }
}

impl Glass {
    fn arrangement(&self) -> (Option<BackdropId>, Option<Beside>) {
        let Stage {
            current, beside, ..
        } = &self.stage.shown;
        let beside = beside.as_ref().map(|(backdrop, divider)| Beside {
            backdrop: backdrop.id,
            divider: *divider,
        });
        (current.as_ref().map(|b| b.id), beside)
    }

    pub(crate) fn arrange(&mut self, current: BackdropId, beside: Option<Beside>) {
        self.lift_all();
        self.act(Intent::Stage(vec![StageStep::Arrange { current, beside }]));
    }
}
