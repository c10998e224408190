//! Marks that are drawn on a capture afterwards: on its picture, which is a backdrop then; they are kept in the units of the
//! capture's moment, so that they stay where they are when it is cut anew.

use crate::geometry::frames::{Glass, Held, Map, Rect};
use crate::marks::mark::Mark;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::SheetId;
use crate::stage::backdrop::BackdropView;

/// The most marks that a capture has of its own.
pub const MOST_MARKS: usize = 1000;

/// The picture of a capture on a stage of its own.
pub struct OnBench<'a> {
    /// The picture.
    pub backdrop: &'a BackdropView,
    /// What it lies in there.
    pub room: Rect<Glass>,
    /// The part of the capture's moment that it shows.
    pub area: Rect<Glass>,
}

impl OnBench<'_> {
    /// From the picture's units to glass units of the moment, in which the capture holds its marks.
    fn to_moment(&self) -> Map<Held, Held> {
        let across = self.backdrop.size(&self.room).width.max(1e-9);
        Map::scale_then_move(self.area.width() / across, self.area.x0, self.area.y0)
    }

    /// What was drawn there, from the bottom up: on the picture, and on the glass over it. Ink that fades stays.
    pub fn drawn(&self, sheets: &Sheets) -> Vec<Mark> {
        let on_picture = self.to_moment();
        let taken = |sheet: SheetId, map: &Map<Held, Held>| {
            let marks = sheets.sheet(sheet).marks();
            let each = marks.map(|mark| Mark {
                transform: mark.transform.then(map),
                fades: None,
                ..(**mark).clone()
            });
            each.collect::<Vec<_>>()
        };
        let mut all = taken(SheetId::Backdrop(self.backdrop.id), &on_picture);
        if let Some(back) = self.backdrop.view(&self.room).inverse() {
            let glass = Map::<Held, Glass>::coincident()
                .then(&back)
                .then(&on_picture);
            all.extend(taken(SheetId::Glass, &glass));
        }
        all
    }

    /// The capture's marks as they lie on the picture.
    pub fn to_draw_on(&self, marks: &[Mark]) -> Vec<Mark> {
        let Some(back) = self.to_moment().inverse() else {
            return Vec::new();
        };
        // From two sheets they come onto one: their height is what keeps their order there.
        let each = marks.iter().zip(1..).map(|(mark, z)| Mark {
            transform: mark.transform.then(&back),
            z,
            ..mark.clone()
        });
        each.collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::frames::{Point, Size};
    use crate::geometry::ids::{AuthorId, BackdropId, MarkId};
    use crate::ink::InkPoint;
    use crate::marks::mark::Body;
    use crate::marks::swatch::ORIGINALS;
    use crate::sheets::history::Keep;
    use crate::stage::backdrop::{BackdropKind, ViewState};
    use crate::stage::grain::Grain;
    use proptest::prelude::*;
    use std::sync::Arc;

    proptest! {
        /// Wherever a capture lay in its moment, a mark on a place of its picture is over that place of the moment, and
        /// comes back to the picture where it was drawn; one on the glass too, however the picture is zoomed.
        #[test]
        fn marks_stay_where_they_were_drawn(
            x in 0.0..1500.0f64, y in 0.0..900.0f64, width in 40.0..400.0f64, shape in 0.4..2.5f64,
            at in (0.0..1.0f64, 0.0..1.0f64), by in 1.0..5.0f64,
        ) {
            let area = Rect::from_size(x, y, width, width * shape);
            let size = (800.0, 800.0 * shape);
            let mut backdrop = BackdropView {
                id: BackdropId(7),
                name: "Capture".to_owned(),
                width: size.0,
                height: size.1,
                kind: BackdropKind::Picture { grain: Grain::Pixels },
                seen: ViewState::default(),
            };
            backdrop.seen.zoom.by = by;
            let room = Rect::of_size(Size::glass(16.0, 9.0));
            let bench = OnBench { backdrop: &backdrop, room, area };
            let held = backdrop.size(&room);
            let place = Point::new(at.0 * held.width, at.1 * held.height);
            let dot = |id, transform| {
                let curve = crate::ink::fit::fit(&[InkPoint::new(Point::new(0.0, 0.0), 5.0)]).unwrap();
                Arc::new(Mark::new(MarkId(id), AuthorId(1), ORIGINALS[0].style(), Body::Stroke(curve), transform, 1))
            };
            let on_glass: Point<Glass> = backdrop.view(&room).apply(place);
            let mut sheets = Sheets::new(Keep::Nobody);
            sheets.load(SheetId::Backdrop(backdrop.id), [dot(2, Map::scale_then_move(1.0, place.x, place.y))]);
            sheets.load(SheetId::Glass, [dot(1, Map::scale_then_move(1.0, on_glass.x, on_glass.y))]);
            let marks = bench.drawn(&sheets);
            prop_assert_eq!(marks.iter().map(|mark| mark.id.0).collect::<Vec<_>>(), [2, 1]);
            let wanted = Point::<Held>::new(x + at.0 * width, y + at.1 * width * shape);
            for mark in &marks {
                let lies = mark.transform.apply(Point::new(0.0, 0.0));
                prop_assert!(lies.distance(wanted) < 1e-6, "{:?} {:?}", lies, wanted);
            }
            let again = bench.to_draw_on(&marks);
            prop_assert!(again[0].transform.apply(Point::new(0.0, 0.0)).distance(place) < 1e-6);
            // What lay on the glass is still the upper one.
            sheets.load(SheetId::Glass, []);
            sheets.load(SheetId::Backdrop(backdrop.id), again.into_iter().map(Arc::new));
            let order: Vec<_> = bench.drawn(&sheets).iter().map(|mark| mark.id.0).collect();
            prop_assert_eq!(order, [2, 1]);
        }
    }
}
