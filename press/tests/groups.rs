//! Groups: what they come to in pixels, by closed forms; and a list with one of every kind, written
//! down for the browser tests to print on a canvas and hold against these pixels.

use bozzetto_core::capture::{Plan, plan};
use bozzetto_core::display::colour::{BLACK, Rgb, WHITE};
use bozzetto_core::display::{Blend, DisplayList, Group, Item, Path};
use bozzetto_core::geometry::frames::{Glass, Map, Point, Rect, Size};
use bozzetto_core::wire::encode;
use bozzetto_press::picture::Shown;
use bozzetto_press::{list_svg, raster};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg;

const RED: Rgb = Rgb::hex(0xD55E00);
const BLUE: Rgb = Rgb::hex(0x0072B2);

fn rect(x0: f64, y0: f64, x1: f64, y1: f64) -> Path {
    let mut path = Path::default();
    path.rect(&Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1)));
    path
}

/// A circle of four cubic curves. Source: the usual approximation, with 0.5523 of the radius.
fn circle(x: f64, y: f64, r: f64) -> Path {
    let (mut path, k) = (Path::default(), 0.5523 * r);
    path.move_to(x + r, y);
    path.cubic_to((x + r, y + k), (x + k, y + r), (x, y + r));
    path.cubic_to((x - k, y + r), (x - r, y + k), (x - r, y));
    path.cubic_to((x - r, y - k), (x - k, y - r), (x, y - r));
    path.cubic_to((x + k, y - r), (x + r, y - k), (x + r, y));
    path.close();
    path
}

fn fill(path: Path, colour: Rgb) -> Item {
    Item::Fill {
        path,
        colour,
        blend: Blend::Over,
        opacity: 1.0,
    }
}

/// The stage's upper left quarter, a pixel to a unit.
fn planned() -> Plan {
    let area = Size::glass(16.0, 9.0);
    let quarter = Rect::<Glass>::from_corners(Point::new(0.0, 0.0), Point::new(960.0, 540.0));
    let plan = plan(&quarter, area, &[], 1.0);
    assert_eq!((plan.width, plan.height), (960, 540));
    plan
}

fn printed(items: Vec<Item>) -> Pixmap {
    let white = fill(rect(0.0, 0.0, 1920.0, 1080.0), WHITE);
    let items = [vec![white], items].concat();
    raster::print(&DisplayList { items }, &planned(), &Shown::default()).unwrap()
}

fn rgb(pixmap: &Pixmap, x: u32, y: u32) -> [u8; 3] {
    let c = pixmap.pixel(x, y).expect("inside");
    [c.red(), c.green(), c.blue()]
}

fn near(a: [u8; 3], b: [u8; 3]) -> bool {
    a.iter().zip(b).all(|(a, b)| a.abs_diff(b) <= 2)
}

/// What lies in a group in a group is seen where all their clips meet, each in the units around its
/// group; a map within moves what is drawn, and not the clip.
#[test]
fn clips_meet_and_maps_follow_each_other() {
    let inner = Group {
        clip: Some(circle(150.0, 100.0, 50.0)),
        map: Map::scale_then_move(2.0, 0.0, 10.0),
        ..Group::of(vec![fill(rect(0.0, 0.0, 1000.0, 30.0), RED)])
    };
    let outer = Group {
        clip: Some(rect(100.0, 0.0, 400.0, 400.0)),
        map: Map::scale_then_move(1.0, 50.0, 0.0),
        ..Group::of(vec![Item::Group(inner)])
    };
    let pixmap = printed(vec![Item::Group(outer)]);
    let (red, white) = ([0xD5, 0x5E, 0x00], [255; 3]);
    // The circle's middle is at (200, 100) on the stage; the bar lies from y = 10 to 70.
    assert_eq!(rgb(&pixmap, 200, 60), red);
    assert_eq!(rgb(&pixmap, 200, 75), white, "below the bar");
    assert_eq!(rgb(&pixmap, 200, 45), white, "above the circle");
    assert_eq!(rgb(&pixmap, 160, 60), white, "beside the circle");
    assert_eq!(rgb(&pixmap, 180, 65), red);
}

