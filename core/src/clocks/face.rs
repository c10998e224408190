//! A clock's face: large enough for the last seat.

use super::countdown::Stage;
use super::stopwatch::Split;
use super::{Clock, Measures};
use crate::display::colour::Rgb;
use crate::display::lettering::{self, Anchor};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Point, Rect, Size};

/// What figures stand on, and the figures.
const PLATE: Rgb = Rgb::hex(0x14181D);
const FIGURES: Rgb = Rgb::hex(0xF3F0E9);
/// What warns: of the end, and of being over.
const WARNS: Rgb = Rgb::hex(0xE7B04B);
/// What is left of a countdown.
const LEFT: Rgb = Rgb::hex(0x3FC1A5);
/// How much of what lies beneath a plate hides.
const OPACITY: f32 = 0.94;
/// How much of a face's width and height its figures may have.
const SHARE: (f64, f64) = (0.86, 0.62);
/// The most laps on a face, newest last, and their size to that of the face.
const LAPS: usize = 5;

/// Where a face can be put at once.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Place {
    /// The upper right corner.
    Corner,
    /// The right half.
    Half,
    All,
}

impl Place {
    /// The face's rectangle, in glass units.
    pub fn face(self, area: Size<Glass>) -> Rect<Glass> {
        /// What is left free round a face in a corner, and its share of the picture.
        const MARGIN: f64 = 24.0;
        let (w, h) = (area.width, area.height);
        match self {
            Place::Corner => {
                let (width, height) = (w * 0.26, w * 0.26 * 0.4);
                Rect::from_size(w - width - MARGIN, MARGIN, width, height)
            }
            Place::Half => Rect::from_size(w / 2.0, 0.0, w / 2.0, h),
            Place::All => Rect::of_size(area),
        }
    }
}

/// A length of time as it is shown: minutes and seconds, hours where there are any; `tenths` too. In
/// milliseconds, rounded down.
///
/// ```
/// use bozzetto_core::clocks::face::shown;
/// assert_eq!(shown(65_000, false), "1:05");
/// assert_eq!(shown(3_605_000, false), "1:00:05");
/// assert_eq!(shown(9_870, true), "0:09.8");
/// ```
pub fn shown(ms: u64, tenths: bool) -> String {
    let (s, m, h) = (ms / 1000 % 60, ms / 60_000 % 60, ms / 3_600_000);
    let tenth = match tenths {
        true => format!(".{}", ms / 100 % 10),
        false => String::new(),
    };
    match h {
        0 => format!("{m}:{s:02}{tenth}"),
        h => format!("{h}:{m:02}:{s:02}{tenth}"),
    }
}

impl Clock {
    /// What its face says at a moment.
    pub fn reading(&self, now: u64) -> String {
        let passed = self.passed(now);
        match &self.measures {
            // A second is shown until it has gone, so the last one ends in nothing.
            Measures::Countdown(c) => shown(c.left(passed).div_ceil(1000) * 1000, false),
            Measures::Stopwatch(_) => shown(passed, true),
        }
    }

    /// Draws its face as it is at a moment. `still` is for those who want no motion.
    pub fn paint(&self, now: u64, still: bool, list: &mut DisplayList) {
        let passed = self.passed(now);
        let (plate, figures) = match &self.measures {
            Measures::Countdown(c) => match (c.stage(passed), c.shows_its_end(passed, still)) {
                (Stage::Over, true) => (WARNS, PLATE),
                (Stage::Over | Stage::Warns, _) => (PLATE, WARNS),
                (Stage::Goes, _) => (PLATE, FIGURES),
            },
            Measures::Stopwatch(_) => (PLATE, FIGURES),
        };
        list.fade(cut_corner(&self.face), plate, Blend::Over, OPACITY);
        let (numbers, laps) = self.rooms();
        let reading = self.reading(now);
        // Figures do not change their size while they run: an hour's worth has its room from the start.
        let size = size(&self.longest(), &numbers);
        let middle = numbers.middle();
        let at = (middle.x, middle.y + size * lettering::HEIGHT / 2.0);
        list.fill(lettering::figures(&reading, at, size), figures, Blend::Over);
        match &self.measures {
            Measures::Countdown(c) => {
                let left = c.left(passed) as f64 / c.length.max(1) as f64;
                let bar = self.bar(left);
                list.fill(bar, if plate == PLATE { LEFT } else { PLATE }, Blend::Over);
            }
            Measures::Stopwatch(watch) => {
                if let Some(room) = laps {
                    paint_laps(&watch.splits(), &room, list);
                }
            }
        }
    }

