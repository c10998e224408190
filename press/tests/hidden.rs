//! What is left of parts that are hidden, and of sheets that are made upright.

use std::collections::HashMap;

use bozzetto_core::capture::flat::Flat;
use bozzetto_core::capture::hide::{Hide, Hiding, pixelate};
use bozzetto_core::capture::moment::Bench;
use bozzetto_core::capture::{Plan, plan};
use bozzetto_core::display::colour::{Rgb, WHITE};
use bozzetto_core::display::lettering::{self, HEIGHT};
use bozzetto_core::display::{Blend, DisplayList, Item, Path};
use bozzetto_core::geometry::frames::{Glass, Point, Rect, Size};
use bozzetto_press::picture::Shown;
use bozzetto_press::raster::{self, Finish, flatten, hidden};
use image::RgbaImage;
use resvg::tiny_skia::{IntSize, Pixmap};

const STAGE: Size<Glass> = Size::new(1920.0, 1080.0);
/// The size of the figures, and how high they are, in pixels.
const TYPE: f64 = 30.0;

fn fill(path: Path, colour: Rgb) -> Item {
    Item::Fill {
        path,
        colour,
        blend: Blend::Over,
        opacity: 1.0,
    }
}

/// A number on a white sheet.
fn sheet(number: &str) -> DisplayList {
    let paper = Path::of_rect(&Rect::of_size(STAGE));
    let figures = lettering::figures(number, (400.0, 300.0), TYPE);
    DisplayList {
        items: vec![fill(paper, WHITE), fill(figures, Rgb::hex(0x1a2027))],
    }
}

/// The part that the number is in.
fn part() -> Rect<Glass> {
    let wide = lettering::figures_length("0000") * TYPE;
    let high = HEIGHT * TYPE;
    Rect::from_size(
        (400.0 - wide / 2.0 - 6.0).floor(),
        (300.0 - high - 8.0).floor(),
        (wide + 12.0).ceil(),
        (high + 16.0).ceil(),
    )
}

fn planned(area: &Rect<Glass>) -> Plan {
    plan(area, STAGE, &[], 1.0)
}

/// The part as it is.
fn beneath(number: &str) -> RgbaImage {
    let pixmap = raster::print(&sheet(number), &planned(&part()), &Shown::default()).unwrap();
    RgbaImage::from_raw(pixmap.width(), pixmap.height(), pixmap.take()).unwrap()
}

/// What a capture of the sheet round the part has in its place.
fn left_of(number: &str, how: Hiding) -> RgbaImage {
    let area = part();
    let around = area.inflate(20.0);
    let plan = planned(&around);
    let bench = Bench {
        hidden: vec![Hide { area, how }],
        ..Bench::default()
    };
    let finish = Finish {
        outline: None,
        bench: &bench,
        seen: Rect::of_size(STAGE),
        scale: 1.0,
        small: (64, 64),
    };
    let made = raster::capture(&sheet(number), &plan, &Shown::default(), &finish).unwrap();
    let whole = image::load_from_memory(&made.whole).unwrap().into_rgba8();
    let (x, y) = (20, 20);
    image::imageops::crop_imm(&whole, x, y, area.width() as u32, area.height() as u32).to_image()
}

fn apart(a: &RgbaImage, b: &RgbaImage) -> u64 {
    let pixels = a.as_raw().iter().zip(b.as_raw());
    pixels.map(|(a, b)| u64::from(a.abs_diff(*b)).pow(2)).sum()
}

/// Whoever knows the letters, their size, their place and how they are hidden tries every number, hides it alike and
/// compares. Of squares a quarter as high as the figures the number is read so; of ours it is not: hundreds of numbers
/// are hidden exactly alike, this one among them. The attack: D. Hill, Z. Zhou, L. Saul and H. Shacham, *On the
/// (in)effectiveness of mosaicing and blurring as tools for document redaction*, 2016.
#[test]
fn numbers_cannot_be_tried_until_one_fits() {
    // Every seventh number and the true one: as many as tell the two apart.
    let truth = "4071";
    let mut all: Vec<String> = (0..1430).map(|n| format!("{:04}", n * 7)).collect();
    all.push(truth.to_owned());
    let (w, h) = beneath(truth).dimensions();
    let weak = |number: &str| {
        let mut pixels = beneath(number);
        pixelate(
            &mut pixels,
            w as usize,
            h as usize,
            (HEIGHT * TYPE / 4.0) as u32,
        );
        pixels
    };
    let seen = weak(truth);
    let fits: Vec<&String> = all.iter().filter(|n| apart(&weak(n), &seen) == 0).collect();
    assert_eq!(fits, [truth]);

    for how in [Hiding::Pixelate, Hiding::Blur] {
        let seen = left_of(truth, how);
        // Numbers with the same squares are told apart by nothing.
        let mut known: HashMap<Vec<u8>, usize> = HashMap::new();
        for number in all.iter().step_by(9) {
            *known.entry(left_of(number, how).into_raw()).or_default() += 1;
        }
        let alike = known.get(seen.as_raw()).copied().unwrap_or(0);
        assert!(
            alike > 40,
            "{alike} of {} numbers fit, {how:?}",
            all.len() / 9
        );
    }
    let (one, other) = (left_of("1111", Hiding::Fill), left_of("8888", Hiding::Fill));
    assert_eq!(one, other);
}

