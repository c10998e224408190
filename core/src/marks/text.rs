//! Typed words. They are laid out once, where they are typed, and the mark carries their outlines:
//! so they look alike on all screens and in files, and nobody who only sees them needs the fonts.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use crate::display::lettering::{self, Anchor};
use crate::display::{Path, Verb};
use crate::geometry::frames::{Ink, Point, Rect};
use crate::ink::UNITS;
use crate::ink::curve::Spot;

/// The longest text, in bytes.
pub const MOST: usize = 8000;

/// From one baseline to the next, as a part of the size.
pub const LINE: f64 = 1.25;

/// Height of capital letters of the shipped font, as a part of the size. Source: the font's OS/2
/// table, sCapHeight 668 of 1000 units.
pub const CAPITALS: f64 = 0.668;

/// The smallest and the largest size, in units.
pub const SIZES: std::ops::RangeInclusive<f64> = 8.0..=400.0;

/// A text and how it is laid out. Lengths are in 1/64 unit of the mark's frame, positions relative
/// to `at`.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Text {
    pub content: String,
    /// The upper left corner of the first line.
    pub at: Spot,
    /// From the top of a line of capitals to the bottom of what hangs below, roughly: the em.
    pub size: i32,
    /// Lines are broken to be no wider than this; without it only where the text says so.
    pub wrap: Option<i32>,
    /// From the first to the last.
    pub lines: Vec<Line>,
    /// Each outline once.
    pub glyphs: Vec<Glyph>,
    /// Where each of them stands, as often as it is written.
    pub placed: Vec<Placed>,
    /// Characters that the font does not have; an empty box stands for each.
    pub missing: String,
}

/// A line, as the text was broken.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Line {
    /// Where it begins and ends in the content, in bytes.
    pub from: u32,
    pub to: u32,
    /// How far below `at` it is.
    pub baseline: i32,
    pub width: i32,
}

/// An outline, relative to where the pen stands on the baseline.
#[derive(Clone, Default, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Glyph {
    /// As [`Verb`] numbers them.
    pub verbs: Vec<u8>,
    /// x and y in turn, in 1/64 unit.
    pub coords: Vec<i32>,
}

/// One letter of the text.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Placed {
    /// Which of the glyphs.
    pub glyph: u16,
    /// Where the pen stands for it, relative to `at`, in 1/64 unit.
    pub x: i32,
    pub y: i32,
}

impl Glyph {
    /// A rectangle that contains it: that of its control points.
    fn bounds(&self) -> Rect<Ink> {
        self.coords.chunks_exact(2).fold(Rect::EMPTY, |r, c| {
            r.include(Point::new(f64::from(c[0]) / UNITS, f64::from(c[1]) / UNITS))
        })
    }
}

fn verb(number: u8) -> Option<Verb> {
    [Verb::Move, Verb::Line, Verb::Quad, Verb::Cubic, Verb::Close]
        .into_iter()
        .find(|v| *v as u8 == number)
}

impl Text {
    /// Lines that were not typed: lettered as scales are, `at` their upper left corner, in type of `size`.
    pub fn lettered(words: &str, at: Point<Ink>, size: f64) -> Self {
        let whole = |v: f64| (v * UNITS).round() as i32;
        let (mut glyphs, mut placed, mut lines, mut from) = (vec![], vec![], vec![], 0);
        for line in words.split('\n') {
            let baseline = size * (LINE * lines.len() as f64 + (LINE + CAPITALS) / 2.0);
            let mut x = 0.0;
            for c in line.chars() {
                let letter = c.to_string();
                let path = lettering::words(&letter, (0.0, 0.0), size, Anchor::Start, 0.0);
                if !path.is_empty() {
                    placed.push(Placed {
                        glyph: glyphs.len() as u16,
                        x: whole(x),
                        y: whole(baseline),
                    });
                    glyphs.push(Glyph {
                        verbs: path.verbs.iter().map(|v| *v as u8).collect(),
                        coords: path.coords.iter().map(|v| whole(f64::from(*v))).collect(),
                    });
                }
                x += lettering::length(&letter) * size;
            }
            let to = from + line.len() as u32;
            lines.push(Line {
                from,
                to,
                baseline: whole(baseline),
                width: whole(x),
            });
            from = to + 1;
        }
        Self {
            content: words.to_owned(),
            at: Spot::new(at),
            size: whole(size),
            wrap: None,
            lines,
            glyphs,
            placed,
            missing: String::new(),
        }
    }

    /// Whether everything that is named is there, and nothing is out of reach.
    pub fn is_sound(&self) -> bool {
        let near = |v: i32| v.unsigned_abs() < 1 << 26;
        let sound = |glyph: &Glyph| {
            let points = glyph
                .verbs
                .iter()
                .try_fold(0, |n, v| Some(n + verb(*v)?.points()));
            points == Some(glyph.coords.len() / 2)
                && glyph.coords.len().is_multiple_of(2)
                && glyph.coords.iter().all(|v| near(*v))
        };
        let placed =
            |p: &Placed| usize::from(p.glyph) < self.glyphs.len() && near(p.x) && near(p.y);
        let line = |l: &Line| {
            self.content.get(l.from as usize..l.to as usize).is_some()
                && near(l.baseline)
                && near(l.width)
        };
        self.content.len() <= MOST
            && self.placed.len() <= MOST
            && SIZES.contains(&self.size())
            && self.wrap.is_none_or(|w| w > 0 && near(w))
            && self.glyphs.iter().all(sound)
            && self.placed.iter().all(placed)
            && self.lines.iter().all(line)
    }

