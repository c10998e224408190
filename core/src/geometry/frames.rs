//! Frames of reference, and the maps between them.
//!
//! Every point, rectangle and map names its frame in its type, so that a point in one frame cannot
//! be passed where the other is meant.
//!
//! * [`Glass`]: the picture area, 1920 units wide on every device and as high as the lesson's
//!   aspect says (1080 at 16:9). y runs downwards.
//! * [`Held`]: the frame of whatever holds a mark. On a backdrop these are backdrop units (native
//!   pixels of a picture, units of a board); on the glass they are glass units.
//! * [`Ink`]: a stroke's own frame: glass units as they were while it was drawn.
//! * [`Pixels`]: device pixels of a canvas or of a capture.

use std::marker::PhantomData;

use kurbo::Affine;
use serde::{Deserialize, Serialize};

/// A frame of reference; only used as a type.
pub trait Frame: Copy + std::fmt::Debug + PartialEq + 'static {}

macro_rules! frame {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq)]
        pub enum $name {}
        impl Frame for $name {}
    };
}

frame!(
    /// The picture area: [`GLASS_WIDTH`] units wide.
    Glass
);
frame!(
    /// The frame of what holds a mark: a backdrop, or the glass.
    Held
);
frame!(
    /// A stroke's own frame: glass units while it was drawn.
    Ink
);
frame!(
    /// Pixels of a screen or a picture, from its upper left corner.
    Pixels
);

/// Width of the picture area in glass units, on every device.
pub const GLASS_WIDTH: f64 = 1920.0;

/// A point in frame `F`.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Point<F> {
    pub x: f64,
    pub y: f64,
    #[serde(skip)]
    frame: PhantomData<F>,
}

// Written out because `derive` would ask the frame itself to be `Clone`.
impl<F> Clone for Point<F> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<F> Copy for Point<F> {}

impl<F> Point<F> {
    pub const fn new(x: f64, y: f64) -> Self {
        Self {
            x,
            y,
            frame: PhantomData,
        }
    }

    /// Distance to `other`, in units of the frame.
    pub fn distance(self, other: Self) -> f64 {
        length(self.x - other.x, self.y - other.y)
    }

    /// Whether neither is infinite or no number.
    pub fn is_finite(self) -> bool {
        self.x.is_finite() && self.y.is_finite()
    }
}

/// Width and height in frame `F`.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Size<F> {
    pub width: f64,
    pub height: f64,
    #[serde(skip)]
    frame: PhantomData<F>,
}

impl<F> Clone for Size<F> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<F> Copy for Size<F> {}

impl<F> Size<F> {
    pub const fn new(width: f64, height: f64) -> Self {
        Self {
            width,
            height,
            frame: PhantomData,
        }
    }
}

impl Size<Glass> {
    /// The picture area of a lesson whose aspect is `width : height`.
    ///
    /// ```
    /// use bozzetto_core::geometry::frames::Size;
    /// assert_eq!(Size::glass(16.0, 9.0).height, 1080.0);
    /// ```
    pub fn glass(width: f64, height: f64) -> Self {
        Self::new(GLASS_WIDTH, GLASS_WIDTH * height / width)
    }
}

/// An upright rectangle in frame `F`; `x0 <= x1` and `y0 <= y1` unless it is [`Rect::EMPTY`].
#[derive(Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Rect<F> {
    pub x0: f64,
    pub y0: f64,
    pub x1: f64,
    pub y1: f64,
    #[serde(skip)]
    frame: PhantomData<F>,
}

impl<F> Clone for Rect<F> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<F> Copy for Rect<F> {}

impl<F> Rect<F> {
    /// Contains nothing; the union with it is the other rectangle.
    pub const EMPTY: Self = Self {
        x0: f64::INFINITY,
        y0: f64::INFINITY,
        x1: f64::NEG_INFINITY,
        y1: f64::NEG_INFINITY,
        frame: PhantomData,
    };

    /// The rectangle with these two corners, in whatever order they come.
    pub fn from_corners(a: Point<F>, b: Point<F>) -> Self {
        Self {
            x0: a.x.min(b.x),
            y0: a.y.min(b.y),
            x1: a.x.max(b.x),
            y1: a.y.max(b.y),
            frame: PhantomData,
        }
    }

    /// From (0, 0) on.
    pub fn of_size(size: Size<F>) -> Self {
        Self::from_corners(Point::new(0.0, 0.0), Point::new(size.width, size.height))
    }

    /// Whether there is nothing in it, not even an edge.
    pub fn is_empty(&self) -> bool {
        self.x0 > self.x1 || self.y0 > self.y1
    }

    /// 0 when it is empty, as the height is.
    pub fn width(&self) -> f64 {
        (self.x1 - self.x0).max(0.0)
    }

    pub fn height(&self) -> f64 {
        (self.y1 - self.y0).max(0.0)
    }

    pub fn size(&self) -> Size<F> {
        Size::new(self.width(), self.height())
    }

    /// The smallest rectangle that contains both.
    pub fn union(&self, other: &Self) -> Self {
        Self {
            x0: self.x0.min(other.x0),
            y0: self.y0.min(other.y0),
            x1: self.x1.max(other.x1),
            y1: self.y1.max(other.y1),
            frame: PhantomData,
        }
    }

    /// What both contain; may be empty.
    pub fn intersection(&self, other: &Self) -> Self {
        Self {
            x0: self.x0.max(other.x0),
            y0: self.y0.max(other.y0),
            x1: self.x1.min(other.x1),
            y1: self.y1.min(other.y1),
            frame: PhantomData,
        }
    }

