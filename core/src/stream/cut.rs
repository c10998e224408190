//! Which pixels of a picture are sent, and what of the backdrop they show.

use crate::geometry::frames::{Held, Map, Pixels, Point, Rect};

/// Pictures are encoded at most this wide and high: legible on a phone and a laptop, and quick.
const WIDEST: f64 = 1280.0;
const HIGHEST: f64 = 800.0;

/// A part of a picture in whole pixels, and the part of the backdrop that it shows.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Cut {
    /// In pixels of the picture.
    pub crop: Rect<Pixels>,
    /// In backdrop units.
    pub shows: Rect<Held>,
}

/// Cuts a pane out of a picture of `width` by `height` pixels. `pane` is where it lies in there, and
/// `seen` the part of its backdrop that it shows. Cut are whole pixels, rounded outward so that
/// nothing of the pane is missing (who shows the part clips it to the pane); with `even` their
/// places and counts are even, as encoders want them. `None` when nothing is left.
///
/// ```
/// use bozzetto_core::geometry::frames::{Point, Rect};
/// use bozzetto_core::stream::cut;
/// // The right half of a screen of 1001 pixels, of a page that is laid out 640 wide.
/// let pane = Rect::from_corners(Point::new(500.5, 0.0), Point::new(1001.0, 600.0));
/// let seen = Rect::from_corners(Point::new(0.0, 0.0), Point::new(640.0, 767.0));
/// let cut = cut(&pane, (1001, 600), &seen, false).unwrap();
/// assert_eq!((cut.crop.x0, cut.crop.x1), (500.0, 1001.0));
/// // Half a pixel more, so a bit more of the page.
/// assert!((cut.shows.x0 + 0.5 * 640.0 / 500.5).abs() < 1e-9);
/// ```
pub fn cut(
    pane: &Rect<Pixels>,
    (width, height): (u32, u32),
    seen: &Rect<Held>,
    even: bool,
) -> Option<Cut> {
    let step = if even { 2.0 } else { 1.0 };
    let from = |v: f64| (v / step).floor().max(0.0) * step;
    let to = |v: f64, most: u32| (v / step).ceil().min((f64::from(most) / step).floor()) * step;
    let (x0, y0) = (from(pane.x0), from(pane.y0));
    let (x1, y1) = (to(pane.x1, width), to(pane.y1, height));
    if x1 <= x0 || y1 <= y0 || pane.is_empty() || seen.is_empty() {
        return None;
    }
    let crop = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    let (sx, sy) = (seen.width() / pane.width(), seen.height() / pane.height());
    let of_backdrop = Map::<Pixels, Held>::from_coefficients([
        sx,
        0.0,
        0.0,
        sy,
        seen.x0 - pane.x0 * sx,
        seen.y0 - pane.y0 * sy,
    ]);
    let shows = of_backdrop.apply_rect(&crop);
    Some(Cut { crop, shows })
}

/// How large a part of so many pixels is encoded: as it is when it is small enough, else as large as
/// allowed; sides are even, as encoders want them.
///
/// ```
/// use bozzetto_core::stream::encoded_size;
/// assert_eq!(encoded_size(1920.0, 1080.0), (1280, 720));
/// assert_eq!(encoded_size(640.0, 480.0), (640, 480));
/// assert_eq!(encoded_size(1080.0, 1920.0), (450, 800)); // a phone, held upright
/// ```
pub fn encoded_size(width: f64, height: f64) -> (u32, u32) {
    let scale = (WIDEST / width).min(HIGHEST / height).min(1.0);
    let even = |v: f64| ((v * scale / 2.0).round() * 2.0).max(2.0) as u32;
    (even(width), even(height))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whole pixels of the picture, all of the pane but what lies outside it, and every pixel
        /// shows what it showed in the whole.
        #[test]
        fn a_pixel_shows_what_it_showed(
            (w, h) in (200u32..4000, 200u32..3000),
            (x0, y0, x1, y1) in (0.0..0.6f64, 0.0..0.6f64, 0.7..1.0f64, 0.7..1.0f64),
            (left, top, scale) in (0.0..500.0f64, 0.0..9000.0f64, 0.2..8.0f64),
            even: bool,
        ) {
            let (fw, fh) = (f64::from(w), f64::from(h));
            let pane = Rect::from_corners(Point::new(x0 * fw, y0 * fh), Point::new(x1 * fw, y1 * fh));
            let seen = Rect::from_corners(
                Point::new(left, top),
                Point::new(left + pane.width() * scale, top + pane.height() * scale),
            );
            let Cut { crop, shows } = cut(&pane, (w, h), &seen, even).unwrap();
            let step = if even { 2.0 } else { 1.0 };
            for v in [crop.x0, crop.y0, crop.x1, crop.y1] {
                prop_assert_eq!(v % step, 0.0);
            }
            prop_assert!(crop.x0 >= 0.0 && crop.x1 <= fw && crop.y0 >= 0.0 && crop.y1 <= fh);
            prop_assert!(crop.x0 <= pane.x0 && crop.x0 > pane.x0 - step);
            prop_assert!(crop.x1 > pane.x1 - step && crop.x1 < pane.x1 + step);
            prop_assert!(crop.x1 >= pane.x1 || pane.x1 > fw - step);
            // The middle of its first pixel, and the size of all.
            let here = shows.x0 + 0.5 / crop.width() * shows.width();
            let there = left + (crop.x0 + 0.5 - pane.x0) * scale;
            prop_assert!((here - there).abs() < 1e-6);
            prop_assert!((shows.height() / crop.height() - scale).abs() < 1e-9);
        }

        /// Within what is allowed, even, and of the same shape.
        #[test]
        fn encoded_whole_or_smaller(w in 2.0..8000.0f64, h in 2.0..8000.0f64) {
            let (a, b) = encoded_size(w.round(), h.round());
            prop_assert!(a % 2 == 0 && b % 2 == 0 && a >= 2 && b >= 2);
            prop_assert!(f64::from(a) <= WIDEST && f64::from(b) <= HIGHEST);
            let scale = (WIDEST / w.round()).min(HIGHEST / h.round()).min(1.0);
            prop_assert!((f64::from(a) - w.round() * scale).abs() <= 1.0 || a == 2);
            prop_assert!((f64::from(b) - h.round() * scale).abs() <= 1.0 || b == 2);
        }
    }

    #[test]
    fn nothing_of_what_lies_outside() {
        let pane = Rect::from_corners(Point::new(700.0, 0.0), Point::new(900.0, 300.0));
        let seen = Rect::from_corners(Point::new(0.0, 0.0), Point::new(640.0, 480.0));
        assert_eq!(cut(&pane, (640, 480), &seen, true), None);
        assert_eq!(cut(&Rect::EMPTY, (640, 480), &seen, true), None);
    }
}
