//! How long a capture of a large wall takes.

use crate::rows::row;
use crate::{TARGET, milliseconds, percentile, serve, stroke};
use bozzetto::captures;
use bozzetto::lessons::queries;
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::{OnStage, Request};
use bozzetto_core::geometry::frames::{Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use std::time::Instant;

/// A box of 3840 by 2160 pixels with 500 marks, from request to kept PNG; beside encoding the same
/// finished pixels alone.
pub async fn capture_4k() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, _) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create_empty(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let chart = include_bytes!("../../../demo/Harbour approach.svg").to_vec();
    let whither = bozzetto::backdrops::queries::Whither::Lesson(lesson);
    let backdrop = bozzetto::backdrops::add(&app, whither, "chart.svg", &chart, None, None)
        .await
        .expect("a store")
        .expect("a picture");
    let changes: Vec<(u64, Change)> = (1..=500)
        .map(|id| {
            let steps = vec![Step {
                sheet: SheetId::Backdrop(BackdropId(backdrop as u64)),
                op: Op::Add(stroke(id, 60)),
            }];
            (
                id,
                Change {
                    id: ChangeId(id),
                    author: AuthorId(1),
                    at: 1,
                    what: What::Marks {
                        deed: Deed::Do,
                        steps,
                    },
                },
            )
        })
        .collect();
    app.store
        .write(move |c| bozzetto::live::log::append(c, lesson, &changes))
        .await
        .expect("a log");
    let request = Request {
        area: Rect::of_size(Size::glass(16.0, 9.0)),
        device: 2.0,
        ratio: 2.0,
        stage: OnStage {
            current: Some(BackdropId(backdrop as u64)),
            ..OnStage::default()
        },
        way: Way::Stage,
    };
    let mut took = Vec::new();
    for _ in 0..7 {
        let begun = Instant::now();
        captures::take(&app, lesson, request.clone(), Vec::new())
            .await
            .expect("a capture");
        took.push(milliseconds(begun.elapsed()));
    }
    let name = app
        .store
        .read(move |c| {
            Ok(c.query_row("SELECT media FROM capture LIMIT 1", [], |r| {
                r.get::<_, String>(0)
            })?)
        })
        .await
        .expect("a capture");
    let file = app.media.read(&name).expect("a file");
    let pixmap = bozzetto_press::Pixmap::decode_png(&file).expect("a picture");
    let mut alone = Vec::new();
    for _ in 0..7 {
        let begun = Instant::now();
        std::hint::black_box(bozzetto_press::png::encode(&pixmap, 2.0));
        alone.push(milliseconds(begun.elapsed()));
    }
    took.sort_by(f64::total_cmp);
    alone.sort_by(f64::total_cmp);
    let note = format!(
        "median of 7, {} KB, written, synced and with its thumbnail; baseline: encoding alone",
        file.len() / 1024
    );
    row(
        "capture.4k",
        percentile(&took, 0.5),
        "ms",
        Some(percentile(&alone, 0.5)),
        &note,
    );
}
