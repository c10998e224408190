//! Captures as files for elsewhere, held against Pillow (with libjpeg and libwebp), pngcheck, qpdf and Poppler.

use std::path::Path;
use std::process::Command;

use bozzetto_core::capture::send::Format;
use bozzetto_press::png;
use bozzetto_press::resample;
use bozzetto_press::send::{SendFault, Wanted, send};
use image::RgbaImage;
use resvg::tiny_skia::{IntSize, Pixmap};

fn run(program: &str, args: &[&str]) -> String {
    let out = Command::new(program).args(args).output();
    let out = out.unwrap_or_else(|e| panic!("{program} could not be started: {e}"));
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    let complained = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.success(), "{program}: {said} {complained}");
    said
}

/// Runs a few lines of Python with Pillow at hand, in a folder.
fn pillow(folder: &Path, script: &str) -> String {
    let script = format!("import sys, os\nfrom PIL import Image\nos.chdir(sys.argv[1])\n{script}");
    let folder = folder.to_string_lossy();
    run("/usr/bin/python3", &["-c", &script, &folder])
}

/// Waves of colour with a hard edge: what photographs and drawings have.
fn picture(width: u32, height: u32) -> RgbaImage {
    RgbaImage::from_fn(width, height, |x, y| {
        let wave = |a: f64, b: f64| {
            let at = f64::from(x) * a + f64::from(y) * b;
            (127.5 + 120.0 * at.sin()) as u8
        };
        let edge = (x / 40 + y / 30) % 3 == 0;
        let [r, g, b] = [wave(0.031, 0.017), wave(0.012, 0.043), wave(0.05, 0.009)];
        image::Rgba([if edge { 20 } else { r }, g, b, 255])
    })
}

fn as_capture(picture: &RgbaImage) -> Vec<u8> {
    let size = IntSize::from_wh(picture.width(), picture.height()).unwrap();
    png::encode(
        &Pixmap::from_vec(picture.as_raw().clone(), size).unwrap(),
        2.0,
    )
}

fn wanted(width: u32, height: u32, format: Format) -> Wanted<'static> {
    Wanted {
        width,
        height,
        format,
        quality: 90,
        most: None,
        title: "Muelle 10:42 · Πορεία",
        taken: "2026-11-27T10:42:00Z",
    }
}

/// Without loss, as dense as it is at its new size, with its title and time, and by a palette where that loses nothing.
#[test]
fn png_files_say_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let many = picture(300, 200);
    let few = RgbaImage::from_fn(300, 200, |x, y| {
        image::Rgba([(x / 60) as u8 * 40, (y / 50) as u8 * 50, 90, 255])
    });
    for (name, picture) in [("many", &many), ("few", &few)] {
        let sent = send(&as_capture(picture), &wanted(300, 200, Format::Png)).unwrap();
        let path = folder.path().join(format!("{name}.png"));
        std::fs::write(&path, &sent.bytes).unwrap();
        assert!(run("pngcheck", &[&path.to_string_lossy()]).contains("OK:"));
        let back = image::load_from_memory(&sent.bytes).unwrap().into_rgba8();
        assert_eq!(&back, picture);
    }
    let said = pillow(
        folder.path(),
        "for n in ('many', 'few'):\n    i = Image.open(n + '.png'); i.load()\n    print(i.mode, i.text['Title'], i.text['Creation Time'], round(i.info['dpi'][0]))",
    );
    let words = "Muelle 10:42 · Πορεία 2026-11-27T10:42:00Z 192";
    assert_eq!(said.trim(), format!("RGB {words}\nP {words}"));
    // Half as large, half as dense: as large in a document as before.
    let half = send(&as_capture(&many), &wanted(150, 100, Format::Png)).unwrap();
    std::fs::write(folder.path().join("half.png"), half.bytes).unwrap();
    let said = pillow(
        folder.path(),
        "i = Image.open('half.png'); print(i.size, round(i.info['dpi'][0]))",
    );
    assert_eq!(said.trim(), "(150, 100) 96");
}

/// JPEG and WebP are read by libjpeg and libwebp as the picture that it was, PDF by qpdf and Poppler.
#[test]
fn other_files_are_read_by_their_own_programs() {
    let folder = tempfile::tempdir().unwrap();
    let picture = picture(320, 240);
    picture.save(folder.path().join("is.png")).unwrap();
    for format in [Format::Jpeg, Format::Webp, Format::Pdf] {
        let sent = send(&as_capture(&picture), &wanted(320, 240, format)).unwrap();
        let name = format!("a.{}", format.extension());
        std::fs::write(folder.path().join(&name), sent.bytes).unwrap();
    }
    let pdf = folder.path().join("a.pdf");
    let pdf = pdf.to_string_lossy();
    run("qpdf", &["--check", &pdf]);
    let printed = folder.path().join("pdf");
    let to = [
        "-png",
        "-singlefile",
        "-scale-to-x",
        "320",
        "-scale-to-y",
        "240",
        &pdf,
    ];
    run(
        "pdftoppm",
        &[&to[..], &[&*printed.to_string_lossy()]].concat(),
    );
    let said = pillow(
        folder.path(),
        "from PIL import ImageChops, ImageStat\nis_ = Image.open('is.png').convert('RGB')\nfor n in ('a.jpg', 'a.webp', 'pdf.png'):\n    i = Image.open(n).convert('RGB')\n    print(i.size, max(ImageStat.Stat(ImageChops.difference(i, is_)).mean))",
    );
    for line in said.lines() {
        let (size, off) = line.rsplit_once(' ').unwrap();
        assert_eq!(size, "(320, 240)");
        assert!(off.parse::<f64>().unwrap() < 6.0, "{line}");
    }
    assert_eq!(said.lines().count(), 3);
}

