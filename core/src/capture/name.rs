//! Names for captures, and safe names for the files they are downloaded as.

/// The longest name that anything may have, in characters.
pub const MAX_NAME: usize = 120;

/// How captures are called at first.
pub const PATTERN: &str = "{backdrop} {time}, {lesson}";

/// What the name of a capture can say.
#[derive(Clone, Debug, Default)]
pub struct Naming {
    pub lesson: String,
    /// What was on stage.
    pub backdrop: String,
    /// Which capture of the lesson it is, from 1.
    pub number: u32,
    /// The day, `2026-11-27`.
    pub date: String,
    /// The local time as the presenter writes it, `10:42`.
    pub time: String,
}

/// Why a pattern makes no names, in words for whoever wrote it.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum PatternFault {
    #[error(
        "There is no {{{0}}}. There are {{lesson}}, {{backdrop}}, {{number}}, {{date}} and {{time}}."
    )]
    Unknown(String),
    #[error("A {{ is not closed by a }}.")]
    Open,
    #[error(
        "A name says something: it has at least one letter, or one of {{lesson}}, {{backdrop}}, {{number}}, {{date}}, {{time}}."
    )]
    Empty,
}

impl Naming {
    /// Of a capture that might have been taken, to try a pattern on.
    pub fn example() -> Self {
        Self {
            lesson: "Coastal pilotage".to_owned(),
            backdrop: "Harbour approach".to_owned(),
            number: 7,
            date: "2026-11-27".to_owned(),
            time: "10:42".to_owned(),
        }
    }

    /// The name that a pattern makes: text, in which `{lesson}`, `{backdrop}`, `{number}`, `{date}` and `{time}` stand for
    /// what they say.
    ///
    /// # Errors
    /// For another word in braces, a brace that is not closed, and a pattern that leaves nothing.
    ///
    /// ```
    /// use bozzetto_core::capture::name::{Naming, PATTERN};
    /// let naming = Naming::example();
    /// assert_eq!(naming.name(PATTERN).unwrap(), "Harbour approach 10:42, Coastal pilotage");
    /// assert_eq!(naming.name("{date} {number}").unwrap(), "2026-11-27 07");
    /// assert!(naming.name("{page}").is_err());
    /// assert!(naming.name("{date").is_err());
    /// ```
    pub fn name(&self, pattern: &str) -> Result<String, PatternFault> {
        // The longest that a lesson's or a backdrop's name is in it, in characters.
        let part = |s: &str| s.trim().chars().take(50).collect::<String>();
        let mut name = String::new();
        let mut rest = pattern;
        while let Some((before, after)) = rest.split_once('{') {
            let (word, after) = after.split_once('}').ok_or(PatternFault::Open)?;
            name.push_str(before);
            name.push_str(&match word {
                "lesson" => part(&self.lesson),
                "backdrop" => part(&self.backdrop),
                "number" => format!("{:02}", self.number),
                "date" => self.date.clone(),
                "time" => self.time.clone(),
                other => return Err(PatternFault::Unknown(part(other))),
            });
            rest = after;
        }
        name.push_str(rest);
        tidy(&name).ok_or(PatternFault::Empty)
    }
}

/// What somebody typed as a name: one line of what can be seen, at most [`MAX_NAME`] characters.
/// Control characters, marks of direction and characters without width are left out, since a name
/// with them can look like another one; joiners stay between letters whose script needs them.
/// `None` when nothing is left.
///
/// ```
/// use bozzetto_core::capture::name::tidy;
/// assert_eq!(tidy(" Ines\u{202e}\u{200b}  Vidal\t").as_deref(), Some("Ines Vidal"));
/// assert_eq!(tidy("می\u{200c}خواهم").as_deref(), Some("می\u{200c}خواهم"));
/// assert_eq!(tidy("a\u{200d}b").as_deref(), Some("ab"));
/// assert_eq!(tidy("\u{3164}\u{2060}"), None);
/// ```
pub fn tidy(typed: &str) -> Option<String> {
    tidy_to(typed, MAX_NAME)
}

/// The longest caption, in characters.
pub const MAX_CAPTION: usize = 300;

/// [`tidy`] for what may be longer: at most `most` characters.
pub fn tidy_to(typed: &str, most: usize) -> Option<String> {
    let all: Vec<char> = typed
        .chars()
        .map(|c| if c.is_whitespace() { ' ' } else { c })
        .filter(|c| !c.is_control() && (joins(*c) || !invisible(*c)))
        .collect();
    let letter = |i: Option<usize>| i.and_then(|i| all.get(i)).is_some_and(|c| !c.is_ascii());
    let seen = all
        .iter()
        .enumerate()
        .filter(|(i, c)| !joins(**c) || (letter(i.checked_sub(1)) && letter(i.checked_add(1))));
    let seen: String = seen.map(|(_, c)| c).collect();
    let words: Vec<&str> = seen.split(' ').filter(|w| !w.is_empty()).collect();
    let name: String = words.join(" ").chars().take(most).collect();
    let name = name.trim().to_owned();
    (!name.is_empty()).then_some(name)
}

