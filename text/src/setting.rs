//! Setting a line: which way its letters run, which fonts they are taken from, and where each stands.

use std::collections::HashMap;
use std::rc::Rc;

use harfrust::{Direction, ShapeOptions, UnicodeBuffer};
use skrifa::instance::{LocationRef, Size};
use skrifa::outline::{DrawSettings, OutlinePen};
use skrifa::{GlyphId, MetadataProvider};
use unicode_bidi::{BidiInfo, Level};
use unicode_segmentation::UnicodeSegmentation;

use bozzetto_core::display::Verb;

use crate::faces::{Choice, Faces};

/// A glyph where it stands on its line. Lengths are parts of the text's size, y upwards.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Standing {
    pub face: usize,
    pub glyph: u32,
    pub x: f64,
    pub y: f64,
}

/// A line that has been set.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Set {
    pub standing: Vec<Standing>,
    /// As a part of the text's size.
    pub width: f64,
}

/// An outline as a part of the text's size, y upwards.
#[derive(Default)]
pub struct Outline {
    pub verbs: Vec<Verb>,
    pub coords: Vec<f32>,
}

/// A part of a line that one font sets in one direction.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Run {
    pub face: usize,
    pub level: u8,
    /// Bytes of the line.
    pub from: usize,
    pub to: usize,
}

/// Fonts, and what has been worked out with them: at each key most lines of a text are as they were.
#[derive(Default)]
pub struct Setter {
    pub faces: Faces,
    lines: HashMap<(String, Vec<u8>), Rc<Set>>,
    widths: HashMap<String, f64>,
    outlines: HashMap<(usize, u32), Rc<Outline>>,
}

/// How many lines and widths are remembered.
const REMEMBERED: usize = 8000;

impl Setter {
    /// Takes a font that was fetched.
    pub fn came(&mut self, name: &str, bytes: Vec<u8>) -> bool {
        self.lines.clear();
        self.widths.clear();
        self.faces.came(name, bytes)
    }

    /// The runs of a line in the order in which they are read, with the level of each byte (none for
    /// a line that runs from left to right alone).
    pub fn runs(&self, line: &str, levels: &[u8]) -> Vec<Run> {
        let mut runs: Vec<Run> = Vec::new();
        for (from, cluster) in line.grapheme_indices(true) {
            let level = levels.get(from).copied().unwrap_or(0);
            // Letters without a font, or whose font is on its way, are boxes of the usual one.
            let face = match self.faces.choose(cluster) {
                Choice::Face(number) => number,
                Choice::Wanted(_) | Choice::Nowhere => 0,
            };
            let to = from + cluster.len();
            match runs.last_mut() {
                Some(last) if last.face == face && last.level == level => last.to = to,
                _ => runs.push(Run {
                    face,
                    level,
                    from,
                    to,
                }),
            }
        }
        runs
    }

    /// A line, set. `levels` as for [`Setter::runs`].
    pub fn line(&mut self, line: &str, levels: &[u8]) -> Rc<Set> {
        let key = (line.to_owned(), levels.to_owned());
        if let Some(known) = self.lines.get(&key) {
            return known.clone();
        }
        let runs = self.runs(line, levels);
        let each: Vec<Level> = runs
            .iter()
            .map(|r| Level::new(r.level).unwrap_or(Level::ltr()))
            .collect();
        let mut set = Set::default();
        for number in BidiInfo::reorder_visual(&each) {
            self.run(line, &runs[number], &mut set);
        }
        let set = Rc::new(set);
        if self.lines.len() >= REMEMBERED {
            self.lines.clear();
        }
        self.lines.insert(key, set.clone());
        set
    }

    /// Sets a run at the end of what has been set.
    fn run(&self, line: &str, run: &Run, set: &mut Set) {
        let face = self.faces.get(run.face);
        let mut buffer = UnicodeBuffer::new();
        for c in line[run.from..run.to].chars() {
            // What ends lines or jumps to columns is a blank within one.
            buffer.add(if c.is_control() { ' ' } else { c }, 0);
        }
        buffer.set_direction(match run.level % 2 {
            0 => Direction::LeftToRight,
            _ => Direction::RightToLeft,
        });
        buffer.guess_segment_properties();
        let shaped = face.shaper().shape(buffer, ShapeOptions::new());
        let part = |v: i32| f64::from(v) / face.units;
        for (info, p) in shaped.glyph_infos().iter().zip(shaped.glyph_positions()) {
            set.standing.push(Standing {
                face: run.face,
                glyph: info.glyph_id,
                x: set.width + part(p.x_offset),
                y: part(p.y_offset),
            });
            set.width += part(p.x_advance);
        }
    }

    /// How wide a piece of text is, as a part of its size, whichever way it runs.
    pub fn width(&mut self, piece: &str) -> f64 {
        if let Some(known) = self.widths.get(piece) {
            return *known;
        }
        let mut set = Set::default();
        for run in self.runs(piece, &levels_of(piece)) {
            self.run(piece, &run, &mut set);
        }
        if self.widths.len() >= REMEMBERED {
            self.widths.clear();
        }
        self.widths.insert(piece.to_owned(), set.width);
        set.width
    }

    /// The outline of a glyph; one that cannot be drawn is blank.
    pub fn outline(&mut self, face: usize, glyph: u32) -> Rc<Outline> {
        let known = self.outlines.entry((face, glyph)).or_insert_with(|| {
            let face = self.faces.get(face);
            let mut pen = Pen {
                outline: Outline::default(),
                part: 1.0 / face.units as f32,
            };
            if let Some(outline) = face.font().outline_glyphs().get(GlyphId::new(glyph)) {
                let plain = DrawSettings::unhinted(Size::unscaled(), LocationRef::default());
                let _ = outline.draw(plain, &mut pen);
            }
            Rc::new(pen.outline)
        });
        known.clone()
    }
}

/// The level of each byte of a text: even ones run to the right, odd ones to the left. None when all
/// of it runs to the right. Source: UAX #9.
pub fn levels_of(text: &str) -> Vec<u8> {
    let info = BidiInfo::new(text, None);
    match info.has_rtl() {
        true => info.levels.iter().map(|l| l.number()).collect(),
        false => Vec::new(),
    }
}

/// Takes an outline down.
struct Pen {
    outline: Outline,
    part: f32,
}

impl Pen {
    fn put(&mut self, verb: Verb, coords: &[f32]) {
        self.outline.verbs.push(verb);
        let part = self.part;
        self.outline.coords.extend(coords.iter().map(|v| v * part));
    }
}

impl OutlinePen for Pen {
    fn move_to(&mut self, x: f32, y: f32) {
        self.put(Verb::Move, &[x, y]);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.put(Verb::Line, &[x, y]);
    }

    fn quad_to(&mut self, cx: f32, cy: f32, x: f32, y: f32) {
        self.put(Verb::Quad, &[cx, cy, x, y]);
    }

    fn curve_to(&mut self, ax: f32, ay: f32, bx: f32, by: f32, x: f32, y: f32) {
        self.put(Verb::Cubic, &[ax, ay, bx, by, x, y]);
    }

    fn close(&mut self) {
        self.put(Verb::Close, &[]);
    }
}
