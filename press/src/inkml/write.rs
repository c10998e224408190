//! Writing InkML.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use bozzetto_core::geometry::frames::{Held, Point};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use kurbo::ParamCurve as _;

use super::INKML;
use crate::xml::escaped;

/// How far the points' polyline may be off the curve, in units.
const TOLERANCE: f64 = 0.05;

/// The ink among the marks, as traces with their brushes; shapes are traced along their lines. Gives
/// what else there was, which InkML has no words for.
///
/// X and Y are in glass units, named `px`: the stage is 1920 of them wide. F is the width of the ink
/// by its brush's. T, in milliseconds since the file's timestamp, says when a mark was made, and
/// stands with its first point only: a fitted stroke keeps no more of its time.
pub fn write(marks: &[Mark], title: &str) -> (String, Vec<&'static str>) {
    let began = marks.iter().map(|m| m.made_at).min().unwrap_or(0);
    let mut brushes: BTreeMap<String, String> = BTreeMap::new();
    let mut traces = String::new();
    let mut left = Vec::new();
    for mark in marks {
        let lines = match &mark.body {
            Body::Stroke(_) | Body::Shape(_) => lines(mark),
            Body::Stamp(_) => {
                left.push("stamps");
                continue;
            }
            Body::Text(_) => {
                left.push("texts");
                continue;
            }
            Body::Picture(_) => {
                left.push("placed pictures");
                continue;
            }
        };
        let properties = brush(&mark.style);
        let number = brushes.len();
        let name = brushes
            .entry(properties)
            .or_insert_with(|| format!("brush{number}"))
            .clone();
        for line in lines {
            let mut points = line.iter().enumerate().map(|(i, (p, w))| {
                let force = w / f64::from(mark.style.width) / mark.transform.mean_scale().max(1e-9);
                let moment = match i {
                    0 => format!(" {}", mark.made_at - began),
                    _ => String::new(),
                };
                format!("{:.3} {:.3} {force:.4}{moment}", p.x, p.y)
            });
            let points = points.by_ref().collect::<Vec<_>>().join(", ");
            let _ = writeln!(
                traces,
                "<trace contextRef=\"#stage\" brushRef=\"#{name}\">{points}</trace>"
            );
        }
    }
    left.sort_unstable();
    left.dedup();
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<ink xmlns=\"{INKML}\">\n\
         <annotation type=\"title\">{}</annotation>\n<definitions>\n\
         <timestamp xml:id=\"began\" time=\"{began}\"/>\n\
         <traceFormat xml:id=\"format\">\n\
         <channel name=\"X\" type=\"decimal\" units=\"px\"/>\n\
         <channel name=\"Y\" type=\"decimal\" units=\"px\"/>\n\
         <channel name=\"F\" type=\"decimal\" min=\"0\" units=\"dev\"/>\n\
         <intermittentChannels><channel name=\"T\" type=\"integer\" units=\"ms\" respectTo=\"#began\"/></intermittentChannels>\n\
         </traceFormat>\n\
         <context xml:id=\"stage\" traceFormatRef=\"#format\" timestampRef=\"#began\"/>\n",
        escaped(title)
    );
    for (properties, name) in &brushes {
        let _ = writeln!(out, "<brush xml:id=\"{name}\">{properties}</brush>");
    }
    out += "</definitions>\n";
    out += &traces;
    out += "</ink>\n";
    (out, left)
}

fn brush(style: &Style) -> String {
    let (tip, mixes) = match style.tip {
        // Ink files know no rim.
        Tip::Round | Tip::Rimmed => ("ellipse", "copyPen"),
        Tip::Flat => ("rectangle", "maskPen"),
    };
    let property = |name: &str, value: &str, units: &str| {
        format!("<brushProperty name=\"{name}\" value=\"{value}\"{units}/>")
    };
    [
        property("width", &format!("{}", style.width), " units=\"px\""),
        property("color", &style.colour.css().to_uppercase(), ""),
        property("tip", tip, ""),
        property("rasterOp", mixes, ""),
    ]
    .concat()
}

/// The lines of a mark as points on the glass with the width of the ink there.
fn lines(mark: &Mark) -> Vec<Vec<(Point<Held>, f64)>> {
    let map = &mark.transform;
    let scale = map.mean_scale();
    let on_glass = |p: Point<_>, w: f64| (map.apply(p), w * scale);
    match &mark.body {
        Body::Stroke(curve) => {
            let nodes = curve.flatten(TOLERANCE / scale.max(1e-6));
            vec![
                nodes
                    .iter()
                    .map(|n| on_glass(n.at, n.radius * 2.0))
                    .collect(),
            ]
        }
        Body::Shape(shape) => {
            let width = f64::from(mark.style.width);
            let mut lines = Vec::new();
            for segment in shape.line().segments() {
                // Straight ones need no more than their ends.
                let steps = match segment {
                    kurbo::PathSeg::Line(_) => 1,
                    _ => 32,
                };
                let points = (0..=steps).map(|i| segment.eval(f64::from(i) / f64::from(steps)));
                let points = points.map(|p| on_glass(Point::new(p.x, p.y), width));
                lines.push(points.collect::<Vec<_>>());
            }
            joined(lines)
        }
        _ => Vec::new(),
    }
}

/// Lines that go on where another ends become one.
fn joined(lines: Vec<Vec<(Point<Held>, f64)>>) -> Vec<Vec<(Point<Held>, f64)>> {
    let mut out: Vec<Vec<(Point<Held>, f64)>> = Vec::new();
    for line in lines {
        let goes_on = |last: &Vec<(Point<Held>, f64)>| {
            let ends = last.last().zip(line.first());
            ends.is_some_and(|(a, b)| a.0.distance(b.0) < 1e-6)
        };
        match out.last_mut() {
            Some(last) if goes_on(last) => last.extend(&line[1..]),
            _ => out.push(line),
        }
    }
    out
}
