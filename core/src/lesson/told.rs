//! What participants are told of a lesson: the same while it goes on and when it is shown again.

use std::collections::HashSet;
use std::sync::Arc;

use crate::geometry::frames::{Glass, Size};
use crate::geometry::ids::MarkId;
use crate::marks::mark::Mark;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, SheetId, Step};
use crate::stage::backdrop::BackdropView;
use crate::stage::covered;
use crate::stage::pane::Pane;
use crate::stage::state::Stage;

/// Sheets with their marks.
pub type SheetMarks = Vec<(SheetId, Vec<Arc<Mark>>)>;

/// The sheets in view of a stage, the glass last.
pub fn in_view(stage: &Stage) -> Vec<SheetId> {
    let sheets = stage.each().flat_map(BackdropView::sheets);
    sheets.chain([SheetId::Glass]).collect()
}

/// The marks in view of a stage, without those that lie beneath a cover. `area` is its picture area.
pub fn marks(stage: &Stage, area: Size<Glass>, sheets: &Sheets) -> SheetMarks {
    let panes = stage.panes(area);
    let told = |sheet| {
        let marks = sheets.sheet(sheet).marks();
        let told = marks.filter(|mark| !covered::hides(&panes, sheet, mark));
        (sheet, told.cloned().collect())
    };
    in_view(stage).into_iter().map(told).collect()
}

/// The marks on the same sheets that are not among those that were told.
pub fn untold(told: &SheetMarks, sheets: &Sheets) -> HashSet<MarkId> {
    let mut untold = HashSet::new();
    for (sheet, marks) in told {
        let known: HashSet<MarkId> = marks.iter().map(|mark| mark.id).collect();
        let all = sheets.sheet(*sheet).marks().map(|mark| mark.id);
        untold.extend(all.filter(|id| !known.contains(id)));
    }
    untold
}

/// Whether steps have to do with marks that lie beneath a cover, so that participants, who were not told of `untold`, cannot
/// follow them.
pub fn touches_covered(steps: &[Step], panes: &[Pane], untold: &HashSet<MarkId>) -> bool {
    let unknown = |id: &MarkId| untold.contains(id);
    steps.iter().any(|step| match &step.op {
        Op::Add(mark) | Op::Replace(mark) => {
            unknown(&mark.id) || covered::hides(panes, step.sheet, mark)
        }
        Op::Remove(id) => unknown(id),
        Op::Transform { marks, .. } | Op::Restyle { marks, .. } => marks.iter().any(unknown),
        Op::Wipe => false,
    })
}

/// Whether something else is covered of a stage than was before: what was covered is marked there, too.
pub fn uncovers(before: &Stage, after: &Stage) -> bool {
    let mut all = before.each().zip(after.each());
    all.any(|(before, after)| after.seen.uncovers(&before.seen))
}
