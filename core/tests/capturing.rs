//! Edges of figures found in pictures: what a capture box snaps to, what is proposed, what is trimmed.

use bozzetto_core::capture::edges::{Axis, Edges};
use bozzetto_core::capture::snap::{Moving, propose, snap};
use bozzetto_core::capture::trim;
use bozzetto_core::geometry::frames::{Pixels, Point, Rect};
use bozzetto_core::geometry::grip::Grip;
use proptest::prelude::*;

const WIDTH: usize = 480;
const HEIGHT: usize = 320;

type Box4 = [usize; 4];

/// A page with a card on it, whose middle is full of detail.
fn page(card: Box4, paper: u8, face: u8, seed: u64) -> Edges {
    let mut state = seed | 1;
    let mut noise = || {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        (state >> 60) as u8
    };
    let [x0, y0, x1, y1] = card;
    let mut rgba = Vec::with_capacity(WIDTH * HEIGHT * 4);
    for y in 0..HEIGHT {
        for x in 0..WIDTH {
            let inside = (x0..x1).contains(&x) && (y0..y1).contains(&y);
            let detail = (x0 + 24..x1 - 24).contains(&x) && (y0 + 24..y1 - 24).contains(&y);
            let light = match (inside, detail) {
                (_, true) => face.wrapping_add(noise() * 12),
                (true, _) => face,
                _ => paper,
            };
            rgba.extend([light, light, light, 255]);
        }
    }
    Edges::find(rgba, WIDTH, HEIGHT)
}

fn rect([x0, y0, x1, y1]: Box4) -> Rect<Pixels> {
    Rect::from_size(x0 as f64, y0 as f64, (x1 - x0) as f64, (y1 - y0) as f64)
}

fn card() -> impl Strategy<Value = Box4> {
    (40..120usize, 40..80usize, 130..300usize, 90..180usize)
        .prop_map(|(x, y, w, h)| [x, y, x + w, y + h])
}

proptest! {
    /// A box drawn roughly round a figure, or inside its border, lies on it exactly; so does one whose side is
    /// pulled, and one that is moved as a whole keeps its size.
    #[test]
    fn a_box_snaps_to_the_border_that_is_near(
        card in card(), off in prop::array::uniform4(-8.0..8.0f64), face in 0..240u8, seed: u64,
    ) {
        let (edges, is) = (page(card, 250, face, seed), rect(card));
        let rough = Rect::from_corners(
            Point::new(is.x0 + off[0], is.y0 + off[1]),
            Point::new(is.x1 + off[2], is.y1 + off[3]),
        );
        prop_assert_eq!(snap(&edges, &rough, Moving::All, 10.0).area, is);
        let pulled = snap(&edges, &rough, Moving::By(Grip::from_word("e").unwrap()), 10.0);
        prop_assert_eq!(pulled.area, Rect::from_corners(Point::new(rough.x0, rough.y0), Point::new(is.x1, rough.y1)));
        prop_assert_eq!(pulled.lines.len(), 1);
        prop_assert_eq!((pulled.lines[0].0, pulled.lines[0].1), (Axis::Upright, is.x1));
        let by = (off[0], off[1]);
        let moved = Rect::from_size(is.x0 + by.0, is.y0 + by.1, is.width(), is.height());
        let whole = snap(&edges, &moved, Moving::By(Grip::Inside), 10.0).area;
        prop_assert!((whole.width() - is.width()).abs() < 1e-9 && (whole.height() - is.height()).abs() < 1e-9);
        prop_assert!((whole.x0 - is.x0).abs() < 1e-9 && (whole.y0 - is.y0).abs() < 1e-9);
    }

    /// Where the picture ends is a border, too.
    #[test]
    fn a_box_lies_on_the_end_of_the_picture(card in card(), off in 0.0..9.0f64, seed: u64) {
        let edges = page(card, 250, 120, seed);
        let all = rect([0, 0, WIDTH, HEIGHT]);
        prop_assert_eq!(snap(&edges, &all.inflate(-off), Moving::All, 10.0).area, all);
    }

    /// Where nothing is near, a box stays where it was drawn: in plain paper, and in detail without a border.
    #[test]
    fn a_box_stays_where_there_is_no_border(card in card(), at in (0.1..0.9f64, 0.1..0.9f64), seed: u64) {
        let edges = page(card, 250, 120, seed);
        let inner = rect([card[0] + 36, card[1] + 36, card[2] - 36, card[3] - 36]);
        let middle = Point::new(inner.x0 + at.0 * inner.width(), inner.y0 + at.1 * inner.height());
        let drawn = Rect::from_corners(middle, Point::new(inner.x0, inner.y0));
        prop_assert_eq!(snap(&edges, &drawn, Moving::All, 10.0).area, drawn);
    }

    /// The figure at a place is its card; the next larger one is all there is.
    #[test]
    fn the_figure_beneath_is_proposed(card in card(), at in (0.2..0.8f64, 0.2..0.8f64), face in 0..200u8, seed: u64) {
        let (edges, is) = (page(card, 250, face, seed), rect(card));
        let place = Point::new(is.x0 + at.0 * is.width(), is.y0 + at.1 * is.height());
        let mut proposals = Vec::new();
        while let Some(next) = propose(&edges, place, proposals.last()) {
            prop_assert!(next.contains(place));
            proposals.push(next);
        }
        prop_assert!(proposals.iter().take(2).any(|p| *p == is), "{proposals:?} for {is:?}");
        prop_assert_eq!(proposals.last(), Some(&rect([0, 0, WIDTH, HEIGHT])));
    }

    /// Trimming takes plain paper and leaves the figure; a second time it changes nothing but what is plain in it.
    #[test]
    fn plain_borders_are_trimmed(card in card(), round in prop::array::uniform4(0..30usize), face in 0..200u8, seed: u64) {
        let edges = page(card, 250, face, seed);
        let loose = rect([card[0] - round[0], card[1] - round[1], card[2] + round[2], card[3] + round[3]]);
        let tight = trim(&edges, &loose);
        prop_assert!(loose.x0 <= tight.x0 && tight.x1 <= loose.x1 && loose.y0 <= tight.y0 && tight.y1 <= loose.y1);
        // A side without paper begins with the card's own plain border.
        for (paper, at, is) in [
            (round[0], tight.x0, card[0]),
            (round[1], tight.y0, card[1]),
            (round[2], tight.x1, card[2]),
            (round[3], tight.y1, card[3]),
        ] {
            prop_assert!(paper == 0 || at == is as f64, "{tight:?} for {card:?}");
        }
        let plain = rect([0, 0, card[0], HEIGHT]);
        prop_assert_eq!(trim(&edges, &plain), plain);
    }
}
