//! Which pictures of a document's page a screen needs: the whole page at a size that it has at hand
//! for long, and when it is enlarged, the part that is seen at the resolution of the screen.

use crate::geometry::frames::{Glass, Point, Rect};

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
const STEPS: [u32; 6] = [LEAST, 768, 1024, 1536, 2048, 3072];

/// The least of them.
pub const LEAST: u32 = 512;

/// The widths of a page of which parts are printed, and the grid on which parts begin and end, in
/// pixels: screens of one kind that show the same ask for the same part.
const FINER: [u32; 9] = [
    4096, 6144, 8192, 12_288, 16_384, 24_576, 32_768, 49_152, 65_536,
];
const GRID: u32 = 512;

/// The largest part, in pixels on a side and in all: what a screen of 3840 by 2160 pixels shows, at
/// the next finer width.
const LONGEST_SIDE: u32 = 6656;
const MOST_PIXELS: u64 = 26_000_000;

/// The width of the whole page for a screen on which it is `width` pixels wide and `height` high.
///
/// ```
/// use bozzetto_core::stage::page_parts::whole;
/// assert_eq!(whole(763.6, 1080.0), 768);
/// assert_eq!(whole(9000.0, 12_700.0), 3072);
/// // A roll of paper.
/// assert_eq!(whole(3000.0, 60_000.0), 1024);
/// ```
pub fn whole(width: f64, height: f64) -> u32 {
    let small = |step: &u32| {
        let step = f64::from(*step);
        step * step * height / width <= MOST_PIXELS as f64
    };
    let steps = STEPS.into_iter().take_while(small);
    let mut best = LEAST;
    for step in steps {
        best = step;
        if f64::from(step) >= width {
            break;
        }
    }
    best
}

/// What more is needed of a page that lies at `lies` and is seen in `room`, on a screen with
/// `device` pixels to a glass unit; nothing as long as the whole page is fine enough.
pub fn detail(lies: &Rect<Glass>, room: &Rect<Glass>, device: f64) -> Option<PagePart> {
    let width = (lies.width() * device).round();
    let seen = lies.intersection(room);
    if width <= f64::from(whole(width, lies.height() * device)) || seen.is_empty() {
        return None;
    }
    let finest = FINER[FINER.len() - 1];
    let fits = STEPS
        .into_iter()
        .skip(1)
        .chain(FINER)
        .find(|s| f64::from(*s) >= width);
    let width = fits.unwrap_or(finest);
    let per_unit = f64::from(width) / lies.width();
    let height = (lies.height() * per_unit).round().max(1.0) as u32;
    let first = |v: f64, from: f64| {
        let pixel = ((v - from) * per_unit).floor().max(0.0) as u32;
        pixel / GRID * GRID
    };
    let last = |v: f64, from: f64, end: u32| {
        let pixel = ((v - from) * per_unit).ceil().max(1.0) as u32;
        pixel.next_multiple_of(GRID).min(end)
    };
    let (x, y) = (first(seen.x0, lies.x0), first(seen.y0, lies.y0));
    let (x1, y1) = (
        last(seen.x1, lies.x0, width),
        last(seen.y1, lies.y0, height),
    );
    let at = |x: u32, y: u32| {
        Point::new(
            lies.x0 + f64::from(x) / per_unit,
            lies.y0 + f64::from(y) / per_unit,
        )
    };
    Some(PagePart {
        width,
        x,
        y,
        w: x1.saturating_sub(x).max(1),
        h: y1.saturating_sub(y).max(1),
        on_glass: Rect::from_corners(at(x, y), at(x1, y1)),
    })
}

/// What a screen asks for of a page, if it is something that [`whole`] or [`detail`] gives: x, y,
/// width and height in pixels when the whole page is `width` pixels wide and `height` high.
///
/// ```
/// use bozzetto_core::stage::page_parts::asked;
/// assert_eq!(asked(1024, 1448, None), Some([0, 0, 1024, 1448]));
/// assert_eq!(asked(4096, 5793, Some([512, 5632, 1024, 161])), Some([512, 5632, 1024, 161]));
/// assert_eq!(asked(1000, 1414, None), None);
/// assert_eq!(asked(4096, 5793, Some([1, 0, 1024, 512])), None);
/// assert_eq!(asked(65_536, 92_682, Some([0, 0, 65_536, 512])), None);
/// ```
pub fn asked(width: u32, height: u32, part: Option<[u32; 4]>) -> Option<[u32; 4]> {
    let Some([x, y, w, h]) = part else {
        let long = u64::from(width) * u64::from(height) > MOST_PIXELS;
        return (STEPS.contains(&width) && !long).then_some([0, 0, width, height]);
    };
    let ends = |at: u32, length: u32, whole: u32| {
        let end = at.checked_add(length);
        end.is_some_and(|end| end == whole || (end < whole && end % GRID == 0))
    };
    let on_grid = x % GRID == 0 && y % GRID == 0 && ends(x, w, width) && ends(y, h, height);
    let fits =
        w > 0 && h > 0 && w.max(h) <= LONGEST_SIDE && u64::from(w) * u64::from(h) <= MOST_PIXELS;
    let finer = FINER.contains(&width) || STEPS.contains(&width);
    (finer && on_grid && fits).then_some([x, y, w, h])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is enlarged and moved: the part covers all that is seen, at the screen's own
        /// resolution or up to half as fine again, and is one that the server gives.
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
                prop_assert!(width * device <= 3072.5 || aspect > 2.7);
                return Ok(());
            };
            let r = part.on_glass;
            let pixel = 1.01 / device;
            prop_assert!(r.x0 <= seen.x0 + 1e-6 && r.y0 <= seen.y0 + 1e-6);
            prop_assert!(r.x1 >= seen.x1 - pixel && r.y1 >= seen.y1 - pixel);
            let fine = f64::from(part.w) / r.width();
            let wanted = width * device;
            prop_assert!(fine >= device * 0.999 || wanted > 65_536.0);
            prop_assert!(fine <= device * 1.51);
            // What is asked for is given.
            let height = (width * aspect * f64::from(part.width) / width).round() as u32;
            let asked = super::asked(part.width, height, Some([part.x, part.y, part.w, part.h]));
            let small = u64::from(part.w) * u64::from(part.h) <= MOST_PIXELS;
            prop_assert!(asked.is_some() || !small || part.w.max(part.h) > LONGEST_SIDE, "{:?}", part);
        }
    }
}
