//! The cover: pulled from its edges and line by line, and which marks lie beneath it.

use bozzetto_core::aids::cover::{Cover, Edge};
use bozzetto_core::aids::lines;
use bozzetto_core::geometry::frames::{Glass, Held, Ink, Map, Point, Rect};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, MarkId};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::shape::{Figure, Shape};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Frozen, Page, ViewState};
use bozzetto_core::stage::covered;
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::stage::pane::Pane;
use proptest::prelude::*;

const BLACK: bozzetto_core::display::colour::Rgb = bozzetto_core::display::colour::BLACK;

fn whole() -> Rect<Held> {
    Rect::from_size(0.0, 0.0, 1600.0, 900.0)
}

fn edges() -> impl Strategy<Value = Edge> {
    prop_oneof![
        Just(Edge::Left),
        Just(Edge::Right),
        Just(Edge::Top),
        Just(Edge::Bottom)
    ]
}

fn picture(covers: Vec<Cover>) -> BackdropView {
    BackdropView {
        id: BackdropId(3),
        name: "Page".to_owned(),
        width: 1600.0,
        height: 900.0,
        kind: BackdropKind::Picture {
            grain: Grain::Pixels,
        },
        seen: ViewState {
            covers,
            ..ViewState::default()
        },
    }
}

proptest! {
    /// However it is pulled it stays on its page and covers something, or is put away.
    #[test]
    fn a_cover_stays_on_its_page(pulls in prop::collection::vec((edges(), -2000.0..2000.0f64), 1..30)) {
        let mut cover = Cover::over(0, whole(), Vec::new());
        for (edge, by) in pulls {
            let pulled = cover.pulled(edge, by, &whole());
            prop_assert_eq!(whole().union(&pulled.covers), whole());
            prop_assert!(pulled.covers.width() >= 32.0 && pulled.covers.height() >= 18.0);
            prop_assert!(!pulled.away || pulled.covers == whole());
            cover = Cover { away: false, ..pulled };
        }
    }

    /// Line by line everything is uncovered, from the top, and each step can be taken back.
    #[test]
    fn each_line_can_be_covered_again(mut stops in prop::collection::vec(40.0..860.0f64, 0..20)) {
        stops.sort_by(f64::total_cmp);
        stops.dedup_by(|a, b| (*a - *b).abs() < 1.0);
        let mut cover = Cover::over(0, whole(), stops.clone());
        let mut steps = 0;
        loop {
            let next = cover.with_next(&whole());
            steps += 1;
            if next.away {
                break;
            }
            prop_assert!(next.covers.y0 > cover.covers.y0);
            prop_assert_eq!(next.with_one_fewer(&whole()).covers, cover.covers);
            cover = next;
        }
        let lines = if stops.is_empty() { 12 } else { stops.len() + 1 };
        prop_assert_eq!(steps, lines);
    }

    /// What was sent is within the page and can be kept, or is no cover.
    #[test]
    fn nonsense_covers_nothing(v in prop_oneof![Just(f64::NAN), Just(f64::INFINITY), -1e9..1e9f64], w in -1e9..1e9f64) {
        let covers = Rect::from_corners(Point::new(v, w), Point::new(w, v));
        let sent = Cover { page: 0, covers, stops: vec![v; 900], away: false };
        let room = Rect::<Glass>::from_size(0.0, 0.0, 1920.0, 1080.0);
        let view = picture(vec![sent]);
        let settled = view.seen.clone().settled(&view, &room);
        for cover in &settled.covers {
            prop_assert_eq!(whole().union(&cover.covers), whole());
        }
        let json = serde_json::to_string(&settled).unwrap();
        prop_assert_eq!(serde_json::from_str::<ViewState>(&json).unwrap(), settled);
    }

    /// Of a frame every pixel is blanked that shows anything of what is covered, and none that is a pixel away.
    #[test]
    fn every_covered_pixel_is_blanked(
        x in 0.0..1500.0f64, y in 0.0..800.0f64, w in 5.0..900.0f64, h in 5.0..500.0f64, px in 0.0..1.0f64, py in 0.0..1.0f64,
    ) {
        let covers: Rect<Held> = Rect::from_size(x, y, w, h);
        // The lower right part of the page, in a frame of half its size.
        let shows = Rect::from_size(200.0, 100.0, 1400.0, 800.0);
        let (wide, high) = (700.0, 400.0);
        let (px, py) = ((px * wide).floor(), (py * high).floor());
        let pixel: Rect<Held> = Rect::from_size(200.0 + px * 2.0, 100.0 + py * 2.0, 2.0, 2.0);
        let blanked = covered::in_frame(&covers, &shows, (wide, high)).is_some_and(|[l, t, w, h]| {
            px >= l && px < l + w && py >= t && py < t + h
        });
        let seen = pixel.inflate(-1e-6).intersection(&covers);
        if seen.width() > 0.0 && seen.height() > 0.0 {
            prop_assert!(blanked);
        }
        let near = pixel.inflate(2.0).intersection(&covers);
        if near.is_empty() {
            prop_assert!(!blanked);
        }
    }

    /// A mark is hidden exactly when all of it lies on what is covered, however the backdrop is seen: by its
    /// corners, and half its line's width.
    #[test]
    fn a_mark_beneath_is_hidden(
        x in 0.0..1500.0f64, y in 0.0..800.0f64, top in 0.0..880.0f64, half in 0.3..1.0f64, covered in any::<bool>(),
    ) {
        let cover = Cover::over(0, whole(), Vec::new()).pulled(Edge::Top, top, &whole());
        let covers = cover.covers;
        let mut view = picture(if covered { vec![cover] } else { Vec::new() });
        if !covered {
            // Another part, that has nothing to do with it, lies first.
            view.seen.hide([Rect::from_size(0.0, 0.0, 3.0, 3.0), covers]);
        }
        let line = Shape::new(Figure::Line, &[Point::<Ink>::new(x, y), Point::new(x + 80.0, y + 80.0)]);
        let style = Style::new(Tip::Round, BLACK, 4.0);
        let mark = Mark::new(MarkId(1), AuthorId(1), style, Body::Shape(line), Map::coincident(), 0);
        let room = Rect::<Glass>::from_size(0.0, 0.0, 1920.0 * half, 1080.0 * half);
        let panes = [Pane { room, backdrop: Some(&view) }];
        let hidden = covered::hides(&panes, SheetId::of_page(BackdropId(3), 0), &mark);
        let bounds = mark.bounds();
        let out = bounds.y0 < covers.y0 || bounds.x0 < 0.0 || bounds.y1 > 900.0 || bounds.x1 > 1600.0;
        let near = (bounds.y0 - covers.y0).abs() < 1e-6;
        prop_assert!(near || hidden != out, "{:?} {:?}", bounds, covers);
        let elsewhere = covered::hides(&panes, SheetId::of_page(BackdropId(3), 1), &mark);
        prop_assert!(!elsewhere && !covered::hides(&panes, SheetId::Glass, &mark));
    }
}

