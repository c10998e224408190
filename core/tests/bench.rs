//! What is done to captures on the bench: corners of sheets, their shape, parts that are hidden.

use bozzetto_core::capture::flat::Flat;
use bozzetto_core::capture::hide::{Hide, Hiding, Strength, pixelate};
use bozzetto_core::capture::moment::{Bench, Cut, CutFault, Parts};
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::{Plan, corners, plan};
use bozzetto_core::geometry::frames::{Glass, Point, Rect, Size};
use proptest::prelude::*;

const STAGE: Size<Glass> = Size::new(1920.0, 1080.0);

type Place = (f64, f64);

/// Four corners of a sheet, upper left first, as a pinhole camera sees them that looks along z through the middle of
/// the stage. `focal` is in glass units.
fn seen(shape: f64, angles: [f64; 3], focal: f64, far: f64, aside: Place) -> [Place; 4] {
    let [a, b, c] = angles.map(|v| v.to_radians().sin_cos());
    let (w, h) = (shape.sqrt() * 400.0, 400.0 / shape.sqrt());
    [(-w, -h), (w, -h), (w, h), (-w, h)].map(|(x, y)| {
        let (x, y) = (x * c.1 - y * c.0, x * c.0 + y * c.1);
        let (y, z) = (y * a.1, y * a.0);
        let (x, z) = (x * b.1 + z * b.0, z * b.1 - x * b.0);
        let by = focal / (z + far);
        (960.0 + (x + aside.0) * by, 540.0 + (y + aside.1) * by)
    })
}

fn flat(corners: [Place; 4]) -> Flat {
    Flat {
        corners: corners.map(|(x, y)| Point::new(x, y)),
        clean: false,
    }
}

fn whole() -> Rect<Glass> {
    Rect::of_size(STAGE)
}

fn cut(area: Rect<Glass>, hidden: Vec<Hide>) -> Cut {
    Cut {
        way: Way::Box,
        area,
        parts: Parts::default(),
        there: Parts::default(),
        bench: Bench {
            hidden,
            ..Bench::default()
        },
    }
}

