//! Marks: anything drawn.

use serde::{Deserialize, Serialize};

use crate::colour::Rgb;
use crate::display::{Blend, Path};
use crate::frames::{Held, Ink, Map, Rect};
use crate::ids::{AuthorId, MarkId};
use crate::ink::outline::outline;
use crate::ink::{MAX_POINTS, Points, UNITS};

/// The shape of a pen's end.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Tip {
    /// A pen: covers what is beneath.
    Round,
    /// A highlighter: multiplies with what is beneath, which stays readable.
    Flat,
}

/// What a mark looks like.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Style {
    pub tip: Tip,
    pub colour: Rgb,
    /// The swatch's width in glass units, as it was when the mark was made.
    pub width: f32,
}

impl Style {
    pub fn layer(&self) -> Layer {
        match self.tip {
            Tip::Round => Layer::Ink,
            Tip::Flat => Layer::Highlighter,
        }
    }

    pub fn blend(&self) -> Blend {
        match self.tip {
            Tip::Round => Blend::Over,
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
    pub const ALL: [Layer; 2] = [Layer::Highlighter, Layer::Ink];
}

/// What a mark is made of.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Body {
    Stroke(Points),
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
}

/// Marks reach at most this far from the origin of what holds them, in its units.
pub const REACH: f64 = 1_000_000.0;

/// The widest ink, in units.
pub const MAX_WIDTH: f64 = 1000.0;

/// Why a mark cannot be.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error, Serialize, Deserialize)]
pub enum MarkFault {
    #[error("a stroke needs at least one point")]
    Empty,
    #[error("a stroke has at most {MAX_POINTS} points")]
    TooManyPoints,
    #[error("a number in the mark is not a number")]
    NotFinite,
    #[error("the mark lies outside all bounds")]
    OutOfBounds,
    #[error("the ink has no width, or more than {MAX_WIDTH} units of it")]
    Width,
}

impl Mark {
    /// Refuses what no hand can have drawn.
    pub fn check(&self) -> Result<(), MarkFault> {
        check_style(&self.style)?;
        check_transform(&self.transform)?;
        let Body::Stroke(points) = &self.body;
        if points.0.is_empty() {
            return Err(MarkFault::Empty);
        }
        check_points(points)?;
        let bounds = self.bounds();
        let reach = [bounds.x0, bounds.y0, bounds.x1, bounds.y1];
        if reach.iter().any(|v| !v.is_finite() || v.abs() > REACH) {
            return Err(MarkFault::OutOfBounds);
        }
        Ok(())
    }

    /// A rectangle that contains the mark, in the frame of what holds it.
    pub fn bounds(&self) -> Rect<Held> {
        let Body::Stroke(points) = &self.body;
        self.transform.apply_rect(&points.bounds())
    }

    /// The filled outline, in the mark's own frame.
    pub fn outline(&self) -> Path {
        let Body::Stroke(points) = &self.body;
        outline(&points.0, self.style.tip)
    }
}

/// Refuses a width that is not a number, or none, or too much.
pub fn check_style(style: &Style) -> Result<(), MarkFault> {
    if !style.width.is_finite() {
        return Err(MarkFault::NotFinite);
    }
    if style.width <= 0.0 || f64::from(style.width) > MAX_WIDTH {
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

/// Refuses too many points, points out of reach and impossible widths. No points are fine here.
pub fn check_points(points: &Points) -> Result<(), MarkFault> {
    if points.0.len() > MAX_POINTS {
        return Err(MarkFault::TooManyPoints);
    }
    let far = (REACH * UNITS) as i64;
    for p in &points.0 {
        if i64::from(p.x).abs() > far || i64::from(p.y).abs() > far {
            return Err(MarkFault::OutOfBounds);
        }
        if p.w <= 0 || f64::from(p.w) > MAX_WIDTH * 2.0 * UNITS {
            return Err(MarkFault::Width);
        }
    }
    Ok(())
}
