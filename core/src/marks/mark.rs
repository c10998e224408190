//! Marks: anything drawn.

use serde::{Deserialize, Serialize};

use crate::display::colour::Rgb;
use crate::display::{Blend, Path};
use crate::geometry::frames::{Held, Ink, Map, Rect};
use crate::geometry::ids::{AuthorId, MarkId};
use crate::ink::curve::Curve;
use crate::ink::outline::{outline_of, rim_of};
use crate::ink::tip::{Tip, rim};
use crate::ink::{InkPoint, MAX_POINTS, Points, UNITS};
use crate::marks::budget;
use crate::marks::fading::{Fading, STAYS};
use crate::marks::picture::Placement;
use crate::marks::shape::{Dash, Shape};
use crate::marks::stamp::Stamp;
use crate::marks::text::{MOST as MOST_TEXT, Text};

/// What a mark looks like.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Style {
    pub tip: Tip,
    pub colour: Rgb,
    /// The swatch's width in glass units, as it was when the mark was made.
    pub width: f32,
    /// How the lines of shapes are broken.
    pub dash: Dash,
    /// What closed shapes are filled with.
    pub fill: Option<Rgb>,
}

impl Style {
    /// An unbroken line, nothing filled.
    pub const fn new(tip: Tip, colour: Rgb, width: f32) -> Self {
        Self {
            tip,
            colour,
            width,
            dash: Dash::Solid,
            fill: None,
        }
    }

    /// The colour of the ink's rim and how wide that is on each side, if it has one.
    pub fn rim(&self) -> Option<(Rgb, f64)> {
        let rimmed = self.tip == Tip::Rimmed;
        rimmed.then(|| (self.colour.rim(), rim(f64::from(self.width))))
    }

    /// The layer that a mark of this style lies on.
    pub fn layer(&self) -> Layer {
        match self.tip {
            Tip::Round | Tip::Rimmed => Layer::Ink,
            Tip::Flat => Layer::Highlighter,
        }
    }

    /// How it mixes with what it lies on: a highlighter lets dark writing through on light ground, and
    /// light writing on dark ground.
    pub fn blend_on(&self, dark: bool) -> Blend {
        match self.blend() {
            Blend::Multiply if dark => Blend::Screen,
            blend => blend,
        }
    }

    /// How it mixes with light paper.
    pub fn blend(&self) -> Blend {
        match self.tip {
            Tip::Round | Tip::Rimmed => Blend::Over,
            Tip::Flat => Blend::Multiply,
        }
    }
}

/// The two coats of marks: highlighter always lies beneath ink, whichever came first, as it does on
/// paper.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
#[repr(u8)]
pub enum Layer {
    Highlighter = 0,
    Ink = 1,
}

impl Layer {
    /// From the bottom up.
    pub const ALL: [Layer; 2] = [Layer::Highlighter, Layer::Ink];
}

/// What a mark is made of.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Body {
    Stroke(Curve),
    Shape(Shape),
    Stamp(Stamp),
    Text(Text),
    Picture(Placement),
}

/// Anything drawn.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Mark {
    pub id: MarkId,
    pub author: AuthorId,
    pub style: Style,
    pub body: Body,
    /// From the mark's own frame to the frame of what holds it.
    pub transform: Map<Ink, Held>,
    /// Height among the marks of its layer: higher covers lower; equal heights go by id.
    pub z: i64,
    /// Milliseconds since 1970 by the server's clock; 0 until it has its place in the log.
    pub made_at: u64,
    /// For ink that fades.
    pub fades: Option<Fading>,
}

/// Marks reach at most this far from the origin of what holds them, in its units.
pub const REACH: f64 = 1_000_000.0;

/// The widest ink, in units.
pub const MAX_WIDTH: f64 = 1000.0;

/// The thinnest line of a shape, in units: a tenth of the thinnest swatch.
pub const MIN_WIDTH: f64 = 0.1;

/// Why a mark cannot be.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error, Serialize, Deserialize)]
pub enum MarkFault {
    #[error("a stroke needs at least one point")]
    Empty,
    #[error("a stroke has at most {MAX_POINTS} points")]
    TooManyPoints,
    #[error("the shape has too few points, or too many")]
    Shape,
    #[error("ink stays between 1 and 20 seconds before it fades")]
    Fading,
    #[error("a text has at most {MOST_TEXT} bytes, between 8 and 400 units high")]
    Text,
    #[error("the placed picture has no area")]
    Picture,
    #[error("a number in the mark is not a number")]
    NotFinite,
    #[error("the mark lies outside all bounds")]
    OutOfBounds,
    #[error("the ink has less than {MIN_WIDTH} or more than {MAX_WIDTH} units of width")]
    Width,
    #[error("there is more to draw in it than a screen can show")]
    TooMuch,
    #[error("there is more to draw in all of it than can be drawn at once")]
    TooMuchTogether,
}

impl Mark {
    /// A mark that lasts, not yet in any log.
    pub fn new(
        id: MarkId,
        author: AuthorId,
        style: Style,
        body: Body,
        transform: Map<Ink, Held>,
        z: i64,
    ) -> Self {
        Self {
            id,
            author,
            style,
            body,
            transform,
            z,
            made_at: 0,
            fades: None,
        }
    }

