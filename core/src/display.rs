//! The display list: what is to be drawn, said so plainly that a canvas, a raster image or a file
//! format can print it without knowing anything about marks.
//!
//! All coordinates are glass units, in `f32`: a 7000-pixel-wide capture resolves 0.27 units, and
//! `f32` holds 1920 to within 0.0001.

use crate::colour::Rgb;
use crate::frames::{Glass, Map, Point, Rect};

/// One step of a path. The numbers are what the canvas printer reads.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[repr(u8)]
pub enum Verb {
    /// Takes one point.
    Move = 0,
    /// Takes one point.
    Line = 1,
    /// Takes two points: control, end.
    Quad = 2,
    /// Takes three points: two controls, end.
    Cubic = 3,
    /// Takes none.
    Close = 4,
}

impl Verb {
    /// How many points the verb takes.
    pub fn points(self) -> usize {
        match self {
            Verb::Move | Verb::Line => 1,
            Verb::Quad => 2,
            Verb::Cubic => 3,
            Verb::Close => 0,
        }
    }
}

/// A path, filled by the non-zero rule.
#[derive(Clone, Default, PartialEq, Debug)]
pub struct Path {
    pub verbs: Vec<Verb>,
    /// x and y in turn.
    pub coords: Vec<f32>,
}

impl Path {
    pub fn move_to(&mut self, x: f64, y: f64) {
        self.push(Verb::Move, &[x, y]);
    }

    pub fn line_to(&mut self, x: f64, y: f64) {
        self.push(Verb::Line, &[x, y]);
    }

    pub fn close(&mut self) {
        self.push(Verb::Close, &[]);
    }

    /// A closed polygon.
    pub fn polygon(&mut self, points: impl IntoIterator<Item = (f64, f64)>) {
        let mut points = points.into_iter();
        if let Some((x, y)) = points.next() {
            self.move_to(x, y);
            points.for_each(|(x, y)| self.line_to(x, y));
            self.close();
        }
    }

    pub fn rect(&mut self, r: &Rect<Glass>) {
        self.polygon([(r.x0, r.y0), (r.x1, r.y0), (r.x1, r.y1), (r.x0, r.y1)]);
    }

    pub fn append(&mut self, other: &Path) {
        self.verbs.extend_from_slice(&other.verbs);
        self.coords.extend_from_slice(&other.coords);
    }

    pub fn is_empty(&self) -> bool {
        self.verbs.is_empty()
    }

    /// The path under an affine map; the control points are mapped, which is exact.
    pub fn mapped<A, B>(&self, map: &Map<A, B>) -> Path {
        let coords = self
            .coords
            .chunks_exact(2)
            .flat_map(|c| {
                let p = map.apply(Point::new(f64::from(c[0]), f64::from(c[1])));
                [p.x as f32, p.y as f32]
            })
            .collect();
        Path {
            verbs: self.verbs.clone(),
            coords,
        }
    }

    /// A rectangle that contains the path (control points included), in the path's own units.
    pub fn bounds<F>(&self) -> Rect<F> {
        self.coords.chunks_exact(2).fold(Rect::EMPTY, |r, c| {
            r.include(Point::new(f64::from(c[0]), f64::from(c[1])))
        })
    }

    fn push(&mut self, verb: Verb, coords: &[f64]) {
        self.verbs.push(verb);
        self.coords.extend(coords.iter().map(|v| *v as f32));
    }
}

/// How a fill mixes with what is beneath it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[repr(u8)]
pub enum Blend {
    /// Covers it.
    Over = 0,
    /// Multiplies with it, so that what is dark stays dark.
    Multiply = 1,
}

/// One thing to draw.
#[derive(Clone, PartialEq, Debug)]
pub enum Item {
    Fill {
        path: Path,
        colour: Rgb,
        blend: Blend,
    },
    /// The backdrop's own picture, stretched to `to`.
    Picture { to: Rect<Glass> },
}

/// What is to be drawn, from the bottom up.
#[derive(Clone, Default, PartialEq, Debug)]
pub struct DisplayList {
    pub items: Vec<Item>,
}

impl DisplayList {
    pub fn fill(&mut self, path: Path, colour: Rgb, blend: Blend) {
        if !path.is_empty() {
            self.items.push(Item::Fill {
                path,
                colour,
                blend,
            });
        }
    }
}
