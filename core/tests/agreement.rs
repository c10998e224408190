//! Writes down a log and the lesson that it gives natively, for the browser tests to replay in
//! WebAssembly: both must hold the same bytes.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Ink, Map, Point, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::pen::{Device, Pen, Sample, WidthRule};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent, NOBODY, What};
use bozzetto_core::marks::fading::Fading;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::encode;

#[test]
fn write_a_log_for_webassembly() {
    let mut lesson = Lesson::new(Keep::All);
    let mut log: Vec<Change> = vec![brought()];
    lesson.apply(&log[0]).unwrap();
    let mut random = 1u64;
    let mut next = move |n: u64| {
        random = random
            .wrapping_mul(6364136223846793005)
            .wrapping_add(1442695040888963407);
        (random >> 33) % n
    };
    for i in 1..600u64 {
        let author = AuthorId(next(3));
        let sheet = match next(3) {
            0 => SheetId::Glass,
            n => SheetId::Backdrop(BackdropId(n)),
        };
        let known: Vec<MarkId> = lesson.sheets.sheet(sheet).marks().map(|m| m.id).collect();
        let some = known.get(next(known.len().max(1) as u64) as usize).copied();
        let op = match (next(10), some) {
            (0..=1, Some(id)) => Op::Remove(id),
            (2, Some(id)) => Op::Transform {
                marks: vec![id],
                by: Map::scale_then_move(0.9, next(50) as f64 / 7.0, 3.3),
            },
            (3, _) if next(8) == 0 => Op::Wipe,
            _ => Op::Add(stroke(i, author, &mut next)),
        };
        let intent = match next(7) {
            0 => Intent::Undo,
            1 => Intent::Redo,
            2 => Intent::Stage(vec![see(BackdropId(next(2) + 1), &mut next)]),
            _ => Intent::Do(vec![Step { sheet, op }]),
        };
        if let Ok(what) = lesson.resolve(author, &intent) {
            let change = Change {
                id: ChangeId(i),
                author,
                at: i,
                what,
            };
            if lesson.apply(&change).is_ok() {
                log.push(change);
            }
        }
    }
    assert!(log.len() > 300);
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../target/agreement");
    std::fs::create_dir_all(folder).unwrap();
    std::fs::write(format!("{folder}/log"), encode(&log)).unwrap();
    std::fs::write(
        format!("{folder}/lesson"),
        encode(&(lesson.sheets.snapshot(), &lesson.stage)),
    )
    .unwrap();
}

/// Two boards, as a lesson begins with them.
fn brought() -> Change {
    let board = |at: usize| StageStep::Bring {
        at,
        backdrop: Box::new(BackdropView {
            id: BackdropId(at as u64 + 1),
            name: "Board".to_owned(),
            width: 1920.0,
            height: 1080.0,
            kind: BackdropKind::Board(Board::default()),
            seen: ViewState::default(),
        }),
    };
    let steps = vec![StageStep::Aspect(16.0, 9.0), board(0), board(1)];
    Change {
        id: ChangeId(0),
        author: NOBODY,
        at: 0,
        what: What::Stage(steps),
    }
}

/// Seen larger: what is settled by it is part of what must agree.
fn see(backdrop: BackdropId, next: &mut impl FnMut(u64) -> u64) -> StageStep {
    let mut some = |most: f64| next(1000) as f64 / 1000.0 * most;
    let zoom = Zoom {
        by: some(9.0),
        x: some(1.3),
        y: some(1.3),
    };
    let seen = Box::new(ViewState {
        zoom,
        ..ViewState::default()
    });
    StageStep::See { backdrop, seen }
}

/// A stroke as a pen makes it: filter, widths and rounding are part of what must agree.
fn stroke(id: u64, author: AuthorId, next: &mut impl FnMut(u64) -> u64) -> Mark {
    let mut pen = Pen::new(Device::Pen, WidthRule::Lively, 9.0);
    let (mut x, mut y) = (next(1800) as f64, next(1000) as f64);
    for i in 0..next(60) + 1 {
        x += next(200) as f64 / 9.0 - 10.0;
        y += next(200) as f64 / 11.0 - 9.0;
        pen.push(Sample {
            at: Point::new(x, y),
            pressure: next(100) as f64 / 100.0,
            t: i as f64 * 8.3,
        });
    }
    let view = Zoom::WHOLE.map(Size::new(1234.0, 777.0), Size::glass(16.0, 9.0));
    let tip = if next(5) == 0 { Tip::Flat } else { Tip::Round };
    let colour = Rgb::hex(next(1 << 24) as u32);
    let points = pen.lift();
    let mut mark = Mark::new(
        MarkId(id),
        author,
        Style::new(tip, colour, 9.0),
        Body::Stroke(fit(&points.0).unwrap()),
        Map::<Ink, _>::coincident().then(&view.inverse().unwrap()),
        id as i64,
    );
    mark.fades = (next(4) == 0).then_some(Fading {
        stay: 4,
        drawn_for: 200,
    });
    mark
}
