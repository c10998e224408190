//! Sheets as files and back: SVG without loss, InkML within its tolerance, other programs' InkML.

use bozzetto_core::display::colour::{BLACK, OKABE_ITO, Rgb};
use bozzetto_core::geometry::frames::{Glass, Held, Ink, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::picture::Placement;
use bozzetto_core::marks::shape::{Dash, Figure, Shape};
use bozzetto_core::marks::stamp::{Sign, Stamp};
use bozzetto_press::{inkml, sheet_svg};
use proptest::prelude::*;

const STAGE: Size<Glass> = Size::<Glass>::new(1920.0, 1080.0);

fn mark(id: u64, style: Style, body: Body, by: f64, dx: f64) -> Mark {
    let map = Map::<Ink, Held>::scale_then_move(by, dx, 10.0);
    Mark::new(MarkId(id), AuthorId(3), style, body, map, id as i64)
}

fn stroke(points: &[(f64, f64, f64)]) -> Body {
    let ink = |&(x, y, w): &(f64, f64, f64)| InkPoint::new(Point::<Ink>::new(x, y), w);
    let points: Vec<InkPoint> = points.iter().map(ink).collect();
    Body::Stroke(fit(&points).expect("there are points"))
}

fn any_body() -> impl Strategy<Value = Body> {
    let at = || (50.0..900.0f64, 50.0..900.0f64);
    let strokes = prop::collection::vec((50.0..900.0f64, 50.0..900.0f64, 1.0..30.0f64), 1..30)
        .prop_map(|points| stroke(&points));
    let shapes = (0..Figure::ALL.len(), at(), at()).prop_map(|(f, a, b)| {
        let ends = [a, b].map(|(x, y)| Point::new(x, y));
        Body::Shape(Shape::new(Figure::ALL[f], &ends))
    });
    let stamps = (0..Sign::ALL.len(), at())
        .prop_map(|(s, (x, y))| Body::Stamp(Stamp::new(Sign::ALL[s], Point::new(x, y), 30.0)));
    let pictures = at()
        .prop_map(|(x, y)| Body::Picture(Placement::new(77, (300, 200), Point::new(x, y), STAGE)));
    prop_oneof![strokes, shapes, stamps, pictures]
}

fn any_mark() -> impl Strategy<Value = Mark> {
    let style = (
        any::<bool>(),
        0..OKABE_ITO.len(),
        1.0..40.0f32,
        any::<bool>(),
    );
    (any_body(), style, 0.2..3.0f64, -50.0..50.0f64).prop_map(
        |(body, (flat, c, w, dashed), by, dx)| {
            let tip = if flat { Tip::Flat } else { Tip::Round };
            let mut style = Style::new(tip, OKABE_ITO[c].1, w);
            style.dash = if dashed { Dash::Dashed } else { Dash::Solid };
            mark(1, style, body, by, dx)
        },
    )
}

/// What the ink covers, measured along the curve itself.
fn extent(mark: &Mark) -> Rect<Held> {
    let Body::Stroke(curve) = &mark.body else {
        return Rect::EMPTY;
    };
    let nodes = curve.flatten(0.02);
    nodes.iter().fold(Rect::EMPTY, |r, n| {
        let p = mark.transform.apply(n.at);
        r.union(&Rect::from_corners(p, p).inflate(n.radius))
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is on a sheet: its SVG read back gives exactly the same marks, and the SVG is one
    /// that an independent reader of SVG (usvg, from the registry) can draw.
    #[test]
    fn svg_keeps_everything(marks in prop::collection::vec(any_mark(), 0..8), title in "\\PC{0,20}") {
        let svg = sheet_svg::write(&marks, STAGE, &title, |_| None);
        prop_assert_eq!(sheet_svg::read(svg.as_bytes()).unwrap(), marks);
        let tree = resvg::usvg::Tree::from_str(&svg, &resvg::usvg::Options::default());
        prop_assert!(tree.is_ok(), "{:?}", tree.err());
    }

    /// Strokes written as InkML and read again lie where they lay, as wide as they were, within a
    /// quarter of a unit, the tolerance of fitting, and what writing adds.
    #[test]
    fn inkml_keeps_strokes(
        points in prop::collection::vec((100.0..900.0f64, 100.0..900.0f64, 4.0..12.0f64), 2..20),
        flat: bool, c in 0..OKABE_ITO.len(),
    ) {
        let tip = if flat { Tip::Flat } else { Tip::Round };
        let style = Style::new(tip, OKABE_ITO[c].1, 8.0);
        let whole = mark(1, style, stroke(&points), 1.0, 0.0);
        let (ink, left) = inkml::write(std::slice::from_ref(&whole), "a & b");
        prop_assert!(left.is_empty());
        let read = inkml::read(ink.as_bytes(), STAGE).unwrap();
        prop_assert_eq!(read.marks.len(), 1);
        prop_assert!(read.left.is_empty(), "{:?}", read.left);
        let again = &read.marks[0];
        prop_assert_eq!((again.style.tip, again.style.colour, again.style.width), (tip, style.colour, 8.0));
        let (a, b) = (extent(&whole), extent(again));
        for (a, b) in [(a.x0, b.x0), (a.y0, b.y0), (a.x1, b.x1), (a.y1, b.y1)] {
            prop_assert!((a - b).abs() < 1.0, "{} {}", a, b);
        }
        let Body::Stroke(curve) = &again.body else { panic!("a stroke") };
        for (x, y, _) in [points[0], points[points.len() - 1]] {
            let p = Point::<Ink>::new(x, y + 10.0);
            let near = curve.flatten(0.05).iter().map(|n| n.at.distance(p)).fold(f64::MAX, f64::min);
            prop_assert!(near < 0.5, "{}", near);
        }
    }
}

/// Ink of another program: a context with a format of its own in millimetres, upwards y, pressure to
/// 4095, relative values, a channel that means nothing here, a brush, a pen that is up, a group.
#[test]
fn ink_of_other_programs_is_read() {
    let file = r##"<?xml version="1.0"?>
<ink xmlns="http://www.w3.org/2003/InkML">
 <definitions>
  <brush xml:id="red"><brushProperty name="width" value="1" units="mm"/><brushProperty name="color" value="#FF0000"/></brush>
  <context xml:id="tablet"><inkSource><traceFormat>
    <channel name="X" type="decimal" units="mm"/>
    <channel name="Y" type="decimal" units="mm" orientation="-ve"/>
    <channel name="F" type="integer" max="4095"/>
    <channel name="OTx" type="integer" units="deg"/>
  </traceFormat></inkSource></context>
 </definitions>
 <traceGroup contextRef="#tablet" brushRef="#red">
  <trace>0 0 4095 3, '10 '0 '0 '0, 10 0 0 0, 10 0 0 0</trace>
  <trace type="penUp">5 5 0 0, 6 6 0 0</trace>
  <trace>0 0 4095 3, 30 -20 2048 3</trace>
  <trace>0 0 4095 3, 30 frog</trace>
 </traceGroup>
 <trace contextRef="#nowhere">1 2</trace>
</ink>"##;
    let read = inkml::read(file.as_bytes(), STAGE).unwrap();
    assert_eq!(read.marks.len(), 2);
    let said = read.left.join("\n");
    for what in ["OTx", "trace 4", "nowhere"] {
        assert!(said.contains(what), "{what}: {said}");
    }
    // 30 mm by 20 mm, and half of the pen's width at either end, scaled to nine tenths of the stage:
    // as high as 972 units.
    let Body::Stroke(curve) = &read.marks[1].body else {
        panic!("a stroke")
    };
    let nodes = curve.flatten(0.1);
    let (first, last) = (nodes[0], nodes[nodes.len() - 1]);
    let mm = 972.0 / 20.75;
    let (dx, dy) = (last.at.x - first.at.x, last.at.y - first.at.y);
    assert!((dy - 20.0 * mm).abs() < 0.1 && (dx - 30.0 * mm).abs() < 0.1);
    // Half pressed half as wide.
    assert!((first.radius - mm / 2.0).abs() < 0.1 && (last.radius - mm / 4.0).abs() < 0.1);
    assert_eq!(read.marks[1].style.colour, Rgb::new(255, 0, 0));
}

proptest! {
    /// However wide the pen of another program is: all of its ink lies on the stage.
    #[test]
    fn wide_pens_stay_on_the_stage(
        points in prop::collection::vec((-90.0..90.0f64, -90.0..90.0f64, 100..4095u32), 2..9),
        width in 0.05..30.0f64,
    ) {
        let written: Vec<String> = points.iter().map(|(x, y, f)| format!("{x} {y} {f}")).collect();
        let file = format!(
            r#"<ink xmlns="http://www.w3.org/2003/InkML"><brush><brushProperty name="width" value="{width}" units="mm"/></brush>
            <traceFormat><channel name="X" units="mm"/><channel name="Y" units="mm"/><channel name="F" max="4095"/></traceFormat>
            <trace>{}</trace></ink>"#,
            written.join(", ")
        );
        for mark in inkml::read(file.as_bytes(), STAGE).unwrap().marks {
            let seen = mark.fills(0.1).iter().fold(Rect::<Ink>::EMPTY, |r, (path, _)| r.union(&path.bounds()));
            prop_assert!(seen.x0 >= 0.0 && seen.y0 >= 0.0, "{seen:?}");
            prop_assert!(seen.x1 <= STAGE.width && seen.y1 <= STAGE.height, "{seen:?}");
        }
    }
}

#[test]
fn what_is_no_ink_is_said() {
    let why = |file: &str| inkml::read(file.as_bytes(), STAGE).unwrap_err().to_string();
    assert!(why("words").contains("not an InkML file"));
    assert!(why("<html/>").contains("it is <html>"));
    assert!(why("<ink/>").contains("no ink"));
    let foreign = br#"<svg xmlns="http://www.w3.org/2000/svg"><rect/></svg>"#;
    let why = sheet_svg::read(foreign).unwrap_err().to_string();
    assert!(why.contains("not saved by Bozzetto"));
    let style = Style::new(Tip::Round, BLACK, 2.0);
    let stamp = Stamp::new(Sign::Tick, Point::new(9.0, 9.0), 5.0);
    let (_, left) = inkml::write(&[mark(1, style, Body::Stamp(stamp), 1.0, 0.0)], "");
    assert_eq!(left, ["stamps"]);
}