/// Opacity and blend are those of the whole: where two things in it overlap, nothing is darker.
#[test]
fn a_group_mixes_as_one() {
    let two = vec![
        fill(rect(100.0, 100.0, 300.0, 200.0), BLACK),
        fill(rect(200.0, 100.0, 400.0, 200.0), BLACK),
    ];
    let faint = Group {
        opacity: 0.5,
        ..Group::of(two)
    };
    let over = vec![fill(rect(0.0, 300.0, 400.0, 400.0), BLUE)];
    let times = Group {
        blend: Blend::Multiply,
        ..Group::of(over)
    };
    let under = fill(rect(0.0, 300.0, 200.0, 500.0), RED);
    let pixmap = printed(vec![Item::Group(faint), under, Item::Group(times)]);
    for x in [150, 250, 350] {
        assert!(near(rgb(&pixmap, x, 150), [128; 3]), "{x}");
    }
    // Each channel times the other, of 255: green 94 * 114 / 255.
    assert!(near(rgb(&pixmap, 100, 350), [0, 42, 0]));
    assert!(near(rgb(&pixmap, 300, 350), [0x00, 0x72, 0xB2]));
}

/// A soft edge falls off as a Gaussian does: at a distance d it covers Φ(d / σ), wherever the bands
/// lie that it is printed in.
#[test]
fn a_soft_edge_falls_off_as_a_gaussian_does() {
    let deviation = 12.0;
    let soft = Group {
        softness: deviation,
        ..Group::of(vec![fill(rect(-500.0, -500.0, 300.0, 2000.0), BLACK)])
    };
    let pixmap = printed(vec![Item::Group(soft)]);
    // Φ at -2, -1, 0, 1, 2: from any table of the normal distribution.
    let table = [0.0228, 0.1587, 0.5, 0.8413, 0.9772];
    for (i, covered) in (-2..=2).zip(table) {
        let x = (300 - i * 12) as u32;
        // Half a pixel on each side of the edge.
        let between = [x - 1, x].map(|x| f64::from(rgb(&pixmap, x, 64)[0]));
        let is = 1.0 - (between[0] + between[1]) / 2.0 / 255.0;
        assert!(
            (is - covered).abs() < 0.02,
            "{i}: {is} instead of {covered}"
        );
        for y in [1, 270, 538] {
            assert!(near(rgb(&pixmap, x, y), rgb(&pixmap, x, 64)), "{i} {y}");
        }
    }
}

/// One of every kind, nested, for the canvas.
#[test]
fn a_list_for_the_canvas_is_written_down() {
    let turned = Map::from_coefficients([0.9, 0.3, -0.3, 0.9, 200.0, 40.0]);
    let leaf = |x: f64| fill(circle(x, 120.0, 60.0), BLUE);
    let lens = Group {
        clip: Some(circle(260.0, 200.0, 90.0)),
        map: Map::scale_then_move(2.0, -260.0, -200.0),
        ..Group::of(vec![
            fill(rect(0.0, 0.0, 900.0, 900.0), Rgb::hex(0xEEF2F5)),
            fill(circle(260.0, 200.0, 20.0), RED),
        ])
    };
    let faint = Group {
        opacity: 0.6,
        map: turned,
        ..Group::of(vec![leaf(200.0), leaf(260.0), Item::Group(lens)])
    };
    let shade = Group {
        // Beyond the edge of the picture it goes on.
        clip: Some(rect(500.0, 40.0, 1200.0, 800.0)),
        softness: 10.0,
        opacity: 0.7,
        ..Group::of(vec![
            fill(rect(400.0, 0.0, 700.0, 270.0), BLACK),
            fill(circle(760.0, 380.0, 70.0), BLACK),
            fill(rect(850.0, 300.0, 1200.0, 800.0), BLACK),
        ])
    };
    let times = Group {
        blend: Blend::Multiply,
        ..Group::of(vec![fill(
            rect(560.0, 200.0, 800.0, 240.0),
            Rgb::hex(0xF0E442),
        )])
    };
    let items = vec![
        fill(rect(0.0, 0.0, 960.0, 540.0), WHITE),
        Item::Group(faint),
        Item::Group(shade),
        Item::Group(times),
    ];
    let list = DisplayList { items };
    let pixmap = raster::print(&list, &planned(), &Shown::default()).unwrap();
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../target/agreement");
    std::fs::create_dir_all(folder).unwrap();
    std::fs::write(format!("{folder}/groups.list"), encode(&list)).unwrap();
    pixmap.save_png(format!("{folder}/groups.png")).unwrap();
}

