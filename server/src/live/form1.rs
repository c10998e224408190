//! Changes as the first Bozzetto stored them: strokes were rows of points, not yet fitted, and there
//! was nothing else. They are read for ever; nothing that was acknowledged is lost by an update.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Held, Ink, Map};
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId};
use bozzetto_core::ink::Points;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::marks::mark::{self};
use bozzetto_core::sheets::step::{self, Deed, SheetId};
use bozzetto_core::wire::decode;
use serde::{Deserialize, Serialize};

#[derive(Serialize, Deserialize)]
struct Style {
    tip: Tip,
    colour: Rgb,
    width: f32,
}

#[derive(Serialize, Deserialize)]
enum Body {
    Stroke(Points),
}

#[derive(Serialize, Deserialize)]
struct Mark {
    id: MarkId,
    author: AuthorId,
    style: Style,
    body: Body,
    transform: Map<Ink, Held>,
    z: i64,
}

#[derive(Serialize, Deserialize)]
enum Op {
    Add(Mark),
    Remove(MarkId),
    Replace(Mark),
    Transform {
        marks: Vec<MarkId>,
        by: Map<Held, Held>,
    },
    Restyle {
        marks: Vec<MarkId>,
        style: Style,
    },
    Wipe,
}

#[derive(Serialize, Deserialize)]
struct Step {
    sheet: SheetId,
    op: Op,
}

#[derive(Serialize, Deserialize)]
struct Old {
    id: ChangeId,
    author: AuthorId,
    at: u64,
    deed: Deed,
    steps: Vec<Step>,
}

/// A change of the first form as it is now; `None` for what is none.
pub fn change(body: &[u8]) -> Option<Change> {
    let old: Old = decode(body)?;
    let steps = old.steps.into_iter().map(|step| {
        Some(step::Step {
            sheet: step.sheet,
            op: op(step.op)?,
        })
    });
    Some(Change {
        id: old.id,
        author: old.author,
        at: old.at,
        what: What::Marks {
            deed: old.deed,
            steps: steps.collect::<Option<_>>()?,
        },
    })
}

fn op(op: Op) -> Option<step::Op> {
    Some(match op {
        Op::Add(mark) => step::Op::Add(fitted(mark)?),
        Op::Remove(id) => step::Op::Remove(id),
        Op::Replace(mark) => step::Op::Replace(fitted(mark)?),
        Op::Transform { marks, by } => step::Op::Transform { marks, by },
        Op::Restyle { marks, style } => step::Op::Restyle {
            marks,
            style: styled(&style),
        },
        Op::Wipe => step::Op::Wipe,
    })
}

fn fitted(old: Mark) -> Option<mark::Mark> {
    let Body::Stroke(points) = old.body;
    let body = mark::Body::Stroke(fit(&points.0)?);
    let style = styled(&old.style);
    let mark = mark::Mark::new(old.id, old.author, style, body, old.transform, old.z);
    Some(mark)
}

fn styled(style: &Style) -> mark::Style {
    mark::Style::new(style.tip, style.colour, style.width)
}

#[cfg(test)]
mod tests {
    use super::*;
    use bozzetto_core::geometry::frames::Point;
    use bozzetto_core::ink::InkPoint;
    use bozzetto_core::wire::encode;

    #[test]
    fn a_stroke_of_the_first_form_lies_where_it_lay() {
        let point = |i: u32| InkPoint::new(Point::new(f64::from(i) * 9.0, 50.0), 6.0);
        let mark = Mark {
            id: MarkId(4),
            author: AuthorId(9),
            style: Style {
                tip: Tip::Round,
                colour: Rgb::hex(0xD55E00),
                width: 6.0,
            },
            body: Body::Stroke(Points((0..30).map(point).collect())),
            transform: Map::coincident(),
            z: 7,
        };
        let old = Old {
            id: ChangeId(1),
            author: AuthorId(9),
            at: 5,
            deed: Deed::Do,
            steps: vec![Step {
                sheet: SheetId::Glass,
                op: Op::Add(mark),
            }],
        };
        let now = change(&encode(&old)).expect("it is one");
        let step::Op::Add(mark) = &now.steps()[0].op else {
            panic!("{now:?}");
        };
        let b = mark.bounds();
        assert!(
            (b.x0 + 3.0).abs() < 0.1 && (b.x1 - 264.0).abs() < 0.1,
            "{b:?}"
        );
        assert!((b.y0 - 47.0).abs() < 0.1 && mark.check().is_ok());
    }
}
