//! The budget for marks: what is let through can be drawn, and what a hand draws is let through.

use bozzetto_core::display::colour::BLACK;
use bozzetto_core::geometry::frames::{Ink, Map, Point};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::curve::{Curve, Piece, Spot};
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::budget;
use bozzetto_core::marks::mark::{Body, MAX_WIDTH, MIN_WIDTH, Mark, MarkFault, Style};
use bozzetto_core::marks::shape::{Dash, Figure, Shape};
use proptest::prelude::*;

fn mark(style: Style, body: Body) -> Mark {
    Mark::new(MarkId(1), AuthorId(1), style, body, Map::coincident(), 1)
}

/// How many points its outline has, worked out.
fn points(mark: &Mark) -> usize {
    let fills = mark.fills(0.05);
    fills.iter().map(|(path, _)| path.coords.len() / 2).sum()
}

fn wild_curve() -> impl Strategy<Value = Curve> {
    let far = || prop_oneof![-3_000_000..3_000_000i32, -1..=1i32];
    let spot = move || (far(), far());
    let width = 1..128_000i32;
    let piece = (spot(), spot(), spot(), width.clone());
    (spot(), width, prop::collection::vec(piece, 1..40)).prop_map(|((x, y), w, pieces)| Curve {
        start: InkPoint { x, y, w },
        pieces: pieces
            .into_iter()
            .map(|(a, b, (x, y), w)| Piece {
                c1: Spot { x: a.0, y: a.1 },
                c2: Spot { x: b.0, y: b.1 },
                end: InkPoint { x, y, w },
            })
            .collect(),
    })
}

proptest! {
    /// What is counted is what is drawn, at most twice as much and never less than half: for strokes
    /// that no hand draws, and for broken lines of every width and length.
    #[test]
    fn what_is_counted_is_what_is_drawn(curve in wild_curve(), flat: bool) {
        let tip = if flat { Tip::Flat } else { Tip::Round };
        let stroke = mark(Style::new(tip, BLACK, 5.0), Body::Stroke(curve));
        if let Ok(cost) = budget::of_mark(&stroke) {
            prop_assert!(points(&stroke) <= cost * 2, "{} {}", points(&stroke), cost);
        }
    }

    #[test]
    fn broken_lines_are_counted(
        width in MIN_WIDTH..MAX_WIDTH, x in 1.0..200_000.0f64, y in 1.0..900.0f64, kind in 0..7usize, dotted: bool,
    ) {
        let figure = Figure::ALL[kind];
        let dash = if dotted { Dash::Dotted } else { Dash::Dashed };
        let style = Style { dash, ..Style::new(Tip::Round, BLACK, width as f32) };
        let ends = [Point::<Ink>::new(0.0, 0.0), Point::new(x, y)];
        let line = mark(style, Body::Shape(Shape::new(figure, &ends)));
        match budget::of_mark(&line) {
            Ok(cost) => prop_assert!(points(&line) <= cost * 2 + 64, "{} {}", points(&line), cost),
            // Refused for a reason: hundreds of thousands of dots.
            Err(why) => {
                prop_assert_eq!(why, MarkFault::TooMuch);
                prop_assert!(x.hypot(y) * 4.0 / (width * 5.5) > 5_000.0);
            }
        }
    }
}

/// What people draw is far within it: the longest stroke there may be, by a hand that writes without
/// lifting the pen; a dotted box round the stage with the thinnest swatch; six thousand words at once.
#[test]
fn what_a_hand_draws_is_let_through() {
    let writing = |n: u32, w: f64| -> Vec<InkPoint> {
        let at = |i: u32| {
            let t = f64::from(i) / 9.0;
            Point::new(
                100.0 + t * 3.0 % 1500.0 + 14.0 * t.sin(),
                300.0 + 20.0 * (t * 1.7).cos(),
            )
        };
        (0..n).map(|i| InkPoint::new(at(i), w)).collect()
    };
    for width in [1.0, 5.0, 80.0] {
        let longest = fit(&writing(20_000, width)).unwrap();
        let stroke = mark(
            Style::new(Tip::Round, BLACK, width as f32),
            Body::Stroke(longest),
        );
        assert!(stroke.check().is_ok(), "{width}: {:?}", stroke.check());
    }
    let style = Style {
        dash: Dash::Dotted,
        ..Style::new(Tip::Round, BLACK, 1.0)
    };
    let corners = [Point::new(0.0, 0.0), Point::new(1920.0, 1080.0)];
    assert!(
        mark(style, Body::Shape(Shape::new(Figure::Box, &corners)))
            .check()
            .is_ok()
    );
    let word = mark(
        Style::new(Tip::Round, BLACK, 5.0),
        Body::Stroke(fit(&writing(20, 5.0)).unwrap()),
    );
    assert!(budget::check_all(std::iter::repeat_n(&word, 6000)).is_ok());
    assert_eq!(
        budget::check_all(std::iter::repeat_n(&word, 600_000)),
        Err(MarkFault::TooMuchTogether)
    );
}
