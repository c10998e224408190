//! Instruments: units, readings with their uncertainty, what a hand does with them, and what leads a pen.

use std::f64::consts::{PI, TAU};

use bozzetto_core::aids::region::{Form, Region};
use bozzetto_core::aids::spotlight::Spotlight;
use bozzetto_core::clocks::countdown::Countdown;
use bozzetto_core::clocks::{Clock, Measures, Runs};
use bozzetto_core::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::instruments::compasses;
use bozzetto_core::instruments::guide::Guide;
use bozzetto_core::instruments::instrument::{Grip, Instrument, Kind};
use bozzetto_core::instruments::measure::{Known, Measuring};
use bozzetto_core::instruments::nearby;
use bozzetto_core::instruments::placed::{Lies, Placed};
use bozzetto_core::instruments::plane::{Plane, PlaneFault};
use bozzetto_core::instruments::protractor::{Protractor, Says};
use bozzetto_core::instruments::reading::{Reading, of_a_pixel};
use bozzetto_core::instruments::ruler::{self, Calibrated, division};
use bozzetto_core::instruments::scale::{Scale, ScaleFault};
use bozzetto_core::instruments::units::{Unit, converted};
use bozzetto_core::stage::laid::Lay;
use geo::{Area, Closest, ClosestPoint, Coord, Line, LineString, Polygon};
use proptest::prelude::*;

/// SI Brochure, 9th edition; international yard and pound agreement of 1959.
#[test]
fn units_are_what_they_are_defined_to_be() {
    for (length, from, to, is) in [
        (1.0, Unit::NauticalMile, Unit::Metre, 1852.0),
        (1.0, Unit::Yard, Unit::Metre, 0.9144),
        (1.0, Unit::Foot, Unit::Metre, 0.3048),
        (1.0, Unit::Inch, Unit::Millimetre, 25.4),
        (10.0, Unit::Cable, Unit::NauticalMile, 1.0),
        (3.0, Unit::Foot, Unit::Yard, 1.0),
        (1.0, Unit::Kilometre, Unit::Centimetre, 100_000.0),
    ] {
        let found = converted(length, &from, &to).unwrap();
        assert!((found - is).abs() < 1e-9 * is, "{from:?} {to:?} {found}");
    }
}

/// A small generator of numbers that look random, for simulations that come out alike each time.
struct Noise(u64);

impl Noise {
    /// Evenly between -1 and 1. Source of the constants: Knuth's MMIX generator.
    fn next(&mut self) -> f64 {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    }
}

fn deviation(values: &[f64]) -> f64 {
    let mean = values.iter().sum::<f64>() / values.len() as f64;
    let squares = values.iter().map(|v| (v - mean).powi(2)).sum::<f64>();
    (squares / (values.len() - 1) as f64).sqrt()
}

fn corners() -> impl Strategy<Value = Vec<(f64, f64)>> {
    // Round a middle, so that no edge crosses another and none is too short to have a direction.
    prop::collection::vec(120.0..400.0f64, 3..9).prop_map(|radii| {
        let n = radii.len() as f64;
        let corner = |(i, r): (usize, &f64)| {
            let angle = i as f64 / n * TAU;
            (600.0 + r * angle.cos(), 500.0 + r * angle.sin())
        };
        radii.iter().enumerate().map(corner).collect()
    })
}

/// Reads the same figure many times, each place off by up to half a pixel.
fn simulated(
    seed: u64,
    places: &[(f64, f64)],
    pixel: f64,
    reads: impl Fn(&[(f64, f64)]) -> f64,
) -> f64 {
    let mut noise = Noise(seed);
    let values: Vec<f64> = (0..4000)
        .map(|_| {
            let shaken: Vec<(f64, f64)> = places
                .iter()
                .map(|(x, y)| {
                    (
                        x + noise.next() * pixel / 2.0,
                        y + noise.next() * pixel / 2.0,
                    )
                })
                .collect();
            reads(&shaken)
        })
        .collect();
    deviation(&values)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// The uncertainty that is said is that of a simulation, and the value that of the `geo` library.
    #[test]
    fn uncertainty_is_that_of_a_simulation(places in corners(), pixel in 0.5..3.0f64, seed: u64) {
        let off = of_a_pixel(pixel);
        let near = |said: f64, found: f64| (said / found - 1.0).abs() < 0.07;
        let length = Reading::length(&places, off);
        prop_assert!(near(length.off, simulated(seed, &places, pixel, |p| Reading::length(p, off).value)));
        let area = Reading::area(&places, off);
        prop_assert!(near(area.off, simulated(seed, &places, pixel, |p| Reading::area(p, off).value)));
        let ring: Vec<Coord> = places.iter().map(|p| (*p).into()).collect();
        let reference = Polygon::new(LineString(ring), Vec::new()).unsigned_area();
        prop_assert!((area.value - reference).abs() < 1e-9 * reference);
        let angle = |p: &[(f64, f64)]| Reading::angle(p[0], p[1], p[2], off);
        // Nearly straight it cannot grow, and spreads less than it would.
        let straight = angle(&places).value > 172.0;
        prop_assert!(straight || near(angle(&places).off, simulated(seed, &places, pixel, |p| angle(p).value)));
    }
}

