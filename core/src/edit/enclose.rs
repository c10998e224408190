//! What a mark encloses: a loop that was drawn round something, a box, an oval.

use crate::aids::region::Region;
use crate::edit::select;
use crate::geometry::frames::{Glass, Held, Point};
use crate::marks::mark::{Body, Mark};
use crate::sheets::sheet::Sheets;
use crate::stage::pane::InView;

/// How near the ends of a line must come together, as a share of its length, for it to be closed.
const CLOSED: f64 = 0.18;
/// How many places of each piece of a curve are looked at.
const PIECES: u32 = 4;

/// The light of what the mark at a place encloses, or else of the smallest that goes round the place;
/// `None` when no mark does. `reach` is how near a tap must come to a line, in glass units.
pub fn light(sheets: &Sheets, in_view: &[InView], at: Point<Glass>, reach: f64) -> Option<Region> {
    let enclosed = |view: &InView, mark: &Mark| {
        let line = line(mark)?;
        let line: Vec<Point<Glass>> = line.iter().map(|p| view.view.apply(*p)).collect();
        Region::enclosed(&line)
    };
    let touched = select::at(sheets, in_view, at, reach).and_then(|(sheet, id)| {
        let view = in_view.iter().find(|v| v.sheet == sheet)?;
        enclosed(view, sheets.sheet(sheet).get(id)?)
    });
    touched.or_else(|| {
        let seen = in_view.iter().filter(|v| v.within.contains(at));
        let marks = seen.flat_map(|v| sheets.sheet(v.sheet).marks().map(move |m| (v, m)));
        marks
            .filter_map(|(view, mark)| enclosed(view, mark))
            .filter(|light| light.has(at))
            .min_by(|a, b| size(a).total_cmp(&size(b)))
    })
}

fn size(light: &Region) -> f64 {
    light.half.0 * light.half.1
}

/// The closed line that a mark is, in its order; `None` for one that is not closed.
fn line(mark: &Mark) -> Option<Vec<Point<Held>>> {
    let steps = (0..PIECES).map(|n| f64::from(n) / f64::from(PIECES));
    let line: Vec<Point<Held>> = match &mark.body {
        Body::Stroke(curve) => {
            let pieces = curve.cubics();
            let along = pieces.flat_map(|c| steps.clone().map(move |t| c.at(t).at));
            along.map(|p| mark.transform.apply(p)).collect()
        }
        Body::Shape(shape) => {
            use kurbo::ParamCurve;
            let line = shape.line();
            let along = line
                .segments()
                .flat_map(|s| steps.clone().map(move |t| s.eval(t)));
            let held = |p: kurbo::Point| mark.transform.apply(Point::new(p.x, p.y));
            along.map(held).collect()
        }
        Body::Stamp(_) | Body::Text(_) | Body::Picture(_) => return None,
    };
    let length: f64 = line.windows(2).map(|w| w[0].distance(w[1])).sum();
    let gap = line.first()?.distance(*line.last()?);
    // The last step before the end of the line is missing from it.
    let step = length / line.len() as f64;
    (gap < CLOSED * length + step).then_some(line)
}