/// A limit is kept, by the best quality that keeps it; what cannot be kept is said.
#[test]
fn a_limit_is_kept() {
    let capture = as_capture(&picture(640, 480));
    for format in [Format::Jpeg, Format::Webp] {
        let limited = |most| {
            let wanted = Wanted {
                most: Some(most),
                quality: 100,
                ..wanted(640, 480, format)
            };
            send(&capture, &wanted)
        };
        let sent = limited(15_000).unwrap();
        assert!(sent.bytes.len() <= 15_000 && sent.quality < 100);
        let better = Wanted {
            quality: sent.quality + 1,
            ..wanted(640, 480, format)
        };
        assert!(send(&capture, &better).unwrap().bytes.len() > 15_000);
        assert_eq!(limited(900).err(), Some(SendFault::TooLarge(0)));
    }
    let whole = Wanted {
        most: Some(5_000),
        ..wanted(640, 480, Format::Png)
    };
    assert_eq!(send(&capture, &whole).err(), Some(SendFault::TooLarge(5)));
}

/// Resampled as Pillow's Lanczos does it on lightness: to within 1 of 255 on the mean, and 4 anywhere.
#[test]
fn pictures_are_resampled_in_linear_light() {
    let folder = tempfile::tempdir().unwrap();
    let picture = picture(400, 300);
    picture.save(folder.path().join("is.png")).unwrap();
    for (n, (w, h)) in [(150, 112), (600, 400), (37, 300)].into_iter().enumerate() {
        let ours = resample::rgba(&picture, w, h);
        ours.save(folder.path().join(format!("ours{n}.png")))
            .unwrap();
        let said = pillow(
            folder.path(),
            &format!(
                "lin = lambda v: v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4
srgb = lambda v: max(0.0, min(1.0, v * 12.92 if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055))
worst, total, count = 0, 0, 0
a, b = Image.open('is.png').convert('RGB'), Image.open('ours{n}.png').convert('RGB')
for one, other in zip(a.split(), b.split()):
    f = Image.new('F', one.size)
    f.putdata([lin(v / 255) for v in one.getdata()])
    f = f.resize(({w}, {h}), Image.LANCZOS)
    for v, is_ in zip(f.getdata(), other.getdata()):
        off = abs(srgb(max(v, 0)) * 255 - is_)
        worst, total, count = max(worst, off), total + off, count + 1
print(worst, total / count)"
            ),
        );
        let (worst, mean) = said.trim().split_once(' ').unwrap();
        let (worst, mean): (f64, f64) = (worst.parse().unwrap(), mean.parse().unwrap());
        assert!(worst < 4.0 && mean < 1.0, "{w} × {h}: {worst}, {mean}");
    }
    // It is gone through in bands of rows, and never of columns: turned, it comes to the same.
    let tall = RgbaImage::from_fn(90, 6000, |x, y| {
        image::Rgba([(x * y) as u8, (y / 3) as u8, (x ^ y) as u8, 255])
    });
    let wide = image::imageops::rotate90(&tall);
    for (across, down) in [(45, 2900), (31, 7001), (120, 400)] {
        let one = resample::rgba(&tall, across, down);
        let other = resample::rgba(&wide, down, across);
        let apart = image::imageops::rotate90(&one).into_raw().into_iter();
        let apart = apart.zip(other.into_raw()).map(|(a, b)| a.abs_diff(b));
        assert!(apart.max().unwrap() <= 1, "{across} × {down}");
        let opaque = image::DynamicImage::ImageRgba8(tall.clone()).into_rgb8();
        let opaque = resample::rgb(&opaque, across, down);
        assert_eq!(image::DynamicImage::ImageRgb8(opaque).into_rgba8(), one);
    }
    // Black and white side by side are as light as both together, not as dark as their mean.
    let stripes = RgbaImage::from_fn(200, 200, |x, _| {
        let v = if x % 2 == 0 { 0 } else { 255 };
        image::Rgba([v, v, v, 255])
    });
    let one = resample::rgba(&stripes, 20, 20);
    assert!(
        (186..=190).contains(&one.get_pixel(10, 10)[0]),
        "{:?}",
        one.get_pixel(10, 10)
    );
}