proptest! {
    /// Angles by their closed form: at the centre of a circle, between two of its points.
    #[test]
    fn angles_are_right(from in 0.0..TAU, by in 0.01..3.13f64, r in 50.0..500.0f64) {
        let at = |a: f64| (300.0 + r * a.cos(), 300.0 + r * a.sin());
        let read = Reading::angle(at(from), (300.0, 300.0), at(from + by), 0.1);
        prop_assert!((read.value - by.to_degrees()).abs() < 1e-9);
    }

    /// A scale is carried into a reading with its own uncertainty (JCGM 100, 5.1.6).
    #[test]
    fn a_scale_is_carried_into_readings(length in 0.1..1e4f64, on in 50.0..3000.0f64, off in 0.0..2.0f64) {
        let scale = Scale { length, unit: Unit::Metre, on_backdrop: on, off }.checked().unwrap();
        let read = Reading { value: 2.0 * on, off: 0.3 };
        let scaled = read.scaled(&scale);
        prop_assert!((scaled.value - 2.0 * length).abs() < 1e-9 * length);
        let relative = (0.3 / (2.0 * on)).hypot(off / on);
        prop_assert!((scaled.off / scaled.value - relative).abs() < 1e-9);
    }

    /// What a pen is led to is the nearest place of the edge, by the `geo` library; on an arc it is as far
    /// from the centre as the arc.
    #[test]
    fn a_guide_leads_to_the_nearest_place(
        x in -500.0..1500.0f64, y in -500.0..1500.0f64, angle in 0.0..TAU, size in 20.0..900.0f64,
    ) {
        let p = Point::<Glass>::new(x, y);
        let to = Point::new(400.0 + size * angle.cos(), 300.0 + size * angle.sin());
        let led = Guide::Line { from: Point::new(400.0, 300.0), to }.nearest(p);
        let line = Line::new((400.0, 300.0), (to.x, to.y));
        let reference = match line.closest_point(&geo::Point::new(x, y)) {
            Closest::Intersection(q) | Closest::SinglePoint(q) => q,
            Closest::Indeterminate => unreachable!(),
        };
        prop_assert!((led.x - reference.x()).hypot(led.y - reference.y()) < 1e-6);
        let arc = Guide::Arc { centre: Point::new(400.0, 300.0), radius: size, from: angle, sweep: PI };
        let led = arc.nearest(p);
        prop_assert!((led.distance(Point::new(400.0, 300.0)) - size).abs() < 1e-6);
        // No place of the arc is nearer.
        for n in 0..=60 {
            let a = angle + f64::from(n) / 60.0 * PI;
            let q = Point::new(400.0 + size * a.cos(), 300.0 + size * a.sin());
            prop_assert!(q.distance(p) > led.distance(p) - 1e-6);
        }
    }

    /// Two fingers carry an instrument as they would a real one: what was under each stays under it, as far
    /// as it cannot grow on the line between them.
    #[test]
    fn two_fingers_carry_it(
        a in (100.0..900.0f64, 100.0..900.0f64), way in (150.0..400.0f64, 0.0..TAU),
        by in (-200.0..200.0f64, -200.0..200.0f64), turn in -3.0..3.0f64, grow in 0.6..1.8f64, grows: bool,
    ) {
        let lies = Lies { at: Point::new(300.0, 400.0), angle: 0.4, size: 700.0 };
        let first = Point::new(a.0, a.1);
        let away = |p: Point<Glass>, length: f64, angle: f64| {
            Point::new(p.x + length * angle.cos(), p.y + length * angle.sin())
        };
        let second = away(first, way.0, way.1);
        let grow = if grows { grow } else { 1.0 };
        let to = Point::new(first.x + by.0, first.y + by.1);
        let to_second = away(to, way.0 * grow, way.1 + turn);
        let carried = lies.carried([first, second], [to, to_second], grows);
        prop_assert!((carried.size - lies.size * grow).abs() < 1e-6);
        for (was, is) in [(first, to), (second, to_second)] {
            let (x, y) = lies.local(was);
            let there = carried.at_local((x * grow, y * grow));
            prop_assert!(there.distance(is) < 1e-6);
        }
    }

    /// Compasses draw at the distance to which they are opened, wherever the pen trembles.
    #[test]
    fn compasses_keep_their_distance(x in -200.0..900.0f64, y in -200.0..900.0f64, size in 30.0..700.0f64) {
        let lies = Lies { at: Point::new(400.0, 300.0), angle: 1.0, size };
        let led = compasses::guide(&lies).nearest(Point::new(x, y));
        prop_assert!((led.distance(lies.at) - size).abs() < 1e-9);
        prop_assert_eq!(compasses::grip(&lies, lies.at), Some(Grip::Carry));
    }

    /// Lines and numbers keep their room at every scale, and numbers are round.
    #[test]
    fn a_ruler_can_be_read_at_every_scale(exponent in -7.0..6.0f64) {
        let per_unit = 10f64.powf(exponent);
        let divided = division(per_unit);
        let apart = divided.step / per_unit;
        prop_assert!((83.9..=210.1).contains(&apart), "{apart}");
        prop_assert!(apart / f64::from(divided.parts) >= 6.9);
        let lead = divided.step / 10f64.powf((divided.step * 1.0000001).log10().floor());
        prop_assert!([1.0, 2.0, 5.0].iter().any(|l| (lead - l).abs() < 1e-6), "{lead}");
        let line = lead / f64::from(divided.parts) * 100.0;
        prop_assert!((line - line.round()).abs() < 1e-6, "a line is a round number");
    }

    /// Held by a backdrop it moves and grows with it, and is where it was when it is let go.
    #[test]
    fn it_is_where_it_was(scale in 0.1..9.0f64, dx in -900.0..900.0f64, dy in -900.0..900.0f64, angle in -3.0..3.0f64) {
        let lies = Lies { at: Point::new(500.0, 300.0), angle, size: 800.0 };
        let view = Map::<Held, Glass>::scale_then_move(scale, dx, dy);
        let placed = lies.placed(Some(BackdropId(1)), &view).unwrap();
        let back = placed.lies(&view);
        prop_assert!(back.at.distance(lies.at) < 1e-6 && (back.size - 800.0).abs() < 1e-6);
        let larger = Map::<Held, Glass>::scale_then_move(scale * 2.0, dx, dy);
        prop_assert!((placed.lies(&larger).size - 1600.0).abs() < 1e-6);
    }

    /// A bearing and its reciprocal differ by 180 degrees, modulo 360; the north is where it is said to be.
    #[test]
    fn bearings(arm in 0.0..TAU, north in 0.0..TAU) {
        let p = protractor(arm, Says::Bearing, north);
        let back = protractor(arm + PI, Says::Bearing, north);
        let between = (p.degrees(0.0) - back.degrees(0.0)).rem_euclid(360.0);
        prop_assert!((between - 180.0).abs() < 1e-9);
        let to_north = protractor(north - PI / 2.0, Says::Bearing, north).degrees(0.0);
        prop_assert!(to_north.min(360.0 - to_north) < 1e-9);
    }

    /// An arm reads what it was set to, and is fixed to its protractor: turned with that, and put into the hands
    /// of a backdrop, it reads the same from the baseline.
    #[test]
    fn an_arm_is_fixed_to_its_protractor(
        degrees in 0.0..360.0f64, from in -3.0..3.0f64, to in 0.0..180.0f64, bearing: bool, north in 0.0..TAU,
    ) {
        let says = if bearing { Says::Bearing } else { Says::Degrees };
        let set = protractor(0.0, says, north).reading_degrees(from, degrees);
        let off = (set.degrees(from) - degrees).rem_euclid(360.0);
        prop_assert!(off.min(360.0 - off) < 1e-9);
        let placed = Placed { on: None, at: (500.0, 500.0), angle: from, size: 300.0 };
        let kind = Kind::Protractor(set.clone());
        let turned = Instrument { kind, placed, millimetres: 1.0, away: false, told: true }.turned(to);
        let Kind::Protractor(after) = &turned.kind else { panic!() };
        let says = Says::Degrees;
        let read = |p: &Protractor, baseline| Protractor { says, ..p.clone() }.degrees(baseline);
        let off = (read(after, turned.placed.angle) - read(&set, from)).rem_euclid(360.0);
        prop_assert!(off.min(360.0 - off) < 1e-9);
        prop_assert!((ruler::incline(turned.placed.angle) - to).abs() < 1e-9);
    }

    /// Along an edge on a tilted plane the same is read as on the plane itself, at each place of it.
    #[test]
    fn a_ruler_on_a_plane_reads_the_plane(
        shift in prop::collection::vec(-60.0..60.0f64, 8), x in 380.0..520.0f64, y in 420.0..560.0f64,
        angle in -0.6..0.6f64, at in prop::collection::vec(1.0..320.0f64, 5),
    ) {
        let corner = |n: usize, x: f64, y: f64| (x + shift[2 * n], y + shift[2 * n + 1]);
        let corners = [
            corner(0, 300.0, 300.0),
            corner(1, 950.0, 330.0),
            corner(2, 1050.0, 760.0),
            corner(3, 180.0, 720.0),
        ];
        let plane = Plane { corners, sides: (297.0, 210.0), unit: Unit::Millimetre, off: 0.3 };
        let plane = plane.checked().unwrap();
        let lies = Lies { at: Point::new(x, y), angle, size: 330.0 };
        let place = |along: f64| {
            let p = lies.at_local((along, 0.0));
            plane.place((p.x, p.y))
        };
        let zero = place(0.0);
        let length = |along: f64| (place(along).0 - zero.0).hypot(place(along).1 - zero.1);
        let known = [165.0, 330.0].map(|along| (along, length(along)));
        let reads = Calibrated::bent(known, Unit::Millimetre).unwrap();
        for along in at {
            prop_assert!((reads.reading(along) / length(along) - 1.0).abs() < 1e-6);
            prop_assert!((reads.place(length(along)) - along).abs() < 1e-6);
        }
    }

    /// A ruler that is nearly along a line lies on it; one that is not, or beside its ends, stays where it is.
    #[test]
    fn a_ruler_snaps_to_lines(way in 0.0..TAU, off in -2.4..2.4f64, across in -10.0..10.0f64, along in -700.0..150.0f64) {
        let to = |from: Point<Glass>, way: f64, far: f64| Point::new(from.x + far * way.cos(), from.y + far * way.sin());
        let a = Point::new(900.0, 500.0);
        let line = [a, to(a, way, 200.0)];
        let beside = to(to(a, way, along), way + PI / 2.0, across);
        let lies = Lies { at: beside, angle: way + off.to_radians(), size: 800.0 };
        // Turned by so little it may be farther away at the line than it is at its zero.
        let far = across.abs() + along.abs() * 0.05 > 13.0;
        if let Some(laid) = nearby::along(&lies, &[line]) {
            prop_assert!(laid.local(line[0]).1.abs() < 1e-6 && laid.local(line[1]).1.abs() < 1e-6);
            prop_assert!((laid.angle - lies.angle).abs() < 2.5f64.to_radians());
        } else {
            prop_assert!(far);
        }
        prop_assert_eq!(nearby::along(&Lies { angle: way + 0.2, ..lies }, &[line]), None);
        prop_assert_eq!(nearby::along(&Lies { at: to(beside, way, 900.0), ..lies }, &[line]), None);
    }

    /// Whatever a display or a stranger says, there is an instrument that can be reached.
    #[test]
    fn nonsense_breaks_nothing(v in prop_oneof![Just(f64::NAN), Just(f64::INFINITY), -1e12..1e12f64]) {
        let placed = Placed { on: None, at: (v, -v), angle: v, size: v };
        let of = |kind| Instrument { kind, placed, millimetres: v, away: false, told: true };
        let ruler = of(Kind::Ruler).settled(Size::glass(16.0, 9.0));
        let lies = ruler.placed.lies(&Map::coincident());
        prop_assert!((0.0..=1920.0).contains(&lies.at.x) && (0.0..=1080.0).contains(&lies.at.y));
        prop_assert!((ruler::LENGTHS.0..=ruler::LENGTHS.1).contains(&lies.size));
        let measuring = Measuring { places: vec![(v, v); 200], closed: true, pixel: v, ..Measuring::default() };
        for said in measuring.clone().settled().readings(Known::default()) {
            prop_assert!(!said.contains("inf"), "{}", said);
        }
        let light = Region { form: Form::Loop(vec![(v, v); 9]), at: Point::new(v, v), half: (v, v) };
        let runs = Runs::Stands { passed: u64::MAX };
        // What is kept as JSON is read as it was: that has no numbers that are none.
        for sent in [
            Lay::Instrument(ruler),
            Lay::Instrument(of(Kind::Compasses)),
            Lay::Instrument(of(Kind::Protractor(protractor(v, Says::Bearing, v)))),
            Lay::Measuring(measuring),
            Lay::Spotlight(Spotlight { lights: vec![light], dimness: v, ..Spotlight::default() }),
            Lay::Clock(Clock {
                id: 1,
                measures: Measures::Countdown(Countdown { length: u64::MAX, warns: u64::MAX, loud: true }),
                runs,
                face: Rect::from_corners(Point::new(v, v), Point::new(-v, v)),
                away: false,
                told: true,
            }),
        ] {
            let settled = sent.settled(Size::glass(16.0, 9.0));
            let json = serde_json::to_string(&settled).unwrap();
            prop_assert_eq!(serde_json::from_str::<Lay>(&json).unwrap(), settled);
        }
    }
}

