//! How much there may be to work out for marks: one budget, held to at every door.
//!
//! A mark costs as many points as its outline has. A few bytes can ask for millions of them: a
//! dotted line a thousand miles long, a glyph of ten thousand curves set ten thousand times. So the
//! points are counted before anything is drawn, and counting stops where the budget ends: it takes
//! no memory, and no longer than the largest mark that is let through.

use kurbo::ParamCurveArclen;

use crate::ink::centreline::Node;
use crate::ink::curve::Curve;
use crate::ink::outline::{Dir, disc_points, gentle};
use crate::ink::tip::Tip;
use crate::marks::mark::{Body, Mark, MarkFault};
use crate::marks::shape::Shape;
use crate::marks::text::Text;

/// The most points that the outline of one mark may have. A page of typed words has 250 000; the longest
/// stroke that there may be, scribbled with the widest swatch, a million.
pub const MARK: usize = 2_000_000;

/// The most points that the marks of one change, or of one file, may have together: 6000
/// handwritten words have 1.5 million.
pub const TOGETHER: usize = 6_000_000;

/// How far outlines may be off where they are counted, in units: finer than they are drawn on a
/// stage four times enlarged.
const TOLERANCE: f64 = 0.02;

/// Counts points until there are too many.
struct Count {
    left: usize,
}

/// There are more points than the budget has.
struct Spent;

impl Count {
    fn take(&mut self, points: usize) -> Result<(), Spent> {
        self.left = self.left.checked_sub(points).ok_or(Spent)?;
        Ok(())
    }
}

impl Count {
    /// A rim has as many points again, and more where it bends: it is wider.
    fn rim(&mut self, mark: &Mark) -> Result<(), Spent> {
        let ink = MARK - self.left;
        self.take(if mark.style.rim().is_some() {
            2 * ink
        } else {
            0
        })
    }
}

/// How many points the outline of a mark has, at most and roughly: never fewer than half of what
/// [`Mark::fills`] makes.
///
/// # Errors
/// When there are more than [`MARK`].
pub fn of_mark(mark: &Mark) -> Result<usize, MarkFault> {
    let mut count = Count { left: MARK };
    let counted = match &mark.body {
        Body::Stroke(curve) => {
            let once = stroke(&mut count, curve, mark.style.tip);
            once.and_then(|()| count.rim(mark))
        }
        Body::Shape(shape) => {
            let once = self::shape(&mut count, shape, mark);
            once.and_then(|()| count.rim(mark))
        }
        Body::Stamp(stamp) => count.take(20 * disc_points(stamp.half())),
        Body::Text(text) => self::text(&mut count, text),
        Body::Picture(_) => count.take(4),
    };
    match counted {
        Ok(()) => Ok(MARK - count.left),
        Err(Spent) => Err(MarkFault::TooMuch),
    }
}

/// The nodes of a flattened stroke: two points each, and a disc where the ribbon may not bend.
fn stroke(count: &mut Count, curve: &Curve, tip: Tip) -> Result<(), Spent> {
    let around = |radius: f64| match tip {
        Tip::Round | Tip::Rimmed => disc_points(radius),
        Tip::Flat => 10,
    };
    count.take(around(curve.start.radius()))?;
    let mut last = Node {
        at: curve.start.position(),
        radius: curve.start.radius(),
    };
    let mut came: Option<Dir> = None;
    for cubic in curve.cubics() {
        let steps = cubic.steps(TOLERANCE);
        for i in 1..=steps {
            let node = cubic.at(f64::from(i) / f64::from(steps));
            if node.at == last.at {
                continue;
            }
            let goes = Dir::between(&[last, node]);
            let bent = came.is_some_and(|came| !gentle(last.radius, came, goes));
            count.take(match (tip, bent) {
                (Tip::Round | Tip::Rimmed, false) => 2,
                (Tip::Round | Tip::Rimmed, true) => 2 + around(last.radius),
                (Tip::Flat, _) => around(last.radius),
            })?;
            (last, came) = (node, Some(goes));
        }
    }
    count.take(around(last.radius))
}

/// A line with its dashes, each with two round ends.
fn shape(count: &mut Count, shape: &Shape, mark: &Mark) -> Result<(), Spent> {
    let width = f64::from(mark.style.width);
    let ends = disc_points(width / 2.0) + 8;
    let dash: f64 = mark.style.dash.pattern().iter().sum::<f64>() * width;
    for segment in shape.line().segments() {
        let dashes = match dash > 0.0 {
            true => (segment.arclen(width.max(1.0)) / dash).ceil(),
            false => 1.0,
        };
        // What is not a number of dashes that can be counted is too many.
        let dashes = if dashes < MARK as f64 {
            dashes as usize
        } else {
            MARK
        };
        count.take(dashes.max(1).saturating_mul(ends))?;
    }
    count.take(2 * ends)
}

fn text(count: &mut Count, text: &Text) -> Result<(), Spent> {
    for placed in &text.placed {
        let glyph = text.glyphs.get(usize::from(placed.glyph));
        count.take(glyph.map_or(0, |g| g.coords.len() / 2))?;
    }
    Ok(())
}

/// Checks marks that come together: each by itself, and the sum of what they cost.
///
/// # Errors
/// The first fault that is found.
pub fn check_all<'a>(marks: impl IntoIterator<Item = &'a Mark>) -> Result<(), MarkFault> {
    let mut left = TOGETHER;
    for mark in marks {
        let cost = mark.check()?;
        left = left.checked_sub(cost).ok_or(MarkFault::TooMuchTogether)?;
    }
    Ok(())
}
