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
use serde::Deserialize;

#[derive(Deserialize)]
struct Style {
    tip: Tip,
    colour: Rgb,
    width: f32,
}

#[derive(Deserialize)]
enum Body {
    Stroke(Points),
}

#[derive(Deserialize)]
struct Mark {
    id: MarkId,
    author: AuthorId,
    style: Style,
    body: Body,
    transform: Map<Ink, Held>,
    z: i64,
}

#[derive(Deserialize)]
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

#[derive(Deserialize)]
struct Step {
    sheet: SheetId,
    op: Op,
}

#[derive(Deserialize)]
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