fn protractor(arm: f64, says: Says, north: f64) -> Protractor {
    Protractor {
        arm,
        full: true,
        says,
        north,
    }
}

/// A compass rose: north up, east to the right; degrees from the baseline go against the clock.
#[test]
fn a_compass_rose() {
    for (arm, bearing, degrees) in [
        (-90.0, "000°", "90°"),
        (0.0, "090°", "0°"),
        (90.0, "180°", "270°"),
        (180.0, "270°", "180°"),
        (-45.0, "045°", "45°"),
    ] {
        let arm = f64::to_radians(arm);
        assert_eq!(protractor(arm, Says::Bearing, 0.0).reading(0.0), bearing);
        assert_eq!(protractor(arm, Says::Degrees, 0.0).reading(0.0), degrees);
    }
}

/// Taps: two are a distance, three have an angle, near the first they close an area, and then it begins anew.
#[test]
fn taps_measure() {
    let scale = Scale {
        length: 1.0,
        unit: Unit::Cable,
        on_backdrop: 100.0,
        off: 0.0,
    };
    let in_scale = Known {
        scale: Some(&scale),
        plane: None,
    };
    let taps = [(0.0, 0.0), (300.0, 0.0), (300.0, 400.0)];
    let mut m = Measuring {
        pixel: 1.0,
        ..Measuring::default()
    };
    for tap in taps {
        m = m.with(tap, 20.0);
    }
    assert_eq!(
        m.readings(in_scale),
        ["7.000 ± 0.012 cables", "90.00 ± 0.19°"]
    );
    m = m.with((5.0, -5.0), 20.0);
    let read = m.readings(in_scale);
    assert!(
        read[0].starts_with("6.0") && read[0].ends_with("cables²"),
        "{read:?}"
    );
    assert!(read[1].starts_with("12.00"), "{read:?}");
    assert_eq!(m.with((9.0, 9.0), 20.0).places, [(9.0, 9.0)]);
    assert_eq!(
        m.with((9.0, 9.0), 20.0).readings(Known::default()),
        Vec::<String>::new()
    );
}

