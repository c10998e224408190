//! A sheet of marks as an SVG file, and our own files read back.
//!
//! Every program shows it: strokes are filled paths, text is text. A metadata block holds the marks
//! themselves, so that nothing is lost when Bozzetto reads it again.

use std::fmt::Write as _;

use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use bozzetto_core::display::{Blend, Path, Verb};
use bozzetto_core::geometry::frames::{Glass, Held, Map, Size};
use bozzetto_core::marks::budget;
use bozzetto_core::marks::mark::{Body, Layer, Mark, MarkFault};
use bozzetto_core::marks::text::Text;
use bozzetto_core::wire;

use crate::xml::escaped;

/// The name of our metadata.
const OURS: &str = "urn:bozzetto:marks:2";

/// How far outlines may be off, in units.
const TOLERANCE: f64 = 0.05;

/// Why a file cannot be read as marks.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum SvgFault {
    #[error("This is not an SVG file that can be read: {0}")]
    Broken(String),
    #[error(
        "This SVG file was not saved by Bozzetto, so it holds no marks. As a picture it can be put on stage."
    )]
    Foreign,
    #[error("The marks in this SVG file are damaged, or from another Bozzetto.")]
    Damaged,
    #[error("The marks in this SVG file cannot be read: {0}.")]
    TooMuch(MarkFault),
}

/// The marks as they lie on a stage of `size`, from the bottom up. `picture` gives the file of a
/// placed picture: its kind and bytes.
pub fn write(
    marks: &[Mark],
    size: Size<Glass>,
    title: &str,
    picture: impl Fn(u64) -> Option<(String, Vec<u8>)>,
) -> String {
    let (w, h) = (size.width, size.height);
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}\" height=\"{h}\" viewBox=\"0 0 {w} {h}\">\n\
         <title>{}</title>\n<metadata><marks xmlns=\"{OURS}\">{}</marks></metadata>\n",
        escaped(title),
        BASE64.encode(wire::encode(&marks.to_vec()))
    );
    for layer in Layer::ALL {
        for mark in marks.iter().filter(|m| m.style.layer() == layer) {
            one(&mut out, mark, &picture);
        }
    }
    out + "</svg>\n"
}

fn one(out: &mut String, mark: &Mark, picture: &impl Fn(u64) -> Option<(String, Vec<u8>)>) {
    let map = transform(mark.transform.coefficients());
    let mixes = match mark.style.blend() {
        Blend::Over => "",
        Blend::Multiply => " style=\"mix-blend-mode:multiply\"",
        Blend::Screen => " style=\"mix-blend-mode:screen\"",
    };
    let _ = writeln!(out, "<g{map}{mixes}>");
    match &mark.body {
        Body::Text(text) => words(out, text, &mark.style.colour.css()),
        Body::Picture(placed) => {
            let placing = placed.placing(&Map::<_, Held>::coincident());
            if let Some((kind, bytes)) = picture(placed.picture) {
                let at = transform(placing.map);
                let [x0, y0, x1, y1] = placing.part;
                let (w, h) = (placed.width, placed.height);
                // A viewport of its own shows the part that is not cut off.
                let _ = writeln!(
                    out,
                    "<g{at}><svg x=\"{x0}\" y=\"{y0}\" width=\"{}\" height=\"{}\" viewBox=\"{x0} {y0} {} {}\">\
                     <image width=\"{w}\" height=\"{h}\" href=\"data:{kind};base64,{}\"/></svg></g>",
                    x1 - x0,
                    y1 - y0,
                    x1 - x0,
                    y1 - y0,
                    BASE64.encode(bytes)
                );
            }
        }
        Body::Stroke(_) | Body::Shape(_) | Body::Stamp(_) => {
            let fine = TOLERANCE / mark.transform.mean_scale().max(1e-6);
            for (path, colour) in mark.fills(fine) {
                let _ = writeln!(
                    out,
                    "<path fill=\"{}\" d=\"{}\"/>",
                    colour.css(),
                    data(&path)
                );
            }
        }
    }
    out.push_str("</g>\n");
}

fn words(out: &mut String, text: &Text, colour: &str) {
    let at = text.at.position();
    let _ = write!(
        out,
        "<text fill=\"{colour}\" font-family=\"'Atkinson Hyperlegible Next', sans-serif\" font-size=\"{}\" xml:space=\"preserve\">",
        text.size()
    );
    for line in &text.lines {
        let shown = text.content.get(line.from as usize..line.to as usize);
        let shown = shown.unwrap_or("").trim_end_matches(['\n', '\r', ' ']);
        let y = at.y + f64::from(line.baseline) / bozzetto_core::ink::UNITS;
        let _ = write!(
            out,
            "<tspan x=\"{}\" y=\"{y:.2}\">{}</tspan>",
            at.x,
            escaped(shown)
        );
    }
    out.push_str("</text>\n");
}

fn transform(m: [f64; 6]) -> String {
    let [a, b, c, d, e, f] = m;
    match m {
        [1.0, 0.0, 0.0, 1.0, 0.0, 0.0] => String::new(),
        _ => format!(" transform=\"matrix({a} {b} {c} {d} {e} {f})\""),
    }
}

/// A path as SVG writes it.
pub(crate) fn data(path: &Path) -> String {
    let mut out = String::new();
    let mut rest = &path.coords[..];
    for verb in &path.verbs {
        out.push(match verb {
            Verb::Move => 'M',
            Verb::Line => 'L',
            Verb::Quad => 'Q',
            Verb::Cubic => 'C',
            Verb::Close => 'Z',
        });
        let (coords, next) = rest.split_at(verb.points() * 2);
        for (i, v) in coords.iter().enumerate() {
            let gap = if i == 0 { "" } else { " " };
            let _ = write!(out, "{gap}{}", (f64::from(*v) * 1000.0).round() / 1000.0);
        }
        rest = next;
    }
    out
}

/// The marks of a file that [`write`] made, exactly as they were.
pub fn read(bytes: &[u8]) -> Result<Vec<Mark>, SvgFault> {
    let text = std::str::from_utf8(bytes).map_err(|e| SvgFault::Broken(e.to_string()))?;
    let tree = roxmltree::Document::parse(text).map_err(|e| SvgFault::Broken(e.to_string()))?;
    let ours = tree.descendants().find(|n| n.has_tag_name((OURS, "marks")));
    let packed = ours.and_then(|n| n.text()).ok_or(SvgFault::Foreign)?;
    let packed = BASE64
        .decode(packed.trim())
        .map_err(|_| SvgFault::Damaged)?;
    let marks: Vec<Mark> = wire::decode(&packed).ok_or(SvgFault::Damaged)?;
    budget::check_all(&marks).map_err(|why| match why {
        MarkFault::TooMuch | MarkFault::TooMuchTogether => SvgFault::TooMuch(why),
        _ => SvgFault::Damaged,
    })?;
    Ok(marks)
}
