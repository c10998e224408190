//! Keys that somebody presses, shown in a film: those that do something, not those that write a text.

/// How long one is shown, in milliseconds: long enough to be read at a glance while something else happens.
const SHOWN: f64 = 1500.0;

/// A key that went down, as browsers name it (UI Events, `KeyboardEvent.key`), and what was held with it.
#[derive(Clone, Copy, Debug, Default)]
pub struct Press<'a> {
    pub key: &'a str,
    pub ctrl: bool,
    pub alt: bool,
    pub shift: bool,
    /// Command, or the key with the window.
    pub meta: bool,
    /// It goes into a text.
    pub writes: bool,
}

/// What is shown of what was pressed; times are in milliseconds of any clock.
#[derive(Clone, Debug, Default)]
pub struct Pressed {
    last: String,
    /// How often it was pressed, one time after the other.
    times: u32,
    at: f64,
}

impl Pressed {
    pub fn press(&mut self, press: &Press, now: f64) {
        let Some(name) = name(press) else { return };
        let again = self.shown(now).is_some() && self.last == name;
        self.times = if again { self.times + 1 } else { 1 };
        self.last = name;
        self.at = now;
    }

    /// What is shown now.
    ///
    /// ```
    /// use bozzetto_core::recording::pressed::{Press, Pressed};
    /// let mut pressed = Pressed::default();
    /// pressed.press(&Press { key: "z", ctrl: true, ..Press::default() }, 0.0);
    /// pressed.press(&Press { key: "z", ctrl: true, ..Press::default() }, 300.0);
    /// assert_eq!(pressed.shown(400.0).as_deref(), Some("Ctrl + Z, 2 times"));
    /// assert_eq!(pressed.shown(2000.0), None);
    /// ```
    pub fn shown(&self, now: f64) -> Option<String> {
        if self.times == 0 || now - self.at >= SHOWN {
            return None;
        }
        Some(match self.times {
            1 => self.last.clone(),
            times => format!("{}, {times} times", self.last),
        })
    }
}

/// What is written on the keys; `None` for what is not shown.
fn name(press: &Press) -> Option<String> {
    let commands = press.ctrl || press.meta;
    let is_held = matches!(
        press.key,
        "Control" | "Alt" | "Shift" | "Meta" | "AltGraph" | "CapsLock" | "Dead" | "Unidentified"
    );
    if is_held || press.key.is_empty() || (press.writes && !commands) {
        return None;
    }
    let one = press.key.chars().count() == 1;
    let key = match press.key {
        " " => "Space".to_owned(),
        "ArrowLeft" => "←".to_owned(),
        "ArrowRight" => "→".to_owned(),
        "ArrowUp" => "↑".to_owned(),
        "ArrowDown" => "↓".to_owned(),
        "Escape" => "Esc".to_owned(),
        "PageUp" => "Page up".to_owned(),
        "PageDown" => "Page down".to_owned(),
        key if one => key.to_uppercase(),
        key => key.to_owned(),
    };
    // Shift makes another sign of most keys: that is what is seen then.
    let is_letter = press.key.chars().all(char::is_alphabetic);
    let shift = press.shift && (!one || is_letter);
    let held = [
        (press.ctrl, "Ctrl"),
        (press.meta, "Cmd"),
        (press.alt, "Alt"),
        (shift, "Shift"),
    ];
    let held = held
        .into_iter()
        .filter(|(down, _)| *down)
        .map(|held| held.1);
    let all: Vec<&str> = held.chain([key.as_str()]).collect();
    Some(all.join(" + "))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By key, Ctrl, Shift, whether it writes, and what is seen of it.
    #[test]
    fn what_does_something_is_shown_and_what_is_written_is_not() {
        let all = [
            ("v", false, false, false, Some("V")),
            ("U", false, true, false, Some("Shift + U")),
            ("?", false, true, false, Some("?")),
            ("Tab", false, true, false, Some("Shift + Tab")),
            ("é", false, false, false, Some("É")),
            ("ArrowUp", false, false, false, Some("↑")),
            ("Shift", false, true, false, None),
            // A passphrase that is typed is nobody's business, what it is pasted with is.
            ("s", false, false, true, None),
            ("v", true, false, true, Some("Ctrl + V")),
        ];
        for (key, ctrl, shift, writes, seen) in all {
            let mut pressed = Pressed::default();
            let press = Press {
                key,
                ctrl,
                shift,
                writes,
                ..Press::default()
            };
            pressed.press(&press, 5.0);
            assert_eq!(pressed.shown(6.0).as_deref(), seen, "{key}");
        }
    }
}
