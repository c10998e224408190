//! The display list: what is to be drawn, said so plainly that a canvas, a raster image or a file
//! format can print it without knowing anything about marks.
//!
//! All coordinates are glass units, in `f32`: a 7000-pixel-wide capture resolves 0.27 units, and
//! `f32` holds 1920 to within 0.0001.

use kurbo::{BezPath, PathEl};
use serde::{Deserialize, Serialize};

use crate::display::colour::Rgb;
use crate::geometry::frames::{Glass, Map, Point, Rect};
use crate::geometry::ids::BackdropId;

/// One step of a path. The numbers are what the canvas printer reads.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
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
#[derive(Clone, Default, PartialEq, Debug, Serialize, Deserialize)]
pub struct Path {
    pub verbs: Vec<Verb>,
    /// x and y in turn.
    pub coords: Vec<f32>,
}

impl Path {
    /// Begins a further part of the path; all coordinates are in the path's own units.
    pub fn move_to(&mut self, x: f64, y: f64) {
        self.push(Verb::Move, &[x, y]);
    }

    /// A straight line to a point.
    pub fn line_to(&mut self, x: f64, y: f64) {
        self.push(Verb::Line, &[x, y]);
    }

    /// A quadratic Bézier curve with the control point `c` to `p`.
    pub fn quad_to(&mut self, c: (f64, f64), p: (f64, f64)) {
        self.push(Verb::Quad, &[c.0, c.1, p.0, p.1]);
    }

    /// A cubic Bézier curve with the control points `a` and `b` to `p`.
    pub fn cubic_to(&mut self, a: (f64, f64), b: (f64, f64), p: (f64, f64)) {
        self.push(Verb::Cubic, &[a.0, a.1, b.0, b.1, p.0, p.1]);
    }

    /// A straight line back to where this part began.
    pub fn close(&mut self) {
        self.push(Verb::Close, &[]);
    }

    /// A rectangle; nothing for an empty one.
    pub fn of_rect(rect: &Rect<Glass>) -> Self {
        let mut path = Self::default();
        if !rect.is_empty() {
            path.rect(rect);
        }
        path
    }

    /// A disc.
    pub fn disc(at: Point<Glass>, radius: f64) -> Self {
        let circle = kurbo::Circle::new((at.x, at.y), radius);
        Self::from(&kurbo::Shape::to_path(&circle, 0.1))
    }

    /// A closed polygon.
    pub fn polygon(&mut self, points: impl IntoIterator<Item = (f64, f64)>) {
        let from = self.coords.len();
        for (x, y) in points {
            self.coords.extend([x as f32, y as f32]);
        }
        let corners = (self.coords.len() - from) / 2;
        if corners > 0 {
            self.verbs.push(Verb::Move);
            let lines = self.verbs.len() + corners - 1;
            self.verbs.resize(lines, Verb::Line);
            self.verbs.push(Verb::Close);
        }
    }

    /// A closed rectangle, clockwise on the screen from its upper left corner.
    pub fn rect(&mut self, r: &Rect<Glass>) {
        self.polygon([(r.x0, r.y0), (r.x1, r.y0), (r.x1, r.y1), (r.x0, r.y1)]);
    }

    /// The rectangle that this is, if it is one as [`Path::rect`] makes them.
    pub fn as_rect<F>(&self) -> Option<Rect<F>> {
        let sides = [Verb::Move, Verb::Line, Verb::Line, Verb::Line, Verb::Close];
        let &[x0, y0, x1, y1, x2, y2, x3, y3] = self.coords.as_slice() else {
            return None;
        };
        let upright = x0 == x3 && x1 == x2 && y0 == y1 && y2 == y3;
        (self.verbs == sides && upright).then(|| self.bounds())
    }

    /// Adds what is in another path.
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

impl From<&BezPath> for Path {
    fn from(path: &BezPath) -> Self {
        let mut out = Path::default();
        for element in path {
            match element {
                PathEl::MoveTo(p) => out.move_to(p.x, p.y),
                PathEl::LineTo(p) => out.line_to(p.x, p.y),
                PathEl::QuadTo(a, p) => out.quad_to((a.x, a.y), (p.x, p.y)),
                PathEl::CurveTo(a, b, p) => out.cubic_to((a.x, a.y), (b.x, b.y), (p.x, p.y)),
                PathEl::ClosePath => out.close(),
            }
        }
        out
    }
}

impl From<&Path> for BezPath {
    fn from(path: &Path) -> Self {
        let mut bez = BezPath::with_capacity(path.verbs.len());
        let mut rest = &path.coords[..];
        for verb in &path.verbs {
            let (c, next) = rest.split_at(verb.points() * 2);
            let at = |i: usize| (f64::from(c[i]), f64::from(c[i + 1]));
            match verb {
                Verb::Move => bez.move_to(at(0)),
                Verb::Line => bez.line_to(at(0)),
                Verb::Quad => bez.quad_to(at(0), at(2)),
                Verb::Cubic => bez.curve_to(at(0), at(2), at(4)),
                Verb::Close => bez.close_path(),
            }
            rest = next;
        }
        bez
    }
}

/// How a fill mixes with what is beneath it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[repr(u8)]
pub enum Blend {
    /// Covers it.
    Over = 0,
    /// Multiplies with it, so that what is dark stays dark.
    Multiply = 1,
    /// Lightens it, so that what is light stays light: on dark boards. Source: W3C Compositing and
    /// Blending Level 1, *screen*.
    Screen = 2,
}

/// One thing to draw.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Item {
    Fill {
        path: Path,
        colour: Rgb,
        blend: Blend,
        /// 1 for ink that covers, 0 for what is gone.
        opacity: f32,
    },
    /// A backdrop's picture, stretched to `to`.
    Picture { source: Source, to: Rect<Glass> },
    /// A picture that is a mark.
    Placed { placing: Placing, opacity: f32 },
    /// Things that are drawn together.
    Group(Group),
}

