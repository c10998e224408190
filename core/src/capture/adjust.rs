//! A capture box in a hand: pulled by its grips, moved by keys, given a shape or a size.

use crate::geometry::frames::{Glass, Point, Rect, Size};
use crate::geometry::grip::{Arrow, Grip, Side};

/// The box after its grip has been moved by (`dx`, `dy`), kept on the stage. An edge that is dragged
/// past its opposite becomes the opposite.
///
/// ```
/// use bozzetto_core::capture::adjust;
/// use bozzetto_core::geometry::frames::{Point, Rect, Size};
/// use bozzetto_core::geometry::grip::Grip;
/// let stage = Size::glass(16.0, 9.0);
/// let start = Rect::from_corners(Point::new(100.0, 100.0), Point::new(300.0, 200.0));
/// let east = Grip::from_word("e").unwrap();
/// assert_eq!(adjust(&start, east, 50.0, 9.0, stage).x1, 350.0);
/// // Moved as a whole, the box keeps its size at the edge of the stage.
/// assert_eq!(adjust(&start, Grip::Inside, -500.0, 0.0, stage).width(), 200.0);
/// ```
pub fn adjust(area: &Rect<Glass>, grip: Grip, dx: f64, dy: f64, stage: Size<Glass>) -> Rect<Glass> {
    match grip {
        Grip::Inside => {
            let dx = dx.clamp(-area.x0, stage.width - area.x1);
            let dy = dy.clamp(-area.y0, stage.height - area.y1);
            Rect::from_corners(
                Point::new(area.x0 + dx, area.y0 + dy),
                Point::new(area.x1 + dx, area.y1 + dy),
            )
        }
        Grip::Edges { x, y } => {
            let (x0, x1) = moved(area.x0, area.x1, x, dx, stage.width);
            let (y0, y1) = moved(area.y0, area.y1, y, dy, stage.height);
            Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1))
        }
    }
}

/// The box after an arrow key: moved by `step`, or with `edges` its right or lower edge moved.
/// Without a box there is one in the middle, half as wide and high as the stage.
///
/// ```
/// use bozzetto_core::capture::nudged;
/// use bozzetto_core::geometry::frames::Size;
/// use bozzetto_core::geometry::grip::Arrow;
/// let stage = Size::glass(16.0, 9.0);
/// let first = nudged(None, Arrow::Up, 1.0, false, stage);
/// assert_eq!((first.x0, first.y1), (480.0, 810.0));
/// let wider = nudged(Some(&first), Arrow::Right, 10.0, true, stage);
/// assert_eq!((wider.x0, wider.x1), (480.0, 1450.0));
/// let lower = nudged(Some(&first), Arrow::Down, 10.0, false, stage);
/// assert_eq!((lower.y0, lower.y1), (280.0, 820.0));
/// ```
pub fn nudged(
    area: Option<&Rect<Glass>>,
    arrow: Arrow,
    step: f64,
    edges: bool,
    stage: Size<Glass>,
) -> Rect<Glass> {
    let Some(area) = area else {
        let (w, h) = (stage.width, stage.height);
        let quarter = Point::new(w * 0.25, h * 0.25);
        return Rect::from_corners(quarter, Point::new(w * 0.75, h * 0.75));
    };
    let grip = match (edges, arrow) {
        (false, _) => Grip::Inside,
        (true, Arrow::Left | Arrow::Right) => Grip::Edges {
            x: Side::High,
            y: Side::Neither,
        },
        (true, Arrow::Up | Arrow::Down) => Grip::Edges {
            x: Side::Neither,
            y: Side::High,
        },
    };
    let (dx, dy) = arrow.step(step);
    adjust(area, grip, dx, dy, stage)
}

fn moved(low: f64, high: f64, side: Side, by: f64, most: f64) -> (f64, f64) {
    match side {
        Side::Low => ((low + by).clamp(0.0, most), high),
        Side::High => (low, (high + by).clamp(0.0, most)),
        Side::Neither => (low, high),
    }
}

