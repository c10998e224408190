//! The cover: how the row shows it, and what is done with it there.

use bozzetto_core::aids::cover::{self, Cover};
use bozzetto_core::aids::lines;
use bozzetto_core::geometry::frames::{Held, Point, Rect};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::covered;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;

#[derive(Serialize, Tsify)]
pub struct CoverShown {
    /// How many lines were found beneath it; 0 when it is pulled back in equal steps.
    pub lines: usize,
    /// How many of them are covered.
    pub covered: usize,
    /// It covers all of the page.
    pub all: bool,
}

impl Glass {
    /// The cover on the backdrop in use, unless it is put away.
    pub(crate) fn cover_shown(&self) -> Option<CoverShown> {
        let backdrop = self.active_backdrop()?;
        let cover = backdrop.seen.cover().filter(|c| !c.away)?;
        let whole = backdrop.whole_cover(&self.room_in_use());
        let lines = match cover.stops.len() {
            0 => 0,
            stops => stops + 1,
        };
        let passed = cover.stops.iter().filter(|y| **y <= cover.covers.y0);
        Some(CoverShown {
            lines,
            covered: lines.saturating_sub(passed.count()),
            all: cover.covers == whole,
        })
    }

    /// Whether something is covered or hidden that is in view.
    pub(crate) fn is_covered(&self) -> bool {
        self.panes().iter().any(covered::is_there)
    }

    /// Lays a cover on its page.
    pub(crate) fn lay_cover(&mut self, id: BackdropId, cover: Cover) {
        self.see(&id.0.to_string(), |seen| seen.lay_cover(cover));
    }

    /// These parts of the page of a backdrop that is shown are hidden from now on, and no others.
    pub(crate) fn hide(&mut self, id: BackdropId, parts: Vec<Rect<Held>>) {
        self.see(&id.0.to_string(), |seen| seen.hide(parts));
    }

    /// How many parts of the page in use are hidden.
    pub(crate) fn hidden_shown(&self) -> usize {
        let backdrop = self.active_backdrop();
        backdrop.map_or(0, |b| b.seen.hidden().count())
    }

    fn change_cover(&mut self, change: impl FnOnce(&Cover, &Rect<Held>) -> Cover) {
        let room = self.room_in_use();
        let changed = self.active_backdrop().and_then(|backdrop| {
            let cover = change(backdrop.seen.cover()?, &backdrop.whole_cover(&room));
            Some((backdrop.id, cover))
        });
        if let Some((id, cover)) = changed {
            self.lay_cover(id, cover);
        }
    }
}

#[wasm_bindgen]
impl Glass {
    /// A cover comes over the backdrop in use: as it was, or over all of it. Of a picture of what it shows,
    /// given as RGBA, it takes the lines.
    pub fn cover(&mut self, rgba: &[u8], width: usize, height: usize) {
        let room = self.room_in_use();
        let Some(backdrop) = self.active_backdrop() else {
            return;
        };
        let (id, seen) = (backdrop.id, &backdrop.seen);
        let shows = seen.frozen.map_or(backdrop.shown(&room), |f| f.shows);
        let stops = lines::stops(&lines::lines(rgba, width, height));
        let of_backdrop = |y: f64| shows.y0 + y / height.max(1) as f64 * shows.height();
        let stops: Vec<f64> = stops.into_iter().map(of_backdrop).collect();
        let cover = match seen.cover() {
            Some(known) => Cover {
                away: false,
                stops: match stops.is_empty() {
                    true => known.stops.clone(),
                    false => stops,
                },
                ..known.clone()
            },
            None => Cover::over(seen.page, backdrop.shown(&room), stops),
        };
        self.lay_cover(id, cover);
    }

    /// The next line is uncovered, from the top.
    pub fn uncover_line(&mut self) {
        self.change_cover(Cover::with_next);
    }

    /// The line is covered again that was uncovered last.
    pub fn cover_line(&mut self) {
        self.change_cover(Cover::with_one_fewer);
    }

    /// All of the page is covered.
    pub fn cover_all(&mut self) {
        self.change_cover(|cover, whole| Cover {
            covers: *whole,
            ..cover.clone()
        });
    }

    /// It is put away, and comes back as it was.
    pub fn take_cover_off(&mut self) {
        self.change_cover(|cover, _| Cover {
            away: true,
            ..cover.clone()
        });
    }

    /// All that is hidden of the page in use is shown again.
    pub fn show_hidden(&mut self) {
        if let Some(id) = self.active_backdrop().map(|b| b.id) {
            self.hide(id, Vec::new());
        }
    }

    /// What is withheld of a frame of a moving backdrop on its way to participants: x, y, width and height in its
    /// pixels, whole ones, of one part after the other. The frame shows the part `shows` of the backdrop.
    pub fn stream_covered(&self, id: &str, shows: &[f64], width: f64, height: f64) -> Vec<f64> {
        let Some(backdrop) = self.backdrop(id) else {
            return Vec::new();
        };
        let room = self.room_of(backdrop.id);
        let parts = room.map_or(Vec::new(), |room| backdrop.withheld(&room));
        in_frame(&parts, shows, (width, height))
    }

    /// Where what is hidden lies on stage: x, y, width and height in glass units of one part after the other, grown to whole
    /// ones.
    pub fn hidden_on_stage(&self) -> Vec<f64> {
        let panes = self.panes();
        let all = panes.iter().flat_map(covered::hidden);
        let whole = all.map(|(_, at)| [at.x0.floor(), at.y0.floor(), at.x1.ceil(), at.y1.ceil()]);
        whole
            .flat_map(|[x0, y0, x1, y1]| [x0, y0, x1 - x0, y1 - y0])
            .collect()
    }

    /// The same of what is hidden, in a frame that is kept with a capture: it is to be found nowhere.
    pub fn frame_hidden(&self, id: &str, shows: &[f64], width: f64, height: f64) -> Vec<f64> {
        let backdrop = self.backdrop(id);
        let parts: Vec<_> = backdrop.into_iter().flat_map(|b| b.seen.hidden()).collect();
        in_frame(&parts, shows, (width, height))
    }
}

/// Parts of a backdrop in the pixels of a frame that shows the part `shows` of it.
fn in_frame(parts: &[Rect<Held>], shows: &[f64], size: (f64, f64)) -> Vec<f64> {
    let &[x0, y0, x1, y1] = shows else {
        return Vec::new();
    };
    let shows = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    let each = parts
        .iter()
        .filter_map(|part| covered::in_frame(part, &shows, size));
    each.flatten().collect()
}

/// What a cover looks like, as CSS writes a colour.
#[wasm_bindgen]
pub fn cover_colour() -> String {
    cover::COLOUR.css()
}

/// The lines that are found in a picture, given as RGBA: from the first row of pixels of each to where it ends.
#[wasm_bindgen]
pub fn lines_found(rgba: &[u8], width: usize, height: usize) -> Vec<u32> {
    let lines = lines::lines(rgba, width, height);
    lines
        .into_iter()
        .flat_map(|(from, to)| [from, to])
        .collect()
}
