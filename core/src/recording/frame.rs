//! A picture of a film: how large it is, where in it a source lies, and when one is taken.

use kurbo::{Point, Rect, Size};
use serde::{Deserialize, Serialize};

/// The size of a film of so many lines, in pixels. Encoders take even sides only.
pub fn size(lines: u32, aspect: f64) -> (u32, u32) {
    let even = |pixels: f64| (pixels / 2.0).round().max(1.0) as u32 * 2;
    (even(f64::from(lines) * aspect), even(f64::from(lines)))
}

/// Where something of another shape lies in a picture: whole, as large as it fits, in the middle.
pub fn fitted(source: Size, into: Size) -> Rect {
    let by = (into.width / source.width).min(into.height / source.height);
    let size = source * by;
    let corner = ((into.to_vec2() - size.to_vec2()) / 2.0).to_point();
    Rect::from_origin_size(corner, size)
}

/// Where the camera is seen in a film.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Inset {
    /// Its middle, as a share of the picture's width and height.
    pub at: (f64, f64),
    /// Its height, as a share of the picture's.
    pub height: f64,
    pub round: bool,
}

impl Default for Inset {
    /// At the bottom right.
    fn default() -> Self {
        Self {
            at: (0.88, 0.84),
            height: 0.25,
            round: false,
        }
    }
}

impl Inset {
    /// The room it takes in a picture: wholly inside it, and square if it is round. `camera` is the size of what the camera
    /// gives.
    pub fn room(&self, camera: Size, picture: Size) -> Rect {
        let height = picture.height * self.height.clamp(0.1, 0.6);
        let width = match self.round {
            true => height,
            false => (height * camera.width / camera.height).min(picture.width),
        };
        let size = Size::new(width, height);
        let most = (picture.to_vec2() - size.to_vec2()).to_point();
        let corner = Point::new(
            self.at.0 * picture.width - width / 2.0,
            self.at.1 * picture.height - height / 2.0,
        );
        let corner = Point::new(
            corner.x.clamp(0.0, most.x.max(0.0)),
            corner.y.clamp(0.0, most.y.max(0.0)),
        );
        Rect::from_origin_size(corner, size)
    }

    /// The part of the camera's picture that fills its room: the middle of it.
    pub fn part(camera: Size, room: Rect) -> Rect {
        let by = (camera.width / room.width()).min(camera.height / room.height());
        let size = room.size() * by;
        Rect::from_center_size(camera.to_rect().center(), size)
    }
}

/// How long a picture may stand before it is taken again though nothing has changed, in milliseconds: so often a player can
/// begin, and a film that broke off misses no more.
const STANDS: f64 = 1000.0;

/// When pictures are taken.
#[derive(Clone, Copy, Debug)]
pub struct Pace {
    /// Milliseconds from one to the next.
    each: f64,
    /// When the next one is due.
    due: f64,
    last: f64,
}

impl Pace {
    /// So many a second at the most.
    pub fn new(frames: f64) -> Self {
        Self {
            each: 1000.0 / frames.max(1.0),
            due: 0.0,
            last: f64::NEG_INFINITY,
        }
    }

    /// Whether a picture is taken now, in milliseconds of any clock; `changed` where it is another than the last one.
    pub fn turn(&mut self, now: f64, changed: bool) -> bool {
        // Half a millisecond: clocks of browsers are no finer than that.
        if now + 0.5 < self.due || !(changed || now - self.last >= STANDS) {
            return false;
        }
        // The next one is due by the beat of those before, unless one was missed.
        self.due = if now - self.due < self.each {
            self.due + self.each
        } else {
            now + self.each
        };
        self.last = now;
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However a display beats: while everything changes, as many pictures are taken as are wanted, or as many as it
        /// shows; while nothing does, one a second.
        #[test]
        fn as_many_pictures_as_are_wanted(frames in 4.0..60.0f64, shown in 24.0..144.0f64) {
            let count = |changed| {
                let mut pace = Pace::new(frames);
                let beats = (0..(shown * 20.0) as u32).map(|n| 1000.0 + f64::from(n) * 1000.0 / shown);
                beats.filter(|now| pace.turn(*now, changed)).count() as f64 / 20.0
            };
            let most = frames.min(shown);
            prop_assert!((count(true) - most).abs() <= most * 0.12 + 0.2, "{} of {most}", count(true));
            prop_assert!((count(false) - 1.0).abs() < 0.12);
        }

        /// Wherever it is dragged, an inset is in the picture and shows the middle of the camera's.
        #[test]
        fn an_inset_is_in_the_picture(
            x in -0.5..1.5f64, y in -0.5..1.5f64, height in 0.0..1.0f64, round in any::<bool>(), aspect in 0.5..2.0f64,
        ) {
            let (camera, picture) = (Size::new(720.0 * aspect, 720.0), Size::new(1600.0, 1000.0));
            let room = Inset { at: (x, y), height, round }.room(camera, picture);
            let whole = picture.to_rect().inflate(1e-6, 1e-6);
            prop_assert!(whole.contains_rect(room));
            let part = Inset::part(camera, room);
            prop_assert!((part.aspect_ratio_width() - room.aspect_ratio_width()).abs() < 1e-6);
            prop_assert!(camera.to_rect().inflate(1e-6, 1e-6).contains_rect(part));
        }
    }
}
