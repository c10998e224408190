//! Files held against programs that others wrote: Pillow, pngcheck and xmllint.

use std::path::Path;
use std::process::Command;

use bozzetto_core::capture::{Detail, plan};
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::display::{self, Blend, DisplayList, Item, Path as Outline};
use bozzetto_core::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::stage::grain::Grain;
use bozzetto_press::picture::{self, PictureFault, Shown, Source};
use bozzetto_press::{Pixmap, png, raster, svg};

fn run(program: &str, args: &[&str]) -> String {
    let out = Command::new(program).args(args).output();
    let out = out.unwrap_or_else(|e| panic!("{program} could not be started: {e}"));
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    let complained = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.success(), "{program}: {said} {complained}");
    said
}

/// Runs a few lines of Python with Pillow at hand; `argv[1]` is the folder.
fn pillow(folder: &Path, script: &str) -> String {
    let script =
        format!("import sys, os\nfrom PIL import Image, ImageOps\nos.chdir(sys.argv[1])\n{script}");
    run(
        "/usr/bin/python3",
        &["-c", &script, &folder.to_string_lossy()],
    )
}

fn folder() -> tempfile::TempDir {
    tempfile::tempdir().expect("a folder")
}

/// A picture in which no two neighbouring pixels are alike.
fn speckled(width: u32, height: u32) -> Pixmap {
    let mut pixmap = Pixmap::new(width, height).expect("memory");
    for (i, p) in pixmap.data_mut().chunks_exact_mut(4).enumerate() {
        let i = i as u32;
        let at = i.wrapping_mul(2_654_435_761).wrapping_add(i / width * 97);
        p.copy_from_slice(&[(at >> 24) as u8, (at >> 16) as u8, (at >> 8) as u8, 255]);
    }
    pixmap
}

/// PNG as W3C's standard has it: pngcheck finds no fault, Pillow reads the same pixels, and twice as
/// dense as a CSS pixel is 192 dots to the inch.
#[test]
fn png_files_are_sound_and_say_how_dense_they_are() {
    let folder = folder();
    let pixmap = speckled(37, 23);
    let path = folder.path().join("a.png");
    std::fs::write(&path, png::encode(&pixmap, 2.0)).unwrap();
    assert!(run("pngcheck", &[&path.to_string_lossy()]).contains("OK:"));
    let said = pillow(
        folder.path(),
        "i = Image.open('a.png'); print(i.mode, i.size, [round(d) for d in i.info['dpi']], i.tobytes().hex())",
    );
    let rgb: String = pixmap
        .data()
        .chunks_exact(4)
        .map(|p| format!("{:02x}{:02x}{:02x}", p[0], p[1], p[2]))
        .collect();
    assert_eq!(said.trim(), format!("RGB (37, 23) [192, 192] {rgb}"));
}

/// A small version is the same as Pillow's with Lanczos's filter, to within rounding.
#[test]
fn thumbnails_agree_with_pillow() {
    let folder = folder();
    let pixmap = speckled(640, 333);
    std::fs::write(folder.path().join("whole.png"), png::encode(&pixmap, 1.0)).unwrap();
    std::fs::write(
        folder.path().join("small.png"),
        png::thumbnail(&pixmap, 150, 150),
    )
    .unwrap();
    let said = pillow(
        folder.path(),
        "
a = Image.open('small.png'); b = Image.open('whole.png').resize(a.size, Image.Resampling.LANCZOS)
print(a.size, max(abs(x - y) for x, y in zip(a.tobytes(), b.tobytes())))",
    );
    assert_eq!(said.trim(), "(150, 78) 1");
}