/// Of what participants' browsers play by themselves, and of a page whose frames may lag behind, they get all or
/// nothing; of what is held, what is not covered.
#[test]
fn a_film_and_a_page_are_covered_whole() {
    let room = Rect::<Glass>::from_size(0.0, 0.0, 1920.0, 1080.0);
    let half = Rect::from_size(0.0, 450.0, 1600.0, 450.0);
    let mut view = picture(vec![Cover::over(0, half, Vec::new())]);
    assert_eq!(view.withheld(&room), [half]);
    let page = BackdropKind::Page(Page::Address("http://harbour.example/".to_owned()));
    let (duration, frame) = (8.0, 0.04);
    for kind in [page, BackdropKind::Video { duration, frame }] {
        view.kind = kind;
        view.seen.frozen = None;
        assert_eq!(view.seen.covered(), Some(half));
        assert_eq!(view.withheld(&room), [view.shown(&room)]);
        let (picture, shows) = (7, whole());
        view.seen.frozen = Some(Frozen { picture, shows });
        assert_eq!(view.withheld(&room), [half]);
    }
}

/// Rules of a table are no lines, the dots of an i belong to theirs; counted by hand.
#[test]
fn rules_and_dots_are_no_lines() {
    let (width, height) = (200, 200);
    let mut picture = vec![255u8; width * height * 4];
    let mut black = |x0: usize, y0: usize, w: usize, h: usize| {
        for y in y0..y0 + h {
            picture[(y * width + x0) * 4..(y * width + x0 + w) * 4].fill(0);
        }
    };
    // A table of two rows, ruled all round.
    for y in [10, 60, 110] {
        black(5, y, 190, 2);
    }
    for x in [5, 100, 193] {
        black(x, 10, 2, 100);
    }
    // Words in it, and below a line of letters with dots and an underline.
    for (y, from) in [(25, 20), (75, 120)] {
        (0..5).for_each(|n| black(from + n * 10, y, 4, 20));
    }
    (0..6).for_each(|n| {
        black(20 + n * 20, 150, 3, 14);
        black(20 + n * 20, 144, 3, 3);
    });
    let found = lines::lines(&picture, width, height);
    assert_eq!(found, [(25, 45), (75, 95), (144, 164)]);
    assert_eq!(lines::stops(&found), [60.0, 119.5]);
    assert!(lines::lines(&[], 0, 0).is_empty());
}
