//! The spotlight: everything is dimmed but what it lights.
//!
//! It is drawn as a dark sheet over the whole glass, out of which what is lit is cut; several lights add
//! up.

use kurbo::Shape as _;
use serde::{Deserialize, Serialize};

use super::region::{Form, Hold, Region};
use super::within;
use crate::display::colour::BLACK;
use crate::display::{Blend, DisplayList, Group, Item, Path};
use crate::geometry::frames::{Glass, Point, Rect, Size};

/// The most lights at once.
pub const MOST: usize = 8;
/// How dark the rest may be: from just seen to black.
pub const DIMNESS: (f64, f64) = (0.2, 1.0);
/// How softly a soft edge ends: the standard deviation of its blur, in glass units.
const SOFTNESS: f32 = 12.0;

/// What is lit, and how dark the rest is.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Spotlight {
    /// The one that a hand had hold of last stands at the end.
    pub lights: Vec<Region>,
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
            lights: vec![Region {
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
    pub fn last(&self) -> Option<&Region> {
        self.lights.last()
    }

    /// The same, in the place of what it was.
    pub fn with_last(&self, light: Region) -> Self {
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
            more.lights.push(Region {
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
        let held = |light: &Region| light.hold(at);
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
