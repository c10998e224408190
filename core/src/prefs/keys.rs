//! Which key does what on the stage.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// What a key does.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum Deed {
    Touch,
    Draw,
    Erase,
    Select,
    Shapes,
    Stamps,
    Text,
    Box,
    Previous,
    Next,
    FullScreen,
    Help,
    Freeze,
    Note,
    Pane,
    NewPage,
    Laser,
    Ring,
    Ripples,
    Spotlight,
    Magnifier,
    Cover,
    Countdown,
    Stopwatch,
    Ruler,
    Protractor,
    Measure,
    Compasses,
    CaptureOutline,
    CapturePane,
    CaptureStage,
    PensBack,
}

impl Deed {
    /// All that can be given a key, in the order in which they are listed, with what they are
    /// called and the key that they have at first.
    pub const ALL: [(Deed, &'static str, &'static str); 32] = [
        (Deed::Touch, "Touch the backdrop (while held)", "Space"),
        (Deed::Draw, "Draw", "d"),
        (Deed::Erase, "Erase", "e"),
        (Deed::Select, "Select", "s"),
        (Deed::Shapes, "Shapes", "h"),
        (Deed::Stamps, "Stamps", "j"),
        (Deed::Text, "Text", "t"),
        (Deed::Laser, "Laser", "q"),
        (Deed::Spotlight, "Spotlight", "w"),
        (Deed::Magnifier, "Magnifier", "g"),
        (
            Deed::Cover,
            "Cover; again: uncover the next line; with Shift hide a part",
            "u",
        ),
        (Deed::Ring, "Pointer ring", "a"),
        (Deed::Ripples, "Ripples of presses", "i"),
        (Deed::Ruler, "Ruler", "r"),
        (Deed::Protractor, "Protractor", "p"),
        (Deed::Compasses, "Compasses", "o"),
        (Deed::Measure, "Measure", "m"),
        (Deed::Countdown, "Countdown", "k"),
        (Deed::Stopwatch, "Stopwatch", "l"),
        (Deed::Freeze, "Freeze the picture, or let it go on", "f"),
        (Deed::Note, "A board for a note; again: back", "n"),
        (Deed::NewPage, "A new page of the board", "+"),
        (Deed::Box, "Capture a box", "c"),
        (Deed::CaptureOutline, "Capture what is outlined", "x"),
        (Deed::CapturePane, "Capture one pane", "b"),
        (
            Deed::CaptureStage,
            "Capture the stage, at once; with Shift the whole backdrop",
            "v",
        ),
        (Deed::Previous, "Previous page or backdrop", "PageUp"),
        (Deed::Next, "Next page or backdrop", "PageDown"),
        (Deed::Pane, "The other half", "y"),
        (Deed::PensBack, "Take all pens back", "."),
        (Deed::FullScreen, "Full screen", "z"),
        (Deed::Help, "Help", "?"),
    ];

    /// Whether the key may come from a web page on stage, which cannot be trusted to say what was
    /// pressed: it takes a tool in hand or holds the picture, and so does no harm. Nothing is undone,
    /// captured, or put on stage by it.
    pub fn may_come_from_page(self) -> bool {
        match self {
            Deed::Draw
            | Deed::Erase
            | Deed::Select
            | Deed::Shapes
            | Deed::Stamps
            | Deed::Text
            | Deed::Laser
            | Deed::Ring
            | Deed::Ripples
            | Deed::Spotlight
            | Deed::Magnifier
            | Deed::Freeze => true,
            Deed::Touch
            | Deed::Box
            | Deed::CaptureOutline
            | Deed::CapturePane
            | Deed::CaptureStage
            | Deed::Previous
            | Deed::Next
            | Deed::FullScreen
            | Deed::Help
            | Deed::Note
            | Deed::Pane
            | Deed::Cover
            | Deed::Countdown
            | Deed::Stopwatch
            | Deed::Ruler
            | Deed::Protractor
            | Deed::Measure
            | Deed::Compasses
            | Deed::PensBack
            | Deed::NewPage => false,
        }
    }

    /// What it does, in words for the help sheet.
    pub fn words(self) -> &'static str {
        Deed::ALL
            .iter()
            .find(|(d, ..)| *d == self)
            .map_or("", |(_, words, _)| words)
    }
}

/// Which key does what; deeds that are not in it have the key that they have at first.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[cfg_attr(
    feature = "scripts",
    derive(tsify::Tsify),
    tsify(hashmap_as_object, missing_as_null)
)]
pub struct Keys(BTreeMap<Deed, String>);

/// Why a key cannot be given.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum KeyFault {
    #[error("{} is the key of “{}” already.", shown(.key), .by.words())]
    Taken { key: String, by: Deed },
    #[error("{} always means what it does now: digits pick swatches, Esc leaves, Tab moves on.", shown(.0))]
    Fixed(String),
    #[error("{} is the browser's own key.", shown(.0))]
    Browsers(String),
}

