//! Fading ink is taken off the sheets when its time is over, through the log like everything else.

use std::time::Duration;

use bozzetto_core::change::{Change, Deed};
use bozzetto_core::fading;
use bozzetto_core::ids::{AuthorId, ChangeId};

use super::Lesson;

impl Lesson {
    /// How long until some ink has faded; `None` when none is going to.
    pub(super) fn fades_in(&self) -> Option<Duration> {
        let groups = fading::groups(&self.sheets, &self.wet.fading());
        let next = groups.iter().filter_map(fading::Group::gone).min()?;
        Some(Duration::from_millis(
            next.saturating_sub(crate::now() as u64),
        ))
    }

    pub(super) fn clear_faded(&mut self) {
        let now = crate::now() as u64;
        let groups = fading::groups(&self.sheets, &self.wet.fading());
        let steps = fading::clear(&groups, now);
        if steps.is_empty() {
            return;
        }
        let change = Change {
            id: ChangeId(rand::random()),
            // Nobody's doing.
            author: AuthorId(0),
            at: now,
            deed: Deed::Fade,
            steps,
        };
        if let Err(why) = self.order(change) {
            tracing::error!("lesson {}: faded ink stays: {why}", self.id);
        }
        self.write();
    }
}
