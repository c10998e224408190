//! What is pointed with: seen on any backdrop, and never longer than somebody points.

use bozzetto_core::aids::laser::{CORE, LASTS, LaserLook, RIM, SIZES};
use bozzetto_core::aids::pointing::{Pointers, Pointing};
use bozzetto_core::aids::ring::RingLook;
use bozzetto_core::aids::ripple::{Press, Ripple};
use bozzetto_core::display::colour::{LINE_CONTRAST, OKABE_ITO, Rgb};
use bozzetto_core::display::{DisplayList, Item};
use bozzetto_core::geometry::frames::{Glass, Point, Rect};
use bozzetto_core::geometry::ids::AuthorId;
use bozzetto_core::ink::curve::Spot;
use bozzetto_core::ink::{InkPoint, Points};
use proptest::prelude::*;

const ME: AuthorId = AuthorId(1);
const SOMEBODY: AuthorId = AuthorId(2);

fn laser(places: &[(f64, f64)]) -> Pointing {
    let place = |&(x, y): &(f64, f64)| InkPoint::new(Point::new(x, y), 20.0);
    Pointing::Laser {
        colour: LaserLook::default().colour,
        places: Points(places.iter().map(place).collect()),
    }
}

fn ring(look: RingLook, x: f64, y: f64) -> Pointing {
    let at = Spot::new(Point::new(x, y));
    Pointing::Ring { look, at }
}

fn painted(pointers: &Pointers) -> Vec<(Rgb, Rect<Glass>)> {
    let mut list = DisplayList::default();
    pointers.paint(&mut list);
    let fills = list.each().filter_map(|item| match item {
        Item::Fill { path, colour, .. } => Some((*colour, path.bounds())),
        _ => None,
    });
    fills.collect()
}

/// WCAG 2.2, 1.4.11: on every grey from black to white, and on every ink colour, some part of the dot and
/// some part of the ring, in whatever colour, has a contrast of 3:1 or more.
#[test]
fn dot_and_ring_are_seen_on_anything() {
    let greys = (0..=255).map(|v| Rgb::new(v, v, v));
    let beneath: Vec<Rgb> = greys.chain(OKABE_ITO.iter().map(|(_, c)| *c)).collect();
    let colours = OKABE_ITO.iter().map(|(_, colour)| *colour);
    for colour in colours {
        let mut pointers = Pointers::default();
        let look = RingLook {
            colour,
            ..RingLook::default()
        };
        pointers.take(ME, &ring(look, 500.0, 500.0));
        let of_ring: Vec<Rgb> = painted(&pointers).into_iter().map(|(c, _)| c).collect();
        pointers.take(ME, &Pointing::NoRing);
        pointers.take(ME, &laser(&[(500.0, 500.0)]));
        let of_dot: Vec<Rgb> = painted(&pointers).into_iter().map(|(c, _)| c).collect();
        for beneath in &beneath {
            for parts in [&of_ring, &of_dot] {
                let best = parts.iter().map(|part| part.contrast(*beneath));
                let best = best.fold(0.0, f64::max);
                assert!(best >= LINE_CONTRAST, "{best} of {parts:?} on {beneath:?}");
            }
        }
    }
    assert!(CORE.contrast(RIM) > 15.0);
}

