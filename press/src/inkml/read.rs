//! Reading InkML, our own and that of other programs.

use std::collections::{BTreeSet, HashMap};
use std::rc::Rc;

use bozzetto_core::marks::budget;

use bozzetto_core::display::colour::{BLACK, Rgb};
use bozzetto_core::geometry::frames::{Glass, Ink, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, MarkId};
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, MAX_POINTS};
use bozzetto_core::marks::mark::{Body, MAX_WIDTH, Mark, MarkFault, Style};
use roxmltree::{Document, Node, NodeId};

use super::{INKML, trace};

/// The width of ink whose brush says nothing, in units.
const WIDTH: f64 = 5.0;
/// How much of the stage ink takes that is not in its units.
const SHARE: f64 = 0.9;
/// The most traces.
const MOST: usize = 20_000;
/// The most channels of a trace; pens have a dozen.
const MOST_CHANNELS: usize = 64;
/// How many things that could not be read are named.
const NAMED: usize = 20;

/// Why a file cannot be read.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum InkFault {
    #[error("This is not an InkML file that can be read: {0}")]
    Broken(String),
    #[error("There is no ink in this file that can be read{0}.")]
    Nothing(String),
    #[error("The ink in this file cannot be read: {0}.")]
    TooMuch(MarkFault),
}

/// What was read: strokes as they are to lie on the glass, and what could not be read.
#[derive(Debug)]
pub struct Read {
    pub marks: Vec<Mark>,
    pub left: Vec<String>,
}

/// A channel of a trace format.
#[derive(Clone)]
struct Channel {
    name: String,
    units: String,
    max: Option<f64>,
    /// Its values grow to the left, or upwards.
    backwards: bool,
}

#[derive(Clone, Default)]
struct Format {
    channels: Vec<Channel>,
}

#[derive(Clone, Copy)]
struct Brush {
    width: Option<f64>,
    colour: Rgb,
    tip: Tip,
}

const PLAIN: Brush = Brush {
    width: None,
    colour: BLACK,
    tip: Tip::Round,
};

/// A trace as it is read: where the pen was, how hard it was pressed, and the brush.
struct Trace {
    points: Vec<(f64, f64, Option<f64>)>,
    brush: Brush,
    own_units: bool,
}

/// Reads a file for a stage of `stage`. Ink in `px` lies where it says, as long as that is on the
/// stage; ink in lengths or a device's units is scaled to the stage and set in its middle.
pub fn read(bytes: &[u8], stage: Size<Glass>) -> Result<Read, InkFault> {
    let text = std::str::from_utf8(bytes).map_err(|e| InkFault::Broken(e.to_string()))?;
    let tree = Document::parse(text).map_err(|e| InkFault::Broken(e.to_string()))?;
    let root = tree.root_element();
    if root.tag_name().name() != "ink" {
        let name = root.tag_name().name();
        return Err(InkFault::Broken(format!("it is <{name}>, not <ink>")));
    }
    let mut left = BTreeSet::new();
    let book = Book::of(&tree, &mut left);
    let mut traces = Vec::new();
    let mut named = Named::default();
    let mut number = 0;
    for node in tree.descendants().filter(Node::is_element) {
        named.pass(&node);
        if !is(&node, "trace") || number == MOST {
            continue;
        }
        number += 1;
        match book.trace(&node, &named) {
            Ok(Some(trace)) => traces.push(trace),
            // A pen that is up, or a trace without points, leaves nothing.
            Ok(None) => {}
            Err(why) => {
                left.insert(format!("trace {number}: {why}"));
            }
        }
    }
    let left: Vec<String> = left.into_iter().take(NAMED).collect();
    let said = match left.is_empty() {
        true => String::new(),
        false => format!(" ({})", left.join("; ")),
    };
    let place = placed(&traces, stage).ok_or(InkFault::Nothing(said))?;
    // A stroke has only so many points: what goes on after that is another one.
    let strokes = traces.iter().flat_map(|t| {
        let pieces = t.points.chunks(MAX_POINTS);
        pieces.map(move |points| (t, points))
    });
    let mut marks: Vec<Mark> = Vec::new();
    let mut budget = budget::TOGETHER;
    for (trace, points) in strokes {
        let Some(mark) = mark(trace, points, &place, marks.len()) else {
            continue;
        };
        match mark.check() {
            Ok(cost) => {
                let rest = budget.checked_sub(cost);
                budget = rest.ok_or(InkFault::TooMuch(MarkFault::TooMuchTogether))?;
                marks.push(mark);
            }
            Err(why @ MarkFault::TooMuch) => return Err(InkFault::TooMuch(why)),
            // What lies outside all bounds is left out.
            Err(_) => {}
        }
    }
    Ok(Read { marks, left })
}

