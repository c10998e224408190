//! Ink that fades by itself: it stays for a set time, then fades over one second.
//!
//! What is drawn in one go fades together. Strokes of one author belong together when less than
//! [`PAUSE`] lies between one's end and the next one's beginning; the time counts from the last
//! pen-up, so that a word does not lose its first letter while its last is written. All times are
//! the server's, so it looks the same on every screen.

use std::collections::BTreeMap;

use crate::geometry::ids::{AuthorId, MarkId};
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, SheetId, Step};

/// Strokes with a shorter pause between them, in milliseconds, were made in one go.
pub const PAUSE: u64 = 1500;

/// How long fading takes, in milliseconds.
pub const FADE: u64 = 1000;

/// What fades together.
#[derive(Clone, PartialEq, Debug)]
pub struct Group {
    /// They fade together.
    pub marks: Vec<(SheetId, MarkId)>,
    /// When it begins to fade; `None` while more of it is being drawn.
    pub begins: Option<u64>,
}

impl Group {
    /// When nothing of it is left to see.
    pub fn gone(&self) -> Option<u64> {
        self.begins.map(|at| at.saturating_add(FADE))
    }

    /// 1 before it fades, 0 afterwards.
    pub fn opacity(&self, now: u64) -> f64 {
        self.begins
            .map_or(1.0, |begins| {
                1.0 - now.saturating_sub(begins) as f64 / FADE as f64
            })
            .max(0.0)
    }
}

/// The fading marks of all sheets by what fades together. `drawing` gives the moments at which
/// strokes that are still being drawn with fading ink were begun.
pub fn groups(sheets: &Sheets, drawing: &[(AuthorId, u64)]) -> Vec<Group> {
    struct One {
        began: u64,
        ended: u64,
        stay: u64,
        mark: (SheetId, MarkId),
    }
    let mut by_author: BTreeMap<AuthorId, Vec<One>> = BTreeMap::new();
    for (sheet, mark) in sheets.fading() {
        let Some(fading) = mark.fades else { continue };
        by_author.entry(mark.author).or_default().push(One {
            began: mark.made_at.saturating_sub(u64::from(fading.drawn_for)),
            ended: mark.made_at,
            stay: u64::from(fading.stay) * 1000,
            mark: (sheet, mark.id),
        });
    }
    let mut groups = Vec::new();
    for (author, mut marks) in by_author {
        marks.sort_by_key(|m| (m.ended, m.mark.1));
        let mut group = Group {
            marks: Vec::new(),
            begins: None,
        };
        let mut last: Option<(u64, u64)> = None;
        for one in &marks {
            if let Some((ended, _)) = last
                && one.began >= ended.saturating_add(PAUSE)
            {
                groups.push(std::mem::replace(
                    &mut group,
                    Group {
                        marks: Vec::new(),
                        begins: None,
                    },
                ));
            }
            group.marks.push(one.mark);
            group.begins = Some(one.ended.saturating_add(one.stay));
            last = Some((one.ended, one.stay));
        }
        if let Some((ended, _)) = last {
            let goes_on = |(who, began): &(AuthorId, u64)| {
                *who == author && *began < ended.saturating_add(PAUSE)
            };
            if drawing.iter().any(goes_on) {
                group.begins = None;
            }
            groups.push(group);
        }
    }
    groups
}

/// Takes off the sheets what has faded by `now`.
pub fn clear(groups: &[Group], now: u64) -> Vec<Step> {
    groups
        .iter()
        .filter(|g| g.gone().is_some_and(|at| at <= now))
        .flat_map(|g| &g.marks)
        .map(|(sheet, id)| Step {
            sheet: *sheet,
            op: Op::Remove(*id),
        })
        .collect()
}

/// The next moment after `now` at which something begins to fade or is gone.
pub fn next(groups: &[Group], now: u64) -> Option<u64> {
    groups
        .iter()
        .flat_map(|g| [g.begins, g.gone()])
        .flatten()
        .filter(|at| *at > now)
        .min()
}
