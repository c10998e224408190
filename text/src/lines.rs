//! Where lines begin and end.

use unicode_bidi::{BidiInfo, Level};
use unicode_linebreak::BreakOpportunity;
use unicode_segmentation::UnicodeSegmentation;

use crate::setting::Setter;

/// A line of a text.
#[derive(Clone, Debug)]
pub struct Broken {
    /// Bytes of the text.
    pub from: usize,
    pub to: usize,
    /// It belongs to a paragraph that runs from right to left.
    pub to_left: bool,
    /// The level of each byte that is shown; none when all of them run to the right.
    pub levels: Vec<u8>,
}

impl Broken {
    /// What is seen of it: the end of the line and blanks before it are not.
    pub fn shown<'a>(&self, content: &'a str) -> &'a str {
        content[self.from..self.to].trim_end()
    }
}

/// The lines of a text: broken at its own ends of lines, and where the Unicode line breaking
/// algorithm (UAX #14) allows it before `wrap`, a part of the text's size, is passed; a word longer
/// than that is broken between letters. Blanks at the end of a line take no room.
pub fn broken(content: &str, setter: &mut Setter, wrap: f64) -> Vec<Broken> {
    let mut ranges = Vec::new();
    let mut from = 0;
    // The last place where the line could end, and how wide it is up to there.
    let (mut good, mut width) = (0, 0.0);
    for (at, opportunity) in unicode_linebreak::linebreaks(content) {
        let mut piece = &content[good..at];
        let mut seen = setter.width(piece.trim_end());
        if width > 0.0 && width + seen > wrap {
            ranges.push((from, good));
            (from, width) = (good, 0.0);
        }
        while width + seen > wrap {
            let fits = longest(piece.trim_end(), setter, wrap);
            if fits >= piece.trim_end().len() {
                break;
            }
            ranges.push((from, from + fits));
            from += fits;
            piece = &piece[fits..];
            seen = setter.width(piece.trim_end());
        }
        width += match piece.trim_end().len() == piece.len() {
            true => seen,
            false => setter.width(piece),
        };
        good = at;
        if opportunity == BreakOpportunity::Mandatory {
            ranges.push((from, at));
            (from, width) = (at, 0.0);
        }
    }
    // A text that ends with an end of line has an empty line after it.
    if content.is_empty() || content.ends_with('\n') {
        ranges.push((content.len(), content.len()));
    }
    directed(content, ranges)
}

/// How many bytes of a word fit; at least one letter.
fn longest(word: &str, setter: &mut Setter, wrap: f64) -> usize {
    let clusters = word.grapheme_indices(true);
    let ends: Vec<usize> = clusters.map(|(i, c)| i + c.len()).collect();
    let fitting = ends.partition_point(|end| setter.width(&word[..*end]) <= wrap);
    ends.get(fitting.max(1) - 1).copied().unwrap_or(word.len())
}

/// The lines with the directions in which their letters run. Source: UAX #9.
fn directed(content: &str, ranges: Vec<(usize, usize)>) -> Vec<Broken> {
    let info = BidiInfo::new(content, None);
    let plain = !info.has_rtl();
    let lines = ranges.into_iter().map(|(from, to)| {
        let mut line = Broken {
            from,
            to,
            to_left: false,
            levels: Vec::new(),
        };
        let within = |p: &&unicode_bidi::ParagraphInfo| p.range.contains(&from);
        if let Some(paragraph) = info.paragraphs.iter().find(within).filter(|_| !plain) {
            line.to_left = paragraph.level.is_rtl();
            let shown = from..from + line.shown(content).len();
            let levels = info.reordered_levels(paragraph, shown.clone());
            line.levels = levels[shown].iter().map(Level::number).collect();
        }
        line
    });
    lines.collect()
}
