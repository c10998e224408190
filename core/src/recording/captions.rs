//! Captions of a film: WebVTT, as far as it says what is written when. Times are in seconds.
//!
//! Source: W3C, WebVTT: The Web Video Text Tracks Format, sections 4 (syntax) and 6 (parsing).

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::cuts::Cuts;

/// Something that is written for a while.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Cue {
    pub from: f64,
    pub to: f64,
    pub text: String,
}

/// The most cues of a film: one each two seconds of a day.
pub const MOST: usize = 43_200;
/// The most characters of one.
const LONGEST: usize = 1000;

/// Why a file holds no captions.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
pub enum NoCaptions {
    #[error("This is no WebVTT file: it does not begin with WEBVTT.")]
    Other,
    #[error("There is nothing in this file that is written at any time.")]
    Empty,
    #[error("There is more in this file than a film can have.")]
    TooMany,
}

/// Reads a WebVTT file. What is no cue is left out, as browsers do: styles, regions, notes, and cues whose times cannot be read.
///
/// ```
/// use bozzetto_core::recording::captions::read;
/// let file = "WEBVTT\n\n1\n00:01.000 --> 00:02.500 align:start\nLow water\nis at six.\n";
/// let cues = read(file).unwrap();
/// assert_eq!((cues[0].from, cues[0].to), (1.0, 2.5));
/// assert_eq!(cues[0].text, "Low water\nis at six.");
/// ```
pub fn read(file: &str) -> Result<Vec<Cue>, NoCaptions> {
    let file = file.strip_prefix('\u{feff}').unwrap_or(file);
    let file = file.replace("\r\n", "\n").replace('\r', "\n");
    let rest = file.strip_prefix("WEBVTT").ok_or(NoCaptions::Other)?;
    if !rest.is_empty() && !rest.starts_with(['\n', ' ', '\t']) {
        return Err(NoCaptions::Other);
    }
    let mut cues = Vec::new();
    let mut lines = rest.lines();
    while let Some(line) = lines.next() {
        let Some((from, to)) = times(line) else {
            continue;
        };
        let text = lines.by_ref().take_while(|line| !line.is_empty());
        let text = text.collect::<Vec<_>>().join("\n");
        cues.extend(Cue { from, to, text }.settled());
    }
    match cues.len() {
        0 => Err(NoCaptions::Empty),
        many if many > MOST => Err(NoCaptions::TooMany),
        _ => Ok(settled(cues)),
    }
}

/// The two times of a line that has them; what comes after says where a cue stands.
fn times(line: &str) -> Option<(f64, f64)> {
    let (from, to) = line.split_once("-->")?;
    let to = to.split_ascii_whitespace().next()?;
    Some((time(from.trim())?, time(to)?))
}

/// Hours may be left out.
fn time(said: &str) -> Option<f64> {
    let (whole, thousandths) = said.split_once('.')?;
    if thousandths.len() != 3 {
        return None;
    }
    let number = |digits: &str| -> Option<u64> {
        let is_number = digits.len() >= 2 && digits.bytes().all(|b| b.is_ascii_digit());
        is_number.then(|| digits.parse().ok())?
    };
    let thousandths = number(thousandths)?;
    let parts: Vec<&str> = whole.split(':').collect();
    let (hours, minutes, seconds) = match parts[..] {
        [minutes, seconds] => (0, number(minutes)?, number(seconds)?),
        [hours, minutes, seconds] => (number(hours)?, number(minutes)?, number(seconds)?),
        _ => return None,
    };
    // More hours than any film has are no time, and would not be counted exactly.
    let ok = minutes < 60 && seconds < 60 && hours < 1_000_000;
    // Counted whole and divided once: the nearest number to what is written, so that what is kept is what was read.
    ok.then(|| (((hours * 60 + minutes) * 60 + seconds) * 1000 + thousandths) as f64 / 1000.0)
}

impl Cue {
    /// Within what can be written in a file; `None` where nothing is left.
    fn settled(mut self) -> Option<Self> {
        let sound = self.from.is_finite() && self.to.is_finite() && self.from >= 0.0;
        // An empty line ends a cue, and an arrow would be taken for times.
        let lines = self.text.split(['\n', '\r']).map(str::trim_end);
        let lines = lines.filter(|line| !line.is_empty());
        let text = lines.collect::<Vec<_>>().join("\n");
        let text: String = text.replace("-->", "→").chars().take(LONGEST).collect();
        self.text = text.trim_end().to_owned();
        (sound && self.from < self.to && !self.text.is_empty()).then_some(self)
    }
}

/// Cues as they can be written: each within what can be, by their times.
pub fn settled(cues: Vec<Cue>) -> Vec<Cue> {
    let mut cues: Vec<Cue> = cues.into_iter().filter_map(Cue::settled).collect();
    cues.truncate(MOST);
    cues.sort_by(|a, b| a.from.total_cmp(&b.from).then(a.to.total_cmp(&b.to)));
    cues
}

