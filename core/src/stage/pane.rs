//! Panes: what the picture area is divided into, and which sheets are seen in which part of it.

use serde::{Deserialize, Serialize};

use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList};
use crate::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use crate::geometry::ids::BackdropId;
use crate::marks::mark::Style;
use crate::sheets::step::SheetId;
use crate::stage::backdrop::{self, BackdropKind, BackdropView};
use crate::stage::board::Board;

/// A second backdrop beside the first.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Beside {
    pub backdrop: BackdropId,
    /// Where the middle of the divider is, as a fraction of the width of the picture area.
    pub divider: f64,
}

/// How wide the divider is, in glass units: enough to see, and to take hold of.
pub const DIVIDER: f64 = 14.0;
/// How far the divider can be dragged.
pub const DIVIDES: std::ops::RangeInclusive<f64> = 0.2..=0.8;

impl Beside {
    /// Within what can be, whatever was sent.
    pub fn settled(self) -> Self {
        let divider = match self.divider.is_finite() {
            true => self.divider.clamp(*DIVIDES.start(), *DIVIDES.end()),
            false => 0.5,
        };
        Self { divider, ..self }
    }
}

/// The rooms of one or two panes.
///
/// ```
/// use bozzetto_core::geometry::frames::Size;
/// use bozzetto_core::stage::pane::rooms;
/// let area = Size::glass(16.0, 9.0);
/// assert_eq!(rooms(area, None)[0].x1, 1920.0);
/// let two = rooms(area, Some(0.5));
/// assert_eq!((two[0].x1, two[1].x0, two[1].x1), (953.0, 967.0, 1920.0));
/// ```
pub fn rooms(area: Size<Glass>, divider: Option<f64>) -> Vec<Rect<Glass>> {
    let Some(divider) = divider else {
        return vec![Rect::of_size(area)];
    };
    let middle = (area.width * divider).round();
    let corner = |x, y| Point::new(x, y);
    vec![
        Rect::from_corners(
            corner(0.0, 0.0),
            corner(middle - DIVIDER / 2.0, area.height),
        ),
        Rect::from_corners(
            corner(middle + DIVIDER / 2.0, 0.0),
            corner(area.width, area.height),
        ),
    ]
}

/// A backdrop in its part of the picture area.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pane<'a> {
    pub room: Rect<Glass>,
    pub backdrop: Option<&'a BackdropView>,
}

/// The panes of a stage.
pub fn panes<'a>(
    area: Size<Glass>,
    first: Option<&'a BackdropView>,
    beside: Option<(&'a BackdropView, f64)>,
) -> Vec<Pane<'a>> {
    let backdrops = [first, beside.map(|(backdrop, _)| backdrop)];
    rooms(area, beside.map(|(_, divider)| divider))
        .into_iter()
        .zip(backdrops)
        .map(|(room, backdrop)| Pane { room, backdrop })
        .collect()
}

/// A sheet that is in view.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct InView {
    pub sheet: SheetId,
    /// From the sheet's frame to the glass.
    pub view: Map<Held, Glass>,
    /// The part of the glass that its marks are seen in.
    pub within: Rect<Glass>,
    /// The ink that hands take on here by themselves.
    pub colour: Option<Rgb>,
    /// It is written on with light ink.
    pub dark: bool,
}

impl InView {
    /// How a mark mixes with what it lies on here.
    pub fn blend(&self, style: &Style) -> Blend {
        style.blend_on(self.dark)
    }
}

/// The sheets in view, from the bottom up: those of the backdrops, and the glass.
pub fn in_view(area: Size<Glass>, panes: &[Pane]) -> Vec<InView> {
    let mut all = Vec::new();
    for pane in panes {
        if let Some(backdrop) = pane.backdrop {
            all.extend(of_backdrop(backdrop, &pane.room));
        }
    }
    all.push(InView {
        sheet: SheetId::Glass,
        view: Map::coincident(),
        within: Rect::of_size(area),
        colour: None,
        // What it holds goes from one backdrop to the next.
        dark: false,
    });
    all
}

