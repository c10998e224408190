//! What lies over the picture: what a spotlight lights, and what a hand does with it.

use bozzetto_core::aids::magnifier::{Magnifier, TIMES};
use bozzetto_core::aids::region::{Form, HALVES, Hold, Region};
use bozzetto_core::aids::spotlight::{DIMNESS, MOST, Spotlight};
use bozzetto_core::display::{DisplayList, Item, Path, Verb};
use bozzetto_core::geometry::frames::{Glass, Point, Rect, Size};
use bozzetto_core::stage::laid::Lay;
use geo::{Contains, Coord, LineString, Polygon};
use proptest::prelude::*;

fn area() -> Size<Glass> {
    Size::glass(16.0, 9.0)
}

/// Whether a place is within a path, by its winding number.
fn within(path: &Path, at: Point<Glass>) -> bool {
    let mut shape = kurbo::BezPath::new();
    let mut coords = path.coords.chunks_exact(2);
    let mut next = || {
        let c = coords.next().expect("as many coordinates as verbs want");
        kurbo::Point::new(f64::from(c[0]), f64::from(c[1]))
    };
    for verb in &path.verbs {
        match verb {
            Verb::Move => shape.move_to(next()),
            Verb::Line => shape.line_to(next()),
            Verb::Quad => shape.quad_to(next(), next()),
            Verb::Cubic => shape.curve_to(next(), next(), next()),
            Verb::Close => shape.close_path(),
        }
    }
    kurbo::Shape::winding(&shape, kurbo::Point::new(at.x, at.y)) != 0
}

/// Whether a list darkens a place.
fn is_dark(items: &[Item], at: Point<Glass>) -> bool {
    items.iter().any(|item| match item {
        Item::Fill { path, .. } => within(path, at),
        Item::Group(group) => {
            group.clip.as_ref().is_none_or(|clip| within(clip, at)) && is_dark(&group.items, at)
        }
        _ => false,
    })
}

/// How far out a place is, 1 on the edge, by the equation of the form.
fn out(light: &Region, at: Point<Glass>) -> f64 {
    let (x, y) = (
        (at.x - light.at.x) / light.half.0,
        (at.y - light.at.y) / light.half.1,
    );
    match light.form {
        Form::Oval | Form::Circle => x.hypot(y),
        _ => x.abs().max(y.abs()),
    }
}

fn light() -> impl Strategy<Value = Region> {
    let form = prop_oneof![Just(Form::Oval), Just(Form::Circle), Just(Form::Box)];
    (
        form,
        0.0..1920.0f64,
        0.0..1080.0f64,
        20.0..400.0f64,
        20.0..400.0f64,
    )
        .prop_map(|(form, x, y, w, h)| {
            let circle = matches!(form, Form::Circle);
            Region {
                form,
                at: Point::new(x, y),
                half: (w, if circle { w } else { h }),
            }
        })
}

