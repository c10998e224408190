//! What is selected, and how it is shown while it is being pulled.

use crate::display::DisplayList;
use crate::edit::select::{self, Picked, Pull};
use crate::geometry::frames::{Glass, Map, Rect};
use crate::marks::mark::{Body, Layer, Mark};
use crate::paint;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::SheetId;
use crate::stage::pane::InView;

/// See the module's description.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    pub picked: Picked,
    /// Handles crop the picture that is selected instead of resizing it.
    pub crops: bool,
    /// A pull that is under way: until it is let go, only this page shows it.
    pub pulled: Option<Pulled>,
}

/// How far a selection has been pulled.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pulled {
    pub pull: Pull,
    /// What it covered before.
    pub area: Rect<Glass>,
    /// From where it was to where it is shown.
    pub map: Map<Glass, Glass>,
}

impl Selection {
    /// Leaves out what somebody has removed since; gives how many marks are selected.
    pub fn still_there(&mut self, sheets: &Sheets) -> usize {
        self.picked = select::still_there(sheets, &self.picked);
        self.picked.len()
    }

    /// The mark that is selected, when it is the only one.
    pub fn only(&self, sheets: &Sheets) -> Option<(SheetId, Mark)> {
        let mut there = self.picked.iter().filter_map(|(sheet, id)| {
            let mark = sheets.sheet(*sheet).get(*id)?;
            Some((*sheet, mark))
        });
        let (sheet, mark) = there.next()?;
        there.next().is_none().then(|| (sheet, Mark::clone(mark)))
    }

    /// What it covers; empty for nothing.
    pub fn area(&self, sheets: &Sheets, in_view: &[InView]) -> Rect<Glass> {
        select::bounds(sheets, in_view, &self.picked)
    }

    /// The selected picture as a pull by a handle crops it; `None` when it does not.
    pub fn cropped(
        &self,
        sheets: &Sheets,
        in_view: &[InView],
        pulled: &Pulled,
    ) -> Option<(SheetId, Mark)> {
        if !self.crops || !matches!(pulled.pull, Pull::Handle(_)) {
            return None;
        }
        let (sheet, mut mark) = self.only(sheets)?;
        let seen = in_view.iter().find(|v| v.sheet == sheet)?;
        let back = mark.transform.then(&seen.view).inverse()?;
        let Body::Picture(placed) = &mut mark.body else {
            return None;
        };
        let wanted = pulled.map.apply_rect(&pulled.area);
        *placed = placed.cropped(&back.apply_rect(&wanted));
        Some((sheet, mark))
    }

    /// Adds to a layer what is being pulled, as it would be if it were let go now.
    pub fn paint(&self, sheets: &Sheets, in_view: &[InView], layer: Layer, list: &mut DisplayList) {
        let Some(pulled) = &self.pulled else {
            return;
        };
        if let Some((sheet, mark)) = self.cropped(sheets, in_view, pulled) {
            let seen = in_view.iter().find(|v| v.sheet == sheet);
            if let Some(seen) = seen.filter(|_| mark.style.layer() == layer) {
                paint::alone(&mark, seen, &mark.transform.then(&seen.view), list);
            }
            return;
        }
        for seen in in_view {
            let InView { sheet, view, .. } = seen;
            for (_, id) in self.picked.iter().filter(|(s, _)| s == sheet) {
                let mark = sheets.sheet(*sheet).get(*id);
                if let Some(mark) = mark.filter(|m| m.style.layer() == layer) {
                    let map = mark.transform.then(view).then(&pulled.map);
                    paint::alone(mark, seen, &map, list);
                }
            }
        }
    }
}