    /// The longest that it can say, so that its figures keep their size.
    fn longest(&self) -> String {
        match &self.measures {
            Measures::Countdown(c) => shown(c.length, false),
            Measures::Stopwatch(_) => shown(self.passed(0).max(600_000), true),
        }
    }

    /// Where on its face the figures are, and where laps are, if there is room for them.
    fn rooms(&self) -> (Rect<Glass>, Option<Rect<Glass>>) {
        let face = self.face;
        let has_laps = matches!(&self.measures, Measures::Stopwatch(w) if !w.laps.is_empty());
        if !has_laps || face.height() < 0.5 * face.width() {
            return (face, None);
        }
        let (w, h) = (face.width(), face.height());
        (
            Rect::from_size(face.x0, face.y0, w, h * 0.5),
            Some(Rect::from_size(
                face.x0 + w * 0.07,
                face.y0 + h * 0.5,
                w * 0.86,
                h * 0.44,
            )),
        )
    }

    /// How much is left, along the lower edge.
    fn bar(&self, left: f64) -> Path {
        let face = self.face;
        let mut bar = Path::default();
        let (w, h) = (face.width(), (face.height() * 0.06).max(6.0));
        bar.rect(&Rect::from_size(face.x0, face.y1 - h, w * left, h));
        bar
    }
}

/// The size of type in which a number fills its room.
fn size(longest: &str, room: &Rect<Glass>) -> f64 {
    let by_width = room.width() * SHARE.0 / lettering::figures_length(longest);
    let by_height = room.height() * SHARE.1 / lettering::HEIGHT;
    by_width.min(by_height)
}

fn paint_laps(splits: &[Split], room: &Rect<Glass>, list: &mut DisplayList) {
    let high = room.height() / LAPS as f64;
    let from = splits.len().saturating_sub(LAPS);
    for (i, split) in splits.iter().enumerate().skip(from) {
        let at = |x: f64| {
            (
                room.x0 + x * room.width(),
                room.y0 + high * ((i - from) as f64 + 0.75),
            )
        };
        // A sign besides the colour: the quickest and the slowest are told apart by everybody.
        let (mark, colour) = match (split.best, split.worst) {
            (true, _) => ("+ ", LEFT),
            (_, true) => ("− ", WARNS),
            _ => ("", FIGURES),
        };
        let name = match split.lap.name.as_str() {
            "" => format!("{mark}{}", i + 1),
            name => format!("{mark}{name}"),
        };
        let size = high * 0.62;
        let room_for_name = 0.46 * room.width() / size;
        let name = fitting(&name, room_for_name);
        for (words, x, anchor) in [
            (name, 0.0, Anchor::Start),
            (shown(split.split, true), 0.72, Anchor::End),
            (shown(split.lap.total, true), 1.0, Anchor::End),
        ] {
            let path = lettering::words(&words, at(x), size, anchor, 0.0);
            list.fill(path, colour, Blend::Over);
        }
    }
}

/// As much of a line as there is room for.
fn fitting(words: &str, room: f64) -> String {
    let mut fits = String::new();
    for c in words.chars() {
        if lettering::length(&fits) + lettering::length(&c.to_string()) > room {
            break;
        }
        fits.push(c);
    }
    fits
}

/// A plate with one corner cut.
fn cut_corner(face: &Rect<Glass>) -> Path {
    let cut = (face.height() * 0.12).min(28.0);
    let mut plate = Path::default();
    plate.polygon([
        (face.x0, face.y0),
        (face.x1 - cut, face.y0),
        (face.x1, face.y0 + cut),
        (face.x1, face.y1),
        (face.x0, face.y1),
    ]);
    plate
}

/// Where a hand takes hold of a face to make it larger: its lower right corner.
pub fn corner(face: &Rect<Glass>) -> Point<Glass> {
    Point::new(face.x1, face.y1)
}
