//! Pictures placed on the stage as marks.

use serde::{Deserialize, Serialize};

use crate::display::Placing;
use crate::geometry::frames::{Ink, Map, Point, Rect, Size};
use crate::ink::UNITS;
use crate::ink::curve::Spot;

/// How much of the stage's width and height a picture takes at most when it is placed.
pub const SHARE: f64 = 0.5;

/// A placed picture: which, and where it lies in the mark's own frame.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Placement {
    /// The server's name for the file.
    pub picture: u64,
    /// Pixels of the whole picture.
    pub width: u32,
    pub height: u32,
    /// The corners of the whole picture, cropped or not.
    pub from: Spot,
    pub to: Spot,
    /// What is cut off at the left, top, right and bottom, in 1/65536 of the width and height.
    pub cut: [u16; 4],
}

impl Placement {
    /// The whole picture around a middle: as large as its pixels, but no larger than [`SHARE`] of
    /// the stage.
    pub fn new<F>(picture: u64, size: (u32, u32), middle: Point<Ink>, stage: Size<F>) -> Self {
        let (w, h) = (f64::from(size.0.max(1)), f64::from(size.1.max(1)));
        let by = (stage.width * SHARE / w)
            .min(stage.height * SHARE / h)
            .min(1.0);
        let (w, h) = (w * by / 2.0, h * by / 2.0);
        Self {
            picture,
            width: size.0,
            height: size.1,
            from: Spot::new(Point::new(middle.x - w, middle.y - h)),
            to: Spot::new(Point::new(middle.x + w, middle.y + h)),
            cut: [0; 4],
        }
    }

    /// Another picture in its place: as large as what is seen of this one lets it be, with the same middle, and whole.
    ///
    /// ```
    /// use bozzetto_core::geometry::frames::{Glass, Ink, Point, Rect, Size};
    /// use bozzetto_core::marks::picture::Placement;
    /// let stage = Size::<Glass>::new(1920.0, 1080.0);
    /// let placed = Placement::new(1, (400, 200), Point::new(300.0, 300.0), stage);
    /// let square = placed.replaced(2, (50, 50)).area();
    /// assert_eq!(square, Rect::from_corners(Point::new(200.0, 200.0), Point::new(400.0, 400.0)));
    /// ```
    pub fn replaced(&self, picture: u64, size: (u32, u32)) -> Self {
        let seen = self.area();
        let (w, h) = (f64::from(size.0.max(1)), f64::from(size.1.max(1)));
        let by = (seen.width() / w).min(seen.height() / h) / 2.0;
        let middle = seen.middle();
        Self {
            picture,
            width: size.0,
            height: size.1,
            from: Spot::new(Point::new(middle.x - w * by, middle.y - h * by)),
            to: Spot::new(Point::new(middle.x + w * by, middle.y + h * by)),
            cut: [0; 4],
        }
    }

    fn whole(&self) -> Rect<Ink> {
        Rect::from_corners(self.from.position(), self.to.position())
    }

    /// What is seen of it.
    pub fn area(&self) -> Rect<Ink> {
        self.part(&self.whole())
    }

    /// The part of a rectangle that is left when it is cut as this is.
    fn part<F>(&self, whole: &Rect<F>) -> Rect<F> {
        let [left, top, right, bottom] = self.cut.map(|v| f64::from(v) / 65536.0);
        Rect::from_corners(
            Point::new(
                whole.x0 + left * whole.width(),
                whole.y0 + top * whole.height(),
            ),
            Point::new(
                whole.x1 - right * whole.width(),
                whole.y1 - bottom * whole.height(),
            ),
        )
    }

    /// Cut so that what is seen is `area` as far as the picture reaches; at least a hundredth of it
    /// stays.
    ///
    /// ```
    /// use bozzetto_core::geometry::frames::{Glass, Ink, Point, Rect, Size};
    /// use bozzetto_core::marks::picture::Placement;
    /// let stage = Size::<Glass>::new(1920.0, 1080.0);
    /// let placed = Placement::new(1, (400, 200), Point::new(300.0, 300.0), stage);
    /// let half = Rect::<Ink>::from_corners(Point::new(300.0, 0.0), Point::new(900.0, 900.0));
    /// let cut = placed.cropped(&half);
    /// assert_eq!(cut.area(), Rect::from_corners(Point::new(300.0, 200.0), Point::new(500.0, 400.0)));
    /// ```
    pub fn cropped(&self, area: &Rect<Ink>) -> Self {
        let whole = self.whole();
        let share = |v: f64, length: f64| (v / length).clamp(0.0, 0.99) * 65536.0;
        let (w, h) = (whole.width(), whole.height());
        let left = share(area.x0 - whole.x0, w);
        let top = share(area.y0 - whole.y0, h);
        let right = share(whole.x1 - area.x1, w).min(65536.0 * 0.99 - left);
        let bottom = share(whole.y1 - area.y1, h).min(65536.0 * 0.99 - top);
        Self {
            cut: [left, top, right, bottom].map(|v| v.max(0.0).round() as u16),
            ..*self
        }
    }

    /// Whether it has an area that pixels can fill.
    pub fn is_sound(&self) -> bool {
        let whole = self.whole();
        let [left, top, right, bottom] = self.cut.map(u32::from);
        self.width > 0
            && self.height > 0
            && whole.width() > 1.0 / UNITS
            && whole.height() > 1.0 / UNITS
            && left + right < 65536
            && top + bottom < 65536
    }

    /// How it is drawn under a map from the mark's frame.
    pub fn placing<F>(&self, map: &Map<Ink, F>) -> Placing {
        let whole = self.whole();
        let (sx, sy) = (
            whole.width() / f64::from(self.width),
            whole.height() / f64::from(self.height),
        );
        let pixels = Map::<Ink, Ink>::from_coefficients([sx, 0.0, 0.0, sy, whole.x0, whole.y0]);
        Placing {
            picture: self.picture,
            map: pixels.then(map).coefficients(),
            part: self.seen(),
        }
    }

    /// The part of the picture that is seen, in its pixels: x0, y0, x1, y1.
    pub fn seen(&self) -> [f64; 4] {
        let all = Rect::<Ink>::from_corners(
            Point::new(0.0, 0.0),
            Point::new(f64::from(self.width), f64::from(self.height)),
        );
        let part = self.part(&all);
        [part.x0, part.y0, part.x1, part.y1]
    }
}
