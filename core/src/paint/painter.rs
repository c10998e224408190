//! Turns the sheets in view into display lists.

use std::collections::HashMap;
use std::rc::Rc;

use crate::display::colour::Rgb;
use crate::display::{DisplayList, Path};
use crate::geometry::frames::{Glass, Held, Ink, Map, Rect};
use crate::geometry::ids::MarkId;
use crate::marks::mark::{Body, Layer, Mark};
use crate::sheets::fade;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::SheetId;
use crate::stage::pane::InView;

/// How far an outline may stray from the true one, in glass units.
const TOLERANCE: f64 = 0.08;

/// Paints marks, and remembers the outlines that it worked out.
///
/// An outline is remembered in the mark's own frame, so moving and slightly zooming the picture
/// needs none anew; [`Painter::forget`] and [`Painter::forget_all`] say when marks have changed.
pub struct Painter {
    outlines: HashMap<MarkId, Rc<Outline>>,
    /// How many times as large as on the glass they are seen.
    times: f64,
    /// Marks that are not painted as they are: how much of them is seen, 0 to 1.
    faint: HashMap<MarkId, f32>,
}

struct Outline {
    fills: Vec<(Path, Rgb)>,
    bounds: Rect<Ink>,
    /// The scale for which it is fine enough.
    scale: f64,
}

impl Default for Painter {
    fn default() -> Self {
        Self {
            outlines: HashMap::new(),
            times: 1.0,
            faint: HashMap::new(),
        }
    }
}

impl Painter {
    /// What it paints from now on is seen so many times as large, and its outlines are as much finer.
    pub fn set_times(&mut self, times: f64) {
        self.times = times;
    }

    /// The mark has changed: its outline is worked out anew when it is wanted.
    pub fn forget(&mut self, mark: MarkId) {
        self.outlines.remove(&mark);
    }

    /// All outlines are worked out anew.
    pub fn forget_all(&mut self) {
        self.outlines.clear();
    }

    /// Paints a mark with this opacity from now on; 0 hides it, 1 is as it is by itself.
    pub fn set_opacity(&mut self, mark: MarkId, opacity: f32) {
        if opacity >= 1.0 {
            self.faint.remove(&mark);
        } else {
            self.faint.insert(mark, opacity.max(0.0));
        }
    }

    /// See [`Painter::set_opacity`].
    pub fn opacity(&self, mark: MarkId) -> f32 {
        self.faint.get(&mark).copied().unwrap_or(1.0)
    }

    /// The marks of `layer` that reach into `within`, from the bottom up.
    pub fn paint(
        &mut self,
        sheets: &Sheets,
        in_view: &[InView],
        layer: Layer,
        within: &Rect<Glass>,
        list: &mut DisplayList,
    ) {
        for seen in in_view {
            let sheet = sheets.sheet(seen.sheet);
            let Some(to_held) = seen.view.inverse() else {
                continue;
            };
            let within = seen.within.intersection(within).inflate(2.0);
            let mut here = DisplayList::default();
            for mark in sheet.layer_near(layer, &to_held.apply_rect(&within)) {
                self.paint_mark(mark, seen, &mut here);
            }
            list.cut(here, &seen.within, is_part(seen, in_view));
        }
    }

    /// One mark, of a sheet that is seen like this.
    pub fn paint_mark(&mut self, mark: &Mark, seen: &InView, list: &mut DisplayList) {
        let opacity = self.opacity(mark.id);
        let to_glass = mark.transform.then(&seen.view);
        if let Body::Picture(placed) = &mark.body {
            return list.place(placed.placing(&to_glass), opacity);
        }
        let outline = self.outline(mark, to_glass.mean_scale() * self.times);
        if opacity > 0.0 && !outline.bounds.is_empty() {
            for (path, colour) in &outline.fills {
                list.fade(
                    path.mapped(&to_glass),
                    *colour,
                    seen.blend(&mark.style),
                    opacity,
                );
            }
        }
    }

    fn outline(&mut self, mark: &Mark, scale: f64) -> Rc<Outline> {
        if let Some(known) = self.outlines.get(&mark.id)
            && known.scale >= scale
        {
            return known.clone();
        }
        // The next power of two, so that a steady zoom does not work everything out at each step.
        let fine = scale.max(1e-6).log2().ceil().exp2();
        let made = Rc::new(outline(mark, fine));
        self.outlines.insert(mark.id, made.clone());
        made
    }
}

fn outline(mark: &Mark, scale: f64) -> Outline {
    let fills = mark.fills(TOLERANCE / scale);
    let bounds = fills
        .iter()
        .fold(Rect::EMPTY, |r, (path, _)| r.union(&path.bounds()));
    Outline {
        fills,
        bounds,
        scale,
    }
}

/// Whether marks have to be cut off at the edge of what holds them, since something else lies beside
/// it: the glass, which is always in view, has the whole picture area.
pub fn is_part(seen: &InView, in_view: &[InView]) -> bool {
    let whole = in_view.iter().fold(Rect::EMPTY, |r, v| r.union(&v.within));
    seen.within != whole
}

/// A mark by itself, of a sheet that is seen like this, without anything remembered.
pub fn alone(mark: &Mark, seen: &InView, to_glass: &Map<Ink, Glass>, list: &mut DisplayList) {
    if let Body::Picture(placed) = &mark.body {
        return list.place(placed.placing(to_glass), 1.0);
    }
    for (path, colour) in mark.fills(TOLERANCE / to_glass.mean_scale().max(1e-6)) {
        list.fill(path.mapped(to_glass), colour, seen.blend(&mark.style));
    }
}

/// Marks that are on no sheet, from the bottom up, in glass units, highlighter beneath ink. `within` is what is seen.
pub fn loose<'a>(
    marks: impl Iterator<Item = &'a Mark> + Clone,
    within: &Rect<Glass>,
    list: &mut DisplayList,
) {
    let seen = InView {
        sheet: SheetId::Glass,
        view: Map::coincident(),
        within: *within,
        colour: None,
        dark: false,
    };
    for layer in Layer::ALL {
        let of_layer = marks.clone().filter(|mark| mark.style.layer() == layer);
        of_layer.for_each(|mark| alone(mark, &seen, &mark.transform.then(&seen.view), list));
    }
}

/// The part of the glass that a mark covers, with a margin for soft edges.
pub fn reach(mark: &Mark, view: &Map<Held, Glass>) -> Rect<Glass> {
    view.apply_rect(&mark.bounds()).inflate(2.0)
}

/// Everything on the sheets in view that reaches into `within`, highlighter beneath ink, as it is
/// at `now` (milliseconds since 1970): fading ink is as faint as it is then.
pub fn everything(
    sheets: &Sheets,
    in_view: &[InView],
    within: &Rect<Glass>,
    now: u64,
) -> DisplayList {
    let mut painter = Painter::default();
    for group in fade::groups(sheets, &[]) {
        for (_, mark) in &group.marks {
            painter.set_opacity(*mark, group.opacity(now) as f32);
        }
    }
    let mut list = DisplayList::default();
    for layer in Layer::ALL {
        painter.paint(sheets, in_view, layer, within, &mut list);
    }
    list
}
