//! What the hand does on the glass: pointers become what core's tools want done.

use bozzetto_core::aids::ripple::Press;
use bozzetto_core::edit::select::Pull;
use bozzetto_core::edit::selection::{Pulled, Selection};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Point};
use bozzetto_core::geometry::grip::Grip;
use bozzetto_core::ink::pen::{Device, Sample};
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stage::sight::Sight;
use bozzetto_core::tools::desk::{Desk, Effect};
use bozzetto_core::tools::in_hand::InHand;
use bozzetto_core::tools::pointer::{Modifiers, Motion, Pointer};
use bozzetto_core::tools::router::Router;
use bozzetto_core::tools::wheel;
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::typing::Typing;

/// What the hand holds, what it is doing, and what it has selected.
#[derive(Default)]
pub(crate) struct Hand {
    router: Router,
    pub(crate) in_hand: InHand,
    pub(crate) selection: Selection,
    /// A text that is being typed.
    pub(crate) typing: Option<Typing>,
}

impl Hand {
    /// Where something points, if it is over the glass.
    pub(crate) fn points_at(&self) -> Option<Point<GlassFrame>> {
        self.router.points_at()
    }
}

/// What is held or true while a pointer does something, as bits.
const EVEN: u8 = 1;
const CENTRED: u8 = 2;
const ERASER_END: u8 = 4;
const BY_KEYS: u8 = 8;

fn device(number: u8) -> Device {
    match number {
        1 => Device::Pen,
        2 => Device::Finger,
        _ => Device::Mouse,
    }
}

fn modifiers(flags: u8) -> Modifiers {
    Modifiers {
        even: flags & EVEN != 0,
        centred: flags & CENTRED != 0,
    }
}

/// The part of a selection's frame that a word names.
fn grip(word: &str) -> Option<Pull> {
    match word {
        "turn" => Some(Pull::Turn),
        "inside" => Some(Pull::Inside),
        grip => Grip::from_word(grip).map(Pull::Handle),
    }
}

/// Pointers are named as the browser does, devices 0 mouse, 1 pen, 2 finger; flags are 1 Shift, 2 Alt,
/// 4 a pen's other end, 8 moved by keys. A sample is x and y in CSS pixels of the picture area, pressure,
/// and milliseconds on the page's clock.
#[wasm_bindgen]
impl Glass {
    /// Whether a pointer that goes down at `t` milliseconds may do something: a palm may not.
    pub fn admits(&self, device_number: u8, t: f64) -> bool {
        self.hand.router.admits(device(device_number), t)
    }

    /// A pointer goes down, perhaps on a part of the selection's frame.
    pub fn pointer_down(
        &mut self,
        id: i32,
        device_number: u8,
        flags: u8,
        sample: &[f64],
        on: Option<String>,
    ) {
        let Some(mut at) = self.pointer(id, device_number, flags, sample) else {
            return;
        };
        at.grip = on.and_then(|word| grip(&word));
        self.touch_pane(sample[0], sample[1]);
        self.at_desk(|router, desk| router.down(desk, &at));
    }

    /// A pointer moves, down or not: through `samples`, and as the browser expects on through `ahead`.
    pub fn pointer_moved(
        &mut self,
        id: i32,
        device_number: u8,
        flags: u8,
        samples: &[f64],
        ahead: &[f64],
    ) {
        let (samples, ahead) = (self.samples(samples), self.samples(ahead));
        let motion = Motion {
            id,
            device: device(device_number),
            modifiers: modifiers(flags),
            samples: &samples,
            through: Map::coincident(),
            ahead: &ahead,
        };
        self.at_desk(|router, desk| router.moved(desk, &motion));
    }

    /// A pointer is lifted.
    pub fn pointer_up(&mut self, id: i32, device_number: u8, flags: u8, sample: &[f64]) {
        if let Some(at) = self.pointer(id, device_number, flags, sample) {
            self.at_desk(|router, desk| router.up(desk, &at));
        }
        self.stale.changed = true;
    }

    /// The browser took a pointer away: what it did was not meant.
    pub fn pointer_cancelled(&mut self, id: i32) {
        self.at_desk(|router, desk| router.cancel(desk, id));
        self.stale.changed = true;
    }

    /// A pointer is at (x, y) where no tool hears of it: on a page that hands reach, or with a mouse's other
    /// button. It presses nothing (0), or with the first (1) or the other button (2).
    pub fn points(&mut self, x: f64, y: f64, t: f64, press: u8) {
        let press = match press {
            1 => Some(Press::First),
            2 => Some(Press::Second),
            _ => None,
        };
        for sample in self.samples(&[x, y, 0.0, t]) {
            self.at_desk(|router, desk| router.points(desk, sample, press));
        }
    }

    /// Whether nothing is to move that need not.
    pub fn set_still(&mut self, still: bool) {
        self.picture.pointers.still = still;
    }

    /// No pointer is over the glass any more.
    pub fn pointer_left(&mut self) {
        self.at_desk(|router, desk| router.left(desk));
    }

    /// A wheel turns at (x, y): what is seen there moves, or grows with `grows`.
    pub fn wheel(&mut self, x: f64, y: f64, dx: f64, dy: f64, grows: bool) {
        let at = self.glass_point(x, y);
        self.at_desk(|_, desk| wheel::turned(desk, at, dx, dy, grows));
    }

