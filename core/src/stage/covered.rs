//! Covers on stage: where they lie, and what is beneath them.

use crate::aids::cover::COLOUR;
use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Held, Rect};
use crate::marks::mark::Mark;
use crate::sheets::step::SheetId;
use crate::stage::pane::{Pane, of_backdrop};

/// The line along a cover's edges, and the grip in the middle of each.
const RIM: Rgb = Rgb::hex(0x8B949C);
const GRIP: Rgb = Rgb::hex(0xF3F0E9);

/// Where a pane's cover lies, as far as it is in the pane; `None` when there is none to be seen. `theirs` is as
/// participants see it: they get all of a film, or nothing.
pub fn on_glass(pane: &Pane, theirs: bool) -> Option<Rect<Glass>> {
    let backdrop = pane.backdrop?;
    let covers = backdrop.covered(&pane.room, theirs)?;
    let on_glass = backdrop.view(&pane.room).apply_rect(&covers);
    let seen = on_glass.intersection(&pane.room);
    (seen.width() > 0.0 && seen.height() > 0.0).then_some(seen)
}

/// Draws a pane's cover over it.
pub fn paint(pane: &Pane, theirs: bool, list: &mut DisplayList) {
    if let Some(at) = on_glass(pane, theirs) {
        list.fill(Path::of_rect(&at), RIM, Blend::Over);
        list.fill(Path::of_rect(&at.inflate(-3.0)), COLOUR, Blend::Over);
    }
}

/// Draws where hands pull it.
pub fn paint_grips(pane: &Pane, list: &mut DisplayList) {
    /// How long and wide a grip is, and how far from the edge; in glass units.
    const SIZE: (f64, f64, f64) = (60.0, 3.0, 14.0);
    let Some(at) = on_glass(pane, false) else {
        return;
    };
    let (middle, (long, wide, off)) = (at.middle(), SIZE);
    for (x, y, w, h) in [
        (middle.x, at.y0 + off, long, wide),
        (middle.x, at.y1 - off, long, wide),
        (at.x0 + off, middle.y, wide, long),
        (at.x1 - off, middle.y, wide, long),
    ] {
        let bar = Rect::from_size(x - w / 2.0, y - h / 2.0, w, h).intersection(&at);
        list.fill(Path::of_rect(&bar), GRIP, Blend::Over);
    }
}

/// What is covered of a frame that shows the part `shows` of a backdrop in so many pixels: x, y, width and height,
/// out to whole pixels; `None` when nothing is.
pub fn in_frame(covers: &Rect<Held>, shows: &Rect<Held>, size: (f64, f64)) -> Option<[f64; 4]> {
    let (w, h) = (shows.width() / size.0, shows.height() / size.1);
    let left = ((covers.x0 - shows.x0) / w).floor().clamp(0.0, size.0);
    let top = ((covers.y0 - shows.y0) / h).floor().clamp(0.0, size.1);
    let right = ((covers.x1 - shows.x0) / w).ceil().clamp(0.0, size.0);
    let bottom = ((covers.y1 - shows.y0) / h).ceil().clamp(0.0, size.1);
    (right > left && bottom > top).then_some([left, top, right - left, bottom - top])
}

/// Whether a mark lies beneath a cover, all of it, so that nobody sees anything of it.
pub fn hides(panes: &[Pane], sheet: SheetId, mark: &Mark) -> bool {
    panes.iter().any(|pane| {
        let backdrop = pane.backdrop.filter(|b| Some(b.id) == sheet.backdrop());
        let covered = backdrop.and_then(|b| Some((b, b.covered(&pane.room, true)?)));
        let Some((backdrop, covers)) = covered else {
            return false;
        };
        let covers = backdrop.view(&pane.room).apply_rect(&covers);
        let seen = of_backdrop(backdrop, &pane.room).into_iter();
        let mut seen = seen.filter(|v| v.sheet == sheet);
        seen.any(|v| covers.union(&v.view.apply_rect(&mark.bounds())) == covers)
    })
}