    /// The size in units.
    pub fn size(&self) -> f64 {
        f64::from(self.size) / UNITS
    }

    /// The box that its lines fill.
    pub fn area(&self) -> Rect<Ink> {
        let at = self.at.position();
        let widest = self.lines.iter().map(|l| l.width).max().unwrap_or(0);
        let width = f64::from(widest.max(self.wrap.unwrap_or(0))) / UNITS;
        let height = self.size() * LINE * self.lines.len().max(1) as f64;
        Rect::from_corners(at, Point::new(at.x + width, at.y + height))
    }

    /// All its outlines as one path.
    pub fn path(&self) -> Path {
        self.path_of(self.placed.iter())
    }

    /// The outlines that reach into a part of the text's frame, a path for each line: browsers fill
    /// many small paths faster than a large one.
    pub fn paths_within(&self, within: &Rect<Ink>) -> Vec<Path> {
        let glyphs = self.glyph_bounds();
        let lines = self
            .placed
            .chunk_by(|a, b| a.y.abs_diff(b.y) < self.size.unsigned_abs());
        let seen = |p: &&Placed| self.bounds_of(p, &glyphs).intersects(within);
        let paths = lines.map(|line| self.path_of(line.iter().filter(seen)));
        paths.filter(|path| !path.verbs.is_empty()).collect()
    }

    fn path_of<'a>(&self, placed: impl Iterator<Item = &'a Placed>) -> Path {
        let mut path = Path::default();
        let at = self.at.position();
        for p in placed {
            let Some(glyph) = self.glyphs.get(usize::from(p.glyph)) else {
                continue;
            };
            let (x, y) = (at.x + f64::from(p.x) / UNITS, at.y + f64::from(p.y) / UNITS);
            path.verbs
                .extend(glyph.verbs.iter().filter_map(|v| verb(*v)));
            path.coords
                .extend(glyph.coords.chunks_exact(2).flat_map(|c| {
                    [
                        (x + f64::from(c[0]) / UNITS) as f32,
                        (y + f64::from(c[1]) / UNITS) as f32,
                    ]
                }));
        }
        path
    }

    /// A rectangle that contains what is seen of it, which may hang over its box.
    pub fn bounds(&self) -> Rect<Ink> {
        self.area().union(&self.bounds_of_all(&self.placed))
    }

    /// A rectangle that contains all letters that are not the same in both texts and in the same
    /// place: all that has to be painted again when one takes the other's place.
    pub fn changed_since(&self, before: &Text) -> Rect<Ink> {
        let here: HashMap<&[i32], usize> = self
            .glyphs
            .iter()
            .enumerate()
            .map(|(i, glyph)| (&glyph.coords[..], i))
            .collect();
        let known: Vec<Option<usize>> = before
            .glyphs
            .iter()
            .map(|glyph| here.get(&glyph.coords[..]).copied())
            .collect();
        let place = |text: &Text, p: &Placed| {
            (
                i64::from(text.at.x) + i64::from(p.x),
                i64::from(text.at.y) + i64::from(p.y),
            )
        };
        let same = |(a, b): &(&Placed, &Placed)| {
            place(self, a) == place(before, b)
                && known.get(usize::from(b.glyph)) == Some(&Some(usize::from(a.glyph)))
        };
        let (new, old) = (&self.placed[..], &before.placed[..]);
        let first = new.iter().zip(old).take_while(same).count();
        let (new, old) = (&new[first..], &old[first..]);
        let last = new
            .iter()
            .rev()
            .zip(old.iter().rev())
            .take_while(same)
            .count();
        let new = self.bounds_of_all(&new[..new.len() - last]);
        new.union(&before.bounds_of_all(&old[..old.len() - last]))
    }

    fn glyph_bounds(&self) -> Vec<Rect<Ink>> {
        self.glyphs.iter().map(Glyph::bounds).collect()
    }

    fn bounds_of_all(&self, placed: &[Placed]) -> Rect<Ink> {
        let glyphs = self.glyph_bounds();
        placed
            .iter()
            .fold(Rect::EMPTY, |all, p| all.union(&self.bounds_of(p, &glyphs)))
    }

    /// Where a letter lies, with the bounds of each glyph at hand.
    fn bounds_of(&self, p: &Placed, glyphs: &[Rect<Ink>]) -> Rect<Ink> {
        let at = self.at.position();
        let (x, y) = (at.x + f64::from(p.x) / UNITS, at.y + f64::from(p.y) / UNITS);
        match glyphs.get(usize::from(p.glyph)) {
            Some(glyph) if !glyph.is_empty() => Rect::from_corners(
                Point::new(x + glyph.x0, y + glyph.y0),
                Point::new(x + glyph.x1, y + glyph.y1),
            ),
            _ => Rect::EMPTY,
        }
    }
}
