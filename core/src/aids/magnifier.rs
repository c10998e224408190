//! The magnifier: a lens over a part of the glass, that shows what lies beneath it, or elsewhere, larger.

use kurbo::Shape as _;
use serde::{Deserialize, Serialize};

use super::region::{Form, Hold, Region};
use super::within;
use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Map, Point, Rect, Size};

/// How much larger it shows things.
pub const TIMES: (f64, f64) = (1.25, 8.0);
/// Half the width or height of a lens, in glass units.
pub const HALVES: (f64, f64) = (80.0, 700.0);
/// How wide its rim is, in glass units, and the dark line on both sides of that.
const RIM: (f64, f64) = (6.0, 2.0);
/// Half the width of the knob that any tool moves it by: 44 CSS pixels across on a screen of 1280.
const KNOB: f64 = 33.0;
/// How wide the frame is about what a lens shows that stands apart, in glass units.
const FRAME: f64 = 2.5;

/// Seen on anything, for one of the two is far from it.
const LIGHT: Rgb = Rgb::hex(0xF3F0E9);
const DARK: Rgb = Rgb::hex(0x14181D);

/// See the module's description.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Magnifier {
    /// What the lens lies over: a circle or a box.
    pub lens: Region,
    /// The middle of what it shows, in glass units, when it stands apart from that.
    pub shows: Option<Point<Glass>>,
    /// See [`TIMES`].
    pub times: f64,
    /// It is put away, and comes back as it was.
    pub away: bool,
    /// Participants see it.
    pub told: bool,
}

impl Default for Magnifier {
    /// Round, in the upper left corner, put away.
    fn default() -> Self {
        Self {
            lens: Region {
                form: Form::Circle,
                at: Point::new(0.0, 0.0),
                half: (240.0, 240.0),
            },
            shows: None,
            times: 2.0,
            away: true,
            told: true,
        }
    }
}

/// What of a magnifier a hand has hold of.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Held {
    Lens(Hold),
    /// What it shows, while it stands apart from that.
    Shown,
}

impl Magnifier {
    /// Within what a magnifier may be, whatever was sent.
    pub fn settled(mut self, area: Size<Glass>) -> Self {
        self.lens = self.lens.settled(area);
        if !matches!(self.lens.form, Form::Box) {
            self.lens = self.lens.formed(Form::Circle);
        }
        let (w, h) = self.lens.half;
        self.lens.half = (within(w, HALVES, HALVES.0), within(h, HALVES, HALVES.0));
        self.times = within(self.times, TIMES, Self::default().times);
        self.shows = self.shows.map(|at| {
            Point::new(
                within(at.x, (0.0, area.width), area.width / 2.0),
                within(at.y, (0.0, area.height), area.height / 2.0),
            )
        });
        self
    }

    /// The middle of what it shows.
    pub fn middle(&self) -> Point<Glass> {
        self.shows.unwrap_or(self.lens.at)
    }

    /// Where something is seen in the lens that is somewhere on the glass.
    pub fn enlarges(&self) -> Map<Glass, Glass> {
        let (at, from, times) = (self.lens.at, self.middle(), self.times);
        Map::scale_then_move(times, at.x - times * from.x, at.y - times * from.y)
    }

    /// The part of the glass that it shows.
    pub fn part(&self) -> Region {
        Region {
            at: self.middle(),
            half: (self.lens.half.0 / self.times, self.lens.half.1 / self.times),
            form: self.lens.form.clone(),
        }
    }

    /// The upright rectangle about that part.
    pub fn part_bounds(&self) -> Rect<Glass> {
        self.part().bounds()
    }

    /// All that is drawn of the lens itself lies in here.
    pub fn bounds(&self, area: Size<Glass>) -> Rect<Glass> {
        let rim = self.lens.bounds().inflate(RIM.0 + 2.0 * RIM.1);
        let knob = Rect::EMPTY.include(self.knob(area)).inflate(KNOB);
        rim.union(&knob)
    }

    /// Where the frame about what it shows is drawn; empty while the two are one.
    pub fn frame_bounds(&self) -> Rect<Glass> {
        match self.shows {
            Some(_) if !self.away => self.part_bounds().inflate(3.0 * FRAME),
            _ => Rect::EMPTY,
        }
    }