proptest! {
    /// However it is moved: what is painted lies in what was said to be out of date; a trail is gone when
    /// it has lasted, the dot stays as long as it is lit, and then nothing is left.
    #[test]
    fn a_trail_fades_and_leaves_nothing(
        steps in prop::collection::vec((0.0..1920.0f64, 0.0..1080.0f64, 1.0..60.0f64), 1..60),
    ) {
        let mut pointers = Pointers::default();
        let mut now = 1000.0;
        let mut before = Rect::EMPTY;
        for (x, y, gap) in &steps {
            now += gap;
            pointers.take(ME, &laser(&[(*x, *y)]));
            pointers.tick(now, ME);
            let shown = painted(&pointers);
            let all = shown.iter().fold(Rect::EMPTY, |all, (_, part)| all.union(part));
            let stale = pointers.take_damage();
            prop_assert_eq!(stale.union(&all).union(&before), stale);
            before = all;
        }
        let (x, y, _) = steps[steps.len() - 1];
        pointers.tick(now + LASTS, ME);
        let dot = painted(&pointers);
        prop_assert_eq!(dot.len(), 3);
        let round_it = |part: &Rect<Glass>| {
            let middle = ((part.x0 + part.x1) / 2.0 - x, (part.y0 + part.y1) / 2.0 - y);
            middle.0.abs() < 0.05 && middle.1.abs() < 0.05 && part.width() < SIZES.1
        };
        prop_assert!(dot.iter().all(|(_, part)| round_it(part)));
        pointers.take(ME, &Pointing::NoLaser);
        pointers.tick(now + LASTS + 1.0, ME);
        prop_assert!(pointers.is_clear() && painted(&pointers).is_empty());
    }
}

/// What rests is said again each second, so one who comes late sees it; and of one who is not heard of
/// any more, nothing is shown after a few seconds.
#[test]
fn it_is_said_again_until_it_is_gone() {
    let (mut here, mut there) = (Pointers::default(), Pointers::default());
    here.take(ME, &laser(&[(10.0, 10.0), (20.0, 20.0)]));
    here.take(ME, &ring(RingLook::default(), 20.0, 20.0));
    let mut told = 0;
    for tenth in 0..100 {
        let now = 5000.0 + f64::from(tenth) * 100.0;
        here.tick(now, ME);
        for pointing in here.again(ME) {
            told += 1;
            there.take(SOMEBODY, &pointing);
        }
        there.tick(now + 17.0, AuthorId(3));
    }
    assert_eq!(told, 2 * 9, "both, every second");
    assert_eq!(painted(&here).len(), painted(&there).len());
    let wait = there.tick(15_100.0, AuthorId(3));
    assert_eq!(wait, Some(1000.0), "nothing moves");
    there.tick(18_600.0, AuthorId(3));
    there.tick(19_000.0, AuthorId(3));
    assert!(there.is_clear());
}

/// Kinds of presses are told apart by shape, and half a second later there is nothing.
#[test]
fn presses_differ_in_shape_and_are_gone() {
    let outlines = |press| {
        let mut pointers = Pointers::default();
        pointers.take(
            ME,
            &Pointing::Ripple(Ripple {
                press,
                at: Spot::new(Point::new(200.0, 200.0)),
                colour: LaserLook::default().colour,
            }),
        );
        pointers.tick(100.0, ME);
        assert_eq!(pointers.tick(200.0, ME), Some(0.0));
        let mut list = DisplayList::default();
        pointers.paint(&mut list);
        pointers.tick(600.0, ME);
        assert!(pointers.is_clear());
        let fills = list.each().filter_map(|item| match item {
            Item::Fill { path, .. } => Some(path.verbs.len()),
            _ => None,
        });
        fills.collect::<Vec<_>>()
    };
    let [first, second, double] = [Press::First, Press::Second, Press::Double].map(outlines);
    assert_eq!((first.len(), second.len(), double.len()), (3, 3, 6));
    // A square is two polygons of four corners; rings are curves.
    assert_eq!(second, [10; 3]);
    assert_ne!(first, second);
}

/// What a stranger's program could send is put right or refused.
#[test]
fn what_no_hand_points_with() {
    let huge = RingLook {
        diameter: f64::NAN,
        width: 1e9,
        opacity: -1.0,
        ..RingLook::default()
    };
    let Ok(Pointing::Ring { look, .. }) = ring(huge, 1.0, 1.0).settled() else {
        panic!("put right");
    };
    assert_eq!((look.diameter, look.width, look.opacity), (90.0, 40.0, 0.2));
    assert!(laser(&[(1e7, 0.0)]).settled().is_err());
    let Ok(Pointing::Laser { places, .. }) = laser(&[(1.0, 1.0); 5000]).settled() else {
        panic!("put right");
    };
    assert_eq!(places.0.len(), 400);
}
