//! Boards: empty backdrops to write on.

use serde::{Deserialize, Serialize};

use crate::display::colour::{BLACK, LINE_CONTRAST, OKABE_ITO, Rgb, WHITE};
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{GLASS_WIDTH, Glass, Held, Map, Point, Rect, Size};

/// What is printed on a board.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Ruling {
    #[default]
    Plain,
    Ruled,
    Squared,
    Dotted,
}

/// What a board is made of.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Surface {
    /// Warm white.
    #[default]
    Paper,
    White,
    /// Dark grey, for a dark room.
    Slate,
    /// The green of chalk boards.
    Chalk,
}

impl Surface {
    pub const ALL: [Surface; 4] = [
        Surface::Paper,
        Surface::White,
        Surface::Slate,
        Surface::Chalk,
    ];

    /// The colour of the bare board.
    pub fn colour(self) -> Rgb {
        match self {
            Surface::Paper => PAPER,
            Surface::White => Rgb::hex(0xFFFFFF),
            Surface::Slate => Rgb::hex(0x1C242B),
            Surface::Chalk => Rgb::hex(0x1D3B34),
        }
    }

    /// The inks of the left and the right half of a board for two: of Okabe and Ito's colours blue and
    /// vermilion, which nobody confuses; on dark boards their light neighbours.
    ///
    /// ```
    /// use bozzetto_core::stage::board::Surface;
    /// for surface in Surface::ALL {
    ///     for ink in surface.half_inks() {
    ///         // WCAG 2.2, 1.4.11: lines that mean something.
    ///         assert!(ink.contrast(surface.colour()) >= 3.0);
    ///     }
    /// }
    /// ```
    pub fn half_inks(self) -> [Rgb; 2] {
        match self.is_dark() {
            false => [OKABE_ITO[5].1, OKABE_ITO[6].1],
            true => [OKABE_ITO[2].1, OKABE_ITO[1].1],
        }
    }

    /// An ink as this board offers it: on a dark one, what would not be seen becomes its light
    /// neighbour in the palette, or as much lighter as it takes.
    ///
    /// ```
    /// use bozzetto_core::stage::board::Surface;
    /// use bozzetto_core::display::colour::{BLACK, OKABE_ITO, WHITE};
    /// assert_eq!(Surface::Paper.ink(BLACK), BLACK);
    /// assert_eq!(Surface::Chalk.ink(BLACK), WHITE);
    /// for surface in Surface::ALL {
    ///     for (name, colour) in &OKABE_ITO[..4] {
    ///         // WCAG 2.2, 1.4.11: lines that mean something. Light inks on light boards stay as they
    ///         // are, and the back-row check says so.
    ///         let seen = surface.ink(*colour).contrast(surface.colour());
    ///         assert!(seen >= 3.0 || !surface.is_dark(), "{name} on {surface:?}: {seen}");
    ///     }
    /// }
    /// ```
    pub fn ink(self, colour: Rgb) -> Rgb {
        let seen = |c: Rgb| c.contrast(self.colour()) >= LINE_CONTRAST;
        if !self.is_dark() || seen(colour) {
            return colour;
        }
        let light = [
            (BLACK, WHITE),
            (OKABE_ITO[5].1, OKABE_ITO[2].1),
            (OKABE_ITO[6].1, OKABE_ITO[1].1),
        ];
        let neighbour = light.iter().find(|(dark, _)| *dark == colour);
        let lighter = || (1..10).map(|tenths| colour.towards_white(f64::from(tenths) / 10.0));
        neighbour.map_or_else(
            || lighter().find(|c| seen(*c)).unwrap_or(WHITE),
            |(_, light)| *light,
        )
    }

    /// A highlighter's colour as this board offers it: a dark board is lightened by it
    /// ([`Blend::Screen`]), by so much that it is seen and light writing can still be read.
    ///
    /// ```
    /// use bozzetto_core::stage::board::Surface;
    /// use bozzetto_core::display::colour::{OKABE_ITO, Rgb, WHITE};
    /// let yellow = OKABE_ITO[4].1;
    /// assert_eq!(Surface::Paper.highlighter(yellow), yellow);
    /// for surface in [Surface::Slate, Surface::Chalk] {
    ///     let (c, s) = (surface.highlighter(yellow), surface.colour());
    ///     // W3C Compositing and Blending Level 1, *screen*: 1 - (1 - a) (1 - b).
    ///     let mixed = |a: u8, b: u8| 255 - ((255 - u32::from(a)) * (255 - u32::from(b)) / 255) as u8;
    ///     let lit = Rgb::new(mixed(c.r, s.r), mixed(c.g, s.g), mixed(c.b, s.b));
    ///     // WCAG 2.2: 1.4.3 for words on it.
    ///     assert!(WHITE.contrast(lit) >= 4.5 && lit.contrast(s) >= 1.8);
    /// }
    /// ```
    pub fn highlighter(self, colour: Rgb) -> Rgb {
        match self.is_dark() {
            true => colour.towards_black(0.65),
            false => colour,
        }
    }

