//! The chapters of a lesson: what came on stage, what was captured, what was marked.

use std::collections::BTreeMap;

use super::clock::Clock;
use super::cuts::Chapter;
use crate::geometry::ids::BackdropId;
use crate::lesson::change::Change;
use crate::stage::step::StageStep;

/// Where a chapter may begin.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Event {
    /// Milliseconds since 1970.
    pub at: u64,
    pub name: String,
    /// Somebody wanted it kept: a capture, a moment that was marked. What only passed by is none.
    pub wanted: bool,
}

/// What participants got to see one after the other: each backdrop and each page, by its name. What was changed while the
/// lesson was paused comes when it goes on. `names` has the backdrops that are not brought by these changes.
pub fn on_stage<'a>(
    changes: impl IntoIterator<Item = &'a Change>,
    names: &BTreeMap<BackdropId, String>,
) -> Vec<Event> {
    let mut names = names.clone();
    let mut pages = BTreeMap::new();
    let mut paused = false;
    let mut current = None;
    let mut seen = None;
    let mut events = Vec::new();
    for change in changes {
        for step in change.stage_steps() {
            match step {
                StageStep::Arrange { current: id, .. } => current = Some(*id),
                StageStep::See { backdrop, seen } => {
                    pages.insert(*backdrop, seen.page);
                }
                StageStep::Bring { backdrop, .. } => {
                    names.insert(backdrop.id, backdrop.name.clone());
                    pages.insert(backdrop.id, backdrop.seen.page);
                }
                StageStep::Pause(is) => paused = *is,
                _ => {}
            }
        }
        let shows = current.map(|id| (id, pages.get(&id).copied().unwrap_or(0)));
        if paused || shows == seen {
            continue;
        }
        seen = shows;
        if let Some((id, page)) = shows
            && let Some(name) = names.get(&id)
        {
            let name = match page {
                0 => name.clone(),
                page => format!("{name}, page {}", page + 1),
            };
            events.push(Event {
                at: change.at,
                name,
                wanted: false,
            });
        }
    }
    events
}

/// What is seen for less than this only passes by, in seconds.
const PASSES_BY: f64 = 2.0;

/// The chapters of a film of a lesson, from what happened in it, in any order. The first one begins with the film.
pub fn chapters(mut events: Vec<Event>, clock: &Clock) -> Vec<Chapter> {
    events.sort_by_key(|event| event.at);
    let mut all = Vec::new();
    let mut next = f64::INFINITY;
    for event in events.into_iter().rev() {
        let Some(at) = clock.to_film(event.at) else {
            continue;
        };
        let stays = next - at >= PASSES_BY;
        if !event.wanted {
            next = at;
        }
        if event.wanted || stays {
            let name = event.name;
            all.push(Chapter { at, name });
        }
    }
    all.reverse();
    match all.first_mut() {
        Some(first) if first.at < PASSES_BY => first.at = 0.0,
        _ => all.insert(
            0,
            Chapter {
                at: 0.0,
                name: "Beginning".to_owned(),
            },
        ),
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::ids::{AuthorId, ChangeId};
    use crate::lesson::change::What;
    use crate::stage::backdrop::ViewState;

    fn change(at: u64, step: StageStep) -> Change {
        Change {
            id: ChangeId(at),
            author: AuthorId(1),
            at,
            what: What::Stage(vec![step]),
        }
    }

    fn arrange(at: u64, id: u64) -> Change {
        change(
            at,
            StageStep::Arrange {
                current: BackdropId(id),
                beside: None,
            },
        )
    }

    fn page(at: u64, id: u64, page: u32) -> Change {
        let seen = ViewState {
            page,
            ..ViewState::default()
        };
        change(
            at,
            StageStep::See {
                backdrop: BackdropId(id),
                seen: Box::new(seen),
            },
        )
    }

    /// A lesson as one might be: recorded from 10 s on, paused from 40 to 60 s of it.
    #[test]
    fn a_lesson_has_the_chapters_that_were_seen() {
        let s = |seconds: u64| seconds * 1000;
        let changes = [
            arrange(s(1), 1),
            arrange(s(20), 2),
            page(s(25), 2, 1),
            // Not seen by anybody before it goes on.
            change(s(30), StageStep::Pause(true)),
            arrange(s(31), 1),
            arrange(s(32), 3),
            change(s(35), StageStep::Pause(false)),
            // While recording was paused.
            arrange(s(50), 1),
            // Passed by on the way to the other one.
            arrange(s(70), 2),
            arrange(s(71), 3),
        ];
        let names = [(1, "Tide"), (2, "Chart"), (3, "Practice"), (4, "Nobody's")];
        let names = names
            .map(|(id, name)| (BackdropId(id), name.to_owned()))
            .into();
        let mut events = on_stage(&changes, &names);
        events.push(Event {
            at: s(70),
            name: "Low water".to_owned(),
            wanted: true,
        });
        let clock = Clock::new(vec![(0, s(10)), (30_000_000, s(60))], 60_000_000);
        let found = chapters(events, &clock);
        let found: Vec<_> = found.iter().map(|c| (c.at, c.name.as_str())).collect();
        let wanted = [
            (0.0, "Tide"),
            (10.0, "Chart"),
            (15.0, "Chart, page 2"),
            (25.0, "Practice"),
            (30.0, "Tide"),
            (40.0, "Low water"),
            (41.0, "Practice"),
        ];
        assert_eq!(found, wanted);
    }
}
