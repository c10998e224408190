//! The presenter's settings, their swatches and keys.

use bozzetto_core::display::colour::{OKABE_ITO, Rgb};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map, Rect};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::swatch::{Hold, ORIGINALS, Swatch};
use bozzetto_core::prefs::keys::{Deed, Keys};
use bozzetto_core::prefs::legibility;
use bozzetto_core::prefs::settings::Settings;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::board::PAPER;
use bozzetto_core::tools::in_hand::{InHand, Kind};
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::script::{Given, given, taken};

/// What a presenter has set, and what it is held against.
pub(crate) struct Prefs {
    pub(crate) settings: Settings,
    /// The colour that swatches are held against.
    pub(crate) beneath: Rgb,
}

impl Default for Prefs {
    fn default() -> Self {
        Self {
            settings: Settings::default(),
            beneath: PAPER,
        }
    }
}

/// Which swatch the back-row check and the name are about: a pen as it is offered; a highlighter as it
/// is, since what a dark board makes of it lets light writing through as it lets dark writing.
fn judged<'a>(swatch: &'a Swatch, offered: &'a Swatch) -> &'a Swatch {
    match swatch.tip {
        Tip::Round | Tip::Rimmed => offered,
        Tip::Flat => swatch,
    }
}

/// A swatch, as the page shows it.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
#[serde(rename_all = "camelCase")]
pub struct SwatchShown {
    name: String,
    swatch: Swatch,
    /// As it draws on what is on stage.
    offered: Swatch,
    /// Why the last seat would not see it, if so.
    short: Option<String>,
}

#[derive(Serialize, Tsify)]
pub struct KeyShown {
    deed: Deed,
    words: &'static str,
    key: String,
}

/// All swatches, in their order on the rail.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct SwatchesShown(pub Vec<SwatchShown>);

/// The swatches that everybody starts with.
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct Originals(pub Vec<Swatch>);

