//! Marks and whose they are: a guest on a sheet touches only their own.

use std::collections::BTreeSet;

use crate::geometry::ids::{AuthorId, MarkId};
use crate::marks::mark::Mark;
use crate::sheets::history::Keep;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, Step};

/// What remains of `steps` for a guest, who adds marks of their own, and changes and removes no others: wiping a sheet
/// removes theirs. What the eraser leaves of somebody else's mark is left out with it. Marks that are not there count
/// as the guest's; whoever applies the steps refuses them.
///
/// Cost: that of the steps, and of the marks of each sheet that is wiped.
pub fn only_own(sheets: &Sheets, author: AuthorId, steps: Vec<Step>) -> Vec<Step> {
    let mut left = Vec::new();
    // Whose the others' marks are that stay, and when they were made: so their pieces are known.
    let mut kept: BTreeSet<(AuthorId, u64)> = BTreeSet::new();
    for step in steps {
        let sheet = sheets.sheet(step.sheet);
        let own = |id: &MarkId| sheet.get(*id).is_none_or(|mark| mark.author == author);
        let mut push = |op| {
            left.push(Step {
                sheet: step.sheet,
                op,
            });
        };
        match step.op {
            Op::Add(mark) if kept.contains(&(mark.author, mark.made_at)) => {}
            Op::Add(mark) => push(Op::Add(Mark { author, ..mark })),
            Op::Remove(id) if own(&id) => push(Op::Remove(id)),
            Op::Remove(id) => kept.extend(sheet.get(id).map(|mark| (mark.author, mark.made_at))),
            Op::Replace(mark) if own(&mark.id) => push(Op::Replace(mark)),
            Op::Replace(_) => {}
            Op::Transform { mut marks, by } => {
                marks.retain(own);
                if !marks.is_empty() {
                    push(Op::Transform { marks, by });
                }
            }
            Op::Restyle { mut marks, style } => {
                marks.retain(own);
                if !marks.is_empty() {
                    push(Op::Restyle { marks, style });
                }
            }
            Op::Wipe => {
                let theirs = sheet.marks().filter(|mark| mark.author == author);
                theirs.for_each(|mark| push(Op::Remove(mark.id)));
            }
        }
    }
    left
}

/// The marks that are an author's, or with `own` false those that are everybody else's.
pub fn by(sheets: &Sheets, author: AuthorId, own: bool) -> Sheets {
    let mut left = Sheets::new(Keep::Nobody);
    for id in sheets.ids() {
        let marks = sheets.sheet(id).marks();
        left.load(id, marks.filter(|m| (m.author == author) == own).cloned());
    }
    left
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::frames::{Map, Point};
    use crate::geometry::ids::BackdropId;
    use crate::marks::mark::Body;
    use crate::marks::stamp::{Sign, Stamp};
    use crate::marks::swatch::ORIGINALS;
    use crate::sheets::step::{Deed, SheetId};
    use proptest::prelude::*;

    const SHEET: SheetId = SheetId::Backdrop(BackdropId(1));

    fn mark(id: u64, author: u64) -> Mark {
        let stamp = Stamp::new(Sign::ALL[0], Point::new(100.0, 100.0), 40.0);
        let style = ORIGINALS[0].style();
        Mark::new(
            MarkId(id),
            AuthorId(author),
            style,
            Body::Stamp(stamp),
            Map::coincident(),
            id as i64,
        )
    }

    proptest! {
        /// Whatever a guest asks for, everybody else's marks stay as they are, and what the guest may do is done.
        #[test]
        fn what_others_drew_stays(
            there in prop::collection::btree_map(0u64..12, 1u64..4, 0..12),
            deeds in prop::collection::vec((0u8..6, 0u64..16, 1u64..4), 1..12),
        ) {
            let guest = AuthorId(1);
            let mut sheets = Sheets::new(Keep::Nobody);
            for (id, author) in &there {
                let step = Step { sheet: SHEET, op: Op::Add(mark(*id, *author)) };
                sheets.apply(AuthorId(*author), 1, Deed::Do, &[step]).unwrap();
            }
            let by = Map::scale_then_move(1.0, 5.0, 7.0);
            let style = ORIGINALS[1].style();
            for (deed, id, author) in deeds {
                let op = match deed {
                    0 => Op::Add(mark(id, author)),
                    1 => Op::Remove(MarkId(id)),
                    2 => Op::Replace(Mark { style, ..mark(id, author) }),
                    3 => Op::Transform { marks: vec![MarkId(id), MarkId(id / 2)], by },
                    4 => Op::Restyle { marks: vec![MarkId(id), MarkId(id / 2)], style },
                    _ => Op::Wipe,
                };
                let others = |sheets: &Sheets| {
                    let all = sheets.sheet(SHEET);
                    all.marks().filter(|m| m.author != guest).cloned().collect::<Vec<_>>()
                };
                let before = others(&sheets);
                let had = sheets.sheet(SHEET).get(MarkId(id)).map(|m| m.author);
                let steps = only_own(&sheets, guest, vec![Step { sheet: SHEET, op }]);
                let done = steps.is_empty() || sheets.apply(guest, 2, Deed::Do, &steps).is_ok();
                prop_assert_eq!(others(&sheets), before);
                let now = sheets.sheet(SHEET).get(MarkId(id)).map(|m| m.author);
                match deed {
                    0 if had.is_none() => prop_assert!(done && now == Some(guest)),
                    1 if had == Some(guest) => prop_assert_eq!(now, None),
                    5 => prop_assert!(sheets.sheet(SHEET).marks().all(|m| m.author != guest)),
                    _ => prop_assert_eq!(now.is_some(), had.is_some()),
                }
            }
        }
    }
}