    /// Lifts every pen; what was drawn is kept, and so is what was typed.
    pub fn lift_all(&mut self) {
        self.at_desk(|router, desk| router.finish(desk));
        self.text_end();
    }

    /// What is set point by point is done.
    pub fn finish(&mut self) {
        self.at_desk(|router, desk| router.finish_unheld(desk));
        self.stale.changed = true;
    }

    /// Takes back the last point of what is being set, or else the last change.
    pub fn take_back(&mut self) {
        if !self.at_desk(|router, desk| router.back(desk)) {
            self.undo();
        }
        self.stale.changed = true;
    }

    /// Whether something is being set point by point.
    pub fn is_setting(&self) -> bool {
        self.hand.router.goes_on()
    }

    /// Radius of the eraser in CSS pixels.
    pub fn eraser_radius(&self) -> f64 {
        self.prefs.settings.eraser * self.picture.scale
    }
}

impl Glass {
    /// Lets tools see the stage, and does what they want done.
    pub(crate) fn at_desk<R>(&mut self, doing: impl FnOnce(&mut Router, &mut Desk) -> R) -> R {
        let mut router = std::mem::take(&mut self.hand.router);
        let in_view = self.in_view();
        let backdrops: Vec<&BackdropView> = self.stage.shown.each().collect();
        let panes = self.stage.panes(self.picture.area);
        let mut desk = Desk {
            sheets: self.replica.sheets(),
            in_view: &in_view,
            backdrops: &backdrops,
            settings: &self.prefs.settings,
            in_hand: &self.hand.in_hand,
            selection: &self.hand.selection,
            laid: &self.stage.shown.laid,
            sight: Sight {
                area: self.picture.area,
                panes: &panes,
            },
            author: self.replica.author(),
            ids: &mut self.session.ids,
            scale: self.picture.scale,
            through: Map::coincident(),
            effects: Vec::new(),
        };
        let result = doing(&mut router, &mut desk);
        let effects = desk.effects;
        self.hand.router = router;
        effects
            .into_iter()
            .for_each(|effect| self.carry_out(effect));
        result
    }

    fn carry_out(&mut self, effect: Effect) {
        match effect {
            Effect::Act(intent) => {
                self.act(intent);
            }
            Effect::Ink { ink, ahead } => {
                let (in_view, now) = (self.in_view(), self.now());
                let author = self.replica.author();
                self.picture.extend(&in_view, author, &ink, ahead, now);
                if !ink.points.0.is_empty() {
                    self.post.send(&ToServer::Wet(ink));
                }
            }
            Effect::Show(shape) => self.show_shape(shape),
            Effect::Forget(mark) => self.stop_showing(mark),
            Effect::Settle(mark) => self.end_wet(mark),
            Effect::Select(mut picked) => {
                picked.retain(|(sheet, mark)| self.may_touch(*sheet, *mark));
                self.hand.selection.picked = picked;
                self.stale.changed = true;
            }
            Effect::Pull(pulled) => self.show_pulled(pulled),
            Effect::Move { dx, dy } => self.move_by(dx, dy),
            Effect::Enlarge { by, at } => {
                // A pen that was passed has the picture for its sheet, and not the room that it lies in.
                let corner = match self.hand.in_hand.touching {
                    true => Vec::new(),
                    false => self.own_view(),
                };
                let (x, y) = corner.first().zip(corner.get(1)).unwrap_or((&0.0, &0.0));
                self.zoom_by(by, at.x + x, at.y + y);
            }
            Effect::Text(at) => self.text_tap(at),
            Effect::Point(pointing) => self.point(pointing),
            Effect::Lay(lay) => self.lay(lay),
            Effect::Drag(lay) => self.drag(lay),
            Effect::Cover(id, cover) => self.lay_cover(id, cover),
            Effect::Hide(id, parts) => self.hide(id, parts),
        }
    }

    /// The selection is shown as it is pulled, instead of where it is.
    pub(crate) fn show_pulled(&mut self, pulled: Option<Pulled>) {
        let before = std::mem::replace(&mut self.hand.selection.pulled, pulled);
        if before.is_some() != pulled.is_some() {
            let in_view = self.in_view();
            let opacity = if pulled.is_some() { 0.0 } else { 1.0 };
            for (sheet, id) in self.hand.selection.picked.clone() {
                self.picture.painter.set_opacity(id, opacity);
                self.invalidate_where(&in_view, sheet, id);
            }
        }
        self.picture.wet.invalidate_everything();
        self.stale.changed = true;
    }

    /// When a tool wants to be woken, by the page's clock.
    pub(crate) fn wakes_at(&self) -> Option<f64> {
        self.hand.router.wakes_at()
    }

    fn pointer(&self, id: i32, device_number: u8, flags: u8, sample: &[f64]) -> Option<Pointer> {
        Some(Pointer {
            id,
            device: device(device_number),
            sample: self.samples(sample).pop()?,
            through: Map::coincident(),
            modifiers: modifiers(flags),
            eraser_end: flags & ERASER_END != 0,
            by_keys: flags & BY_KEYS != 0,
            grip: None,
        })
    }

    /// A stroke's own frame is the glass as it is now.
    fn samples(&self, flat: &[f64]) -> Vec<Sample> {
        let samples = flat.chunks_exact(4).map(|s| {
            let p = self.glass_point(s[0], s[1]);
            Sample {
                at: bozzetto_core::geometry::frames::Point::new(p.x, p.y),
                pressure: s[2],
                t: s[3],
            }
        });
        samples.collect()
    }
}
