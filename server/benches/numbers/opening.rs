//! How long a large lesson takes to open, and a look at it once it is open.

use std::time::Instant;

use crate::rows::row;
use crate::{TARGET, milliseconds, percentile, serve, stroke};
use bozzetto::lessons::queries;
use bozzetto::live::log;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId};
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};

const CHANGES: u64 = 50_000;
/// How many came since the last snapshot: one is taken every 400.
const SINCE: u64 = 399;
const LESSONS: usize = 3;
const LOOKS: usize = 500;

/// Strokes, of which every third is taken away again by the change after it.
fn change(n: u64) -> (u64, Change) {
    let op = match n % 4 {
        3 => Op::Remove(MarkId(n - 1)),
        _ => Op::Add(stroke(n, 40)),
    };
    let steps = vec![Step {
        sheet: SheetId::Glass,
        op,
    }];
    let change = Change {
        id: ChangeId(n),
        author: AuthorId(1),
        at: 1,
        what: What::Marks {
            deed: Deed::Do,
            steps,
        },
    };
    (n, change)
}

/// A lesson of 50 000 changes, opened from its snapshot and what came since; then looks at it, as captures
/// and thumbnails take them.
pub async fn opening() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, _) = serve(folder.path()).await;
    let changes: Vec<(u64, Change)> = (1..=CHANGES).map(change).collect();
    let mut lesson = Lesson::new(Keep::All);
    for (_, change) in &changes[..(CHANGES - SINCE) as usize] {
        lesson.apply(change).expect("a change that applies");
    }
    let (snapshot, stage) = (lesson.sheets.snapshot(), lesson.stage);
    let (mut opened, mut looks) = (Vec::new(), Vec::new());
    for _ in 0..LESSONS {
        let (changes, snapshot, stage) = (changes.clone(), snapshot.clone(), stage.clone());
        let id = app
            .store
            .write(move |c| {
                let id = queries::create_empty(c, "Bench", "class")?;
                log::append(c, id, &changes)?;
                log::persist_snapshot(c, id, CHANGES - SINCE, &snapshot, &stage)?;
                Ok(id)
            })
            .await
            .expect("a lesson");
        let begun = Instant::now();
        app.live.look(id).await.expect("a lesson");
        opened.push(milliseconds(begun.elapsed()));
        for _ in 0..LOOKS {
            let begun = Instant::now();
            std::hint::black_box(app.live.look(id).await.expect("a lesson"));
            looks.push(milliseconds(begun.elapsed()));
        }
    }
    opened.sort_by(f64::total_cmp);
    looks.sort_by(f64::total_cmp);
    let marks = changes.len() / 2;
    let note = format!("{CHANGES} changes, {marks} marks; median of {LESSONS}; aim: under 300");
    row("lesson.open", percentile(&opened, 0.5), "ms", None, &note);
    let note = format!(
        "a look at that lesson once it is open, median of {}; p99 {:.2} ms; aim: under 1",
        looks.len(),
        percentile(&looks, 0.99)
    );
    row("lesson.look", percentile(&looks, 0.5), "ms", None, &note);
}