    /// Refuses what no hand can have drawn, and what would take too much to draw. Gives what it costs
    /// to draw: see [`budget`].
    pub fn check(&self) -> Result<usize, MarkFault> {
        check_style(&self.style)?;
        check_transform(&self.transform)?;
        match &self.body {
            Body::Stroke(curve) => check_curve(curve)?,
            Body::Shape(shape) if !shape.complete() => return Err(MarkFault::Shape),
            Body::Shape(_) => {}
            Body::Stamp(stamp) => {
                if stamp.half <= 0 || stamp.half() > MAX_WIDTH {
                    return Err(MarkFault::Width);
                }
            }
            Body::Text(text) if text.content.trim().is_empty() => return Err(MarkFault::Empty),
            Body::Text(text) if !text.is_sound() => return Err(MarkFault::Text),
            Body::Text(_) => {}
            Body::Picture(placed) if !placed.is_sound() => return Err(MarkFault::Picture),
            Body::Picture(_) => {}
        }
        let cost = budget::of_mark(self)?;
        if self.fades.is_some_and(|f| !STAYS.contains(&f.stay)) {
            return Err(MarkFault::Fading);
        }
        let bounds = self.bounds();
        let reach = [bounds.x0, bounds.y0, bounds.x1, bounds.y1];
        if reach.iter().any(|v| !v.is_finite() || v.abs() > REACH) {
            return Err(MarkFault::OutOfBounds);
        }
        Ok(cost)
    }

    /// The mark with the looks of another style. A stroke's width follows in proportion; a shape's
    /// dashes stay, and its fill takes the new colour's tint.
    pub fn restyled(&self, style: &Style) -> Self {
        let mut mark = self.clone();
        let by = f64::from(style.width) / f64::from(self.style.width);
        if let Body::Stroke(curve) = &mut mark.body {
            curve.widen(by);
        }
        let fill = self.style.fill.map(|_| style.colour.tint());
        mark.style = Style {
            dash: self.style.dash,
            fill,
            ..*style
        };
        mark
    }

    /// The box of what is taken hold of as a whole: a text, a placed picture. In its own frame.
    pub fn block(&self) -> Option<Rect<Ink>> {
        match &self.body {
            Body::Text(text) => Some(text.area()),
            Body::Picture(placed) => Some(placed.area()),
            Body::Stroke(_) | Body::Shape(_) | Body::Stamp(_) => None,
        }
    }

    /// A rectangle that contains the mark, in the frame of what holds it.
    pub fn bounds(&self) -> Rect<Held> {
        self.transform.apply_rect(&self.own_bounds())
    }

    /// A rectangle that contains the mark, in its own frame.
    pub fn own_bounds(&self) -> Rect<Ink> {
        let rim = self.style.rim().map_or(0.0, |(_, wide)| wide);
        match &self.body {
            Body::Stroke(curve) => curve.bounds().inflate(rim),
            Body::Shape(shape) => shape.bounds(f64::from(self.style.width)).inflate(rim),
            Body::Stamp(stamp) => stamp.bounds(),
            Body::Text(text) => text.bounds(),
            Body::Picture(placed) => placed.area(),
        }
    }

    /// What is filled to show the mark, from the bottom up, in its own frame; at most `tolerance`
    /// units off.
    pub fn fills(&self, tolerance: f64) -> Vec<(Path, Rgb)> {
        let style = &self.style;
        match &self.body {
            Body::Stroke(curve) => {
                let nodes = curve.flatten(tolerance);
                let rim = style
                    .rim()
                    .map(|(colour, wide)| (rim_of(&nodes, wide), colour));
                let ink = (outline_of(&nodes, style.tip), style.colour);
                rim.into_iter().chain([ink]).collect()
            }
            Body::Shape(shape) => {
                let inside = style.fill.and_then(|c| Some((shape.inside()?, c)));
                let line = |rim| shape.outline(f64::from(style.width), rim, style.dash, tolerance);
                let rim = style.rim().map(|(colour, wide)| (line(wide), colour));
                let ink = [(line(0.0), style.colour)];
                inside.into_iter().chain(rim).chain(ink).collect()
            }
            Body::Stamp(stamp) => stamp.fills(style.colour),
            Body::Text(text) => vec![(text.path(), style.colour)],
            // Painted from its pixels.
            Body::Picture(_) => Vec::new(),
        }
    }
}

/// Refuses a width that is not a number, or none, or too much.
pub fn check_style(style: &Style) -> Result<(), MarkFault> {
    if !style.width.is_finite() {
        return Err(MarkFault::NotFinite);
    }
    if !(MIN_WIDTH..=MAX_WIDTH).contains(&f64::from(style.width)) {
        return Err(MarkFault::Width);
    }
    Ok(())
}

/// Refuses maps that are not numbers or flatten the plane.
pub fn check_transform(map: &Map<Ink, Held>) -> Result<(), MarkFault> {
    if !map.is_finite() {
        return Err(MarkFault::NotFinite);
    }
    map.inverse().map(|_| ()).ok_or(MarkFault::OutOfBounds)
}

/// Refuses a stroke out of reach or with impossible widths.
fn check_curve(curve: &Curve) -> Result<(), MarkFault> {
    if curve.pieces.len() > MAX_POINTS {
        return Err(MarkFault::TooManyPoints);
    }
    curve.joints().try_for_each(check_point)
}

/// Refuses too many points, points out of reach and impossible widths. No points are fine here.
pub fn check_points(points: &Points) -> Result<(), MarkFault> {
    if points.0.len() > MAX_POINTS {
        return Err(MarkFault::TooManyPoints);
    }
    points.0.iter().copied().try_for_each(check_point)
}

fn check_point(p: InkPoint) -> Result<(), MarkFault> {
    let far = (REACH * UNITS) as i64;
    if i64::from(p.x).abs() > far || i64::from(p.y).abs() > far {
        return Err(MarkFault::OutOfBounds);
    }
    if p.w <= 0 || f64::from(p.w) > MAX_WIDTH * 2.0 * UNITS {
        return Err(MarkFault::Width);
    }
    Ok(())
}