/// Whether each of the words that were typed is in one of these texts, whatever its capitals. No words are in all.
///
/// ```
/// use bozzetto_core::capture::name::has_words;
/// assert!(has_words("buoy harb", ["Buoy 1, closer", "Harbour approach"]));
/// assert!(!has_words("buoy 2", ["Buoy 1, closer"]));
/// ```
pub fn has_words<'a>(typed: &str, texts: impl IntoIterator<Item = &'a str>) -> bool {
    let texts: Vec<String> = texts.into_iter().map(str::to_lowercase).collect();
    let typed = typed.to_lowercase();
    let mut words = typed.split_whitespace();
    words.all(|word| texts.iter().any(|text| text.contains(word)))
}

/// Zero width joiner and non-joiner.
fn joins(c: char) -> bool {
    matches!(c, '\u{200c}' | '\u{200d}')
}

/// Characters that show nothing. Source: Unicode, `Default_Ignorable_Code_Point`, without the
/// variation selectors, which only choose how a letter looks; and the marks of direction of UAX #9.
fn invisible(c: char) -> bool {
    matches!(c,
        '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}'
        | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}' | '\u{3164}' | '\u{feff}' | '\u{ffa0}'
        | '\u{fff0}'..='\u{fffb}' | '\u{e0000}'..='\u{e00ff}')
}

/// Names for what is called `name` when others are so already: that name, then the same counted, without end.
///
/// ```
/// use bozzetto_core::capture::name::counted;
/// let few: Vec<String> = counted("Buoy").take(3).collect();
/// assert_eq!(few, ["Buoy", "Buoy (2)", "Buoy (3)"]);
/// ```
pub fn counted(name: &str) -> impl Iterator<Item = String> {
    (1_u32..).map(move |number| match number {
        1 => name.to_owned(),
        n => format!("{name} ({n})"),
    })
}

/// A name without the number that [`counted`] may have given it.
///
/// ```
/// use bozzetto_core::capture::name::uncounted;
/// assert_eq!([uncounted("Buoy"), uncounted("Buoy (2)")], ["Buoy"; 2]);
/// assert_eq!(uncounted("Buoy (red)"), "Buoy (red)");
/// ```
pub fn uncounted(name: &str) -> &str {
    let parts = name.strip_suffix(')').and_then(|n| n.rsplit_once(" ("));
    match parts {
        Some((name, number)) if number.parse::<u32>().is_ok() => name,
        _ => name,
    }
}

/// A file name that every common system takes, from a capture's name.
///
/// Source: the reserved characters and device names of Windows file names, which are stricter than
/// those of other systems (from memory); 200 bytes leave room below the usual limit of 255.
///
/// ```
/// use bozzetto_core::capture::name::file_name;
/// assert_eq!(file_name("Tide at 11:20 / frozen", "png"), "Tide at 11.20 - frozen.png");
/// assert_eq!(file_name("../../etc", "png"), "-..-etc.png");
/// assert_eq!(file_name("CON", "png"), "CON-.png");
/// ```
pub fn file_name(name: &str, extension: &str) -> String {
    format!("{}.{extension}", stem(name))
}

/// Whether something of a name stays in a file's: of dots alone nothing does.
pub fn names_a_file(name: &str) -> bool {
    !name
        .chars()
        .all(|c| matches!(c, '.' | ':') || c.is_whitespace())
}

/// The same without what it ends with, as for a folder.
pub fn stem(name: &str) -> String {
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
        "" => "capture".to_owned(),
        safe if reserved => format!("{safe}-"),
        safe => safe.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever a pattern and what it is about are, there is a name that can be a file's on every system, or it is
        /// said why not. The rules are those of `file_name`'s source.
        #[test]
        fn every_name_is_a_name_for_a_file(pattern in "([ -z|~\u{202e}\u{0}é灯]|\\{(lesson|backdrop|number|date|time)\\}){0,40}", lesson in "\\PC{0,80}") {
            let naming = Naming { lesson: lesson.clone(), backdrop: lesson, ..Naming::example() };
            let Ok(name) = naming.name(&pattern) else {
                // Nothing is left, whatever is said of it; at first there is always something.
                prop_assert!(naming.name(&pattern) == Err(PatternFault::Empty), "braces");
                prop_assert!(naming.name(PATTERN).is_ok());
                return Ok(());
            };
            prop_assert!(!name.is_empty() && name.chars().count() <= MAX_NAME);
            let file = file_name(&name, "png");
            prop_assert_eq!(names_a_file(&name), stem(&name) != stem("") || name == stem(""));
            prop_assert!(file.len() <= 255 && !file.starts_with('.') && !file.trim_end_matches(".png").ends_with([' ', '.']));
            prop_assert!(!file.contains(['/', '\\', ':', '*', '?', '"', '<', '>', '|', '\0', '\u{202e}']), "{:?}", file);
        }
    }
}