/// Things that are drawn together: first by themselves, under [`Group::map`]; then what has come of
/// them is softened, cut, and mixed as one with what is beneath. Groups contain groups.
///
/// Pictures of backdrops go with maps that move and enlarge, not with those that turn.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Group {
    /// Only what lies in this path is seen, in the units around the group. A rectangle is cut at whole
    /// pixels, so that what lies side by side has no seam.
    pub clip: Option<Path>,
    /// From the group's units to those around it.
    pub map: Map<Glass, Glass>,
    /// How it mixes with what is beneath it. On a canvas that is what this canvas shows.
    pub blend: Blend,
    /// 1 for what covers, 0 for what is gone.
    pub opacity: f32,
    /// How softly it ends: the standard deviation of a Gaussian blur, in the units around the group.
    pub softness: f32,
    pub items: Vec<Item>,
}

impl Group {
    /// Drawn as if they were no group.
    pub fn of(items: Vec<Item>) -> Self {
        Self {
            clip: None,
            map: Map::coincident(),
            blend: Blend::Over,
            opacity: 1.0,
            softness: 0.0,
            items,
        }
    }

    /// Whether drawing the items one by one comes to the same; otherwise a printer needs a picture of
    /// its own for them.
    pub fn is_flat(&self) -> bool {
        self.blend == Blend::Over && self.opacity >= 1.0 && self.softness <= 0.0
    }
}

/// Where the pixels of a backdrop come from.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum Source {
    /// The backdrop itself: its file, or what it shows at this moment.
    Backdrop(BackdropId),
    /// A picture that was held, by the server's name for it.
    Frozen(u64),
    /// What is left of a part that is hidden, by its number.
    Hidden(u32),
}

/// Where a placed picture is drawn.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Placing {
    /// The server's name for the file.
    pub picture: u64,
    /// The map from its pixels to glass units: `x' = a x + c y + e`, `y' = b x + d y + f`.
    pub map: [f64; 6],
    /// The part that is seen, in its pixels: x0, y0, x1, y1.
    pub part: [f64; 4],
}

/// What is to be drawn, from the bottom up.
#[derive(Clone, Default, PartialEq, Debug, Serialize, Deserialize)]
pub struct DisplayList {
    pub items: Vec<Item>,
}

impl DisplayList {
    /// Adds a fill that covers what is beneath, as `blend` has it.
    pub fn fill(&mut self, path: Path, colour: Rgb, blend: Blend) {
        self.fade(path, colour, blend, 1.0);
    }

    /// Adds what is in another list; if it is to be cut, only the part of it that lies in `within`.
    pub fn cut(&mut self, other: DisplayList, within: &Rect<Glass>, cut: bool) {
        if !cut {
            self.items.extend(other.items);
        } else if !other.items.is_empty() {
            let mut clip = Path::default();
            clip.rect(within);
            self.items.push(Item::Group(Group {
                clip: Some(clip),
                ..Group::of(other.items)
            }));
        }
    }

    /// Everything that is in it, in groups too, from the bottom up; of a group first the group itself.
    pub fn each(&self) -> impl Iterator<Item = &Item> {
        let mut next: Vec<&Item> = self.items.iter().rev().collect();
        std::iter::from_fn(move || {
            let item = next.pop()?;
            if let Item::Group(group) = item {
                next.extend(group.items.iter().rev());
            }
            Some(item)
        })
    }

    /// A placed picture.
    pub fn place(&mut self, placing: Placing, opacity: f32) {
        if opacity > 0.0 {
            self.items.push(Item::Placed { placing, opacity });
        }
    }

    /// A fill that lets through what is beneath.
    pub fn fade(&mut self, path: Path, colour: Rgb, blend: Blend, opacity: f32) {
        if !path.is_empty() && opacity > 0.0 {
            self.items.push(Item::Fill {
                path,
                colour,
                blend,
                opacity,
            });
        }
    }
}