/// The sheets of one backdrop in its room: one, or the two of a board for two.
pub fn of_backdrop(backdrop: &BackdropView, room: &Rect<Glass>) -> Vec<InView> {
    let view = backdrop.view(room);
    let dark = backdrop.is_dark();
    let BackdropKind::Board(Board {
        halved: true,
        surface,
        ..
    }) = &backdrop.kind
    else {
        let (sheet, within, colour) = (backdrop.sheet(), *room, None);
        return vec![InView {
            sheet,
            view,
            within,
            colour,
            dark,
        }];
    };
    let size = backdrop.size(room);
    let half = |n: u32| {
        let (x0, x1) = (
            f64::from(n) * size.width / 2.0,
            f64::from(n + 1) * size.width / 2.0,
        );
        // Beyond the board's own edge a half goes on: nothing is cut off there that a whole board
        // would show.
        let reach = Rect::<Held>::from_corners(
            Point::new(if n == 0 { -1e6 } else { x0 }, -1e6),
            Point::new(if n == 1 { 1e6 } else { x1 }, 1e6),
        );
        view.apply_rect(&reach).intersection(room)
    };
    backdrop
        .sheets()
        .zip(0..)
        .map(|(sheet, n)| InView {
            sheet,
            view,
            within: half(n),
            colour: Some(surface.half_inks()[n as usize % 2]),
            dark,
        })
        .collect()
}

/// The sheet of a backdrop that a hand at `p` marks: that of the pane or half it is in, or the
/// nearest. `None` on a bare stage.
pub fn at(in_view: &[InView], p: Point<Glass>) -> Option<&InView> {
    let away = |v: &&InView| {
        let dx = (v.within.x0 - p.x).max(p.x - v.within.x1).max(0.0);
        let dy = (v.within.y0 - p.y).max(p.y - v.within.y1).max(0.0);
        dx * dx + dy * dy
    };
    in_view
        .iter()
        .filter(|v| v.sheet != SheetId::Glass && !v.within.is_empty())
        .min_by(|a, b| away(a).total_cmp(&away(b)))
}

/// The panes with their backdrops, and the mount that shows between them.
pub fn paint(area: Size<Glass>, panes: &[Pane], list: &mut DisplayList) {
    if panes.len() == 1 {
        return backdrop::paint(panes[0].backdrop, &panes[0].room, list);
    }
    backdrop::paint(None, &Rect::of_size(area), list);
    for pane in panes {
        let mut here = DisplayList::default();
        backdrop::paint(pane.backdrop, &pane.room, &mut here);
        list.cut(here, &pane.room, true);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::zoom::Zoom;
    use crate::stage::backdrop::{Page, ViewState};
    use proptest::prelude::*;

    const AREA: Size<Glass> = Size::new(1920.0, 1080.0);

    fn backdrop(id: u64, kind: BackdropKind, seen: ViewState) -> BackdropView {
        BackdropView {
            id: BackdropId(id),
            name: String::new(),
            width: 1920.0,
            height: 1080.0,
            kind,
            seen,
        }
    }

    proptest! {
        /// Wherever the divider is and however the backdrops are zoomed and scrolled: every place of
        /// a pane belongs to that pane's sheet, and what a browser shows of a web page lies exactly
        /// where its marks are.
        #[test]
        fn a_hand_marks_what_is_beneath_it(
            divider in 0.2..0.8f64, x in 0.0..1920.0f64, y in 0.0..1080.0f64,
            by in 1.0..6.0f64, scroll in 0.0..4000.0f64,
        ) {
            let zoom = Zoom { by, x: 0.5, y: 0.5 };
            let page = BackdropKind::Page(Page::Address("http://localhost".to_owned()));
            let left = backdrop(1, page, ViewState { zoom, scroll: (0.0, scroll), ..ViewState::default() });
            let right = backdrop(2, BackdropKind::Board(Board { halved: true, ..Board::default() }), ViewState { page: 0, ..ViewState::default() });
            let panes = panes(AREA, Some(&left), Some((&right, divider)));
            let seen = in_view(AREA, &panes);
            let p = Point::new(x, y);
            let at = at(&seen, p).unwrap();
            let middle = panes[1].room.x0 + panes[1].room.width() / 2.0;
            let expected = if x < divider * 1920.0 {
                SheetId::Backdrop(BackdropId(1))
            } else if x < middle {
                SheetId::Backdrop(BackdropId(2))
            } else {
                SheetId::Page { backdrop: BackdropId(2), page: 1 }
            };
            prop_assume!((x - divider * 1920.0).abs() > 8.0 && (x - middle).abs() > 1.0);
            prop_assert_eq!(at.sheet, expected);
            // A page scrolled by `scroll` shows at the top of its window what lies `scroll` CSS
            // pixels down; a page is laid out 1.5 glass units to the CSS pixel.
            let room = panes[0].room;
            let top = seen[0].view.apply(Point::new(room.width() / 3.0, scroll + room.height() / 3.0));
            prop_assert!((top.x - (room.x0 + room.x1) / 2.0).abs() < 1e-6);
            prop_assert!((top.y - 540.0).abs() < 1e-6);
        }
    }
}