/// The references that hold for an element: its own, or those of what it lies in. Elements come in
/// the order of the file, so what an element lies in has been passed before it.
#[derive(Default)]
struct Named<'a> {
    known: HashMap<NodeId, [Option<&'a str>; 2]>,
}

impl<'a> Named<'a> {
    const NAMES: [&'static str; 2] = ["contextRef", "brushRef"];

    fn pass(&mut self, node: &Node<'a, '_>) {
        let above = node.parent().and_then(|p| self.known.get(&p.id()));
        let above = above.copied().unwrap_or_default();
        let own = Self::NAMES.map(|name| reference(node, name));
        let both = [own[0].or(above[0]), own[1].or(above[1])];
        if both != [None, None] {
            self.known.insert(node.id(), both);
        }
    }

    fn of(&self, node: &Node) -> [Option<&'a str>; 2] {
        self.known.get(&node.id()).copied().unwrap_or_default()
    }
}

fn is(node: &Node, name: &str) -> bool {
    let tag = node.tag_name();
    // Many programs leave the namespace out.
    tag.name() == name && tag.namespace().is_none_or(|n| n == INKML)
}

fn id<'a>(node: &Node<'a, '_>) -> Option<&'a str> {
    let xml = "http://www.w3.org/XML/1998/namespace";
    node.attribute((xml, "id")).or_else(|| node.attribute("id"))
}

/// The definitions of a file, by their names.
struct Book {
    formats: HashMap<String, Rc<Format>>,
    brushes: HashMap<String, Brush>,
    contexts: HashMap<String, (Rc<Format>, Brush)>,
    /// What holds where nothing is said: the first format and brush outside of named contexts.
    usual: (Rc<Format>, Brush),
}

impl Book {
    fn of(tree: &Document, left: &mut BTreeSet<String>) -> Self {
        let mut book = Book {
            formats: HashMap::new(),
            brushes: HashMap::new(),
            contexts: HashMap::new(),
            usual: (Rc::new(usual_format()), PLAIN),
        };
        let mut sources: HashMap<&str, Node> = HashMap::new();
        let (mut said, mut painted) = (false, false);
        for node in tree.descendants() {
            if is(&node, "traceFormat") {
                let format = Rc::new(format(&node));
                for c in &format.channels {
                    if !["X", "Y", "F", "T"].contains(&c.name.as_str()) && left.len() < NAMED {
                        left.insert(format!("the values of channel {}", c.name));
                    }
                }
                if !said {
                    book.usual.0 = format.clone();
                    said = true;
                }
                if let Some(id) = id(&node) {
                    book.formats.insert(id.to_owned(), format);
                }
            } else if is(&node, "inkSource") {
                sources.extend(id(&node).map(|id| (id, node)));
            } else if is(&node, "brush") && node.attribute("brushRef").is_none() {
                let brush = brush(&node);
                if let Some(id) = id(&node) {
                    book.brushes.insert(id.to_owned(), brush);
                } else if !painted {
                    book.usual.1 = brush;
                    painted = true;
                }
            } else if is(&node, "mapping") || is(&node, "canvasTransform") {
                if node.attribute("type").is_none_or(|t| t != "identity") {
                    left.insert(format!("<{}>", node.tag_name().name()));
                }
            } else if is(&node, "traceView") {
                left.insert("<traceView>".to_owned());
            }
        }
        for node in tree.descendants().filter(|n| is(n, "context")) {
            let format = reference(&node, "traceFormatRef")
                .and_then(|name| book.formats.get(name).cloned())
                .or_else(|| format_in(&node))
                .or_else(|| format_in(sources.get(reference(&node, "inkSourceRef")?)?));
            let brush = reference(&node, "brushRef")
                .and_then(|name| book.brushes.get(name).copied())
                .or_else(|| node.children().find(|n| is(n, "brush")).map(|n| brush(&n)));
            let both = (
                format.unwrap_or_else(|| book.usual.0.clone()),
                brush.unwrap_or(book.usual.1),
            );
            match id(&node) {
                Some(id) => {
                    book.contexts.insert(id.to_owned(), both);
                }
                None => book.usual = both,
            }
        }
        book
    }

