//! Boards: empty backdrops to write on.

use serde::{Deserialize, Serialize};

use crate::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::frames::{GLASS_WIDTH, Glass, Held, Map, Point, Rect, Size};

/// What is printed on a board.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Ruling {
    Plain,
    Ruled,
    Squared,
    Dotted,
}

impl Ruling {
    pub const ALL: [Ruling; 4] = [
        Ruling::Plain,
        Ruling::Ruled,
        Ruling::Squared,
        Ruling::Dotted,
    ];

    /// As it is called and stored.
    pub fn word(self) -> &'static str {
        match self {
            Ruling::Plain => "plain",
            Ruling::Ruled => "ruled",
            Ruling::Squared => "squared",
            Ruling::Dotted => "dotted",
        }
    }

    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|r| r.word() == word)
    }
}

/// The colour of a board.
pub const PAPER: Rgb = Rgb::hex(0xFBFAF5);
/// The colour of its lines: strong enough to write along, weak enough to forget.
const LINE: Rgb = Rgb::hex(0xC4D2D6);

/// Distance of lines, squares and dots, in board units: 18 lines on a 16:9 board.
pub const SPACING: f64 = 60.0;

/// The size of a board, in board units, for a lesson whose picture area is `area`.
pub fn size(area: Size<Glass>) -> Size<Held> {
    Size::new(GLASS_WIDTH, area.height)
}

/// The board itself, seen through `view`.
pub fn paint(ruling: Ruling, size: Size<Held>, view: &Map<Held, Glass>, list: &mut DisplayList) {
    let mut fill = |rects: &mut dyn Iterator<Item = Rect<Held>>, colour| {
        let mut path = Path::default();
        rects.for_each(|r| path.rect(&view.apply_rect(&r)));
        list.fill(path, colour, Blend::Over);
    };
    fill(&mut std::iter::once(Rect::of_size(size)), PAPER);
    let places = |length: f64| {
        let n = ((length - 1.0) / SPACING).floor() as u32;
        (1..=n).map(|i| f64::from(i) * SPACING)
    };
    let bar = |x0, y0, x1, y1| Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    let mut rows = places(size.height).map(|y| bar(0.0, y - 1.0, size.width, y + 1.0));
    let mut columns = places(size.width).map(|x| bar(x - 1.0, 0.0, x + 1.0, size.height));
    match ruling {
        Ruling::Plain => {}
        Ruling::Ruled => fill(&mut rows, LINE),
        Ruling::Squared => {
            fill(&mut rows, LINE);
            fill(&mut columns, LINE);
        }
        Ruling::Dotted => {
            let mut dots = places(size.height).flat_map(|y| {
                places(size.width).map(move |x| bar(x - 2.5, y - 2.5, x + 2.5, y + 2.5))
            });
            fill(&mut dots, LINE);
        }
    }
}
