//! Lays typed words out with the shipped font: shaped, broken into lines, turned into outlines.
//!
//! A WebAssembly module of its own, so that it does not stand between a presenter and the first
//! stroke; what it gives is a [`Text`], which needs neither it nor the font to be shown.

use std::collections::HashMap;
use std::sync::LazyLock;

use bozzetto_core::display::Verb;
use bozzetto_core::frames::Point;
use bozzetto_core::ink::UNITS;
use bozzetto_core::ink::curve::Spot;
use bozzetto_core::text::{Glyph, LINE, Line, MOST, Placed, SIZES, Text};
use harfrust::{FontRef, ShapeOptions, Shaper, ShaperData, UnicodeBuffer};
use skrifa::instance::{LocationRef, Size};
use skrifa::outline::{DrawSettings, OutlinePen};
use skrifa::{GlyphId, MetadataProvider};
use wasm_bindgen::prelude::*;

static FONT: &[u8] = include_bytes!("../../press/fonts/AtkinsonHyperlegibleNext-Regular.ttf");
static SHAPING: LazyLock<(FontRef<'static>, ShaperData)> = LazyLock::new(|| {
    let font = FontRef::new(FONT).expect("the shipped font can be read");
    let data = ShaperData::new(&font);
    (font, data)
});

/// A text laid out with its upper left corner at (x, y), packed; `size`, `wrap` (0 for none), x and
/// y in units of the mark's frame.
#[wasm_bindgen]
pub fn lay_out(content: &str, size: f64, wrap: f64, x: f64, y: f64) -> Vec<u8> {
    let wrap = (wrap > 0.0).then_some(wrap);
    bozzetto_core::wire::encode(&laid_out(content, size, wrap, Point::new(x, y)))
}

/// A text laid out. What is longer than [`MOST`] is cut off; a size is brought into [`SIZES`].
pub fn laid_out(
    content: &str,
    size: f64,
    wrap: Option<f64>,
    at: Point<bozzetto_core::frames::Ink>,
) -> Text {
    let (font, data) = &*SHAPING;
    let size = size.clamp(*SIZES.start(), *SIZES.end());
    let mut end = content.len().min(MOST);
    while !content.is_char_boundary(end) {
        end -= 1;
    }
    let content = &content[..end];
    let mut layout = Layout {
        font: font.clone(),
        shaper: data.shaper(font).build(),
        scale: size / f64::from(font_units(font)) * UNITS,
        outlines: HashMap::new(),
        glyphs: Vec::new(),
        placed: Vec::new(),
    };
    let metrics = font.metrics(Size::unscaled(), LocationRef::default());
    let (up, down) = (f64::from(metrics.ascent), -f64::from(metrics.descent));
    // As style sheets place a line in its height: what is left over is shared above and below.
    let first = (size * LINE * UNITS - (up + down) * layout.scale) / 2.0 + up * layout.scale;
    let ranges = broken(content, &layout, wrap.map(|w| w * UNITS));
    let mut lines = Vec::new();
    for (i, (from, to)) in ranges.into_iter().enumerate() {
        let baseline = (first + i as f64 * size * LINE * UNITS).round();
        let shown = content[from..to].trim_end_matches(['\n', '\r', ' ']);
        let width = layout.set(shown, baseline);
        lines.push(Line {
            from: from as u32,
            to: to as u32,
            baseline: baseline as i32,
            width: width.round() as i32,
        });
    }
    let characters = font.charmap();
    let mut missing = String::new();
    for c in content.chars() {
        if !c.is_control() && characters.map(c).is_none() && !missing.contains(c) {
            missing.push(c);
        }
    }
    Text {
        content: content.to_owned(),
        at: Spot::new(at),
        size: (size * UNITS).round() as i32,
        wrap: wrap.map(|w| (w * UNITS).round().max(1.0) as i32),
        lines,
        glyphs: layout.glyphs,
        placed: layout.placed,
        missing,
    }
}

fn font_units(font: &FontRef) -> u16 {
    font.metrics(Size::unscaled(), LocationRef::default())
        .units_per_em
}

struct Layout<'a> {
    font: FontRef<'a>,
    shaper: Shaper<'a>,
    /// Font units to 1/64 unit.
    scale: f64,
    outlines: HashMap<u32, u16>,
    glyphs: Vec<Glyph>,
    placed: Vec<Placed>,
}

