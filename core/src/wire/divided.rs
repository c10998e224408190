//! What is too large for one message goes in several.

use super::{MAX_MESSAGE, encode};
use crate::lesson::change::Intent;
use crate::sheets::refusal::Refusal;
use crate::sheets::step::{Step, check_steps};

/// How many bytes of steps one change carries, roughly: a quarter of the longest message, so that
/// everybody's pens come in between the parts of a large one.
const PART: usize = MAX_MESSAGE / 4;

/// What somebody asks for, in parts that can each be sent. They go out one after the other; all but
/// the first are [`Intent::More`], so that they are undone as one.
///
/// # Errors
/// When it is too much altogether, or one of its marks cannot be: nothing of it is to be shown.
///
/// Cost: each step is packed once.
pub fn divided(intent: Intent) -> Result<Vec<Intent>, Refusal> {
    let (steps, first): (_, fn(Vec<Step>) -> Intent) = match intent {
        Intent::Do(steps) => (steps, Intent::Do),
        Intent::More(steps) => (steps, Intent::More),
        Intent::Undo | Intent::Redo | Intent::UndoOn(_) | Intent::RedoOn(_) | Intent::Stage(_) => {
            return Ok(vec![intent]);
        }
    };
    check_steps(&steps)?;
    let mut parts: Vec<Vec<Step>> = vec![Vec::new()];
    let mut bytes = 0;
    for step in steps {
        let size = encode(&step).len();
        if size > MAX_MESSAGE - 1024 {
            return Err(Refusal::TooLarge);
        }
        let part = parts.last_mut().expect("there is one at first");
        if bytes + size > PART && !part.is_empty() {
            bytes = 0;
            parts.push(vec![step]);
        } else {
            part.push(step);
        }
        bytes += size;
    }
    let each = parts
        .into_iter()
        .zip(std::iter::once(first).chain(std::iter::repeat(Intent::More as fn(_) -> _)));
    Ok(each.map(|(steps, part)| part(steps)).collect())
}