/// A WebVTT file of these.
pub fn written(cues: &[Cue]) -> String {
    let mut file = "WEBVTT\n".to_owned();
    for cue in cues {
        let (from, to) = (stamp(cue.from), stamp(cue.to));
        file.push_str(&format!("\n{from} --> {to}\n{}\n", cue.text));
    }
    file
}

/// A time with its hours and thousandths.
pub fn stamp(seconds: f64) -> String {
    let all = (seconds.max(0.0) * 1000.0).round() as u64;
    let (hours, minutes) = (all / 3_600_000, all / 60_000 % 60);
    format!(
        "{hours:02}:{minutes:02}:{:02}.{:03}",
        all / 1000 % 60,
        all % 1000
    )
}

/// The cues of what is left of a film, in its time: what is cut is cut of them, too.
pub fn of_left(cues: &[Cue], left: &Cuts) -> Vec<Cue> {
    let cut = |cue: &Cue| Cue {
        from: left.to_cut(cue.from),
        to: left.to_cut(cue.to),
        text: cue.text.clone(),
    };
    settled(cues.iter().map(cut).collect())
}

/// Cues that were written beside what is left of a film, in the time of the whole; those of `before` that lie in what was taken
/// out stay.
pub fn to_whole(cues: &[Cue], left: &Cuts, before: &[Cue]) -> Vec<Cue> {
    let shown = |cue: &&Cue| of_left(std::slice::from_ref(*cue), left).is_empty();
    let stay = before.iter().filter(shown).cloned();
    let whole = cues.iter().map(|cue| {
        let from = left.to_whole(cue.from);
        // The end is told from within, so that it is where its part ends and not where the next one begins.
        let to = left.to_whole((cue.to - 1e-3).max(cue.from)) + 1e-3;
        let text = cue.text.clone();
        Cue { from, to, text }
    });
    settled(stay.chain(whole).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The examples of the specification, section 1: comments, settings, styles, and text on several lines.
    #[test]
    fn the_examples_of_the_specification_are_read() {
        let file = "WEBVTT - Translation\r\n\r\nSTYLE\r\n::cue(b) {\r\n  color: peachpuff;\r\n}\r\n\r\nNOTE What a note says --\r\nis not shown.\r\n\r\n\
            00:00.000 --> 00:02.000\r\nThat's an, an, that's an L!\r\n\r\nslide-1\r\n01:02:03.250 --> 01:02:04.000 line:0 position:20%\r\n\
            - Hi, my name is Fred\r\n- Hi, I'm Bill\r\n\r\n00:05.000 --> never\r\nnot this\r\n";
        let cues = read(file).unwrap();
        let found: Vec<_> = cues
            .iter()
            .map(|c| (c.from, c.to, c.text.as_str()))
            .collect();
        let wanted = [
            (0.0, 2.0, "That's an, an, that's an L!"),
            (3723.25, 3724.0, "- Hi, my name is Fred\n- Hi, I'm Bill"),
        ];
        assert_eq!(found, wanted);
        assert_eq!(
            read("1\n00:00:01,000 --> 00:00:02,000\nno"),
            Err(NoCaptions::Other)
        );
        assert_eq!(read("WEBVTT\n\nNOTE nothing"), Err(NoCaptions::Empty));
    }

    proptest! {
        /// What was written beside a film with a part taken out is found there again.
        #[test]
        fn captions_go_with_their_film(all in prop::collection::vec((0u32..50_000, 1u32..5000), 1..10), out in (0u32..60_000, 0u32..60_000)) {
            let mut left = Cuts::whole(60.0);
            left.take_out(f64::from(out.0) / 1000.0, f64::from(out.1) / 1000.0);
            let within = |at: u32| (f64::from(at) / 1000.0).min(left.seconds());
            let cue = |(from, lasts): (u32, u32)| Cue { from: within(from), to: within(from + lasts), text: "flood".to_owned() };
            let cues = settled(all.into_iter().map(cue).collect());
            let whole = to_whole(&cues, &left, &[]);
            let again = of_left(&whole, &left);
            prop_assert_eq!(again.len(), cues.len());
            for (a, b) in again.iter().zip(&cues) {
                prop_assert!((a.from - b.from).abs() < 2e-3 && (a.to - b.to).abs() < 2e-3, "{a:?} {b:?}");
            }
            prop_assert_eq!(to_whole(&again, &left, &whole).len(), whole.len());
        }

        /// Whatever is written by hand, also what looks like times or empty lines: it is read again as it is shown.
        #[test]
        fn what_is_written_is_read(all in prop::collection::vec((0u32..20_000_000, 1u32..9000, "([a-z \n\r>é潮-]|-->){0,30}"), 1..20)) {
            let cue = |(from, lasts, text): (u32, u32, String)| Cue {
                from: f64::from(from) / 1000.0, to: f64::from(from + lasts) / 1000.0, text,
            };
            let cues = settled(all.into_iter().map(cue).collect());
            match read(&written(&cues)) {
                Ok(read) => prop_assert_eq!(read, cues),
                Err(_) => prop_assert!(cues.is_empty()),
            }
        }
    }
}