    /// Whether light ink is needed to be seen on it.
    pub fn is_dark(self) -> bool {
        matches!(self, Surface::Slate | Surface::Chalk)
    }

    /// The colour of its lines: strong enough to write along, weak enough to forget.
    fn lines(self) -> Rgb {
        match self {
            Surface::Paper | Surface::White => Rgb::hex(0xC4D2D6),
            Surface::Slate => Rgb::hex(0x3D4A54),
            Surface::Chalk => Rgb::hex(0x3B5F56),
        }
    }
}

/// A board as it was wanted.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Board {
    pub ruling: Ruling,
    pub surface: Surface,
    /// Distance of lines, squares and dots, in board units; see [`SPACINGS`].
    pub spacing: f64,
    /// Pages that there are so far; one more can always be begun.
    pub pages: u32,
    /// For two people: a half each, with an ink of its own.
    pub halved: bool,
}

impl Default for Board {
    fn default() -> Self {
        Self {
            ruling: Ruling::Plain,
            surface: Surface::Paper,
            spacing: SPACINGS[1],
            pages: 1,
            halved: false,
        }
    }
}

impl Board {
    /// Within what a board may be, whatever was sent.
    pub fn settled(self) -> Self {
        let spacing = match SPACINGS.contains(&self.spacing) {
            true => self.spacing,
            false => SPACINGS[1],
        };
        Self {
            spacing,
            pages: self.pages.clamp(1, MOST_PAGES),
            ..self
        }
    }
}

/// The colour of paper.
pub const PAPER: Rgb = Rgb::hex(0xFBFAF5);

/// The spacings to choose from, in board units: narrow, usual (18 lines on a 16:9 board), wide.
pub const SPACINGS: [f64; 3] = [40.0, 60.0, 90.0];

/// The most pages of a board.
pub const MOST_PAGES: u32 = 200;

/// How much longer a board is than the picture area: it goes on below, for who writes more, and for
/// a pane that is higher than the picture area is at the same width.
pub const REACH: f64 = 10.0;

/// The size of a board, in board units, for a lesson whose picture area is `area`.
pub fn size(area: Size<Glass>) -> Size<Held> {
    Size::new(GLASS_WIDTH, area.height)
}

/// The part of a board of this `width` that is seen through `view` in its `room`. It fills the room,
/// whatever shape that has: a board has none of its own.
fn seen(width: f64, room: &Rect<Glass>, view: &Map<Held, Glass>) -> Rect<Held> {
    let all = Rect::from_corners(Point::new(0.0, 0.0), Point::new(width, f64::INFINITY));
    view.inverse()
        .map_or(Rect::EMPTY, |back| back.apply_rect(room).intersection(&all))
}

/// The board itself, as wide as `width` in board units, seen through `view` in its `room`.
pub fn paint(
    board: &Board,
    width: f64,
    room: &Rect<Glass>,
    view: &Map<Held, Glass>,
    list: &mut DisplayList,
) {
    let seen = seen(width, room, view);
    let mut fill = |rects: &mut dyn Iterator<Item = Rect<Held>>, colour| {
        let mut path = Path::default();
        rects.for_each(|r| path.rect(&view.apply_rect(&r)));
        list.fill(path, colour, Blend::Over);
    };
    fill(&mut std::iter::once(seen), board.surface.colour());
    let spacing = board.spacing;
    // The lines in sight; none lies on the board's own edge.
    let places = |from: f64, to: f64, end: f64| {
        let last = (to.min(end - 1.0) / spacing).floor() as i64;
        let first = ((from / spacing).ceil() as i64).max(1);
        (first..=last).map(move |i| i as f64 * spacing)
    };
    let across = || places(seen.x0, seen.x1, width);
    let down = || places(seen.y0, seen.y1, f64::INFINITY);
    let bar = |x0, y0, x1, y1| Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    let mut rows = down().map(|y| bar(seen.x0, y - 1.0, seen.x1, y + 1.0));
    let mut columns = across().map(|x| bar(x - 1.0, seen.y0, x + 1.0, seen.y1));
    let lines = board.surface.lines();
    match board.ruling {
        Ruling::Plain => {}
        Ruling::Ruled => fill(&mut rows, lines),
        Ruling::Squared => {
            fill(&mut rows, lines);
            fill(&mut columns, lines);
        }
        Ruling::Dotted => {
            let mut dots =
                down().flat_map(|y| across().map(move |x| bar(x - 2.5, y - 2.5, x + 2.5, y + 2.5)));
            fill(&mut dots, lines);
        }
    }
    if board.halved {
        let middle = width / 2.0;
        let divide = bar(middle - 2.0, seen.y0, middle + 2.0, seen.y1);
        fill(&mut std::iter::once(divide), lines);
        for (ink, x) in board.surface.half_inks().into_iter().zip([0.0, middle]) {
            let edge = bar(x, 0.0, x + middle, 8.0);
            fill(&mut std::iter::once(edge), ink);
        }
    }
}