/// Names and colours.
#[derive(Serialize, Tsify)]
pub struct Palette(pub Vec<(&'static str, Rgb)>);

/// All keys that can be given.
#[derive(Serialize, Tsify)]
pub struct KeysShown(pub Vec<KeyShown>);

#[wasm_bindgen]
impl Glass {
    /// A key as it is written on keyboards.
    pub fn key_shown(&self, key: &str) -> String {
        bozzetto_core::prefs::keys::shown(key)
    }

    /// Takes the settings over; what cannot be is put right.
    pub fn set_settings(&mut self, settings: &Ts<Settings>) -> Result<(), JsError> {
        let told = self.prefs.settings.aids.told;
        self.prefs.settings = taken(settings)?.settled();
        if told && !self.prefs.settings.aids.told {
            self.stop_telling();
        }
        self.stale.changed = true;
        Ok(())
    }

    /// What the hand holds. What was set point by point is done when it takes anything else.
    pub fn hold(&mut self, in_hand: &Ts<InHand>) -> Result<(), JsError> {
        self.take_in_hand(taken(in_hand)?);
        Ok(())
    }

    /// Whether one tap is all that takes what is in the hand.
    pub fn taps(&self) -> bool {
        self.hand.in_hand.taps()
    }

    /// The settings as they are, to be kept.
    pub fn settings(&self) -> Given<Settings> {
        given(self.prefs.settings.clone())
    }

    /// The swatches with their names and what the back-row check says of them.
    pub fn swatches(&self) -> Given<SwatchesShown> {
        let shown = |swatch: &Swatch| {
            let on_stage = self.active_backdrop();
            let offered = on_stage.map_or(*swatch, |b| b.offered(*swatch));
            let judged = judged(swatch, &offered);
            let short = legibility::check(judged, &self.prefs.settings.room, self.prefs.beneath);
            SwatchShown {
                name: judged.name(),
                swatch: *swatch,
                offered,
                short: short.map(|s| s.why),
            }
        };
        let shown = self.prefs.settings.swatches.iter().map(shown);
        given(SwatchesShown(shown.collect()))
    }

    /// What the back-row check would have instead of a swatch; `None` when it will do.
    pub fn legible(&self, index: usize) -> Result<Option<Ts<Swatch>>, JsError> {
        let instead = self.legible_instead(index);
        instead.map(given).transpose()
    }

    /// The smallest and the good height of writing and the thinnest and a good line for the room,
    /// in glass units.
    pub fn legible_sizes(&self) -> Vec<f64> {
        let room = &self.prefs.settings.room;
        vec![
            room.least_writing(),
            room.good_writing(),
            room.least_line(),
            room.good_line(),
        ]
    }

    /// What swatches are held against: the mean colour of these pixels (red, green, blue, opacity);
    /// without any, of an empty board.
    pub fn set_beneath(&mut self, pixels: &[u8]) {
        let board = match self.active_backdrop().map(|b| &b.kind) {
            Some(BackdropKind::Board(board)) => board.surface.colour(),
            _ => PAPER,
        };
        self.prefs.beneath = legibility::mean_colour(pixels).unwrap_or(board);
    }

    /// The swatches that everybody starts with.
    pub fn original_swatches(&self) -> Given<Originals> {
        given(Originals(ORIGINALS.to_vec()))
    }

    /// The palette.
    pub fn palette(&self) -> Given<Palette> {
        given(Palette(OKABE_ITO.to_vec()))
    }

    /// Fills the display list with a swatch's sample on a card of this many CSS pixels: drawn by
    /// the engine that draws marks, as wide as it will be on the stage.
    pub fn paint_swatch(
        &mut self,
        swatch: &Ts<Swatch>,
        css_width: f64,
        css_height: f64,
    ) -> Result<(), JsError> {
        let swatch = taken(swatch)?.settled();
        let scale = self.picture.scale;
        let sample = swatch.sample(css_width / scale, css_height / scale);
        let view = Map::<_, GlassFrame>::scale_then_move(scale, 0.0, 0.0);
        let held = swatch.hold == Hold::Backdrop;
        let dark = held && self.active_backdrop().is_some_and(BackdropView::is_dark);
        let blend = sample.style.blend_on(dark);
        let mut list = bozzetto_core::display::DisplayList::default();
        for (path, colour) in sample.fills(0.1) {
            let path = path.mapped(&sample.transform.then(&view));
            list.fill(path, colour, blend);
        }
        self.picture.list.set(&list);
        Ok(())
    }

    /// The colour that swatches are held against, for their cards.
    pub fn beneath(&self) -> String {
        self.prefs.beneath.css()
    }

    /// Whether a key that a web page says was pressed there counts.
    pub fn may_come_from_page(&self, key: &str) -> bool {
        let deed = self.prefs.settings.keys.deed(key);
        deed.is_some_and(Deed::may_come_from_page)
    }

    /// What a key does; `None` for nothing.
    pub fn deed_of(&self, key: &str) -> Result<Option<Ts<Deed>>, JsError> {
        let deed = self.prefs.settings.keys.deed(key);
        deed.map(given).transpose()
    }

    /// All keys that can be given, and what they do.
    pub fn keys(&self) -> Given<KeysShown> {
        let all = Deed::ALL
            .iter()
            .map(|(deed, words, _)| KeyShown {
                deed: *deed,
                words,
                key: self.prefs.settings.keys.of(*deed).to_owned(),
            })
            .collect();
        given(KeysShown(all))
    }

    /// Gives a deed another key; says why when that cannot be.
    pub fn assign_key(&mut self, deed: &Ts<Deed>, key: &str) -> Result<Option<String>, JsError> {
        let done = self.prefs.settings.keys.assign(taken(deed)?, key);
        Ok(done.err().map(|fault| fault.to_string()))
    }

    /// All keys as they were at first.
    pub fn reset_keys(&mut self) {
        self.prefs.settings.keys = Keys::default();
    }
}

impl Glass {
    /// See [`Glass::hold`].
    pub fn take_in_hand(&mut self, in_hand: InHand) {
        self.finish();
        let hid = std::mem::replace(&mut self.hand.in_hand, in_hand).holds(Kind::Hide);
        if hid != in_hand.holds(Kind::Hide) {
            // Hidden parts have crosses meanwhile.
            let all = Rect::of_size(self.picture.area);
            self.picture.invalidate_laid(&all);
        }
    }

    fn legible_instead(&self, index: usize) -> Option<Swatch> {
        let swatch = self.prefs.settings.swatches.get(index)?;
        let offered = self
            .active_backdrop()
            .map_or(*swatch, |b| b.offered(*swatch));
        let judged = judged(swatch, &offered);
        let short = legibility::check(judged, &self.prefs.settings.room, self.prefs.beneath)?;
        Some(short.instead)
    }
}
