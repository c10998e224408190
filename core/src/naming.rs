//! Names for captures, and safe names for the files they are downloaded as.

/// The longest name that anything may have, in characters.
pub const MAX_NAME: usize = 120;

/// The name proposed for a capture: what was on stage, when, and in which lesson. `time` is the
/// local time as the presenter writes it, `10:42`.
///
/// ```
/// use bozzetto_core::naming::propose;
/// assert_eq!(
///     propose("Coastal pilotage", "Harbour approach", "10:42"),
///     "Harbour approach 10:42, Coastal pilotage"
/// );
/// ```
pub fn propose(lesson: &str, backdrop: &str, time: &str) -> String {
    let part = |s: &str| s.trim().chars().take(50).collect::<String>();
    format!("{} {time}, {}", part(backdrop), part(lesson))
}

/// What somebody typed as a name: one line, no control characters, at most [`MAX_NAME`]
/// characters. `None` when nothing is left.
pub fn tidy(typed: &str) -> Option<String> {
    let words: Vec<&str> = typed
        .split(|c: char| c.is_whitespace() || c.is_control())
        .filter(|w| !w.is_empty())
        .collect();
    let name: String = words.join(" ").chars().take(MAX_NAME).collect();
    let name = name.trim().to_owned();
    (!name.is_empty()).then_some(name)
}

/// A file name that every common system takes, from a capture's name.
///
/// Source: the reserved characters and device names of Windows file names, which are stricter than
/// those of other systems (from memory); 200 bytes leave room below the usual limit of 255.
///
/// ```
/// use bozzetto_core::naming::file_name;
/// assert_eq!(file_name("Tide at 11:20 / frozen", "png"), "Tide at 11.20 - frozen.png");
/// assert_eq!(file_name("../../etc", "png"), "-..-etc.png");
/// assert_eq!(file_name("CON", "png"), "CON-.png");
/// ```
pub fn file_name(name: &str, extension: &str) -> String {
    let mut safe: String = name
        .chars()
        .map(|c| match c {
            ':' => '.',
            '/' | '\\' | '*' | '?' | '"' | '<' | '>' | '|' => '-',
            // Direction marks can make a name read as another one.
            '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' => '-',
            c if c.is_control() => '-',
            c => c,
        })
        .collect();
    while safe.len() > 200 {
        safe.pop();
    }
    let safe = safe.trim_matches(|c: char| c == '.' || c.is_whitespace());
    let device = safe.split('.').next().unwrap_or("").to_ascii_uppercase();
    let numbered = |d: &str| {
        device.len() == 4 && device.starts_with(d) && device.ends_with(|c: char| c.is_ascii_digit())
    };
    let reserved = ["CON", "PRN", "AUX", "NUL"].contains(&device.as_str())
        || numbered("COM")
        || numbered("LPT");
    match safe {
        "" => format!("capture.{extension}"),
        safe if reserved => format!("{safe}-.{extension}"),
        safe => format!("{safe}.{extension}"),
    }
}
