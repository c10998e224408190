//! Lays typed words out: lines broken, letters shaped in whatever script they are, outlines taken
//! from the shipped fonts.
//!
//! A WebAssembly module of its own, so that it does not stand between a presenter and the first
//! stroke; what it gives is a [`Text`], which needs neither it nor the fonts to be shown. The usual
//! font is in it; others are fetched by the page when a letter of theirs is typed.

mod faces;
mod lines;
mod setting;

use std::cell::RefCell;
use std::collections::HashMap;

use bozzetto_core::geometry::frames::{Ink, Point};
use bozzetto_core::ink::UNITS;
use bozzetto_core::ink::curve::Spot;
use bozzetto_core::marks::text::{Glyph, LINE, Line, MOST, Placed, SIZES, Text};
use skrifa::MetadataProvider;
use skrifa::instance::{LocationRef, Size};
use unicode_segmentation::UnicodeSegmentation;
use wasm_bindgen::prelude::*;

use faces::Choice;
pub use faces::LETTERS;
pub use setting::{Run, Setter, Standing, levels_of};

/// Where a text goes: lengths in units of the mark's frame.
#[derive(Clone, Copy, Debug)]
pub struct Place {
    /// Its upper left corner as it was.
    pub at: Point<Ink>,
    /// How wide it was: a text that runs to the left grows from its right edge.
    pub width: f64,
    /// How wide its lines may be, if that was set.
    pub wrap: Option<f64>,
    /// Otherwise, how far it is from `at` to the edge that a text runs towards, on the right; and
    /// from `at + width` to the one on the left.
    pub room: (f64, f64),
}

impl Place {
    /// Where nothing is in the way.
    pub fn free(at: Point<Ink>, wrap: Option<f64>) -> Self {
        Self {
            at,
            width: 0.0,
            wrap,
            room: (f64::INFINITY, f64::INFINITY),
        }
    }
}

thread_local! {
    static SETTER: RefCell<Setter> = RefCell::default();
    /// Fonts that the text laid out last needs and that are not here, by their names.
    static WANTED: RefCell<Vec<&'static str>> = RefCell::default();
}

/// A text laid out, packed; see [`Place`]. `wrap` is 0 for none.
#[wasm_bindgen]
#[expect(clippy::too_many_arguments, reason = "plain numbers cross the border")]
pub fn lay_out(
    content: &str,
    size: f64,
    wrap: f64,
    x: f64,
    y: f64,
    width: f64,
    room_right: f64,
    room_left: f64,
) -> Vec<u8> {
    let place = Place {
        at: Point::new(x, y),
        width,
        wrap: (wrap > 0.0).then_some(wrap),
        room: (room_right, room_left),
    };
    SETTER.with_borrow_mut(|setter| {
        let (text, wanted) = laid_out(setter, content, size, &place);
        WANTED.set(wanted);
        bozzetto_core::wire::encode(&text)
    })
}

/// The names of the fonts that the text laid out last needs and that are not here, with blanks
/// between.
#[wasm_bindgen]
pub fn fonts_wanted() -> String {
    WANTED.with_borrow(|names| names.join(" "))
}

/// Takes a font that was fetched; `false` for what is none.
#[wasm_bindgen]
pub fn font_came(name: &str, bytes: Vec<u8>) -> bool {
    SETTER.with_borrow_mut(|setter| setter.came(name, bytes))
}

/// Whether a text runs from right to left: its first paragraph does.
#[wasm_bindgen]
pub fn runs_to_the_left(content: &str) -> bool {
    let first = content.split('\n').next().unwrap_or("");
    unicode_bidi::get_base_direction(first) == unicode_bidi::Direction::Rtl
}

/// A text laid out, and the fonts that are needed and not here. What is longer than [`MOST`] is cut
/// off; a size is brought into [`SIZES`].
pub fn laid_out(
    setter: &mut Setter,
    content: &str,
    size: f64,
    place: &Place,
) -> (Text, Vec<&'static str>) {
    let size = size.clamp(*SIZES.start(), *SIZES.end());
    let mut end = content.len().min(MOST);
    while !content.is_char_boundary(end) {
        end -= 1;
    }
    let content = &content[..end];
    let to_left = runs_to_the_left(content);
    let free = if to_left { place.room.1 } else { place.room.0 };
    // However near the edge it begins, a word or so fits.
    let wrap = place.wrap.unwrap_or(free.max(size * 2.0)) / size;
    let ranges = lines::broken(content, setter, wrap);
    let set: Vec<_> = ranges
        .iter()
        .map(|l| (l, setter.line(l.shown(content), &l.levels)))
        .collect();
    let widest = set.iter().map(|(_, set)| set.width).fold(0.0, f64::max);
    let width = place.wrap.map_or(widest, |wrap| widest.max(wrap / size));

    // As style sheets place a line in its height: what is left over is shared above and below.
    let usual = setter.faces.usual();
    let metrics = usual
        .font()
        .metrics(Size::unscaled(), LocationRef::default());
    let part = |v: f32| f64::from(v) / usual.units;
    let (up, down) = (part(metrics.ascent), -part(metrics.descent));
    let first = (LINE - (up + down)) / 2.0 + up;
    let scale = size * UNITS;
    let mut outlines = Outlines::default();
    let (mut lines, mut placed) = (Vec::new(), Vec::new());
    for (i, (line, set)) in set.iter().enumerate() {
        let baseline = ((first + i as f64 * LINE) * scale).round();
        let begins = if line.to_left { width - set.width } else { 0.0 };
        for at in &set.standing {
            let Some(glyph) = outlines.number(setter, at, scale) else {
                continue;
            };
            placed.push(Placed {
                glyph,
                x: ((begins + at.x) * scale).round() as i32,
                y: (baseline - at.y * scale).round() as i32,
            });
        }
        lines.push(Line {
            from: line.from as u32,
            to: line.to as u32,
            baseline: baseline as i32,
            width: (set.width * scale).round() as i32,
        });
    }
    // What is cut off stands for a text that needs more glyphs than any that is typed.
    placed.truncate(MOST);
    let (missing, wanted) = lacking(setter, content);
    let x = match (to_left, place.wrap) {
        (true, None) => place.at.x + place.width - widest * size,
        _ => place.at.x,
    };
    let text = Text {
        content: content.to_owned(),
        at: Spot::new(Point::new(x, place.at.y)),
        size: (size * UNITS).round() as i32,
        wrap: place.wrap.map(|w| (w * UNITS).round().max(1.0) as i32),
        lines,
        glyphs: outlines.glyphs,
        placed,
        missing,
    };
    (text, wanted)
}