/// The box after a grip has been moved, given this width to a height of 1: what the hand did not move stays, and
/// of two sides that it moved the one that makes it larger counts, as far as the stage goes.
///
/// ```
/// use bozzetto_core::capture::to_aspect;
/// use bozzetto_core::geometry::frames::{Point, Rect, Size};
/// use bozzetto_core::geometry::grip::Grip;
/// let stage = Size::glass(16.0, 9.0);
/// let drawn = Rect::from_corners(Point::new(100.0, 100.0), Point::new(500.0, 200.0));
/// let corner = to_aspect(&drawn, Grip::from_word("se").unwrap(), 2.0, stage);
/// assert_eq!((corner.x0, corner.y0, corner.x1, corner.y1), (100.0, 100.0, 500.0, 300.0));
/// let bottom = to_aspect(&drawn, Grip::from_word("s").unwrap(), 1.0, stage);
/// assert_eq!((bottom.width(), bottom.height()), (100.0, 100.0));
/// ```
pub fn to_aspect(area: &Rect<Glass>, grip: Grip, aspect: f64, stage: Size<Glass>) -> Rect<Glass> {
    let Grip::Edges { x, y } = grip else {
        return *area;
    };
    let wanted = match (x, y) {
        (Side::Neither, _) => area.height() * aspect,
        (_, Side::Neither) => area.width(),
        _ => area.width().max(area.height() * aspect),
    };
    // From the sides that stay.
    let room_x = if x == Side::Low {
        area.x1
    } else {
        stage.width - area.x0
    };
    let room_y = if y == Side::Low {
        area.y1
    } else {
        stage.height - area.y0
    };
    let width = wanted.min(room_x).min(room_y * aspect);
    let height = width / aspect;
    let x0 = if x == Side::Low {
        area.x1 - width
    } else {
        area.x0
    };
    let y0 = if y == Side::Low {
        area.y1 - height
    } else {
        area.y0
    };
    Rect::from_size(x0, y0, width, height)
}

/// The box with this size, as near as it goes to where it was; no larger than the stage.
pub fn sized(area: &Rect<Glass>, width: f64, height: f64, stage: Size<Glass>) -> Rect<Glass> {
    let (width, height) = (
        width.clamp(0.0, stage.width),
        height.clamp(0.0, stage.height),
    );
    let x0 = area.x0.clamp(0.0, stage.width - width);
    let y0 = area.y0.clamp(0.0, stage.height - height);
    Rect::from_size(x0, y0, width, height)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const STAGE: Size<Glass> = Size::new(1920.0, 1080.0);

    fn rect() -> impl Strategy<Value = Rect<Glass>> {
        prop::array::uniform4(0.0..1.0f64).prop_map(|[a, b, c, d]| {
            let at = |x, y| Point::new(x * STAGE.width, y * STAGE.height);
            Rect::from_corners(at(a, b), at(c, d))
        })
    }

    fn within(r: &Rect<Glass>) -> bool {
        r.x0 >= -1e-9 && r.y0 >= -1e-9 && r.x1 <= STAGE.width + 1e-9 && r.y1 <= STAGE.height + 1e-9
    }

    proptest! {
        /// However a box is pulled about, it stays on the stage, and letting go undoes nothing.
        #[test]
        fn a_box_stays_on_the_stage(area in rect(), dx in -3000.0..3000.0f64, dy in -3000.0..3000.0f64, grip in 0..9usize) {
            let word = ["inside", "n", "ne", "e", "se", "s", "sw", "w", "nw"][grip];
            let grip = Grip::from_word(word).unwrap();
            let moved = adjust(&area, grip, dx, dy, STAGE);
            prop_assert!(within(&moved));
            prop_assert_eq!(adjust(&area, grip, 0.0, 0.0, STAGE), area);
            if grip == Grip::Inside {
                prop_assert!((moved.width() - area.width()).abs() < 1e-9);
            }
        }

        /// A box with a shape has it and stays on the stage, and so does one of a size.
        #[test]
        fn a_shape_and_a_size_are_kept(area in rect(), grip in 1..9usize, aspect in 0.3..3.0f64, w in 0.0..4000.0f64, h in 0.0..4000.0f64) {
            prop_assume!(area.width() > 1.0 && area.height() > 1.0);
            let word = ["inside", "n", "ne", "e", "se", "s", "sw", "w", "nw"][grip];
            let shaped = to_aspect(&area, Grip::from_word(word).unwrap(), aspect, STAGE);
            prop_assert!(within(&shaped));
            prop_assert!((shaped.width() - shaped.height() * aspect).abs() < 1e-6);
            let of_size = sized(&area, w, h, STAGE);
            prop_assert!(within(&of_size));
            prop_assert!((of_size.width() - w.min(STAGE.width)).abs() < 1e-9);
        }
    }
}
