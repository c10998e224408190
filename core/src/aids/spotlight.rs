//! The spotlight: everything is dimmed but what it lights.
//!
//! It is drawn as a dark sheet over the whole glass, out of which what is lit is cut; several lights add
//! up.

use kurbo::{BezPath, Shape as _};
use serde::{Deserialize, Serialize};

use super::within;
use crate::display::colour::BLACK;
use crate::display::{Blend, DisplayList, Group, Item, Path};
use crate::geometry::frames::{Glass, Point, Rect, Size};

/// The most lights at once.
pub const MOST: usize = 8;
/// Half the width or height of a light, in glass units.
pub const HALVES: (f64, f64) = (20.0, 1500.0);
/// How dark the rest may be: from just seen to black.
pub const DIMNESS: (f64, f64) = (0.2, 1.0);
/// How softly a soft edge ends: the standard deviation of its blur, in glass units.
const SOFTNESS: f32 = 12.0;
/// How far from a light's edge a hand may be that takes hold of it, as a fraction of the light's smaller
/// half, and at the most in glass units.
const EDGE: (f64, f64) = (0.35, 40.0);
/// The most corners of a light that has a mark's shape.
const MOST_CORNERS: usize = 400;

/// What form a light has.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    Oval,
    /// As wide as it is high, however it is resized.
    Circle,
    Box,
    /// What a mark encloses: corners round the middle, in halves of the width and height.
    Loop(Vec<(f64, f64)>),
}

/// A part of the glass that is lit.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Light {
    pub form: Form,
    /// Its middle, in glass units.
    pub at: Point<Glass>,
    /// Half its width and height, in glass units.
    pub half: (f64, f64),
}

/// What is lit, and how dark the rest is.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Spotlight {
    /// The one that a hand had hold of last stands at the end.
    pub lights: Vec<Light>,
    /// 0 hides nothing, 1 all: see [`DIMNESS`].
    pub dimness: f64,
    pub soft: bool,
    /// It is put away, and comes back as it was.
    pub away: bool,
    /// Participants see it.
    pub told: bool,
}

impl Default for Spotlight {
    /// One light in the upper left corner, put away.
    fn default() -> Self {
        Self {
            lights: vec![Light {
                form: Form::Oval,
                at: Point::new(0.0, 0.0),
                half: (280.0, 190.0),
            }],
            dimness: 0.65,
            soft: true,
            away: true,
            told: true,
        }
    }
}

/// What of a light a hand has hold of.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Hold {
    Whole,
    /// Its edge: pulling makes it wider, higher, or both.
    Edge {
        wide: bool,
        high: bool,
    },
}

impl Light {
    /// The light that what a line encloses gives: out to where the line is farthest in each direction from
    /// the middle, since what a hand has drawn crosses itself. `None` for fewer than three places.
    ///
    /// Cost: the square of the number of places, up to [`MOST_CORNERS`] of them.
    pub fn enclosed(line: &[Point<Glass>]) -> Option<Self> {
        let bounds = line.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
        if line.len() < 3 || bounds.is_empty() {
            return None;
        }
        let every = line.len().div_ceil(MOST_CORNERS);
        let line: Vec<Point<Glass>> = line.iter().copied().step_by(every).collect();
        let at = bounds.middle();
        let half = (bounds.width() / 2.0, bounds.height() / 2.0);
        let mut angles: Vec<f64> = line
            .iter()
            .map(|p| (p.y - at.y).atan2(p.x - at.x))
            .collect();
        angles.sort_by(f64::total_cmp);
        let edges = || line.iter().zip(line.iter().cycle().skip(1));
        let farthest = |angle: f64| {
            let (sin, cos) = angle.sin_cos();
            let out = edges().filter_map(|(a, b)| crossing(at, (cos, sin), *a, *b));
            let out = out.fold(0.0, f64::max);
            (out * cos / half.0, out * sin / half.1)
        };
        let form = Form::Loop(angles.into_iter().map(farthest).collect());
        let half = (half.0.max(HALVES.0), half.1.max(HALVES.0));
        Some(Self { form, at, half })
    }

    /// Whether a place is lit by it.
    pub fn lights(&self, at: Point<Glass>) -> bool {
        self.path().winding(kurbo::Point::new(at.x, at.y)) != 0
    }

