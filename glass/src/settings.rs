//! The presenter's settings, their swatches and keys.

use bozzetto_core::display::colour::{OKABE_ITO, Rgb};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Map};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::swatch::{Hold, ORIGINALS, Swatch};
use bozzetto_core::prefs::keys::{Deed, Keys};
use bozzetto_core::prefs::legibility;
use bozzetto_core::prefs::settings::Settings;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::stage::board::PAPER;
use serde::Serialize;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// Which swatch the back-row check and the name are about: a pen as it is offered; a highlighter as it
/// is, since what a dark board makes of it lets light writing through as it lets dark writing.
fn judged<'a>(swatch: &'a Swatch, offered: &'a Swatch) -> &'a Swatch {
    match swatch.tip {
        Tip::Round => offered,
        Tip::Flat => swatch,
    }
}

/// A swatch, as the page shows it.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Shown {
    name: String,
    swatch: Swatch,
    /// As it draws on what is on stage.
    offered: Swatch,
    /// Why the last seat would not see it, if so.
    short: Option<String>,
}

#[derive(Serialize)]
struct KeyShown {
    deed: Deed,
    words: &'static str,
    key: String,
}

#[wasm_bindgen]
impl Glass {
    /// A key as it is written on keyboards.
    pub fn key_shown(&self, key: &str) -> String {
        bozzetto_core::prefs::keys::shown(key)
    }

    /// Takes the settings over; what cannot be is put right.
    pub fn set_settings(&mut self, json: &str) {
        self.settings = serde_json::from_str::<Settings>(json)
            .unwrap_or_default()
            .settled();
    }

    /// The settings as they are, to be kept.
    pub fn settings(&self) -> String {
        serde_json::to_string(&self.settings).unwrap_or_default()
    }

    /// The swatches with their names and what the back-row check says of them, as JSON.
    pub fn swatches(&self) -> String {
        let shown = |swatch: &Swatch| {
            let on_stage = self.active_backdrop();
            let offered = on_stage.map_or(*swatch, |b| b.offered(*swatch));
            let judged = judged(swatch, &offered);
            let short = legibility::check(judged, &self.settings.room, self.beneath);
            Shown {
                name: judged.name(),
                swatch: *swatch,
                offered,
                short: short.map(|s| s.why),
            }
        };
        let all: Vec<Shown> = self.settings.swatches.iter().map(shown).collect();
        serde_json::to_string(&all).unwrap_or_default()
    }

    /// What the back-row check would have instead of a swatch, as JSON; `None` when it will do.
    pub fn legible(&self, index: usize) -> Option<String> {
        let swatch = self.settings.swatches.get(index)?;
        let offered = self
            .active_backdrop()
            .map_or(*swatch, |b| b.offered(*swatch));
        let judged = judged(swatch, &offered);
        let short = legibility::check(judged, &self.settings.room, self.beneath)?;
        serde_json::to_string(&short.instead).ok()
    }

    /// The smallest and the good height of writing and the thinnest and a good line for the room,
    /// in glass units.
    pub fn legible_sizes(&self) -> Vec<f64> {
        let room = &self.settings.room;
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
        self.beneath = legibility::mean_colour(pixels).unwrap_or(board);
    }

    /// The swatches that everybody starts with, as JSON.
    pub fn original_swatches(&self) -> String {
        serde_json::to_string(&ORIGINALS[..]).unwrap_or_default()
    }

    /// The palette: names and colours, as JSON.
    pub fn palette(&self) -> String {
        let all: Vec<(&str, Rgb)> = OKABE_ITO.to_vec();
        serde_json::to_string(&all).unwrap_or_default()
    }

    /// Fills the display list with a swatch's sample on a card of this many CSS pixels: drawn by
    /// the engine that draws marks, as wide as it will be on the stage. `json` is a swatch.
    pub fn paint_swatch(&mut self, json: &str, css_width: f64, css_height: f64) {
        let mut list = bozzetto_core::display::DisplayList::default();
        if let Ok(swatch) = serde_json::from_str::<Swatch>(json) {
            let swatch = swatch.settled();
            let sample = swatch.sample(css_width / self.scale, css_height / self.scale);
            let view = Map::<_, GlassFrame>::scale_then_move(self.scale, 0.0, 0.0);
            let held = swatch.hold == Hold::Backdrop;
            let dark = held && self.active_backdrop().is_some_and(BackdropView::is_dark);
            let blend = sample.style.blend_on(dark);
            for (path, colour) in sample.fills(0.1) {
                let path = path.mapped(&sample.transform.then(&view));
                list.fill(path, colour, blend);
            }
        }
        self.list.set(&list);
    }

    /// The colour that swatches are held against, for their cards.
    pub fn beneath(&self) -> String {
        self.beneath.css()
    }

    /// Whether a key that a web page says was pressed there counts.
    pub fn may_come_from_page(&self, key: &str) -> bool {
        let deed = self.settings.keys.deed(key);
        deed.is_some_and(Deed::may_come_from_page)
    }

    /// What a key does, in one word; `None` for nothing.
    pub fn deed_of(&self, key: &str) -> Option<String> {
        let deed = self.settings.keys.deed(key)?;
        let word = serde_json::to_string(&deed).ok()?;
        Some(word.trim_matches('"').to_owned())
    }

    /// All keys that can be given, as JSON.
    pub fn keys(&self) -> String {
        let all: Vec<KeyShown> = Deed::ALL
            .iter()
            .map(|(deed, words, _)| KeyShown {
                deed: *deed,
                words,
                key: self.settings.keys.of(*deed).to_owned(),
            })
            .collect();
        serde_json::to_string(&all).unwrap_or_default()
    }

    /// Gives a deed another key; says why when that cannot be.
    pub fn assign_key(&mut self, deed: &str, key: &str) -> Option<String> {
        let Ok(deed) = serde_json::from_str::<Deed>(&format!("\"{deed}\"")) else {
            return Some("There is no such thing to do.".to_owned());
        };
        let done = self.settings.keys.assign(deed, key);
        done.err().map(|fault| fault.to_string())
    }

    /// All keys as they were at first.
    pub fn reset_keys(&mut self) {
        self.settings.keys = Keys::default();
    }
}
