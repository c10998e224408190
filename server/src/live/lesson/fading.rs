//! Fading ink is taken off the sheets when its time is over, through the log like everything else.

use std::time::Duration;

use bozzetto_core::geometry::ids::ChangeId;
use bozzetto_core::lesson::change::{Change, NOBODY, What};
use bozzetto_core::sheets::fade;
use bozzetto_core::sheets::step::{Deed, Op, Step};

use super::Lesson;

impl Lesson {
    /// How long until some ink has faded; `None` when none is going to.
    pub(super) fn fades_in(&self) -> Option<Duration> {
        let groups = fade::groups(&self.state.sheets, &self.wet.fading());
        let next = groups.iter().filter_map(fade::Group::gone).min()?;
        Some(Duration::from_millis(
            next.saturating_sub(crate::now() as u64),
        ))
    }

    /// Takes off the sheets what an earlier version kept there and what cannot be drawn with the
    /// means there are: it would end the process of whoever tries. Presenters are told.
    pub(super) fn leave_out(&mut self) {
        let undrawable = self.state.sheets.undrawable();
        if undrawable.is_empty() {
            return;
        }
        tracing::warn!(
            "lesson {}: {} marks are left out",
            self.id,
            undrawable.len()
        );
        self.left_out = undrawable.len() as u32;
        let step = |(sheet, mark)| Step {
            sheet,
            op: Op::Remove(mark),
        };
        self.by_itself(undrawable.into_iter().map(step).collect());
    }

    /// A change that is nobody's doing.
    fn by_itself(&mut self, steps: Vec<Step>) {
        let change = Change {
            id: ChangeId(rand::random()),
            author: NOBODY,
            at: crate::now() as u64,
            what: What::Marks {
                deed: Deed::Fade,
                steps,
            },
        };
        if let Err(why) = self.order(change) {
            tracing::error!("lesson {}: marks stay: {why}", self.id);
        }
        self.write();
    }

    pub(super) fn clear_faded(&mut self) {
        let now = crate::now() as u64;
        let groups = fade::groups(&self.state.sheets, &self.wet.fading());
        let steps = fade::clear(&groups, now);
        if steps.is_empty() {
            return;
        }
        self.by_itself(steps);
    }
}
