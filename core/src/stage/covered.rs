//! What is withheld of backdrops on stage, by a cover or by being hidden: where it lies, and what is beneath it.

use crate::aids::cover::COLOUR;
use crate::display::colour::Rgb;
use crate::display::{Blend, DisplayList, Path};
use crate::geometry::frames::{Glass, Held, Point, Rect};
use crate::marks::mark::Mark;
use crate::sheets::step::SheetId;
use crate::stage::pane::{Pane, of_backdrop};

/// The line along a cover's edges, and the grip in the middle of each.
const RIM: Rgb = Rgb::hex(0x8B949C);
const GRIP: Rgb = Rgb::hex(0xF3F0E9);
/// How much of what is hidden the presenter does not see.
const FAINTLY: f32 = 0.72;

/// Whom a picture is for.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Eyes {
    /// What is hidden shows through.
    Presenter,
    /// They get all of a film or of a running page, or nothing.
    Participants,
    /// Of a picture that is kept: a capture, a small one.
    Anybody,
}

/// Where a pane's cover lies, as far as it is in the pane; `None` when there is none to be seen.
pub fn on_glass(pane: &Pane) -> Option<Rect<Glass>> {
    seen(pane, &pane.backdrop?.seen.covered()?)
}

/// A part of a pane's backdrop on the glass, as far as it is in the pane.
fn seen(pane: &Pane, part: &Rect<Held>) -> Option<Rect<Glass>> {
    let on_glass = pane.backdrop?.view(&pane.room).apply_rect(part);
    let seen = on_glass.intersection(&pane.room);
    (seen.width() > 0.0 && seen.height() > 0.0).then_some(seen)
}

/// Where what is hidden of a pane's backdrop lies, as far as it is in the pane: in the order of its parts.
pub fn hidden(pane: &Pane) -> Vec<(usize, Rect<Glass>)> {
    let parts = pane.backdrop.into_iter().flat_map(|b| b.seen.hidden());
    let seen = parts.map(|part| seen(pane, &part)).enumerate();
    seen.filter_map(|(n, at)| Some((n, at?))).collect()
}

/// Whether something is withheld in a pane.
pub fn is_there(pane: &Pane) -> bool {
    let parts = pane.backdrop.map_or(Vec::new(), |b| b.withheld(&pane.room));
    parts.iter().any(|part| seen(pane, part).is_some())
}

/// Draws what is withheld over a pane.
pub fn paint(pane: &Pane, eyes: Eyes, list: &mut DisplayList) {
    let Some(backdrop) = pane.backdrop else {
        return;
    };
    let opaque = match eyes {
        Eyes::Presenter => backdrop.seen.covered().into_iter().collect(),
        Eyes::Participants => backdrop.withheld(&pane.room),
        Eyes::Anybody => backdrop.seen.withheld(),
    };
    for at in opaque.iter().filter_map(|part| seen(pane, part)) {
        list.fill(Path::of_rect(&at), RIM, Blend::Over);
        list.fill(Path::of_rect(&at.inflate(-3.0)), COLOUR, Blend::Over);
    }
    if eyes == Eyes::Presenter {
        for (_, at) in hidden(pane) {
            paint_faintly(&at, list);
        }
    }
}

/// Draws a part that is hidden as the presenter sees it.
fn paint_faintly(at: &Rect<Glass>, list: &mut DisplayList) {
    /// Of the line along its edges, in glass units.
    const WIDE: f64 = 3.0;
    list.fade(Path::of_rect(at), COLOUR, Blend::Over, FAINTLY);
    for edge in [
        Rect::from_size(at.x0, at.y0, at.width(), WIDE),
        Rect::from_size(at.x0, at.y1 - WIDE, at.width(), WIDE),
        Rect::from_size(at.x0, at.y0, WIDE, at.height()),
        Rect::from_size(at.x1 - WIDE, at.y0, WIDE, at.height()),
    ] {
        list.fill(Path::of_rect(&edge), RIM, Blend::Over);
    }
}

/// Where a hidden part is pressed to be shown again: the middle of a cross in its upper right corner.
pub fn cross(at: &Rect<Glass>, room: &Rect<Glass>) -> Point<Glass> {
    Point::new(at.x1.min(room.x1 - CROSS), at.y0.max(room.y0 + CROSS))
}

/// The radius of the disc with the cross, in glass units.
pub const CROSS: f64 = 18.0;

/// Draws the crosses by which hidden parts are shown again.
pub fn paint_crosses(pane: &Pane, list: &mut DisplayList) {
    for (_, at) in hidden(pane) {
        let middle = cross(&at, &pane.room);
        list.fill(Path::disc(middle, CROSS), RIM, Blend::Over);
        list.fill(Path::disc(middle, CROSS - 2.0), GRIP, Blend::Over);
        let mut lines = Path::default();
        let (long, half) = (CROSS * 0.42, 1.6);
        for (x, y) in [(1.0, 1.0), (1.0, -1.0)] {
            let (x, y) = (x * long, y * long);
            let beside = (half * f64::signum(y), -half);
            lines.polygon([
                (middle.x - x - beside.0, middle.y - y - beside.1),
                (middle.x - x + beside.0, middle.y - y + beside.1),
                (middle.x + x + beside.0, middle.y + y + beside.1),
                (middle.x + x - beside.0, middle.y + y - beside.1),
            ]);
            list.fill(std::mem::take(&mut lines), COLOUR, Blend::Over);
        }
    }
}

/// Draws where hands pull it.
pub fn paint_grips(pane: &Pane, list: &mut DisplayList) {
    /// How long and wide a grip is, and how far from the edge; in glass units.
    const SIZE: (f64, f64, f64) = (60.0, 3.0, 14.0);
    let Some(at) = on_glass(pane) else {
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

/// Whether a mark lies beneath something that is withheld, all of it, so that no participant sees anything of it.
pub fn hides(panes: &[Pane], sheet: SheetId, mark: &Mark) -> bool {
    panes.iter().any(|pane| {
        let Some(backdrop) = pane.backdrop.filter(|b| Some(b.id) == sheet.backdrop()) else {
            return false;
        };
        let view = backdrop.view(&pane.room);
        let on_sheet = || {
            of_backdrop(backdrop, &pane.room)
                .into_iter()
                .filter(|v| v.sheet == sheet)
        };
        let parts = backdrop.withheld(&pane.room);
        parts
            .iter()
            .map(|part| view.apply_rect(part))
            .any(|part| on_sheet().any(|v| part.union(&v.view.apply_rect(&mark.bounds())) == part))
    })
}

/// What is withheld, as a word that differs when that differs; `None` for nothing.
pub fn tag(parts: &[Rect<Held>]) -> Option<String> {
    let each = parts
        .iter()
        .map(|r| format!("{}_{}_{}_{}", r.x0, r.y0, r.x1, r.y1));
    (!parts.is_empty()).then(|| each.collect::<Vec<_>>().join("~"))
}