/// However the camera was held (EXIF orientations 1 to 8), the picture stands as Pillow puts it.
#[test]
fn photographs_stand_upright() {
    let folder = folder();
    let expected = pillow(folder.path(), "
for o in range(1, 9):
    i = Image.new('RGB', (48, 32))
    for x in range(48):
        for y in range(32):
            i.putpixel((x, y), ((255, 0, 0) if x < 24 else (0, 255, 0)) if y < 16 else ((0, 0, 255) if x < 24 else (255, 255, 0)))
    e = Image.Exif(); e[0x0112] = o
    i.save(f'{o}.jpg', exif=e, quality=95, subsampling=0)
    t = ImageOps.exif_transpose(Image.open(f'{o}.jpg'))
    w, h = t.size
    print(w, h, *[round(c / 255) for p in [(5, 5), (w - 5, 5), (5, h - 5), (w - 5, h - 5)] for c in t.getpixel(p)])");
    for (o, expected) in (1..9).zip(expected.lines()) {
        let bytes = std::fs::read(folder.path().join(format!("{o}.jpg"))).unwrap();
        let Ok(Source::Pixels(pixels)) = Source::open(&bytes) else {
            panic!("not read")
        };
        let p = &pixels.pixmap;
        let (w, h) = (p.width(), p.height());
        let corners = [(5, 5), (w - 5, 5), (5, h - 5), (w - 5, h - 5)];
        let colours = corners.iter().flat_map(|(x, y)| {
            let c = p.pixel(*x, *y).expect("inside");
            [c.red(), c.green(), c.blue()].map(|v| u8::from(v > 127).to_string())
        });
        let found: Vec<String> = [w.to_string(), h.to_string()]
            .into_iter()
            .chain(colours)
            .collect();
        assert_eq!(found.join(" "), expected, "orientation {o}");
    }
}

/// What is served of an SVG file is well-formed (xmllint) and holds nothing that runs or fetches; it
/// still looks the same.
#[test]
fn vector_pictures_are_written_anew() {
    let folder = folder();
    let brought = br##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" width="400" height="300" onload="alert(1)">
        <script>alert(2)</script><image x:href="http://elsewhere.example/a.png" width="9" height="9"/>
        <a x:href="javascript:alert(3)"><rect width="200" height="300" fill="#d55e00" onclick="alert(4)"/></a></svg>"##;
    let (bytes, width, height) = svg::rewrite(brought).expect("it is SVG");
    assert_eq!((width, height), (400, 300));
    let path = folder.path().join("a.svg");
    std::fs::write(&path, &bytes).unwrap();
    run("xmllint", &["--noout", &path.to_string_lossy()]);
    let text = String::from_utf8(bytes.clone()).unwrap();
    for bad in [
        "script",
        "alert",
        "onload",
        "onclick",
        "elsewhere",
        "javascript",
    ] {
        assert!(!text.contains(bad), "{bad} in {text}");
    }
    let source = Source::open(&bytes).expect("our own");
    let pixmap = printed(&source, 400.0, 300.0);
    assert_eq!(rgb(&pixmap, 100, 150), [0xd5, 0x5e, 0x00]);
    assert_eq!(rgb(&pixmap, 300, 150), [255, 255, 255]);
}

/// A picture captured at its own size is copied pixel for pixel, wherever the box lies.
#[test]
fn at_their_own_size_pixels_are_copied() {
    let whole = speckled(960, 540);
    let source = Source::Pixels(std::sync::Arc::new(whole.clone().into()));
    let pixmap = printed(&source, 960.0, 540.0);
    assert_eq!((pixmap.width(), pixmap.height()), (960, 540));
    assert!(pixmap.data() == whole.data());
}

/// A fill covers as many pixels as its area says (closed form), to within a quarter of a percent,
/// and multiplying never lightens.
#[test]
fn fills_cover_their_area() {
    let mut list = DisplayList::default();
    let mut paper = Outline::default();
    paper.rect(&Rect::of_size(Size::glass(16.0, 9.0)));
    list.fill(paper, Rgb::hex(0xFFFFFF), Blend::Over);
    let mut triangle = Outline::default();
    triangle.polygon([(100.3, 100.7), (900.1, 220.9), (430.4, 800.2)]);
    list.fill(triangle, Rgb::hex(0x000000), Blend::Multiply);
    let area = Rect::<Glass>::of_size(Size::glass(16.0, 9.0));
    let plan = plan(&area, Size::glass(16.0, 9.0), &[], 0.5);
    let pixmap = raster::print(&list, &plan, &Shown::default()).unwrap();
    let dark: f64 = pixmap
        .data()
        .chunks_exact(4)
        .map(|p| 1.0 - f64::from(p[0]) / 255.0)
        .sum();
    let twice: f64 = (900.1 - 100.3) * (800.2 - 100.7) - (430.4 - 100.3) * (220.9 - 100.7);
    let expected = twice / 2.0 * plan.scale * plan.scale;
    assert!((dark / expected - 1.0).abs() < 0.0025, "{dark} {expected}");
}

/// What is no picture, or is cut off, is refused in words that name the matter.
#[test]
fn what_is_no_picture_is_refused() {
    assert_eq!(
        picture::read(b"hello".to_vec()).err(),
        Some(PictureFault::NotAPicture)
    );
    let mut cut = png::encode(&speckled(64, 64), 1.0);
    cut.truncate(cut.len() / 2);
    assert_eq!(picture::read(cut).err(), Some(PictureFault::Damaged("PNG")));
}

/// Alone on the stage, a pixel to a unit.
fn printed(source: &Source, width: f64, height: f64) -> Pixmap {
    let (size, area) = (Size::<Held>::new(width, height), Size::glass(16.0, 9.0));
    let view: Map<Held, Glass> = Zoom::WHOLE.map(size, area);
    let to = view.apply_rect(&Rect::of_size(size));
    let detail = Detail {
        on_glass: to,
        grain: Grain::Pixels,
        scale: 1.0 / view.mean_scale(),
        corner: view.apply(Point::new(0.0, 0.0)),
    };
    let plan = plan(&to, area, &[detail], 0.001);
    let mut list = DisplayList::default();
    let mut paper = Outline::default();
    paper.rect(&to);
    list.fill(paper, Rgb::hex(0xFFFFFF), Blend::Over);
    let of = display::Source::Backdrop(BackdropId(1));
    list.items.push(Item::Picture { source: of, to });
    let mut shown = Shown::default();
    shown.backdrops.insert(of, source.clone());
    raster::print(&list, &plan, &shown).unwrap()
}

/// A drawing placed as a mark is sharp however far it is enlarged, also where all of it would be more
/// pixels than there is memory for; cut, it ends at its edge.
#[test]
fn placed_drawings_are_printed_at_any_size() {
    let svg = br##"<svg xmlns="http://www.w3.org/2000/svg" width="200" height="200">
        <rect width="100" height="200" fill="#d55e00"/><rect x="100" width="100" height="200" fill="#0072b2"/></svg>"##;
    let source = Source::open(svg).expect("a drawing");
    let area = Size::glass(16.0, 9.0);
    for scale in [0.5, 3.0, 2000.0] {
        // The middle of the drawing lies in the middle of the glass; of its right half, 50 units.
        let middle = Point::<Glass>::new(area.width / 2.0, area.height / 2.0);
        let placing = display::Placing {
            picture: 7,
            map: [
                scale,
                0.0,
                0.0,
                scale,
                middle.x - 100.0 * scale,
                middle.y - 100.0 * scale,
            ],
            part: [0.0, 0.0, 150.0, 200.0],
        };
        let mut list = DisplayList::default();
        let mut paper = Outline::default();
        paper.rect(&Rect::of_size(area));
        list.fill(paper, Rgb::hex(0xFFFFFF), Blend::Over);
        list.place(placing, 1.0);
        let plan = plan(&Rect::of_size(area), area, &[], 1.0);
        let mut shown = Shown::default();
        shown.placed.insert(7, source.clone());
        let pixmap = raster::print(&list, &plan, &shown).unwrap();
        let at = |dx: f64| rgb(&pixmap, (middle.x + dx) as u32, middle.y as u32);
        let (orange, blue, white) = ([0xd5, 0x5e, 0x00], [0x00, 0x72, 0xb2], [255; 3]);
        let beyond = (50.0 * scale + 3.0).min(900.0);
        let cut = if beyond < 900.0 { white } else { blue };
        assert_eq!(
            (at(-4.0), at(4.0), at(beyond)),
            (orange, blue, cut),
            "{scale}"
        );
    }
}

fn rgb(pixmap: &Pixmap, x: u32, y: u32) -> [u8; 3] {
    let c = pixmap.pixel(x, y).expect("inside");
    [c.red(), c.green(), c.blue()]
}

/// Two panes lie side by side without a seam: every pixel belongs to one of them, pictures and marks
/// are cut off at the edge of theirs.
#[test]
fn panes_are_cut_at_their_edges() {
    let area = Size::glass(16.0, 9.0);
    let (left, right) = (BackdropId(1), BackdropId(2));
    let edge = 733.0;
    let mut list = DisplayList::default();
    for (id, x0, x1) in [(left, 0.0, edge), (right, edge, 1920.0)] {
        let room = Rect::<Glass>::from_corners(Point::new(x0, 0.0), Point::new(x1, 1080.0));
        let mut here = DisplayList::default();
        // Larger than its pane on all sides.
        let to = Rect::from_corners(Point::new(-500.0, -500.0), Point::new(2500.0, 1700.0));
        let source = display::Source::Backdrop(id);
        here.items.push(Item::Picture { source, to });
        list.cut(here, &room, true);
        let mut marks = DisplayList::default();
        let mut line = Outline::default();
        let y = if id == left { 100.0 } else { 300.0 };
        line.rect(&Rect::from_corners(
            Point::new(0.0, y),
            Point::new(1920.0, y + 20.0),
        ));
        marks.fill(line, Rgb::hex(0x000000), Blend::Over);
        list.cut(marks, &room, true);
    }
    let plain = |r, g, b| {
        let mut p = Pixmap::new(64, 64).unwrap();
        for px in p.data_mut().chunks_exact_mut(4) {
            px.copy_from_slice(&[r, g, b, 255]);
        }
        Source::Pixels(std::sync::Arc::new(p.into()))
    };
    let mut shown = Shown::default();
    shown
        .backdrops
        .insert(display::Source::Backdrop(left), plain(200, 10, 10));
    shown
        .backdrops
        .insert(display::Source::Backdrop(right), plain(10, 10, 200));
    let plan = plan(&Rect::of_size(area), area, &[], 1.0);
    let pixmap = raster::print(&list, &plan, &shown).unwrap();
    for y in [50, 500, 1079] {
        for x in [0, 400, 732] {
            assert_eq!(rgb(&pixmap, x, y), [200, 10, 10], "{x} {y}");
        }
        for x in [733, 1500, 1919] {
            assert_eq!(rgb(&pixmap, x, y), [10, 10, 200], "{x} {y}");
        }
    }
    assert_eq!(rgb(&pixmap, 732, 110), [0, 0, 0]);
    assert_eq!(rgb(&pixmap, 733, 110), [10, 10, 200]);
    assert_eq!(rgb(&pixmap, 732, 310), [200, 10, 10]);
    assert_eq!(rgb(&pixmap, 733, 310), [0, 0, 0]);
}

/// A moving GIF is kept as its first picture, since that is what a capture can contain. Made and read
/// by Pillow.
#[test]
fn of_a_moving_gif_the_first_picture_is_kept() {
    let dir = folder();
    pillow(
        dir.path(),
        "a = Image.new('RGB', (40, 30), (180, 20, 20)); b = Image.new('RGB', (40, 30), (20, 20, 180))\n\
         a.save('moves.gif', save_all=True, append_images=[b], duration=100)",
    );
    let read = picture::read(std::fs::read(dir.path().join("moves.gif")).unwrap()).unwrap();
    assert_eq!((read.mime, read.width, read.height), ("image/png", 40, 30));
    std::fs::write(dir.path().join("kept.png"), &read.bytes).unwrap();
    let said = pillow(
        dir.path(),
        "i = Image.open('kept.png').convert('RGB'); print(i.getpixel((20, 15)), getattr(i, 'n_frames', 1))",
    );
    assert_eq!(said.trim(), "(180, 20, 20) 1");
}