    /// Stands apart from what it shows, beside that, or lies over it again.
    pub fn apart(&self, apart: bool, area: Size<Glass>) -> Self {
        let mut changed = self.clone();
        if apart && self.shows.is_none() {
            changed.shows = Some(self.lens.at);
            let off = self.lens.half.0 + self.part().half.0 + KNOB;
            let (right, left) = (self.lens.at.x + off, self.lens.at.x - off);
            let fits = right + self.lens.half.0 <= area.width || left < self.lens.half.0;
            changed.lens.at.x = if fits { right } else { left };
        } else if !apart && let Some(at) = changed.shows.take() {
            changed.lens.at = at;
        }
        changed.settled(area)
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

    /// Out, and showing what is here.
    pub fn brought(&self, at: Point<Glass>) -> Self {
        let mut brought = Self {
            away: false,
            ..self.clone()
        };
        match &mut brought.shows {
            Some(shows) => *shows = at,
            None => brought.lens.at = at,
        }
        brought
    }

    /// Of another form, in the same place.
    pub fn formed(&self, form: Form) -> Self {
        Self {
            lens: self.lens.formed(form),
            ..self.clone()
        }
    }

    /// So many times as large.
    pub fn with_times(&self, times: f64) -> Self {
        Self {
            times: within(times, TIMES, self.times),
            ..self.clone()
        }
    }

    /// What a hand that holds it takes hold of at a place, if anything.
    pub fn hold(&self, at: Point<Glass>, area: Size<Glass>) -> Option<Held> {
        if self.on_knob(at, area) {
            return Some(Held::Lens(Hold::Whole));
        }
        if let Some(hold) = self.lens.hold(at) {
            return Some(Held::Lens(hold));
        }
        (self.shows.is_some() && self.part().hold(at).is_some()).then_some(Held::Shown)
    }

    /// As it is when what was taken hold of at `from` is pulled to `to`.
    pub fn pulled(&self, held: Held, from: Point<Glass>, to: Point<Glass>) -> Self {
        let mut pulled = self.clone();
        match held {
            Held::Lens(hold) => pulled.lens = self.lens.pulled(hold, from, to),
            Held::Shown => {
                let was = self.middle();
                pulled.shows = Some(Point::new(was.x + to.x - from.x, was.y + to.y - from.y));
            }
        }
        pulled
    }

    /// Whether a place is on its knob.
    pub fn on_knob(&self, at: Point<Glass>, area: Size<Glass>) -> bool {
        self.knob(area).distance(at) <= KNOB
    }

    /// The middle of its knob: on the rim, in the first of its corners that is in the picture.
    pub fn knob(&self, area: Size<Glass>) -> Point<Glass> {
        let (w, h) = match self.lens.form {
            Form::Box => self.lens.half,
            _ => {
                let diagonal = std::f64::consts::FRAC_1_SQRT_2;
                (self.lens.half.0 * diagonal, self.lens.half.1 * diagonal)
            }
        };
        let inside = Rect::of_size(area).inflate(-KNOB);
        let corners = [(1.0, 1.0), (-1.0, 1.0), (1.0, -1.0), (-1.0, -1.0)];
        let mut corners =
            corners.map(|(x, y)| Point::new(self.lens.at.x + x * w, self.lens.at.y + y * h));
        let fits = corners.iter().position(|p| inside.contains(*p));
        corners.swap(0, fits.unwrap_or(0));
        corners[0]
    }

    /// Draws its rim, and for the presenter the knob that it is moved by.
    pub fn paint_rim(&self, area: Size<Glass>, knob: bool, list: &mut DisplayList) {
        let (rim, dark) = RIM;
        ring(&self.lens, 0.0, rim + 2.0 * dark, DARK, list);
        ring(&self.lens, dark, rim, LIGHT, list);
        if knob {
            let at = self.knob(area);
            list.fill(Path::disc(at, KNOB - 6.0), DARK, Blend::Over);
            list.fill(Path::disc(at, KNOB - 8.0), LIGHT, Blend::Over);
            // Four arrowheads: it goes wherever it is pulled.
            let mut arrows = Path::default();
            for (x, y) in [(1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0)] {
                let place = |along: f64, aside: f64| {
                    (at.x + x * along - y * aside, at.y + y * along + x * aside)
                };
                arrows.polygon([place(19.0, 0.0), place(11.0, 7.0), place(11.0, -7.0)]);
            }
            list.fill(arrows, DARK, Blend::Over);
        }
    }

    /// Draws the frame about what it shows, while it stands apart from that.
    pub fn paint_frame(&self, list: &mut DisplayList) {
        if self.frame_bounds().is_empty() {
            return;
        }
        let part = self.part();
        ring(&part, 0.0, 3.0 * FRAME, DARK, list);
        ring(&part, FRAME, FRAME, LIGHT, list);
    }
}

/// Draws a band outside of a region: `off` away from it, and so wide.
fn ring(region: &Region, off: f64, wide: f64, colour: Rgb, list: &mut DisplayList) {
    let grown = |by: f64| {
        let half = (region.half.0 + by, region.half.1 + by);
        Region {
            half,
            ..region.clone()
        }
        .path()
    };
    let mut band = grown(off + wide);
    let inner = grown(off);
    let turns = band.area().signum() == inner.area().signum();
    band.extend(match turns {
        true => inner.reverse_subpaths(),
        false => inner,
    });
    list.fill(Path::from(&band), colour, Blend::Over);
}
