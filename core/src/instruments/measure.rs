//! Measuring by tapping: distances, the length of a path, an angle, an enclosed area.

use serde::{Deserialize, Serialize};

use super::plane::Plane;
use super::reading::{Place, Reading, of_a_pixel, squared_sign};
use super::scale::Scale;
use crate::display::colour::Rgb;
use crate::display::lettering::{self, Anchor};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Held, Map, Point, Rect};
use crate::geometry::ids::BackdropId;

/// The most places that are measured through.
pub const MOST: usize = 60;
const LINE: Rgb = Rgb::hex(0xD55E00);
const PLATE: Rgb = Rgb::hex(0x14181D);
const WORDS: Rgb = Rgb::hex(0xF3F0E9);
/// How large what is said is, in glass units.
const TYPE: f64 = 30.0;

/// What is being measured.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Measuring {
    /// The backdrop that it is measured on.
    pub on: Option<BackdropId>,
    /// In units of that.
    pub places: Vec<Place>,
    /// The last place is joined to the first.
    pub closed: bool,
    /// How large a pixel is that a place is known to, in units of the backdrop.
    pub pixel: f64,
    pub away: bool,
    pub told: bool,
}

/// What is known of lengths on a backdrop; a plane comes before a scale.
#[derive(Clone, Copy, Debug, Default)]
pub struct Known<'a> {
    pub scale: Option<&'a Scale>,
    pub plane: Option<&'a Plane>,
}

/// What stands between several readings.
pub const BETWEEN: &str = " · ";

/// What is said of it.
#[derive(Clone, PartialEq, Debug)]
pub struct Said {
    pub words: String,
    /// Where it is said, on the glass.
    pub at: Point<Glass>,
}

impl Measuring {
    /// With another place; one near the first closes the path. `reach` is how near, in units of the backdrop.
    pub fn with(&self, place: Place, reach: f64) -> Self {
        let mut more = self.clone();
        let near = |p: &Place| (p.0 - place.0).hypot(p.1 - place.1) < reach;
        if self.closed || self.places.len() >= MOST {
            (more.places, more.closed) = (vec![place], false);
        } else if self.places.len() >= 3 && self.places.first().is_some_and(near) {
            more.closed = true;
        } else {
            more.places.push(place);
        }
        more
    }

    /// All that can be said, the whole first: of two places their distance, of three also the angle in the
    /// middle, of more the length of the path, of a closed one its area and length. On a plane that is
    /// known, or in a scale; without either in `px`, units of the backdrop.
    pub fn readings(&self, known: Known) -> Vec<String> {
        let off = of_a_pixel(self.pixel);
        let mut round = self.places.clone();
        if self.closed {
            round.extend(self.places.first());
        }
        let length = match (known.plane, known.scale) {
            (Some(plane), _) => {
                let length = |p: &[Place]| Reading::length(p, off).value;
                // The last of a closed path is the first again, and moves with it.
                let closed = self.closed;
                let reads = move |p: &[Place]| match closed {
                    true => length(&[p, &p[..1]].concat()),
                    false => length(p),
                };
                let reading = plane.reading(&self.places, off, reads);
                reading.said(plane.unit.sign())
            }
            (None, Some(scale)) => {
                let reading = Reading::length(&round, off).scaled(scale);
                reading.said(scale.unit.sign())
            }
            (None, None) => Reading::length(&round, off).said("px"),
        };
        if self.closed {
            let area = |p: &[Place]| Reading::area(p, off);
            let area = match (known.plane, known.scale) {
                (Some(plane), _) => plane
                    .reading(&self.places, off, |p| area(p).value)
                    .said(&squared_sign(&plane.unit)),
                (None, Some(scale)) => area(&self.places)
                    .scaled_twice(scale)
                    .said(&squared_sign(&scale.unit)),
                (None, None) => area(&self.places).said("px²"),
            };
            return vec![area, length];
        }
        match self.places[..] {
            [] | [_] => Vec::new(),
            [a, at, b] => {
                let angle = |p: &[Place]| Reading::angle(p[0], p[1], p[2], off);
                let angle = match known.plane {
                    Some(plane) => plane.reading(&self.places, off, |p| angle(p).value),
                    None => Reading::angle(a, at, b, off),
                };
                vec![length, angle.said("°")]
            }
            _ => vec![length],
        }
    }

    /// How long its path is on the backdrop, to take a scale from; `None` for fewer than two places.
    pub fn path(&self) -> Option<Reading> {
        (self.places.len() > 1).then(|| Reading::length(&self.places, of_a_pixel(self.pixel)))
    }

