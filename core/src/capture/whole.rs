//! The whole of a backdrop, or of one page of it, with the marks that it holds: also what lies beyond what was in view.

use crate::geometry::frames::{GLASS_WIDTH, Glass, Held, Rect, Size};
use crate::geometry::zoom::Zoom;
use crate::sheets::sheet::Sheets;
use crate::stage::backdrop::{BackdropKind, BackdropView, PAGE_SCALE};
use crate::stage::board;
use crate::stage::laid::Laid;

use super::moment::Moment;

/// What is left round marks that lie beyond the edge, in backdrop units of a backdrop as wide as the picture area.
const ROUND: f64 = 24.0;
/// What is coarser than so many pixels across is taken as fine as this, for its marks.
const COARSEST: f64 = 1280.0;
/// The most that marks beside a picture make its picture area larger.
const MOST: f64 = 3.0;

/// Why a backdrop cannot be taken whole, in words for the person.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
pub enum WholeFault {
    #[error("A page is taken as it is in view. Take its pane instead.")]
    Page,
}

/// The moment and the box of the whole of `backdrop`, on the page that its view says. The picture area is as high as
/// the backdrop is; what it is marked with beside a picture, or further down on a board, is within it. Nothing that
/// the glass holds is in it.
///
/// ```
/// use bozzetto_core::capture::whole::whole;
/// use bozzetto_core::geometry::ids::BackdropId;
/// use bozzetto_core::sheets::history::Keep;
/// use bozzetto_core::sheets::sheet::Sheets;
/// use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
/// use bozzetto_core::stage::grain::Grain;
/// use bozzetto_core::stage::laid::Laid;
/// let portrait = BackdropView {
///     id: BackdropId(1),
///     name: String::new(),
///     width: 600.0,
///     height: 800.0,
///     kind: BackdropKind::Picture { grain: Grain::Pixels },
///     seen: ViewState::default(),
/// };
/// let (moment, area) = whole(portrait, &Sheets::new(Keep::Nobody), &Laid::default(), 7, 0).unwrap();
/// assert_eq!((moment.seq, area.width(), area.height()), (7, 1920.0, 2560.0));
/// ```
///
/// # Errors
/// For a page that runs, without a picture of it: how long it is, only its browser knows.
pub fn whole(
    mut backdrop: BackdropView,
    sheets: &Sheets,
    laid: &Laid,
    seq: u64,
    at: u64,
) -> Result<(Moment, Rect<Glass>), WholeFault> {
    backdrop.seen.zoom = Zoom::WHOLE;
    if matches!(backdrop.kind, BackdropKind::Page(_)) {
        // It is what its picture shows, from the top of that.
        let shows = backdrop.seen.frozen.ok_or(WholeFault::Page)?.shows;
        backdrop.seen.scroll = (shows.x0, shows.y0);
    }
    let marked = backdrop.sheets().fold(Rect::<Held>::EMPTY, |all, id| {
        let sheet = sheets.sheet(id);
        sheet.marks().fold(all, |r, m| r.union(&sheet.bounds(m.id)))
    });
    let id = backdrop.id;
    let mut laid = laid.clone().for_participants();
    (laid.spotlight, laid.magnifier) = (None, None);
    laid.clocks.clear();
    laid.instruments.retain(|i| i.placed.on == Some(id));
    laid.measuring = laid.measuring.filter(|m| m.on == Some(id));
    let aspect = area_for(&backdrop, &marked);
    let moment = Moment {
        seq,
        at,
        aspect,
        current: Some(backdrop),
        beside: None,
        laid,
        device: COARSEST / GLASS_WIDTH,
        ratio: 1.0,
        alone: true,
    };
    let room = Rect::of_size(moment.area());
    let area = moment.current.as_ref().map_or(room, |b| {
        let seen = match (&b.kind, b.seen.frozen) {
            (BackdropKind::Page(_), Some(frozen)) => frozen.shows,
            _ => b.shown(&room).union(&marked),
        };
        b.view(&room).apply_rect(&seen).intersection(&room)
    });
    Ok((moment, area))
}

/// Whether it can be taken without the browser that shows it: it does not move, or is frozen.
pub fn is_still(backdrop: &BackdropView) -> bool {
    let page = matches!(backdrop.kind, BackdropKind::Page(_));
    !backdrop.kind.moves() || backdrop.seen.frozen.is_some() && !page
}