    /// Whether they have a point in common, be it on their edges.
    pub fn intersects(&self, other: &Self) -> bool {
        !self.intersection(other).is_empty()
    }

    /// Whether the point lies in it, or on its edge.
    pub fn contains(&self, p: Point<F>) -> bool {
        (self.x0..=self.x1).contains(&p.x) && (self.y0..=self.y1).contains(&p.y)
    }

    /// How far it is from `p` in the direction (`dx`, `dy`), in lengths of that, to the first edge
    /// on the way; infinity when the direction is none.
    ///
    /// ```
    /// use bozzetto_core::geometry::frames::{Glass, Point, Rect, Size};
    /// let area = Rect::of_size(Size::<Glass>::new(1920.0, 1080.0));
    /// let p = Point::new(100.0, 80.0);
    /// assert_eq!(area.until_edge(p, 2.0, 0.0), 910.0);
    /// assert_eq!(area.until_edge(p, -1.0, 0.0), 100.0);
    /// assert_eq!(area.until_edge(p, 1.0, 1.0), 1000.0);
    /// ```
    pub fn until_edge(&self, p: Point<F>, dx: f64, dy: f64) -> f64 {
        let along = |from: f64, low: f64, high: f64, d: f64| match d {
            d if d > 0.0 => (high - from) / d,
            d if d < 0.0 => (low - from) / d,
            _ => f64::INFINITY,
        };
        along(p.x, self.x0, self.x1, dx).min(along(p.y, self.y0, self.y1, dy))
    }

    /// From its upper left corner, width and height.
    pub fn from_size(x: f64, y: f64, width: f64, height: f64) -> Self {
        Self::from_corners(Point::new(x, y), Point::new(x + width, y + height))
    }

    /// Its middle.
    pub fn middle(&self) -> Point<F> {
        Point::new((self.x0 + self.x1) / 2.0, (self.y0 + self.y1) / 2.0)
    }

    /// Grown by `by` on every side.
    pub fn inflate(&self, by: f64) -> Self {
        Self {
            x0: self.x0 - by,
            y0: self.y0 - by,
            x1: self.x1 + by,
            y1: self.y1 + by,
            frame: PhantomData,
        }
    }

    /// The smallest rectangle that contains this one and `p`.
    pub fn include(&self, p: Point<F>) -> Self {
        self.union(&Self::from_corners(p, p))
    }
}

/// An affine map that carries points of frame `A` to frame `B`.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Map<A, B> {
    /// `[a, b, c, d, e, f]`: `x' = a x + c y + e`, `y' = b x + d y + f`.
    c: [f64; 6],
    #[serde(skip)]
    frames: PhantomData<(A, B)>,
}

impl<A, B> Clone for Map<A, B> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<A, B> Copy for Map<A, B> {}

impl<A, B> Map<A, B> {
    /// See [`Map::coefficients`].
    pub const fn from_coefficients(c: [f64; 6]) -> Self {
        Self {
            c,
            frames: PhantomData,
        }
    }

    /// `[a, b, c, d, e, f]`: `x' = a x + c y + e`, `y' = b x + d y + f`.
    pub fn coefficients(&self) -> [f64; 6] {
        self.c
    }

    /// Keeps the numbers and changes their meaning: right where the two frames coincide.
    pub const fn coincident() -> Self {
        Self::from_coefficients([1.0, 0.0, 0.0, 1.0, 0.0, 0.0])
    }

    /// Scales about the origin, then moves.
    pub const fn scale_then_move(scale: f64, dx: f64, dy: f64) -> Self {
        Self::from_coefficients([scale, 0.0, 0.0, scale, dx, dy])
    }

    /// Where a point comes to lie.
    pub fn apply(&self, p: Point<A>) -> Point<B> {
        let q = Affine::new(self.c) * kurbo::Point::new(p.x, p.y);
        Point::new(q.x, q.y)
    }

    /// The upright rectangle around the image of `r`.
    pub fn apply_rect(&self, r: &Rect<A>) -> Rect<B> {
        if r.is_empty() {
            return Rect::EMPTY;
        }
        [(r.x0, r.y0), (r.x1, r.y0), (r.x1, r.y1), (r.x0, r.y1)]
            .into_iter()
            .fold(Rect::EMPTY, |acc, (x, y)| {
                acc.include(self.apply(Point::new(x, y)))
            })
    }

    /// First this map, then `next`.
    pub fn then<C>(&self, next: &Map<B, C>) -> Map<A, C> {
        Map::from_coefficients((Affine::new(next.c) * Affine::new(self.c)).as_coeffs())
    }

    /// The way back; `None` when the map flattens the plane.
    pub fn inverse(&self) -> Option<Map<B, A>> {
        let det = Affine::new(self.c).determinant();
        (det.is_finite() && det.abs() > 1e-12)
            .then(|| Map::from_coefficients(Affine::new(self.c).inverse().as_coeffs()))
    }

    /// How much lengths grow, as the square root of how much areas grow.
    pub fn mean_scale(&self) -> f64 {
        Affine::new(self.c).determinant().abs().sqrt()
    }

    /// Whether all its numbers are finite.
    pub fn is_finite(&self) -> bool {
        self.c.iter().all(|v| v.is_finite())
    }
}

/// The length of a vector. `f64::hypot` also guards against overflow, which coordinates on a stage
/// come nowhere near, and costs many times as much in WebAssembly.
pub(crate) fn length(x: f64, y: f64) -> f64 {
    (x * x + y * y).sqrt()
}
