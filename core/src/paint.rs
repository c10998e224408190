//! Turns the sheets in view into display lists.

use std::collections::HashMap;
use std::rc::Rc;

use crate::change::SheetId;
use crate::display::{DisplayList, Path};
use crate::frames::{Glass, Held, Map, Rect};
use crate::ids::MarkId;
use crate::mark::{Layer, Mark};
use crate::sheet::Sheets;

/// The sheets that are in view, from the bottom up, and how each is seen.
pub type InView = [(SheetId, Map<Held, Glass>)];

/// Paints marks, and remembers the outlines that it worked out.
///
/// An outline is remembered for as long as its mark and the view of its sheet stay the same;
/// [`Painter::forget`] and [`Painter::forget_all`] say when they did not.
#[derive(Default)]
pub struct Painter {
    outlines: HashMap<MarkId, Rc<Outline>>,
}

struct Outline {
    path: Path,
    bounds: Rect<Glass>,
}

impl Painter {
    pub fn forget(&mut self, mark: MarkId) {
        self.outlines.remove(&mark);
    }

    pub fn forget_all(&mut self) {
        self.outlines.clear();
    }

    /// The marks of `layer` that reach into `within`, from the bottom up.
    pub fn paint(
        &mut self,
        sheets: &Sheets,
        in_view: &InView,
        layer: Layer,
        within: &Rect<Glass>,
        list: &mut DisplayList,
    ) {
        for (sheet, view) in in_view {
            for mark in sheets.sheet(*sheet).layer(layer) {
                let outline = self.outline(mark, view);
                if outline.bounds.intersects(within) {
                    list.fill(outline.path.clone(), mark.style.colour, mark.style.blend());
                }
            }
        }
    }

    /// One mark.
    pub fn paint_mark(&mut self, mark: &Mark, view: &Map<Held, Glass>, list: &mut DisplayList) {
        let outline = self.outline(mark, view);
        list.fill(outline.path.clone(), mark.style.colour, mark.style.blend());
    }

    fn outline(&mut self, mark: &Mark, view: &Map<Held, Glass>) -> Rc<Outline> {
        self.outlines
            .entry(mark.id)
            .or_insert_with(|| Rc::new(outline(mark, view)))
            .clone()
    }
}

fn outline(mark: &Mark, view: &Map<Held, Glass>) -> Outline {
    let path = mark.outline().mapped(&mark.transform.then(view));
    let bounds = path.bounds();
    Outline { path, bounds }
}

/// The part of the glass that a mark covers, with a margin for soft edges.
pub fn reach(mark: &Mark, view: &Map<Held, Glass>) -> Rect<Glass> {
    view.apply_rect(&mark.bounds()).inflate(2.0)
}

/// Everything on the sheets in view that reaches into `within`, highlighter beneath ink.
pub fn everything(sheets: &Sheets, in_view: &InView, within: &Rect<Glass>) -> DisplayList {
    let mut painter = Painter::default();
    let mut list = DisplayList::default();
    for layer in Layer::ALL {
        painter.paint(sheets, in_view, layer, within, &mut list);
    }
    list
}
