//! Seeing a thing larger than whole, and which part of it: a presenter's view of a backdrop, and a
//! participant's own view of the stage.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Map, Point, Rect, Size};

/// The most that anything is enlarged, compared with seeing it whole.
pub const MOST: f64 = 16.0;

/// How something is seen in its room: how much larger than whole (1 to [`MOST`]), and where the
/// middle of the room lies on it, as fractions of its width and height.
///
/// It says nothing of pixels, so it means the same on every screen.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Zoom {
    pub by: f64,
    pub x: f64,
    pub y: f64,
}

impl Default for Zoom {
    fn default() -> Self {
        Zoom::WHOLE
    }
}

impl Zoom {
    /// Whole, in the middle of the room.
    pub const WHOLE: Zoom = Zoom {
        by: 1.0,
        x: 0.5,
        y: 0.5,
    };

    /// The map from the thing, which is `size` large, to the `room` that it is seen in.
    ///
    /// ```
    /// use bozzetto_core::geometry::frames::{Glass, Held, Point, Size};
    /// use bozzetto_core::geometry::zoom::Zoom;
    /// let (size, room) = (Size::<Held>::new(960.0, 1080.0), Size::<Glass>::new(1920.0, 1080.0));
    /// let corner = Point::new(0.0, 0.0);
    /// assert_eq!(Zoom::WHOLE.map(size, room).apply(corner), Point::new(480.0, 0.0));
    /// let twice = Zoom { by: 2.0, ..Zoom::WHOLE };
    /// assert_eq!(twice.map(size, room).apply(corner), Point::new(0.0, -540.0));
    /// ```
    pub fn map<A, R>(&self, size: Size<A>, room: Size<R>) -> Map<A, R> {
        let scale = self.by * (room.width / size.width).min(room.height / size.height);
        Map::scale_then_move(
            scale,
            room.width / 2.0 - self.x * size.width * scale,
            room.height / 2.0 - self.y * size.height * scale,
        )
    }

    /// Enlarged by a further factor, so that what is at `at` in the room stays there; not yet
    /// [`Zoom::settled`].
    pub fn enlarged<A, R>(self, by: f64, at: Point<R>, size: Size<A>, room: Size<R>) -> Self {
        let next = (self.by * by).clamp(1.0, MOST);
        let before = self.map(size, room);
        let after = Zoom { by: next, ..self }.map(size, room);
        let Some(back) = before.inverse() else {
            return Zoom::WHOLE;
        };
        let slipped = after.apply(back.apply(at));
        Zoom { by: next, ..self }.moved(at.x - slipped.x, at.y - slipped.y, size, room)
    }

    /// Moved by so much in the room; not yet [`Zoom::settled`].
    pub fn moved<A, R>(self, dx: f64, dy: f64, size: Size<A>, room: Size<R>) -> Self {
        let scale = self.map(size, room).mean_scale();
        Zoom {
            by: self.by,
            x: self.x - dx / (size.width * scale),
            y: self.y - dy / (size.height * scale),
        }
    }

    /// What is smaller than the room lies in its middle; what is larger leaves no gap at an end.
    /// Numbers that are none become [`Zoom::WHOLE`].
    pub fn settled<A, R>(self, size: Size<A>, room: Size<R>) -> Self {
        self.settled_within(size, room, 1.0)
    }

    /// The same for a thing that goes on below what is seen of it as a whole: it is `reach` times
    /// as long as its size says (1 or more).
    pub fn settled_within<A, R>(self, size: Size<A>, room: Size<R>, reach: f64) -> Self {
        let numbers = [self.by, self.x, self.y].iter().all(|v| v.is_finite());
        let asked = if numbers { self } else { Zoom::WHOLE };
        let by = asked.by.clamp(1.0, MOST);
        let scale = Zoom { by, ..asked }.map(size, room).mean_scale();
        let middle = |at: f64, length: f64, room: f64, reach: f64| {
            let half = room / (2.0 * length * scale);
            if 2.0 * half >= reach {
                reach / 2.0
            } else {
                at.clamp(half, reach - half)
            }
        };
        Zoom {
            by,
            x: middle(asked.x, size.width, room.width, 1.0),
            y: middle(asked.y, size.height, room.height, reach),
        }
    }
}

/// The largest rectangle of this aspect (height by width) in the middle of a room, on whole pixels,
/// so that what is painted in it is not blurred, and with even sides: browsers give pictures of a
/// part of a tab with even sides only, and shrink others. It may be a pixel too high for the aspect.
///
/// ```
/// use bozzetto_core::geometry::frames::{Pixels, Size};
/// use bozzetto_core::geometry::zoom::whole_pixels;
/// let r = whole_pixels(9.0 / 16.0, Size::<Pixels>::new(1280.0, 800.0));
/// assert_eq!((r.x0, r.y0, r.x1, r.y1), (0.0, 40.0, 1280.0, 760.0));
/// ```
pub fn whole_pixels<F>(aspect: f64, room: Size<F>) -> Rect<F> {
    let even = |v: f64| (v / 2.0 - 1e-9).ceil() * 2.0;
    let width = (room.width.min(room.height / aspect) / 2.0).floor() * 2.0;
    let height = even(width * aspect).min((room.height / 2.0).floor() * 2.0);
    let left = ((room.width - width) / 2.0).round();
    let top = ((room.height - height) / 2.0).round();
    Rect::from_corners(
        Point::new(left, top),
        Point::new(left + width, top + height),
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::frames::{Glass, Held};
    use proptest::prelude::*;

    proptest! {
        /// However it is pinched and pulled: a thing larger than its room leaves no gap, a smaller
        /// one lies in the middle, and what was under the fingers stays there unless an end comes in
        /// the way.
        #[test]
        fn leaves_no_gap_and_keeps_what_is_under_the_fingers(
            w in 50.0..4000.0f64, h in 50.0..4000.0f64,
            steps in prop::collection::vec((0.3..3.0f64, 0.0..1920.0f64, 0.0..1080.0f64, -400.0..400.0f64), 1..8),
        ) {
            let (size, room) = (Size::<Held>::new(w, h), Size::<Glass>::new(1920.0, 1080.0));
            let mut zoom = Zoom::WHOLE;
            for (by, x, y, dx) in steps {
                let at = Point::new(x, y);
                let under = zoom.map(size, room).inverse().unwrap().apply(at);
                let next = zoom.enlarged(by, at, size, room).settled(size, room);
                let free = Zoom { x: next.x, y: next.y, by: next.by };
                let seen = next.map(size, room).apply_rect(&Rect::of_size(size));
                let inside = seen.x0 < -1e-6 && seen.x1 > 1920.0 + 1e-6 && seen.y0 < -1e-6 && seen.y1 > 1080.0 + 1e-6;
                if inside {
                    prop_assert!(free.map(size, room).apply(under).distance(at) < 1e-6);
                }
                zoom = next.moved(dx, -dx, size, room).settled(size, room);
                let seen = zoom.map(size, room).apply_rect(&Rect::of_size(size));
                for (low, high, room) in [(seen.x0, seen.x1, 1920.0), (seen.y0, seen.y1, 1080.0)] {
                    if high - low >= room - 1e-6 {
                        prop_assert!(low <= 1e-6 && high >= room - 1e-6);
                    } else {
                        prop_assert!(((low + high) / 2.0 - room / 2.0).abs() < 1e-6);
                    }
                }
            }
        }
    }
}