/// An SVG file shows what is printed: `resvg`, a renderer of that format, draws the one as we print the other, but for
/// how edges are smoothed. What mixes with what is beneath does so through clips, too.
#[test]
fn an_svg_file_shows_what_is_printed() {
    let bright = |path| Item::Fill {
        path,
        colour: Rgb::hex(0xF0E442),
        blend: Blend::Multiply,
        opacity: 1.0,
    };
    let faint = Item::Fill {
        path: circle(930.0, 380.0, 90.0),
        colour: BLUE,
        blend: Blend::Over,
        opacity: 0.4,
    };
    let inner = Group {
        clip: Some(rect(0.0, 60.0, 300.0, 400.0)),
        ..Group::of(vec![bright(rect(60.0, 30.0, 280.0, 160.0))])
    };
    let outer = Group {
        clip: Some(circle(160.0, 130.0, 90.0)),
        ..Group::of(vec![Item::Group(inner)])
    };
    let mixed = Group {
        blend: Blend::Multiply,
        opacity: 0.7,
        ..Group::of(vec![
            fill(rect(400.0, 60.0, 600.0, 200.0), BLUE),
            fill(rect(500.0, 100.0, 700.0, 260.0), RED),
        ])
    };
    let moved = Group {
        map: Map::scale_then_move(1.5, 300.0, 280.0),
        ..Group::of(vec![fill(circle(60.0, 60.0, 40.0), BLACK)])
    };
    let soft = Group {
        softness: 9.0,
        ..Group::of(vec![fill(rect(60.0, 380.0, 220.0, 480.0), BLACK)])
    };
    let white = fill(rect(0.0, 0.0, 1920.0, 1080.0), WHITE);
    let items = vec![
        white,
        fill(rect(0.0, 100.0, 960.0, 140.0), RED),
        Item::Group(outer),
        Item::Group(mixed),
        Item::Group(moved),
        Item::Group(soft),
        faint,
    ];
    let (list, plan) = (DisplayList { items }, planned());
    let ours = raster::print(&list, &plan, &Shown::default()).unwrap();
    let svg = list_svg::write(&list, &plan, &Shown::default(), "A < B").unwrap();
    let tree = usvg::Tree::from_str(&svg, &usvg::Options::default()).unwrap();
    let mut theirs = Pixmap::new(plan.width, plan.height).unwrap();
    resvg::render(&tree, Transform::identity(), &mut theirs.as_mut());
    let far = |n: &usize| ours.data()[*n].abs_diff(theirs.data()[*n]) > 8;
    let apart = (0..ours.data().len()).filter(far).count();
    assert!(apart * 500 < ours.data().len(), "{apart} values differ");
    // Lines stay lines: of all that, only what is moved and what is soft is a picture.
    assert_eq!(svg.matches("<image").count(), 2);
    // Nothing of them is in the file that lies beyond what is shown.
    let paths = svg.split(" d=\"").skip(1);
    let beyond = paths.filter(|rest| {
        let numbers = rest
            .split('"')
            .next()
            .unwrap_or("")
            .split([' ', 'M', 'L', 'Q', 'C', 'Z']);
        let at: Vec<f64> = numbers.filter_map(|n| n.parse().ok()).collect();
        at.chunks(2)
            .any(|p| !plan.area.contains(Point::new(p[0], p[1])))
    });
    assert_eq!(beyond.count(), 0);
}
