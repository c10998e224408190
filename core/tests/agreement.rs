//! Writes down a log and the sheets that it gives natively, for the browser tests to replay in
//! WebAssembly: both must hold the same bytes.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Ink, Map, Point, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::pen::{Device, Pen, Sample, WidthRule};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::marks::fading::Fading;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::sheets::change::{Change, Intent, Op, SheetId, Step};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::wire::encode;

#[test]
fn write_a_log_for_webassembly() {
    let mut sheets = Sheets::new(Keep::All);
    let mut log: Vec<Change> = Vec::new();
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
        let known: Vec<MarkId> = sheets.sheet(sheet).marks().map(|m| m.id).collect();
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
        let intent = match next(6) {
            0 => Intent::Undo,
            1 => Intent::Redo,
            _ => Intent::Do(vec![Step { sheet, op }]),
        };
        if let Ok((deed, steps)) = sheets.resolve(author, &intent) {
            let change = Change {
                id: ChangeId(i),
                author,
                at: i,
                deed,
                steps,
            };
            if sheets.apply(&change).is_ok() {
                log.push(change);
            }
        }
    }
    assert!(log.len() > 300);
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../target/agreement");
    std::fs::create_dir_all(folder).unwrap();
    std::fs::write(format!("{folder}/log"), encode(&log)).unwrap();
    std::fs::write(format!("{folder}/sheets"), encode(&sheets.snapshot())).unwrap();
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