/// What is no scale is refused with what is permitted.
#[test]
fn what_is_no_scale_is_refused() {
    let scale = |length: f64, on_backdrop: f64, unit: Unit| Scale {
        length,
        unit,
        on_backdrop,
        off: 0.1,
    };
    let own = |name: &str| Unit::Own(name.to_owned());
    for (bad, why) in [
        (scale(0.0, 100.0, Unit::Metre), ScaleFault::Length),
        (scale(-2.0, 100.0, Unit::Metre), ScaleFault::Length),
        (scale(f64::NAN, 100.0, Unit::Metre), ScaleFault::Length),
        (scale(2.0, 0.0, Unit::Metre), ScaleFault::TooShort),
        (scale(2.0, 1.0, Unit::Metre), ScaleFault::TooShort),
        (scale(2.0, 100.0, own("")), ScaleFault::Unit),
        (scale(2.0, 100.0, own("шагов")), ScaleFault::Unit),
        (
            scale(2.0, 100.0, own("lengths of a boat")),
            ScaleFault::Unit,
        ),
    ] {
        assert_eq!(bad.clone().checked().unwrap_err(), why, "{bad:?}");
    }
    assert!(scale(2.0, 100.0, own("paces")).checked().is_ok());
}

fn sheet_of_paper() -> Plane {
    Plane {
        corners: [
            (400.0, 300.0),
            (1180.0, 340.0),
            (1330.0, 820.0),
            (250.0, 760.0),
        ],
        sides: (297.0, 210.0),
        unit: Unit::Millimetre,
        off: 0.3,
    }
}