/// All of a lesson's backdrops that are still, a capture each: every page of every one, or only those that are marked;
/// and how many are left out, since they move.
pub fn each(
    order: &[BackdropView],
    sheets: &Sheets,
    only_marked: bool,
) -> (Vec<BackdropView>, usize) {
    let pages = |b: &BackdropView| {
        let page = |page| {
            let mut one = b.clone();
            one.seen.page = page;
            one
        };
        let pages: Vec<_> = (0..b.kind.pages()).map(page).collect();
        let marked = |b: &BackdropView| b.sheets().any(|id| !sheets.sheet(id).is_empty());
        let wanted = pages.into_iter().filter(|b| !only_marked || marked(b));
        wanted.collect::<Vec<_>>()
    };
    let (still, moving): (Vec<_>, Vec<_>) = order.iter().partition(|b| is_still(b));
    let left_out = moving.into_iter().filter(|b| !pages(b).is_empty()).count();
    (still.into_iter().flat_map(pages).collect(), left_out)
}

/// How wide and high the picture area has to be, in backdrop units. A picture lies in its middle.
fn area_for(backdrop: &BackdropView, marked: &Rect<Held>) -> (f64, f64) {
    let (width, height) = match &backdrop.kind {
        BackdropKind::Document { .. } => {
            let size = backdrop.size(&Rect::of_size(Size::glass(1.0, 1.0)));
            (size.width, size.height)
        }
        BackdropKind::Page(_) => {
            // As it is laid out for the whole picture area; beside another backdrop it is narrower.
            let shows = backdrop.seen.frozen.map_or(Rect::EMPTY, |f| f.shows);
            return (GLASS_WIDTH / PAGE_SCALE, shows.height());
        }
        _ => (backdrop.width, backdrop.height),
    };
    if marked.is_empty() {
        return (width, height);
    }
    let round = ROUND * width / GLASS_WIDTH;
    if let BackdropKind::Board(_) = backdrop.kind {
        return (
            width,
            (marked.y1 + round).clamp(height, height * board::REACH),
        );
    }
    let beyond = |from: f64, to: f64, length: f64| {
        let most = (-from).max(to - length);
        if most > 0.0 { most + round } else { 0.0 }
    };
    let (beside, above) = (
        beyond(marked.x0, marked.x1, width),
        beyond(marked.y0, marked.y1, height),
    );
    // There is room beside it, or above and below, on every stage; never both.
    if beside / width >= above / height {
        ((width + 2.0 * beside).min(MOST * width), height)
    } else {
        (width, (height + 2.0 * above).min(MOST * height))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::frames::{Point, Size};
    use crate::geometry::ids::BackdropId;
    use crate::stage::backdrop::ViewState;
    use crate::stage::board::Board;
    use crate::stage::grain::Grain;
    use proptest::prelude::*;

    fn backdrop(kind: BackdropKind, width: f64, height: f64) -> BackdropView {
        BackdropView {
            id: BackdropId(1),
            name: String::new(),
            width,
            height,
            kind,
            seen: ViewState::default(),
        }
    }

    proptest! {
        /// What is written beside a picture, above it or below, and how far down ever on a board, has room.
        #[test]
        fn what_is_marked_has_room(
            w in 100.0..5000.0f64, h in 100.0..5000.0f64, from in -0.9..1.8f64, long in 0.0..0.1f64, beside: bool, board: bool,
        ) {
            let board = board && !beside;
            // Boards have the shape of a lesson's picture area.
            let h = if board { w * (0.3 + 0.7 * h / 5000.0) } else { h };
            let from = if board { from.abs() * 4.0 } else { from };
            let kind = match board {
                true => BackdropKind::Board(Board::default()),
                false => BackdropKind::Picture { grain: Grain::Pixels },
            };
            let marked = match beside {
                true => Rect::from_corners(Point::new(from * w, 0.2 * h), Point::new((from + long) * w, 0.3 * h)),
                false => Rect::from_corners(Point::new(0.2 * w, from * h), Point::new(0.3 * w, (from + long) * h)),
            };
            let backdrop = backdrop(kind, w, h);
            let (width, height) = area_for(&backdrop, &marked);
            let room = Rect::of_size(Size::glass(width, height));
            let view = backdrop.view(&room);
            let all = view.apply_rect(&backdrop.shown(&room).union(&marked));
            prop_assert!(all.x0 >= -1e-6 && all.x1 <= room.x1 + 1e-6, "{all:?} in {room:?}");
            prop_assert!(all.y0 >= -1e-6 && all.y1 <= room.y1 + 1e-6, "{all:?} in {room:?}");
        }
    }
}