impl Layout<'_> {
    /// How wide a piece of text is, in 1/64 unit.
    fn width(&self, text: &str) -> f64 {
        let shaped = self.shape(text);
        let advances = shaped.glyph_positions().iter().map(|p| p.x_advance);
        f64::from(advances.sum::<i32>()) * self.scale
    }

    fn shape(&self, text: &str) -> harfrust::GlyphBuffer {
        let mut buffer = UnicodeBuffer::new();
        buffer.push_str(text);
        buffer.guess_segment_properties();
        self.shaper.shape(buffer, ShapeOptions::new())
    }

    /// Sets a line and gives its width.
    fn set(&mut self, text: &str, baseline: f64) -> f64 {
        let shaped = self.shape(text);
        let mut x = 0.0;
        for (info, p) in shaped.glyph_infos().iter().zip(shaped.glyph_positions()) {
            let glyph = self.outline(info.glyph_id);
            if !self.glyphs[usize::from(glyph)].verbs.is_empty() {
                self.placed.push(Placed {
                    glyph,
                    x: (x + f64::from(p.x_offset) * self.scale).round() as i32,
                    y: (baseline - f64::from(p.y_offset) * self.scale).round() as i32,
                });
            }
            x += f64::from(p.x_advance) * self.scale;
        }
        x
    }

    fn outline(&mut self, id: u32) -> u16 {
        if let Some(known) = self.outlines.get(&id) {
            return *known;
        }
        let mut pen = Pen {
            glyph: Glyph::default(),
            scale: self.scale,
        };
        if let Some(outline) = self.font.outline_glyphs().get(GlyphId::new(id)) {
            let plain = DrawSettings::unhinted(Size::unscaled(), LocationRef::default());
            // A glyph that cannot be drawn is left blank.
            let _ = outline.draw(plain, &mut pen);
        }
        let number = self.glyphs.len() as u16;
        self.glyphs.push(pen.glyph);
        self.outlines.insert(id, number);
        number
    }
}

/// Takes an outline down, from font units with y up to 1/64 unit with y down.
struct Pen {
    glyph: Glyph,
    scale: f64,
}

impl Pen {
    fn put(&mut self, verb: Verb, coords: &[(f32, f32)]) {
        self.glyph.verbs.push(verb as u8);
        for (x, y) in coords {
            let put = |v: f64| (v * self.scale).round() as i32;
            self.glyph
                .coords
                .extend([put(f64::from(*x)), put(-f64::from(*y))]);
        }
    }
}

impl OutlinePen for Pen {
    fn move_to(&mut self, x: f32, y: f32) {
        self.put(Verb::Move, &[(x, y)]);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.put(Verb::Line, &[(x, y)]);
    }

    fn quad_to(&mut self, cx: f32, cy: f32, x: f32, y: f32) {
        self.put(Verb::Quad, &[(cx, cy), (x, y)]);
    }

    fn curve_to(&mut self, ax: f32, ay: f32, bx: f32, by: f32, x: f32, y: f32) {
        self.put(Verb::Cubic, &[(ax, ay), (bx, by), (x, y)]);
    }

    fn close(&mut self) {
        self.put(Verb::Close, &[]);
    }
}

/// Where lines begin and end: at the text's own ends of lines, and where the Unicode line breaking
/// algorithm (UAX 14) allows it before `wrap` (1/64 unit) is passed; a word longer than that is
/// broken between characters.
fn broken(content: &str, layout: &Layout, wrap: Option<f64>) -> Vec<(usize, usize)> {
    let mut lines = Vec::new();
    let mut from = 0;
    // The last place where the line could end, and still fitted.
    let mut good = 0;
    for (at, opportunity) in unicode_linebreak::linebreaks(content) {
        let must = opportunity == unicode_linebreak::BreakOpportunity::Mandatory;
        if let Some(wrap) = wrap {
            if good > from && layout.width(content[from..at].trim_end()) > wrap {
                lines.push((from, good));
                from = good;
            }
            while layout.width(content[from..at].trim_end()) > wrap {
                let fits = longest(&content[from..at], layout, wrap);
                if from + fits >= at {
                    break;
                }
                lines.push((from, from + fits));
                from += fits;
            }
        }
        good = at;
        if must {
            lines.push((from, at));
            from = at;
        }
    }
    // A text that ends with an end of line has an empty line after it.
    if content.is_empty() || content.ends_with('\n') {
        lines.push((content.len(), content.len()));
    }
    lines
}

/// How many bytes of a word fit; at least one character.
fn longest(word: &str, layout: &Layout, wrap: f64) -> usize {
    let ends: Vec<usize> = word.char_indices().map(|(i, c)| i + c.len_utf8()).collect();
    let fitting = ends.partition_point(|end| layout.width(&word[..*end]) <= wrap);
    ends.get(fitting.max(1) - 1).copied().unwrap_or(word.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(content: &str, wrap: Option<f64>) -> Text {
        laid_out(content, 40.0, wrap, Point::new(100.0, 50.0))
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

    #[test]
    fn what_the_font_lacks_is_named_and_boxed() {
        let text = plain("buoy \u{0416}", None);
        assert_eq!(text.missing, "\u{0416}");
        // Four letters and a box; the blank has no outline.
        assert_eq!(text.placed.len(), 5);
        assert!(text.is_sound());
    }

    #[test]
    fn capitals_are_as_high_as_core_says() {
        let text = plain("H", None);
        let bounds = text.path().bounds::<bozzetto_core::frames::Ink>();
        let capitals = bounds.height() / text.size();
        assert!(
            (capitals - bozzetto_core::text::CAPITALS).abs() < 0.01,
            "{capitals}"
        );
    }
}