proptest! {
    /// What some light lights is not dark, and everything else is, whichever lights overlap.
    #[test]
    fn all_is_dark_but_what_is_lit(
        lights in prop::collection::vec(light(), 1..5),
        places in prop::collection::vec((0.0..1920.0f64, 0.0..1080.0f64), 40),
    ) {
        let spotlight = Spotlight { lights, away: false, ..Spotlight::default() };
        let mut list = DisplayList::default();
        spotlight.paint(area(), &mut list);
        for (x, y) in places {
            let at = Point::new(x, y);
            let nearest = spotlight.lights.iter().map(|l| out(l, at)).fold(9.0, f64::min);
            // Curves are drawn within a twentieth of a unit.
            if (nearest - 1.0).abs() > 0.01 {
                prop_assert_eq!(is_dark(&list.items, at), nearest > 1.0, "{:?}", at);
            }
        }
    }

    /// The edge that a hand has hold of goes along with it, and the middle stays.
    #[test]
    fn an_edge_stays_under_the_hand(light in light(), turn in 0..4u32, by in -15.0..300.0f64) {
        let (cos, sin) = [(1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0)][turn as usize];
        let edge = |l: &Region| Point::new(l.at.x + cos * l.half.0, l.at.y + sin * l.half.1);
        let from = edge(&light);
        let to = Point::new(from.x + cos * by, from.y + sin * by);
        let hold = light.hold(from);
        let by_edge = matches!(hold, Some(Hold::Edge { .. }));
        prop_assert!(by_edge);
        let pulled = light.pulled(hold.unwrap(), from, to);
        prop_assert_eq!(pulled.at, light.at);
        if (light.half.0.min(light.half.1) + by) >= HALVES.0 {
            prop_assert!(edge(&pulled).distance(to) < 1e-6);
        }
        prop_assert_eq!(light.hold(light.at), Some(Hold::Whole));
    }

    /// Whatever was sent, and however it is pulled and set apart: the magnifier shows a part of the picture, the
    /// middle of that in its own middle, and its knob can be reached.
    #[test]
    fn a_magnifier_shows_a_part_of_the_picture(
        lens in light(),
        v in prop_oneof![Just(f64::NAN), Just(f64::INFINITY), -1e4..1e4f64],
        to in (-500.0..2500.0f64, -500.0..1500.0f64),
        apart in any::<bool>(),
    ) {
        let sent = Magnifier { lens, times: v, shows: v.is_finite().then(|| Point::new(v, -v)), ..Magnifier::default() };
        let settled = |m: Magnifier| match Lay::Magnifier(m).settled(area()) {
            Lay::Magnifier(m) => m,
            other => panic!("{other:?}"),
        };
        let sent = settled(sent).apart(apart, area());
        let knob = sent.knob(area());
        let held = sent.hold(knob, area()).unwrap();
        let m = settled(sent.pulled(held, knob, Point::new(to.0, to.1)));
        let picture = Rect::of_size(area());
        prop_assert!(picture.contains(m.middle()) && picture.inflate(1e-6).contains(m.lens.at));
        prop_assert!((TIMES.0..=TIMES.1).contains(&m.times));
        prop_assert!(m.enlarges().apply(m.middle()).distance(m.lens.at) < 1e-6);
        let edge = Point::new(m.part_bounds().x1, m.middle().y);
        prop_assert!((m.enlarges().apply(edge).x - m.lens.at.x - m.lens.half.0).abs() < 1e-6);
        prop_assert_eq!(m.shows.is_some(), apart);
        prop_assert!(picture.contains(m.knob(area())) || m.lens.half.0 > 500.0);
        // Over what it shows again, it lies there.
        prop_assert!(m.apart(false, area()).lens.at.distance(m.middle()) < 1e-6);
    }

    /// Whatever was sent: at least one light, and not too many, each with its middle on the picture.
    #[test]
    fn a_spotlight_is_within_what_it_may_be(
        n in 0..12usize,
        v in prop_oneof![Just(f64::NAN), Just(f64::INFINITY), -1e9..1e9f64],
    ) {
        let wild = Region { form: Form::Loop(vec![(v, v); 900]), at: Point::new(v, -v), half: (v, v) };
        let sent = Spotlight { lights: vec![wild; n], dimness: v, ..Spotlight::default() };
        let Lay::Spotlight(s) = Lay::Spotlight(sent).settled(area()) else { panic!() };
        prop_assert!((1..=MOST).contains(&s.lights.len()));
        prop_assert!((DIMNESS.0..=DIMNESS.1).contains(&s.dimness));
        for light in &s.lights {
            prop_assert!((0.0..=1920.0).contains(&light.at.x) && (0.0..=1080.0).contains(&light.at.y));
            prop_assert!((HALVES.0..=HALVES.1).contains(&light.half.0));
        }
    }

    /// A loop that is drawn round something lights what the `geo` library says lies in it, in whichever
    /// direction it was drawn, whether or not it was closed.
    #[test]
    fn a_loop_lights_what_it_encloses(
        bumps in prop::collection::vec(0.7..1.3f64, 12),
        backwards in any::<bool>(),
        closed in any::<bool>(),
        places in prop::collection::vec((600.0..1300.0f64, 200.0..900.0f64), 40),
    ) {
        let corner = |n: usize| {
            let angle = (n % 24) as f64 / 24.0 * std::f64::consts::TAU;
            // The same on the other side, so that the middle of its bounds sees all of it.
            let r = 250.0 * bumps[n % 12];
            (950.0 + r * angle.cos(), 550.0 + r * angle.sin())
        };
        let mut line: Vec<(f64, f64)> = (0..24 + usize::from(closed)).map(corner).collect();
        if backwards {
            line.reverse();
        }
        let points: Vec<Point<Glass>> = line.iter().map(|&(x, y)| Point::new(x, y)).collect();
        let light = Region::enclosed(&points).unwrap();
        let ring: Vec<Coord> = (0..24).map(|n| corner(n).into()).collect();
        let reference = Polygon::new(LineString(ring), Vec::new());
        let edge = |x: f64, y: f64| {
            use geo::{Distance, Euclidean};
            let exterior: &LineString = reference.exterior();
            Euclidean.distance(&geo::Point::new(x, y), exterior)
        };
        for (x, y) in places {
            if edge(x, y) > 0.5 {
                let inside = reference.contains(&geo::Point::new(x, y));
                prop_assert_eq!(light.has(Point::new(x, y)), inside, "{} {}", x, y);
            }
        }
    }
}

/// A circle drawn by hand one and a half times round is one light, and no hole is left in it.
#[test]
fn a_loop_that_was_drawn_twice_has_no_hole() {
    let line: Vec<Point<Glass>> = (0..90)
        .map(|n| {
            let angle = f64::from(n) / 60.0 * std::f64::consts::TAU;
            let r = 100.0 + f64::from(n % 7);
            Point::new(500.0 + r * angle.cos(), 400.0 + r * angle.sin())
        })
        .collect();
    let light = Region::enclosed(&line).unwrap();
    let spotlight = Spotlight {
        lights: vec![light],
        away: false,
        soft: false,
        ..Spotlight::default()
    };
    let mut list = DisplayList::default();
    spotlight.paint(area(), &mut list);
    for n in 0..360 {
        let angle = f64::from(n).to_radians();
        let at = |r: f64| Point::new(500.0 + r * angle.cos(), 400.0 + r * angle.sin());
        assert!(!is_dark(&list.items, at(90.0)), "{n}");
        assert!(is_dark(&list.items, at(112.0)), "{n}");
    }
}
