//! What a presenter has set for themselves; kept by the server, and the same in every lesson.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::aids::Aids;
use crate::aids::ring::RingLook;
use crate::capture::name::{MAX_NAME, Naming, PATTERN};
use crate::marks::swatch::{MOST, ORIGINALS, Swatch};
use crate::prefs::keys::Keys;
use crate::prefs::legibility::Room;
use crate::recording::budget::{MOST_PLACES, Place, usual_places};

/// Which edge of the stage the rail stands at.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Edge {
    #[default]
    Bottom,
    Left,
    Right,
}

/// Where the rail is.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Rail {
    pub edge: Edge,
    /// Where along its edge it stands, from 0 (left or top) to 1.
    pub along: f64,
    /// Folded to one key.
    pub folded: bool,
}

impl Default for Rail {
    fn default() -> Self {
        Self {
            edge: Edge::Bottom,
            along: 0.5,
            folded: false,
        }
    }
}

/// What a finger does in Mark; in Touch it always moves the picture.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Finger {
    #[default]
    Draws,
    /// For those who draw with a pen: fingers move and zoom the picture.
    Moves,
}

/// Which keys the keyboard on the screen has.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Layout {
    #[default]
    English,
    Spanish,
    German,
    French,
}

/// Typing at a display that may have no keyboard.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct ScreenKeys {
    /// Whether a text that a finger or a pen begins is typed on the screen; `None` until that was asked.
    pub wanted: Option<bool>,
    pub layout: Layout,
}

/// See the module's description. What is missing in what was kept is as it is at first.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(
    feature = "scripts",
    derive(tsify::Tsify),
    tsify(hashmap_as_object, missing_as_null)
)]
pub struct Settings {
    pub swatches: Vec<Swatch>,
    pub room: Room,
    pub rail: Rail,
    pub finger: Finger,
    pub screen_keys: ScreenKeys,
    /// Taking the lever to Mark freezes what moves.
    pub lowering_freezes: bool,
    pub capture: Capturing,
    /// Radius of the eraser, in glass units.
    pub eraser: f64,
    pub keys: Keys,
    pub aids: Aids,
    /// Rings that are kept by a name, in the order of their names.
    pub rings: Vec<KeptRing>,
    /// What is kept of participants is removed when their lesson has not been used for so many days.
    pub forgets_after: u32,
    /// Where recordings have to fit.
    pub places: Vec<Place>,
}

/// What goes along with captures.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Capturing {
    /// The picture area flashes.
    pub flash: bool,
    /// A short sound is heard.
    pub sound: bool,
    /// The stage is captured before it is wiped.
    pub at_wipe: bool,
    pub routes: Routes,
    /// The pattern of their names: see [`Naming`].
    pub names: String,
}

/// What becomes of a capture when it has been taken; it is kept in any case.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Route {
    /// Its proof asks.
    #[default]
    Ask,
    Keep,
    Copy,
    Place,
    NewPage,
    HandOut,
    Download,
}

impl Route {
    /// All of them, with what they are called, and how they are stored.
    pub const ALL: [(Route, &'static str, &'static str); 7] = [
        (Route::Ask, "ask", "ask"),
        (Route::Keep, "keep", "keep it"),
        (Route::Copy, "copy", "keep and copy it"),
        (Route::Place, "place", "keep and place it"),
        (
            Route::NewPage,
            "new-page",
            "keep it and place it on a new page",
        ),
        (Route::HandOut, "hand-out", "keep it and hand it out"),
        (Route::Download, "download", "keep and download it"),
    ];
}

/// What becomes of captures, for each way of taking them.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(default, rename_all = "lowercase")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Routes {
    #[serde(rename = "box")]
    pub of_box: Route,
    pub outline: Route,
    pub pane: Route,
    pub stage: Route,
    pub whole: Route,
}

impl Default for Capturing {
    fn default() -> Self {
        Self {
            flash: true,
            sound: true,
            at_wipe: false,
            routes: Routes::default(),
            names: PATTERN.to_owned(),
        }
    }
}

/// A ring that is kept by a name.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct KeptRing {
    pub name: String,
    pub look: RingLook,
}

/// The most rings that are kept, and the longest name of one, in letters.
pub const RINGS: (usize, usize) = (20, 30);

/// After how long what is kept of participants is removed: days to choose from, and what they are called.
pub const FORGETS_AFTER: [(u32, &str); 4] = [
    (30, "a month"),
    (182, "half a year"),
    (365, "a year"),
    (1096, "three years"),
];

/// The eraser's radii to choose from, in glass units.
pub const ERASERS: [f64; 3] = [8.0, 16.0, 40.0];

impl Default for Settings {
    fn default() -> Self {
        Self {
            swatches: ORIGINALS.to_vec(),
            room: Room::default(),
            rail: Rail::default(),
            finger: Finger::default(),
            screen_keys: ScreenKeys::default(),
            lowering_freezes: false,
            capture: Capturing::default(),
            eraser: ERASERS[1],
            keys: Keys::default(),
            aids: Aids::default(),
            rings: Vec::new(),
            forgets_after: FORGETS_AFTER[2].0,
            places: usual_places(),
        }
    }
}

impl Settings {
    /// Within what settings may be, whatever was sent: one to [`MOST`] swatches that draw, a rail on
    /// its edge, an eraser that erases, no key with two meanings.
    pub fn settled(mut self) -> Self {
        self.swatches.truncate(MOST);
        if self.swatches.is_empty() {
            self.swatches = ORIGINALS.to_vec();
        }
        for swatch in &mut self.swatches {
            *swatch = swatch.settled();
        }
        self.places.truncate(MOST_PLACES);
        for place in &mut self.places {
            place.name = place.name.chars().take(40).collect();
            place.bytes = place.bytes.clamp(1e6, 1e11);
        }
        self.room = self.room.settled();
        if !self.rail.along.is_finite() {
            self.rail.along = 0.5;
        }
        self.rail.along = self.rail.along.clamp(0.0, 1.0);
        if !ERASERS.contains(&self.eraser) {
            self.eraser = ERASERS[1];
        }
        if self.capture.names.chars().count() > MAX_NAME
            || Naming::example().name(&self.capture.names).is_err()
        {
            self.capture.names = PATTERN.to_owned();
        }
        if FORGETS_AFTER
            .iter()
            .all(|(days, _)| *days != self.forgets_after)
        {
            self.forgets_after = FORGETS_AFTER[2].0;
        }
        self.keys = self.keys.settled();
        self.aids = self.aids.settled();
        self.rings = kept(std::mem::take(&mut self.rings));
        self
    }
}

/// Rings that can be kept: with names, each once. One that is kept again takes the place of the other.
fn kept(rings: Vec<KeptRing>) -> Vec<KeptRing> {
    let mut by_name = BTreeMap::new();
    for KeptRing { name, look } in rings {
        let name: String = name.trim().chars().take(RINGS.1).collect();
        if !name.is_empty() {
            by_name.insert(name, look.settled());
        }
    }
    let rings = by_name.into_iter().take(RINGS.0);
    rings.map(|(name, look)| KeptRing { name, look }).collect()
}