/// The homography is that of OpenCV 5.0.0: `getPerspectiveTransform` of these corners, and
/// `perspectiveTransform` of these places.
#[test]
fn a_homography_is_that_of_opencv() {
    let plane = sheet_of_paper();
    for (place, is) in [
        ((400.0, 300.0), (0.0, 0.0)),
        ((700.0, 500.0), (119.330_253_78, 99.294_644_1)),
        ((1000.0, 700.0), (210.511_445_84, 175.166_468_11)),
        ((820.0, 420.0), (159.649_421_2, 56.358_146_73)),
    ] {
        let found = plane.place(place);
        let off = (found.0 - is.0).hypot(found.1 - is.1);
        assert!(off < 1e-6, "{place:?}: {found:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Readings on a plane are right in spite of perspective, and their uncertainty, from places and corners,
    /// is that of a simulation.
    #[test]
    fn readings_on_a_plane(
        a in (20.0..280.0f64, 20.0..190.0f64), b in (20.0..280.0f64, 20.0..190.0f64), seed: u64,
    ) {
        let far = (a.0 - b.0).hypot(a.1 - b.1);
        prop_assume!(far > 60.0);
        let plane = sheet_of_paper();
        // Where it is seen: found by halving, since the plane is asked only one way.
        let seen = |p: (f64, f64)| {
            let (mut x, mut y) = (750.0, 560.0);
            for _ in 0..200 {
                let at = plane.place((x, y));
                (x, y) = (x + 1.5 * (p.0 - at.0), y + 1.2 * (p.1 - at.1));
            }
            (x, y)
        };
        let off = of_a_pixel(1.0);
        let places = [seen(a), seen(b)];
        let length = |p: &[(f64, f64)]| (p[0].0 - p[1].0).hypot(p[0].1 - p[1].1);
        let read = plane.reading(&places, off, length);
        prop_assert!((read.value - far).abs() < 1e-3, "{} {}", read.value, far);
        let all = [&plane.corners[..], &places[..]].concat();
        let spread = simulated(seed, &all, 1.0, |all| {
            let corners = [all[0], all[1], all[2], all[3]];
            let shaken = Plane { corners, ..plane.clone() };
            length(&[shaken.place(all[4]), shaken.place(all[5])])
        });
        // Half a pixel either way is 0.289 of a pixel; corners are said to be known to 0.3.
        prop_assert!((read.off / spread - 1.0).abs() < 0.12, "{} {}", read.off, spread);
    }
}

/// Corners that cross, that lie on a line, or no rectangle at all.
#[test]
fn what_is_no_plane_is_refused() {
    let whole = sheet_of_paper();
    let [a, b, c, d] = whole.corners;
    for corners in [
        [a, c, b, d],
        [a, b, c, a],
        [a, b, c, ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0)],
    ] {
        let plane = Plane {
            corners,
            ..whole.clone()
        };
        assert_eq!(plane.checked().unwrap_err(), PlaneFault::Corners);
    }
    let none = Plane {
        sides: (297.0, 0.0),
        ..whole.clone()
    };
    assert_eq!(none.checked().unwrap_err(), ScaleFault::Length.into());
    assert!(whole.checked().is_ok());
}