/// What browsers do by themselves: help, search, load again, move on, menu, full screen, and the tools
/// of developers.
const BROWSERS: [&str; 7] = ["F1", "F3", "F5", "F6", "F10", "F11", "F12"];

/// A key as it is written on keyboards. Letters beyond ASCII stay small: the tables for them would
/// weigh more than the rest of this module in every browser.
///
/// ```
/// use bozzetto_core::prefs::keys::shown;
/// assert_eq!([shown("d"), shown("PageUp"), shown("F2")], ["D", "Page Up", "F2"]);
/// ```
pub fn shown(key: &str) -> String {
    match key {
        "PageUp" => "Page Up".to_owned(),
        "PageDown" => "Page Down".to_owned(),
        _ if key.len() == 1 => key.to_ascii_uppercase(),
        _ => key.to_owned(),
    }
}

impl Keys {
    /// The key of a deed: a small letter or sign, or the name of a key as browsers say it. Empty when its
    /// first key was given to another deed: what was given stays where it is when a new deed comes along.
    pub fn of(&self, deed: Deed) -> &str {
        if let Some(key) = self.0.get(&deed) {
            return key;
        }
        let first = Deed::ALL
            .iter()
            .find(|(d, ..)| *d == deed)
            .map_or("", |(.., key)| key);
        match self.0.values().any(|given| given == first) {
            true => "",
            false => first,
        }
    }

    /// What a key does.
    pub fn deed(&self, key: &str) -> Option<Deed> {
        let key = named(key);
        Deed::ALL
            .iter()
            .map(|(d, ..)| *d)
            .find(|d| self.of(*d) == key)
    }

    /// Gives a deed another key.
    ///
    /// ```
    /// use bozzetto_core::prefs::keys::{Deed, Keys};
    /// let mut keys = Keys::default();
    /// let taken = keys.assign(Deed::Erase, "D").unwrap_err();
    /// assert_eq!(taken.to_string(), "D is the key of “Draw” already.");
    /// assert_eq!(keys.assign(Deed::Erase, "F5").unwrap_err().to_string(), "F5 is the browser's own key.");
    /// keys.assign(Deed::Erase, ",").unwrap();
    /// assert_eq!((keys.deed(","), keys.deed("e")), (Some(Deed::Erase), None));
    /// ```
    pub fn assign(&mut self, deed: Deed, key: &str) -> Result<(), KeyFault> {
        let key = named(key);
        self.may_be_given(&key)?;
        if let Some(by) = self.deed(&key)
            && by != deed
        {
            return Err(KeyFault::Taken { key, by });
        }
        self.0.insert(deed, key);
        Ok(())
    }

    /// Without what two deeds would share, whatever was sent. A key that was given before its first deed was
    /// there is still what it was given to.
    ///
    /// ```
    /// use bozzetto_core::prefs::keys::{Deed, Keys};
    /// let kept: Keys = serde_json::from_str(r#"{"erase":"r","draw":"r"}"#).unwrap();
    /// let keys = kept.settled();
    /// assert_eq!((keys.deed("r"), keys.of(Deed::Ruler)), (Some(Deed::Draw), ""));
    /// assert_eq!(keys.of(Deed::Erase), "e");
    /// ```
    pub fn settled(self) -> Self {
        let mut keys = Keys::default();
        for (deed, key) in self.0 {
            let key = named(&key);
            let taken = keys.0.values().any(|given| *given == key);
            let free = !taken && keys.may_be_given(&key).is_ok();
            // One that cannot be given is left as it is at first.
            if free {
                keys.0.insert(deed, key);
            }
        }
        keys
    }

    /// Whether a key may be given to any deed.
    fn may_be_given(&self, key: &str) -> Result<(), KeyFault> {
        let fixed = ["Escape", "Tab", "Enter", "Shift", "Control", "Alt", "Meta"];
        let digit = key.len() == 1 && key.chars().all(|c| c.is_ascii_digit());
        if digit || fixed.contains(&key) || key.starts_with("Arrow") || key.is_empty() {
            return Err(KeyFault::Fixed(key.to_owned()));
        }
        match BROWSERS.contains(&key) {
            true => Err(KeyFault::Browsers(key.to_owned())),
            false => Ok(()),
        }
    }
}

/// A key by one name, whether Shift or Caps Lock is down.
fn named(key: &str) -> String {
    match key {
        " " => "Space".to_owned(),
        k if k.chars().count() == 1 => k.to_lowercase(),
        k => k.chars().take(20).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every deed is listed once, and no key that is given at first has two meanings or is one that cannot be given.
    #[test]
    fn no_key_has_two_meanings_at_first() {
        for (at, (deed, _, key)) in Deed::ALL.iter().enumerate() {
            for (other, _, taken) in &Deed::ALL[..at] {
                assert!(deed != other && key != taken, "{deed:?} and {other:?}");
            }
            assert!(!BROWSERS.contains(key), "{deed:?}");
        }
    }
}