    /// What a hand takes hold of at a place, if anything.
    pub fn hold(&self, at: Point<Glass>) -> Option<Hold> {
        let (x, y) = (
            (at.x - self.at.x).abs() / self.half.0,
            (at.y - self.at.y).abs() / self.half.1,
        );
        // How far out it is, 1 on the edge.
        let out = match self.form {
            Form::Oval | Form::Circle => x.hypot(y),
            Form::Box | Form::Loop(_) => x.max(y),
        };
        let reach = EDGE.0.min(EDGE.1 / self.half.0.min(self.half.1));
        if (out - 1.0).abs() <= reach {
            // Near a corner both grow.
            let (wide, high) = (x >= 0.5 * out, y >= 0.5 * out);
            return Some(Hold::Edge { wide, high });
        }
        (out < 1.0).then_some(Hold::Whole)
    }

    /// As it is when what was taken hold of at `from` is pulled to `to`.
    pub fn pulled(&self, hold: Hold, from: Point<Glass>, to: Point<Glass>) -> Self {
        let (dx, dy) = (to.x - from.x, to.y - from.y);
        let mut pulled = self.clone();
        match hold {
            Hold::Whole => pulled.at = Point::new(self.at.x + dx, self.at.y + dy),
            Hold::Edge { wide, high } => {
                // Away from the middle it grows, whichever side it is held at.
                let (outx, outy) = ((from.x - self.at.x).signum(), (from.y - self.at.y).signum());
                let grown = |half: f64, by: f64| within(half + by, HALVES, half);
                let (w, h) = (self.half.0, self.half.1);
                pulled.half = (
                    if wide { grown(w, dx * outx) } else { w },
                    if high { grown(h, dy * outy) } else { h },
                );
                if matches!(self.form, Form::Circle) {
                    let radius = from.distance(self.at);
                    let grows = to.distance(self.at) - radius;
                    pulled.half = (grown(w, grows), grown(w, grows));
                }
            }
        }
        pulled
    }

    /// Larger by a factor, about its middle; its form stays.
    pub fn grown(&self, by: f64) -> Self {
        // Both sides by the same, as far as either can go.
        let (least, most) = (self.half.0.min(self.half.1), self.half.0.max(self.half.1));
        let by = within(by, (HALVES.0 / least, HALVES.1 / most), 1.0);
        Self {
            half: (self.half.0 * by, self.half.1 * by),
            ..self.clone()
        }
    }

    /// Of another form, in the same place.
    pub fn formed(&self, form: Form) -> Self {
        let half = match form {
            Form::Circle => {
                let radius = (self.half.0 * self.half.1).sqrt();
                (radius, radius)
            }
            _ => self.half,
        };
        Self {
            form,
            half,
            ..self.clone()
        }
    }

    /// Its outline.
    fn path(&self) -> BezPath {
        /// How far the curves may be off, in units.
        const TOLERANCE: f64 = 0.05;
        let (x, y) = (self.at.x, self.at.y);
        let (w, h) = self.half;
        match &self.form {
            Form::Oval | Form::Circle => {
                kurbo::Ellipse::new((x, y), (w, h), 0.0).to_path(TOLERANCE)
            }
            Form::Box => kurbo::Rect::new(x - w, y - h, x + w, y + h).to_path(TOLERANCE),
            Form::Loop(corners) => {
                let mut path = BezPath::new();
                for (i, (cx, cy)) in corners.iter().enumerate() {
                    let at = (x + cx * w, y + cy * h);
                    match i {
                        0 => path.move_to(at),
                        _ => path.line_to(at),
                    }
                }
                path.close_path();
                path
            }
        }
    }

    fn settled(mut self, area: Size<Glass>) -> Self {
        let at = self.at;
        self.at = Point::new(
            within(at.x, (0.0, area.width), area.width / 2.0),
            within(at.y, (0.0, area.height), area.height / 2.0),
        );
        let (w, h) = self.half;
        self.half = (within(w, HALVES, 200.0), within(h, HALVES, 200.0));
        if let Form::Loop(corners) = &mut self.form {
            corners.truncate(MOST_CORNERS);
            for (x, y) in corners {
                (*x, *y) = (within(*x, (-1.0, 1.0), 0.0), within(*y, (-1.0, 1.0), 0.0));
            }
        }
        self
    }
}