    fn trace(&self, node: &Node, named: &Named) -> Result<Option<Trace>, String> {
        if node.attribute("type") == Some("penUp") {
            return Ok(None);
        }
        let [context, brush] = named.of(node);
        let context = match context {
            Some(name) => self
                .contexts
                .get(name)
                .ok_or_else(|| format!("its context {name} is not in the file"))?,
            None => &self.usual,
        };
        let brush = match brush {
            Some(name) => *self
                .brushes
                .get(name)
                .ok_or_else(|| format!("its brush {name} is not in the file"))?,
            None => context.1,
        };
        let channels = &context.0.channels;
        let find = |name: &str| channels.iter().position(|c| c.name == name);
        let (Some(x), Some(y)) = (find("X"), find("Y")) else {
            return Err("its format has no channel X or no channel Y".to_owned());
        };
        let force = find("F");
        let text: String = node.children().filter_map(|n| n.text()).collect();
        let to_units = |c: &Channel, v: f64| if c.backwards { -v } else { v } * unit(&c.units);
        let mut points = Vec::new();
        for values in trace::decode(&text, channels.len())? {
            let (Some(px), Some(py)) = (values[x], values[y]) else {
                continue;
            };
            let f = force.and_then(|f| {
                let most = channels[f].max.filter(|m| *m > 0.0);
                values[f].map(|v| v / most.unwrap_or(1.0))
            });
            let (px, py) = (to_units(&channels[x], px), to_units(&channels[y], py));
            if px.is_finite() && py.is_finite() {
                points.push((px, py, f));
            }
        }
        let own_units = channels[x].units == "px";
        Ok((!points.is_empty()).then_some(Trace {
            points,
            brush,
            own_units,
        }))
    }
}

/// The format that an element holds, or the ink source in it does.
fn format_in(node: &Node) -> Option<Rc<Format>> {
    let inside = |node: &Node| {
        let found = node.children().find(|n| is(n, "traceFormat"))?;
        Some(Rc::new(format(&found)))
    };
    inside(node).or_else(|| inside(&node.children().find(|n| is(n, "inkSource"))?))
}

fn reference<'a>(node: &Node<'a, '_>, name: &str) -> Option<&'a str> {
    node.attribute(name).map(|v| v.trim_start_matches('#'))
}

/// Where a file says nothing: X and Y, as the Recommendation has it.
fn usual_format() -> Format {
    let channel = |name: &str| Channel {
        name: name.to_owned(),
        units: "dev".to_owned(),
        max: None,
        backwards: false,
    };
    Format {
        channels: vec![channel("X"), channel("Y")],
    }
}

/// Regular channels first, then the intermittent ones, in the order in which traces give them.
fn format(node: &Node) -> Format {
    let inner = node
        .children()
        .filter(|n| is(n, "intermittentChannels"))
        .flat_map(|n| n.children());
    let channels = node
        .children()
        .chain(inner)
        .filter(|n| is(n, "channel"))
        .take(MOST_CHANNELS)
        .map(|n| Channel {
            name: n.attribute("name").unwrap_or("").to_owned(),
            units: n.attribute("units").unwrap_or("dev").to_owned(),
            max: n.attribute("max").and_then(|v| v.parse().ok()),
            backwards: n.attribute("orientation") == Some("-ve"),
        });
    let format = Format {
        channels: channels.collect(),
    };
    match format.channels.is_empty() {
        true => usual_format(),
        false => format,
    }
}

fn brush(node: &Node) -> Brush {
    let mut brush = PLAIN;
    for property in node.children().filter(|n| is(n, "brushProperty")) {
        let value = property.attribute("value").unwrap_or("");
        match property.attribute("name").unwrap_or("") {
            "width" => {
                let by = unit(property.attribute("units").unwrap_or("px"));
                brush.width = value.parse::<f64>().ok().map(|w| w * by);
            }
            "color" => brush.colour = Rgb::from_css(value).unwrap_or(brush.colour),
            "tip" if value == "rectangle" => brush.tip = Tip::Flat,
            "rasterOp" if value == "maskPen" => brush.tip = Tip::Flat,
            _ => {}
        }
    }
    brush
}

/// CSS pixels to a unit; a device's own count as such.
fn unit(name: &str) -> f64 {
    match name {
        "mm" => 96.0 / 25.4,
        "cm" => 96.0 / 2.54,
        "m" => 96.0 / 0.0254,
        "in" => 96.0,
        "pt" => 96.0 / 72.0,
        "pc" => 16.0,
        _ => 1.0,
    }
}

/// How much wider a pen writes that is pressed like this.
fn force(f: Option<f64>) -> f64 {
    f.unwrap_or(1.0).clamp(0.05, 4.0)
}

/// How the ink is brought onto the stage, with the width of the pen that wrote it; `None` when there
/// is none.
fn placed(traces: &[Trace], stage: Size<Glass>) -> Option<(f64, f64, f64)> {
    if traces.is_empty() {
        return None;
    }
    let (mut points, mut ink) = (Rect::<Ink>::EMPTY, Rect::<Ink>::EMPTY);
    // Widths that stay as they are, however the points are scaled.
    let mut fixed: f64 = 0.0;
    for trace in traces {
        let scaled = trace.brush.width.filter(|_| !trace.own_units);
        for (x, y, f) in &trace.points {
            let at = Rect::from_corners(Point::new(*x, *y), Point::new(*x, *y));
            points = points.union(&at);
            ink = ink.union(&at.inflate(scaled.unwrap_or(0.0) * force(*f) / 2.0));
            if scaled.is_none() {
                fixed = fixed.max(trace.brush.width.unwrap_or(WIDTH) * force(*f));
            }
        }
    }
    let own = traces.iter().all(|t| t.own_units);
    let there = points.x0 >= 0.0
        && points.y0 >= 0.0
        && points.x1 <= stage.width
        && points.y1 <= stage.height;
    if own && there {
        return Some((1.0, 0.0, 0.0));
    }
    let by = |room: f64, length: f64| (room * SHARE - fixed).max(room / 4.0) / length.max(1e-9);
    let by = by(stage.width, ink.width()).min(by(stage.height, ink.height()));
    let dx = stage.width / 2.0 - (ink.x0 + ink.x1) / 2.0 * by;
    let dy = stage.height / 2.0 - (ink.y0 + ink.y1) / 2.0 * by;
    Some((by, dx, dy))
}

fn mark(
    trace: &Trace,
    points: &[(f64, f64, Option<f64>)],
    (by, dx, dy): &(f64, f64, f64),
    number: usize,
) -> Option<Mark> {
    // A brush's width is a length of the same kind as the points'.
    let width = trace
        .brush
        .width
        .map_or(WIDTH, |w| if trace.own_units { w } else { w * by });
    let width = width.clamp(0.5, MAX_WIDTH);
    let point = |(x, y, f): &(f64, f64, Option<f64>)| {
        let at = Point::<Ink>::new(x * by + dx, y * by + dy);
        InkPoint::new(at, width * force(*f))
    };
    let points: Vec<InkPoint> = points.iter().map(point).collect();
    let style = Style::new(trace.brush.tip, trace.brush.colour, width as f32);
    let body = Body::Stroke(fit(&points)?);
    let whole = Map::coincident();
    Some(Mark::new(
        MarkId(number as u64 + 1),
        AuthorId(0),
        style,
        body,
        whole,
        number as i64,
    ))
}