    /// The corners of what is taken to be a rectangle, and how well each coordinate is known; `None` for any
    /// other number of places than four.
    pub fn corners(&self) -> Option<([Place; 4], f64)> {
        let corners = <[Place; 4]>::try_from(&self.places[..]).ok()?;
        Some((corners, of_a_pixel(self.pixel)))
    }

    /// With one place fewer: of a closed path, open.
    pub fn shorter(mut self) -> Self {
        if !std::mem::take(&mut self.closed) {
            self.places.pop();
        }
        self
    }

    /// Without any place.
    pub fn emptied(self) -> Self {
        Self {
            places: Vec::new(),
            closed: false,
            ..self
        }
    }

    /// What is said beside its last place, in one line.
    pub fn said(&self, view: &Map<Held, Glass>, known: Known) -> Option<Said> {
        let words = self.readings(known).join(BETWEEN);
        let last = self.places.last()?;
        let at = view.apply(Point::new(last.0, last.1));
        (!words.is_empty()).then_some(Said { words, at })
    }

    /// Where its places are on the glass.
    pub fn on_glass(&self, view: &Map<Held, Glass>) -> Vec<Point<Glass>> {
        let all = self.places.iter();
        all.map(|p| view.apply(Point::new(p.0, p.1))).collect()
    }

    /// A rectangle that contains it.
    pub fn bounds(&self, view: &Map<Held, Glass>) -> Rect<Glass> {
        let places = self.on_glass(view);
        let around = places.iter().fold(Rect::EMPTY, |r, p| r.include(*p));
        // What is said stands beside the last place, as long as it may be.
        if around.is_empty() && places.is_empty() {
            return Rect::EMPTY;
        }
        around.inflate(900.0)
    }

    /// Draws it.
    pub fn paint(
        &self,
        view: &Map<Held, Glass>,
        known: Known,
        area: &Rect<Glass>,
        list: &mut DisplayList,
    ) {
        let places = self.on_glass(view);
        let mut pieces: Vec<[Point<Glass>; 2]> = places.windows(2).map(|w| [w[0], w[1]]).collect();
        if let (true, Some(first), Some(last)) = (self.closed, places.first(), places.last()) {
            pieces.push([*last, *first]);
        }
        for (width, colour) in [(8.0, WORDS), (4.0, LINE)] {
            let mut line = Path::default();
            for [a, b] in &pieces {
                line.append(&bar(*a, *b, width));
            }
            for p in &places {
                line.append(&Path::disc(*p, width + 3.0));
            }
            list.fill(line, colour, Blend::Over);
        }
        if let Some(Said { words, at }) = self.said(view, known) {
            let (wide, high) = (lettering::length(&words) * TYPE + 28.0, TYPE * 1.5);
            let x = (at.x + 26.0).min(area.x1 - wide).max(area.x0);
            let y = match at.y - high - 20.0 {
                y if y >= area.y0 => y,
                _ => at.y + 24.0,
            };
            let mut plate = Path::default();
            plate.rect(&Rect::from_size(x, y, wide, high));
            list.fade(plate, PLATE, Blend::Over, 0.94);
            let foot = (x + 14.0, y + high / 2.0 + TYPE * lettering::HEIGHT / 2.0);
            let words = lettering::words(&words, foot, TYPE, Anchor::Start, 0.0);
            list.fill(words, WORDS, Blend::Over);
        }
    }

    /// Without places that are none.
    pub fn settled(mut self) -> Self {
        self.places.truncate(MOST);
        self.places
            .retain(|p| p.0.is_finite() && p.1.is_finite() && p.0.abs() < 1e7 && p.1.abs() < 1e7);
        self.closed &= self.places.len() > 2;
        if !(self.pixel.is_finite() && self.pixel > 0.0) {
            self.pixel = 1.0;
        }
        self
    }
}

/// A line of even width, with flat ends.
fn bar(a: Point<Glass>, b: Point<Glass>, width: f64) -> Path {
    let length = a.distance(b);
    let mut path = Path::default();
    if length > 0.0 {
        let (nx, ny) = (
            -(b.y - a.y) / length * width / 2.0,
            (b.x - a.x) / length * width / 2.0,
        );
        path.polygon([
            (a.x + nx, a.y + ny),
            (b.x + nx, b.y + ny),
            (b.x - nx, b.y - ny),
            (a.x - nx, a.y - ny),
        ]);
    }
    path
}
