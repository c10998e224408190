//! Which pictures of a document's page a screen needs: the whole page at a size that it has at hand
//! for long, and when it is enlarged, the part that is seen at the resolution of the screen.

use crate::frames::{Glass, Point, Rect};

/// A part of a page as pixels of the whole.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct PagePart {
    /// How many pixels wide the whole page is at this resolution.
    pub width: u32,
    /// The part, in these pixels.
    pub x: u32,
    pub y: u32,
    pub w: u32,
    pub h: u32,
    /// Where it lies.
    pub on_glass: Rect<Glass>,
}

/// The widths that a whole page is printed in: few, so that they can be kept.
const STEPS: [u32; 6] = [512, 768, 1024, 1536, 2048, 3072];

/// The width of the whole page for a screen on which it is `width` pixels wide.
///
/// ```
/// use bozzetto_core::page_parts::whole;
/// assert_eq!(whole(763.6), 768);
/// assert_eq!(whole(9000.0), 3072);
/// ```
pub fn whole(width: f64) -> u32 {
    let fits = STEPS.into_iter().find(|s| f64::from(*s) >= width);
    fits.unwrap_or(STEPS[STEPS.len() - 1])
}

/// What more is needed of a page that lies at `lies` and is seen in `room`, on a screen with
/// `device` pixels to a glass unit; nothing as long as the whole page is fine enough.
pub fn detail(lies: &Rect<Glass>, room: &Rect<Glass>, device: f64) -> Option<PagePart> {
    let width = (lies.width() * device).round();
    let seen = lies.intersection(room);
    if width <= f64::from(STEPS[STEPS.len() - 1]) || seen.is_empty() {
        return None;
    }
    let per_unit = width / lies.width();
    let first = |v: f64, from: f64| ((v - from) * per_unit).floor().max(0.0);
    let last = |v: f64, from: f64| ((v - from) * per_unit).ceil();
    let (x0, y0) = (first(seen.x0, lies.x0), first(seen.y0, lies.y0));
    let x1 = last(seen.x1, lies.x0).min(width);
    let y1 = last(seen.y1, lies.y0).min((lies.height() * per_unit).round());
    let at = |x: f64, y: f64| Point::new(lies.x0 + x / per_unit, lies.y0 + y / per_unit);
    Some(PagePart {
        width: width as u32,
        x: x0 as u32,
        y: y0 as u32,
        w: (x1 - x0).max(1.0) as u32,
        h: (y1 - y0).max(1.0) as u32,
        on_glass: Rect::from_corners(at(x0, y0), at(x1, y1)),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is enlarged and moved: the part covers all that is seen, at the screen's own
        /// resolution, and is no larger than the screen and a pixel on every side.
        #[test]
        fn covers_what_is_seen(
            left in 0.0..0.99f64, above in 0.0..0.99f64, width in 4000.0..30000.0f64,
            aspect in 0.3..2.0f64, device in 0.5..3.0f64,
        ) {
            let (x, y) = (-left * width, -above * width * aspect);
            let lies = Rect::from_corners(Point::new(x, y), Point::new(x + width, y + width * aspect));
            let room = Rect::from_corners(Point::new(0.0, 0.0), Point::new(1920.0, 1080.0));
            let seen = lies.intersection(&room);
            prop_assume!(seen.width() > 1.0 && seen.height() > 1.0);
            let Some(part) = detail(&lies, &room, device) else {
                prop_assert!(width * device <= 3072.5);
                return Ok(());
            };
            let r = part.on_glass;
            let pixel = 1.01 / device;
            prop_assert!(r.x0 <= seen.x0 + 1e-6 && r.y0 <= seen.y0 + 1e-6);
            prop_assert!(r.x1 >= seen.x1 - pixel && r.y1 >= seen.y1 - pixel);
            prop_assert!(r.x0 >= seen.x0 - pixel && r.x1 <= seen.x1 + pixel);
            // The whole page is a whole number of pixels wide, which stretches it by half of one.
            let most = |units: f64| units * device * (1.0 + 0.5 / 3072.0) + 2.0;
            prop_assert!(f64::from(part.w) <= most(1920.0) && f64::from(part.h) <= most(1080.0));
            prop_assert!((f64::from(part.w) / r.width() - device).abs() < 0.01 * device);
        }
    }
}