/// A blur is that of SciPy 1.17.1, `ndimage.gaussian_filter(mode="nearest", truncate=6)`, to within three levels of 255,
/// also where it is made of a smaller picture.
#[test]
fn a_blur_is_a_gaussian() {
    let (w, h) = (240u32, 160u32);
    let value =
        |x: u32, y: u32| ((x * 7 + y * 13) % 256) as u8 ^ (((x / 16 + y / 16) % 2 * 128) as u8);
    let pixels: Vec<u8> = (0..h)
        .flat_map(|y| (0..w).flat_map(move |x| [value(x, y), value(x, y), value(x, y), 255]))
        .collect();
    let places = [
        (60, 60),
        (100, 70),
        (119, 80),
        (140, 90),
        (180, 100),
        (90, 50),
    ];
    for (deviation, expected) in [
        (2.0, [166.17, 76.53, 132.24, 178.22, 130.65, 110.04]),
        (6.0, [117.91, 115.64, 139.39, 149.63, 150.39, 111.64]),
        (15.0, [124.37, 125.71, 130.27, 132.48, 133.26, 123.94]),
    ] {
        let soft = hidden::blurred(pixels.clone(), (w, h), deviation);
        for ((x, y), expected) in places.iter().zip(expected) {
            let is = f64::from(soft[((y * w + x) * 4) as usize]);
            assert!(
                (is - expected).abs() <= 3.0,
                "{is} for {expected} at {x}, {y} by {deviation}"
            );
        }
    }
}

/// A pattern that was seen at an angle is the pattern again, and its light is even where it fell off.
#[test]
fn a_sheet_is_made_upright() {
    let plan = planned(&Rect::of_size(STAGE));
    let corners = [
        (420.0, 180.0),
        (1480.0, 260.0),
        (1380.0, 900.0),
        (300.0, 780.0),
    ];
    let mut flat = Flat {
        corners: corners.map(|(x, y)| Point::new(x, y)),
        clean: false,
    };
    let back = flat.to_picture(&plan).unwrap().inverse();
    // Waves that are long enough to be seen at this size, and dark strokes on paper in light that falls off.
    let wave = |u: f64, v: f64| 128.0 + 60.0 * (u * 40.0).sin() * (v * 30.0).cos();
    let stroke = |u: f64, v: f64| (u * 20.0).fract() < 0.2 && (0.2..0.8).contains(&v);
    let seen = |of: &dyn Fn(f64, f64) -> f64| {
        let each = (0..plan.height).flat_map(|y| (0..plan.width).map(move |x| (x, y)));
        let data = each.flat_map(|(x, y)| {
            let (u, v) = back.apply((f64::from(x) + 0.5, f64::from(y) + 0.5));
            let light = of(u, v).round() as u8;
            [light, light, light, 255]
        });
        let size = IntSize::from_wh(plan.width, plan.height).unwrap();
        Pixmap::from_vec(data.collect(), size).unwrap()
    };
    let whole = Rect::of_size(STAGE);
    let page = flatten::flatten(&seen(&wave), &plan, &flat, &whole).unwrap();
    let (w, h) = (page.width(), page.height());
    let mut worst = 0.0f64;
    for y in 2..h - 2 {
        for x in 2..w - 2 {
            let is = f64::from(page.pixel(x, y).unwrap().red());
            let should = wave(
                (f64::from(x) + 0.5) / f64::from(w),
                (f64::from(y) + 0.5) / f64::from(h),
            );
            worst = worst.max((is - should).abs());
        }
    }
    assert!(worst < 2.0, "{worst}");

    flat.clean = true;
    let lit = |u: f64, v: f64| {
        let paper = 235.0 - 110.0 * u - 30.0 * v;
        if stroke(u, v) { paper * 0.2 } else { paper }
    };
    let page = flatten::flatten(&seen(&lit), &plan, &flat, &whole).unwrap();
    let (mut paper, mut ink) = (Vec::new(), Vec::new());
    for y in (4..h - 4).step_by(7) {
        for x in (4..w - 4).step_by(3) {
            let (u, v) = (
                (f64::from(x) + 0.5) / f64::from(w),
                (f64::from(y) + 0.5) / f64::from(h),
            );
            let deep = (u * 20.0).fract();
            let is = page.pixel(x, y).unwrap().red();
            if (0.05..0.15).contains(&deep) && (0.25..0.75).contains(&v) {
                ink.push(is);
            } else if (0.3..0.9).contains(&deep) {
                paper.push(is);
            }
        }
    }
    assert!(paper.iter().all(|v| *v >= 250), "{:?}", paper.iter().min());
    assert!(ink.iter().all(|v| *v < 60), "{:?}", ink.iter().max());
}

/// Four turns are none, and one brings the lower left corner to the upper left.
#[test]
fn turns_are_clockwise() {
    let data: Vec<u8> = (0..6).flat_map(|n| [n, n, n, 255]).collect();
    let picture = || Pixmap::from_vec(data.clone(), IntSize::from_wh(3, 2).unwrap()).unwrap();
    let values = |p: &Pixmap| -> Vec<u8> { p.data().chunks(4).map(|p| p[0]).collect() };
    let turned = |by| flatten::turned(picture(), by).unwrap();
    assert_eq!(values(&turned(1)), [3, 0, 4, 1, 5, 2]);
    assert_eq!(values(&turned(2)), [5, 4, 3, 2, 1, 0]);
    assert_eq!(values(&turned(3)), [2, 5, 1, 4, 0, 3]);
    assert_eq!(values(&turned(4)), values(&picture()));
}
