//! Which marks reach into a part of a sheet, found without looking at all of them.
//!
//! A mark lies in the one cell that holds its middle, of a grid whose cells are as large as the mark,
//! rounded up to a power of two; so it reaches no further than half a cell beyond. A tree from a library
//! does the same and weighs 23 KB packed: a twentieth of what a stage loads.

use std::collections::BTreeMap;

use crate::geometry::frames::{Held, Rect};
use crate::sheets::sheet::Place;

/// A cell of the grid whose cells are 2 to the power of `level` units wide and high.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
struct Cell {
    level: i32,
    row: i64,
    column: i64,
}

/// See the module's description.
#[derive(Clone, Default, Debug)]
pub(super) struct Index(BTreeMap<Cell, Vec<(Place, Rect<Held>)>>);

impl Index {
    /// Enters a mark; one that is nowhere is found nowhere. Cost: log n.
    pub(super) fn insert(&mut self, place: Place, bounds: &Rect<Held>) {
        if let Some(cell) = cell_of(bounds) {
            self.0.entry(cell).or_default().push((place, *bounds));
        }
    }

    /// Takes out what was entered with exactly these. Cost: log n, and as many as share its cell.
    pub(super) fn remove(&mut self, place: Place, bounds: &Rect<Held>) {
        let Some(cell) = cell_of(bounds) else {
            return;
        };
        if let Some(here) = self.0.get_mut(&cell) {
            here.retain(|(other, _)| *other != place);
            if here.is_empty() {
                self.0.remove(&cell);
            }
        }
    }

    /// The places of the marks whose rectangles have a point in common with `area`, in no particular
    /// order. Cost: for each size of marks that there is, the cells that `area` covers, but no more than
    /// there are.
    pub(super) fn near(&self, area: &Rect<Held>) -> Vec<Place> {
        let mut found = Vec::new();
        if area.is_empty() {
            return found;
        }
        let mut take = |here: &[(Place, Rect<Held>)]| {
            let near = here.iter().filter(|(_, bounds)| bounds.intersects(area));
            found.extend(near.map(|(place, _)| *place));
        };
        let mut next = self.0.first_key_value().map(|(cell, _)| cell.level);
        while let Some(level) = next {
            let size = side(level);
            let reach = area.inflate(size / 2.0);
            let (top, bottom) = (number(reach.y0, size), number(reach.y1, size));
            let (left, right) = (number(reach.x0, size), number(reach.x1, size));
            let cell = |row, column| Cell { level, row, column };
            if bottom.saturating_sub(top) < self.0.len() as i64 {
                for row in top..=bottom {
                    let cells = self.0.range(cell(row, left)..=cell(row, right));
                    cells.for_each(|(_, here)| take(here));
                }
            } else {
                let cells = self.0.range(cell(top, i64::MIN)..=cell(bottom, i64::MAX));
                cells.for_each(|(_, here)| take(here));
            }
            let after = self.0.range(cell(i64::MAX, i64::MAX)..);
            next = after.map(|(cell, _)| cell.level).find(|l| *l > level);
        }
        found
    }
}

/// How wide and high a cell is, in units.
fn side(level: i32) -> f64 {
    f64::from(level).exp2()
}

fn number(v: f64, size: f64) -> i64 {
    (v / size).floor() as i64
}

fn cell_of(bounds: &Rect<Held>) -> Option<Cell> {
    if bounds.is_empty() {
        return None;
    }
    // Dots and hairlines share the grid of what is a unit wide.
    let level = bounds.width().max(bounds.height()).max(1.0).log2().ceil() as i32;
    let size = side(level);
    Some(Cell {
        level,
        row: number((bounds.y0 + bounds.y1) / 2.0, size),
        column: number((bounds.x0 + bounds.x1) / 2.0, size),
    })
}