/// How far from `at` in a direction of length 1 an edge is crossed, its ends included; `None` when it is
/// not.
fn crossing(
    at: Point<Glass>,
    (cos, sin): (f64, f64),
    a: Point<Glass>,
    b: Point<Glass>,
) -> Option<f64> {
    /// How far beside an end still counts, in units.
    const SLACK: f64 = 1e-6;
    let along = |p: Point<Glass>| (p.x - at.x) * cos + (p.y - at.y) * sin;
    let beside = |p: Point<Glass>| (p.y - at.y) * cos - (p.x - at.x) * sin;
    let (from, to) = (beside(a), beside(b));
    if (from > SLACK && to > SLACK) || (from < -SLACK && to < -SLACK) {
        return None;
    }
    let t = match (to - from).abs() > SLACK {
        true => (-from / (to - from)).clamp(0.0, 1.0),
        false => 1.0,
    };
    let out = along(a) + t * (along(b) - along(a));
    (out >= 0.0).then_some(out)
}

impl Spotlight {
    /// Within what a spotlight may be, whatever was sent.
    pub fn settled(mut self, area: Size<Glass>) -> Self {
        self.lights.truncate(MOST);
        let lights = std::mem::take(&mut self.lights).into_iter();
        self.lights = lights.map(|light| light.settled(area)).collect();
        if self.lights.is_empty() {
            self = Self {
                away: true,
                ..Self::default()
            };
        }
        self.dimness = within(self.dimness, DIMNESS, Self::default().dimness);
        self
    }

    /// The light that a hand had hold of last; a spotlight that was settled has one.
    pub fn last(&self) -> Option<&Light> {
        self.lights.last()
    }

    /// The same, in the place of what it was.
    pub fn with_last(&self, light: Light) -> Self {
        let mut changed = self.clone();
        changed.lights.pop();
        changed.lights.push(light);
        changed
    }

    /// Out there, with its last light here.
    pub fn brought(&self, at: Point<Glass>) -> Self {
        let mut brought = self.clone();
        if let Some(last) = brought.lights.last_mut() {
            last.at = at;
        }
        Self {
            away: false,
            ..brought
        }
    }

    /// It comes out as it was, to where something points; one that was never out, into the middle.
    pub fn out(known: Option<Self>, points_at: Option<Point<Glass>>, middle: Point<Glass>) -> Self {
        let at = points_at.or(known.is_none().then_some(middle));
        let known = known.unwrap_or_default();
        match at {
            Some(at) => known.brought(at),
            None => Self {
                away: false,
                ..known
            },
        }
    }

    /// With another light beside the last, as large as that; as it is when there are [`MOST`].
    pub fn with_another(&self, area: Size<Glass>) -> Self {
        let mut more = self.clone();
        if let Some(last) = self.last()
            && self.lights.len() < MOST
        {
            let right = last.at.x + 2.2 * last.half.0;
            let x = match right <= area.width {
                true => right,
                false => last.at.x - 2.2 * last.half.0,
            };
            more.lights.push(Light {
                at: Point::new(x, last.at.y),
                ..last.clone()
            });
        }
        more.settled(area)
    }

    /// Without its last light, if there is another.
    pub fn with_one_fewer(&self) -> Self {
        let mut fewer = self.clone();
        if fewer.lights.len() > 1 {
            fewer.lights.pop();
        }
        fewer
    }

    /// The light that is taken hold of at a place, and how; it stands last then.
    pub fn taken(&mut self, at: Point<Glass>) -> Option<Hold> {
        let held = |light: &Light| light.hold(at);
        let n = self.lights.iter().rposition(|l| held(l).is_some())?;
        let light = self.lights.remove(n);
        let hold = held(&light);
        self.lights.push(light);
        hold
    }

    /// Draws the dark sheet over an area, unless it is put away.
    pub fn paint(&self, area: Size<Glass>, list: &mut DisplayList) {
        if self.away {
            return;
        }
        // Further than the blur reaches, so that the sides of the picture are as dark as the rest.
        let all = Rect::of_size(area).inflate(8.0 * f64::from(SOFTNESS));
        let mut sheet = Path::default();
        sheet.rect(&all);
        let mut dark = vec![Item::Fill {
            path: sheet.clone(),
            colour: BLACK,
            blend: Blend::Over,
            opacity: self.dimness as f32,
        }];
        // What lies outside of one light and outside of the next lies outside of both: each cuts its own
        // hole.
        for light in &self.lights {
            let hole = light.path();
            let hole = match hole.area() > 0.0 {
                true => hole.reverse_subpaths(),
                false => hole,
            };
            let mut clip = sheet.clone();
            clip.append(&Path::from(&hole));
            dark = vec![Item::Group(Group {
                clip: Some(clip),
                ..Group::of(dark)
            })];
        }
        list.items.push(Item::Group(Group {
            softness: if self.soft { SOFTNESS } else { 0.0 },
            ..Group::of(dark)
        }));
    }
}