proptest! {
    /// The shape of a sheet follows from its corners, however it is seen; and a page is as fine as it was seen.
    #[test]
    fn a_sheet_has_its_shape(
        shape in 0.5..2.0f64, a in 12.0..40.0f64, b in 12.0..40.0f64, c in -25.0..25.0f64,
        back in any::<(bool, bool)>(), focal in 1500.0..3000.0f64, aside in (-150.0..150.0f64, -100.0..100.0f64),
    ) {
        let angles = [if back.0 { a } else { -a }, if back.1 { b } else { -b }, c];
        let corners = seen(shape, angles, focal, 2600.0, aside);
        let inside = corners.iter().all(|(x, y)| (0.0..1920.0).contains(x) && (0.0..1080.0).contains(y));
        prop_assume!(inside);
        let flat = flat(corners).checked(STAGE).unwrap();
        let found = flat.shape(&whole());
        prop_assert!((found / shape - 1.0).abs() < 1e-6, "{found} of {shape}");
        let plan = plan(&flat.bounds(), STAGE, &[], 1.0);
        let (w, h) = flat.size(&plan, &whole());
        prop_assert!((f64::from(w) / f64::from(h) / shape - 1.0).abs() < 0.01);
        let side = |i: usize| flat.corners[i].distance(flat.corners[(i + 1) % 4]) * plan.scale;
        prop_assert!(f64::from(w) + 1.0 >= side(0).max(side(2)) && f64::from(h) + 1.0 >= side(1).max(side(3)));
        // Each corner of the page is that of the sheet.
        let to = flat.to_picture(&plan).unwrap();
        for (at, corner) in [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)].iter().zip(&flat.corners) {
            let (there, here) = (plan.to_pixels().apply(*corner), to.apply(*at));
            prop_assert!((there.x - here.0).hypot(there.y - here.1) < 1e-6);
        }
    }

    /// A hidden part takes all pixels that it touches, and none beyond.
    #[test]
    fn no_pixel_of_a_hidden_part_is_left(
        x in 0.0..1800.0f64, y in 0.0..1000.0f64, w in 1.0..600.0f64, h in 1.0..400.0f64, device in 0.5..3.0f64,
        bx in 0.0..900.0f64, by in 0.0..500.0f64,
    ) {
        let box_at = Rect::from_size(bx, by, 800.0, 500.0);
        let plan: Plan = plan(&box_at, STAGE, &[], device);
        let area = Rect::from_size(x, y, w, h);
        let hide = Hide { area, how: Hiding::Fill };
        let there = plan.to_pixels().apply_rect(&area);
        let (pw, ph) = (f64::from(plan.width), f64::from(plan.height));
        match hide.pixels(&plan) {
            Some([x, y, w, h]) => {
                let [x0, y0, x1, y1] = [x, y, x + w, y + h].map(f64::from);
                prop_assert!(x1 <= pw && y1 <= ph);
                prop_assert!(x0 <= there.x0.max(0.0) + 1e-5 && x0 > there.x0 - 1.0 - 1e-5);
                prop_assert!(y0 <= there.y0.max(0.0) + 1e-5 && y0 > there.y0 - 1.0 - 1e-5);
                prop_assert!(x1 >= there.x1.min(pw) - 1e-5 && x1 < there.x1 + 1.0 + 1e-5);
                prop_assert!(y1 >= there.y1.min(ph) - 1e-5 && y1 < there.y1 + 1.0 + 1e-5);
            }
            None => prop_assert!(there.x1 < 1e-3 || there.y1 < 1e-3 || there.x0 > pw - 1e-3 || there.y0 > ph - 1e-3),
        }
    }

    /// Of a part that is made coarse only squares are left, none smaller than was asked for unless the part is, each
    /// within a level of the mean of what it was.
    #[test]
    fn only_squares_are_left(w in 3..90usize, h in 3..60usize, cell in 1..40u32, seed in any::<u64>()) {
        let mut state = seed | 1;
        let mut pixels: Vec<u8> = (0..w * h * 4).map(|i| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            if i % 4 == 3 { 255 } else { (state >> 56) as u8 }
        }).collect();
        let before = pixels.clone();
        pixelate(&mut pixels, w, h, cell);
        let parts = |side: usize| (side / cell as usize).max(1);
        let (columns, rows) = (parts(w), parts(h));
        for n in 0..columns * rows {
            let (i, j) = (n % columns, n / columns);
            let across = w * i / columns..w * (i + 1) / columns;
            let down = h * j / rows..h * (j + 1) / rows;
            prop_assert!(across.len() >= (cell as usize).min(w) && down.len() >= (cell as usize).min(h));
            let all: Vec<usize> = down.flat_map(|y| across.clone().map(move |x| (y * w + x) * 4)).collect();
            for c in 0..3 {
                let mean = all.iter().map(|p| f64::from(before[p + c])).sum::<f64>() / all.len() as f64;
                let one = pixels[all[0] + c];
                prop_assert!(all.iter().all(|p| pixels[p + c] == one));
                prop_assert!((f64::from(one) - mean).abs() <= 255.0 / 15.0 / 2.0 + 2.0);
            }
        }
    }

    /// What comes from elsewhere is on the picture, or refused.
    #[test]
    fn a_cut_is_on_the_picture(
        x in -500.0..2500.0f64, y in -500.0..1500.0f64, w in -10.0..3000.0f64, h in -10.0..2000.0f64, turns in 0..=255u8,
    ) {
        let area = Rect::from_size(x, y, w, h);
        let mut asked = cut(area, vec![Hide { area, how: Hiding::Blur }]);
        asked.bench.turns = turns;
        match asked.settled(STAGE) {
            Ok(cut) => {
                prop_assert_eq!(cut.area, area.intersection(&whole()));
                prop_assert!(cut.area.width() > 0.0 && cut.area.height() > 0.0);
                prop_assert_eq!(cut.bench.turns, turns % 4);
                prop_assert_eq!(cut.bench.hidden.len(), 1);
            }
            Err(fault) => {
                prop_assert_eq!(fault, CutFault::Area);
                prop_assert!(!area.intersects(&whole()));
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// The corners of a light sheet with writing on it are found to within a pixel, in spite of noise and of light
    /// that falls off.
    #[test]
    fn the_corners_of_a_sheet_are_found(
        a in -30.0..30.0f64, b in -30.0..30.0f64, c in -20.0..20.0f64, paper in 190..250u8, table in 30..120u8,
        fall in 0.0..0.35f64, seed in any::<u32>(),
    ) {
        let corners = seen(210.0 / 297.0, [a, b, c], 2000.0, 2600.0, (0.0, 0.0)).map(|(x, y)| (x / 2.0, y / 2.0));
        let (w, h) = (960usize, 540usize);
        let sheet = Flat { corners: corners.map(|(x, y)| Point::new(x * 2.0, y * 2.0)), clean: false };
        let plan = Plan { area: whole(), scale: 0.5, width: 960, height: 540 };
        let back = sheet.to_picture(&plan).unwrap().inverse();
        let mut state = seed | 1;
        let mut rgba = Vec::with_capacity(w * h * 4);
        for y in 0..h {
            for x in 0..w {
                // The mean of four places of each pixel.
                let mut sum = 0.0;
                for (dx, dy) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                    let (u, v) = back.apply((x as f64 + dx, y as f64 + dy));
                    let on = (0.0..1.0).contains(&u) && (0.0..1.0).contains(&v);
                    let line = (0.12..0.88).contains(&u) && (0.1..0.8).contains(&v) && (v * 40.0).fract() < 0.35;
                    let ink = line && ((u * 90.0).floor() as i64 * 7919) % 5 < 2;
                    sum += match (on, ink) {
                        (true, true) => 40.0,
                        (true, false) => f64::from(paper),
                        _ => f64::from(table),
                    };
                }
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let noise = f64::from(state >> 8) / f64::from(1 << 24) * 12.0 - 6.0;
                let lit = 1.0 - fall * x as f64 / w as f64;
                let light = (sum / 4.0 * lit + noise).clamp(0.0, 255.0) as u8;
                rgba.extend([light, light, light, 255]);
            }
        }
        let found = corners::find(&rgba, w, h);
        let found = found.ok_or_else(|| TestCaseError::fail("none were found"))?;
        for (x, y) in corners {
            let off = found.iter().map(|f| (f.x - x).hypot(f.y - y)).fold(f64::MAX, f64::min);
            prop_assert!(off < 1.0, "{off} px off: {found:?} for {corners:?}");
        }
    }
}

/// Corners that cross over, lie on a line or nowhere go round no sheet.
#[test]
fn corners_that_go_round_nothing_are_refused() {
    for corners in [
        [(0.0, 0.0), (900.0, 600.0), (900.0, 0.0), (0.0, 600.0)],
        [(0.0, 0.0), (500.0, 0.0), (900.0, 0.0), (0.0, 600.0)],
        [(5.0, 5.0), (15.0, 5.0), (15.0, 15.0), (5.0, 15.0)],
        [(f64::NAN, 0.0), (900.0, 0.0), (900.0, 600.0), (0.0, 600.0)],
    ] {
        assert!(flat(corners).checked(STAGE).is_err(), "{corners:?}");
    }
}

/// The squares are two and a half times as high as the highest line of writing, also where it is small in its part.
#[test]
fn what_is_hidden_is_hidden_by_the_height_of_its_writing() {
    let (w, h) = (400, 300);
    let mut rgba = vec![255u8; w * h * 4];
    for y in 100..140 {
        for x in (40..360).filter(|x| x % 11 < 4) {
            rgba[(y * w + x) * 4..(y * w + x) * 4 + 3].fill(20);
        }
    }
    let strength = Strength::for_part(&rgba, w, h);
    assert_eq!(strength.writing, Some(40));
    assert_eq!((strength.cell, strength.deviation), (100, 50.0));
    let bare = Strength::for_part(&vec![200; w * h * 4], w, h);
    assert_eq!((bare.writing, bare.cell), (None, 75));
}