/// The letters that no font has, each once, and the fonts that are not here and may have others.
fn lacking(setter: &Setter, content: &str) -> (String, Vec<&'static str>) {
    let (mut missing, mut wanted) = (String::new(), Vec::new());
    for cluster in content.graphemes(true).filter(|c| !c.is_ascii()) {
        let choice = setter.faces.choose(cluster);
        match choice {
            Choice::Wanted(name) if !wanted.contains(&name) => wanted.push(name),
            _ => {}
        }
        for c in setter.faces.lacking(cluster, choice) {
            if !missing.contains(c) {
                missing.push(c);
            }
        }
    }
    (missing, wanted)
}

/// The outlines of a text, each once.
#[derive(Default)]
struct Outlines {
    numbers: HashMap<(usize, u32), Option<u16>>,
    glyphs: Vec<Glyph>,
}

impl Outlines {
    /// The number of a glyph's outline; `None` for a blank.
    fn number(&mut self, setter: &mut Setter, at: &Standing, scale: f64) -> Option<u16> {
        let Self { numbers, glyphs } = self;
        *numbers.entry((at.face, at.glyph)).or_insert_with(|| {
            let outline = setter.outline(at.face, at.glyph);
            if outline.verbs.is_empty() {
                return None;
            }
            let number = u16::try_from(glyphs.len()).ok()?;
            let put = |v: f32| (f64::from(v) * scale).round() as i32;
            let points = outline.coords.chunks_exact(2);
            glyphs.push(Glyph {
                verbs: outline.verbs.iter().map(|v| *v as u8).collect(),
                coords: points.flat_map(|p| [put(p[0]), put(-p[1])]).collect(),
            });
            Some(number)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(content: &str, wrap: Option<f64>) -> Text {
        let place = Place::free(Point::new(100.0, 50.0), wrap);
        laid_out(&mut Setter::default(), content, 40.0, &place).0
    }

    fn shown(text: &Text) -> Vec<&str> {
        let lines = text.lines.iter();
        lines
            .map(|l| &text.content[l.from as usize..l.to as usize])
            .collect()
    }

    #[test]
    fn lines_break_where_they_may_and_only_when_they_must() {
        let text = plain("keep to the west side in fog", Some(230.0));
        assert_eq!(shown(&text).concat(), text.content);
        assert!(text.lines.len() > 1);
        for line in &text.lines {
            assert!(f64::from(line.width) <= 230.0 * UNITS);
        }
        assert_eq!(shown(&plain("one\ntwo\n", None)), ["one\n", "two\n", ""]);
        // A word that is too long for any line is still seen whole.
        let long = plain("Leuchtfeuerverzeichnis", Some(100.0));
        assert!(long.lines.len() > 2 && long.placed.len() == 22);
    }

    /// Without a width of its own a text breaks before the edge, and takes no more room than it
    /// needs; one that runs to the left stays where its right edge was.
    #[test]
    fn a_text_keeps_within_its_pane() {
        let mut setter = Setter::default();
        let hebrew = include_bytes!("../../web/static/fonts/text/hebrew.ttf");
        assert!(setter.came("hebrew", hebrew.to_vec()));
        let at = Point::new(700.0, 50.0);
        let place = Place {
            width: 40.0,
            room: (300.0, 500.0),
            ..Place::free(at, None)
        };
        let (text, _) = laid_out(&mut setter, "keep to the west side in fog", 40.0, &place);
        assert!(text.lines.len() == 2 && text.wrap.is_none());
        assert!(text.area().x0 == 700.0 && text.area().x1 <= 1000.0);
        let (text, _) = laid_out(
            &mut setter,
            "היצמדו לצד המערבי בערפל בלילה ובגשם",
            40.0,
            &place,
        );
        assert!(text.lines.len() == 2, "{:?}", text.lines);
        assert!((text.area().x1 - 740.0).abs() < 0.1 && text.area().x0 >= 240.0);
    }

    #[test]
    fn capitals_are_as_high_as_core_says() {
        let text = plain("H", None);
        let bounds = text.path().bounds::<Ink>();
        let capitals = bounds.height() / text.size();
        assert!(
            (capitals - bozzetto_core::marks::text::CAPITALS).abs() < 0.01,
            "{capitals}"
        );
    }
}
