//! How long captures of a large wall take, of all backdrops at once, and what files of them weigh.

use std::time::Instant;

use crate::process::resident_kb;
use crate::rows::{row, runs};
use crate::{TARGET, milliseconds, percentile, serve, stroke};
use bozzetto::app::App;
use bozzetto::captures;
use bozzetto::lessons::queries;
use bozzetto_core::capture::hide::{Hide, Hiding};
use bozzetto_core::capture::moment::{Bench, Cut};
use bozzetto_core::capture::send::Format;
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::{OnStage, Request};
use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_press::resample;
use bozzetto_press::send::{self, Wanted};

/// A lesson with a chart on stage, and 500 marks on it.
struct Wall {
    app: App,
    lesson: i64,
    backdrop: BackdropId,
    _folder: tempfile::TempDir,
}

impl Wall {
    async fn new() -> Self {
        let folder = tempfile::tempdir_in(TARGET).expect("a folder");
        let (app, _) = serve(folder.path()).await;
        let lesson = app
            .store
            .write(|c| queries::create_empty(c, "Bench", "class"))
            .await
            .expect("a lesson");
        let backdrop = chart(&app, lesson).await;
        let step = |id| Step {
            sheet: SheetId::Backdrop(backdrop),
            op: Op::Add(stroke(id, 60)),
        };
        let change = |id| Change {
            id: ChangeId(id),
            author: AuthorId(1),
            at: 1,
            what: What::Marks {
                deed: Deed::Do,
                steps: vec![step(id)],
            },
        };
        let changes: Vec<(u64, Change)> = (1..=500).map(|id| (id, change(id))).collect();
        app.store
            .write(move |c| bozzetto::live::log::append(c, lesson, &changes))
            .await
            .expect("a log");
        Self {
            app,
            lesson,
            backdrop,
            _folder: folder,
        }
    }

    /// Takes a part of the stage, at two pixels to a unit.
    async fn take(&self, area: Rect<Glass>) -> i64 {
        let request = Request {
            area,
            device: 2.0,
            ratio: 2.0,
            stage: OnStage {
                current: Some(self.backdrop),
                ..OnStage::default()
            },
            way: Way::Box,
        };
        captures::take(&self.app, self.lesson, request, Vec::new())
            .await
            .expect("a capture")
    }

    /// The file of a capture.
    async fn file(&self, id: i64) -> Vec<u8> {
        let read = self.app.store.read(move |c| {
            let mut statement = c.prepare("SELECT media FROM capture WHERE id = ?1")?;
            Ok(statement.query_row([id], |r| r.get::<_, String>(0))?)
        });
        let name = read.await.expect("a capture");
        self.app.media.read(&name).expect("a file")
    }
}

async fn chart(app: &App, lesson: i64) -> BackdropId {
    let chart = include_bytes!("../../../demo/Harbour approach.svg").to_vec();
    let whither = bozzetto::backdrops::queries::Whither::Lesson(lesson);
    let backdrop = bozzetto::backdrops::add(app, whither, "chart.svg", &chart, None, None)
        .await
        .expect("a store")
        .expect("a picture");
    BackdropId(backdrop as u64)
}

/// The median of seven times, in milliseconds.
fn median(mut took: Vec<f64>) -> f64 {
    took.sort_by(f64::total_cmp);
    percentile(&took, 0.5)
}

/// A box of 3840 by 2160 pixels with 500 marks, from request to kept PNG; beside encoding the same
/// finished pixels alone. Then the same with five parts of it hidden, and sent half as large.
pub async fn capture_4k() {
    let wall = Wall::new().await;
    let all = Rect::of_size(Size::glass(16.0, 9.0));
    let (mut took, mut id) = (Vec::new(), 0);
    for _ in 0..7 {
        let begun = Instant::now();
        id = wall.take(all).await;
        took.push(milliseconds(begun.elapsed()));
    }
    let file = wall.file(id).await;
    let pixmap = bozzetto_press::Pixmap::decode_png(&file).expect("a picture");
    let alone = (0..7).map(|_| {
        let begun = Instant::now();
        std::hint::black_box(bozzetto_press::png::encode(&pixmap, 2.0));
        milliseconds(begun.elapsed())
    });
    let alone = median(alone.collect());
    let note = format!(
        "median of 7, {} KB, written, synced and with its thumbnail; baseline: encoding alone",
        file.len() / 1024
    );
    row("capture.4k", median(took), "ms", Some(alone), &note);

    let mut took = Vec::new();
    for n in 0..7 {
        let part = |m: i32| Hide {
            area: Rect::from_size(
                100.0 + 340.0 * f64::from(m),
                200.0 + f64::from(n),
                300.0,
                160.0,
            ),
            how: [Hiding::Fill, Hiding::Blur, Hiding::Pixelate][m as usize % 3],
        };
        let hidden: Vec<Hide> = (0..5).map(part).collect();
        let begun = Instant::now();
        let change = |cut: Cut| Cut {
            bench: Bench {
                hidden: hidden.clone(),
                ..Bench::default()
            },
            ..cut
        };
        captures::remake(&wall.app, wall.lesson, id, change)
            .await
            .expect("the capture anew");
        took.push(milliseconds(begun.elapsed()));
    }
    let note = "the same with five parts hidden, of 300 by 160 units; baseline: encoding alone";
    row("capture.4k.hidden", median(took), "ms", Some(alone), note);

    let took = (0..7).map(|_| {
        let begun = Instant::now();
        std::hint::black_box(sent(&file, 1920, 1080).len());
        milliseconds(begun.elapsed())
    });
    let note =
        "its file read, resampled to 1920 by 1080 and written as PNG; baseline: encoding alone";
    row(
        "capture.4k.sent",
        median(took.collect()),
        "ms",
        Some(alone),
        note,
    );
}

fn sent(png: &[u8], width: u32, height: u32) -> Vec<u8> {
    let wanted = Wanted {
        width,
        height,
        format: Format::Png,
        quality: 100,
        most: None,
        title: "Bench",
        taken: "2026-11-27T10:42:00Z",
    };
    send::send(png, &wanted).expect("a file").bytes
}

/// All of 50 backdrops of a lesson, one after the other, as the captures page does it.
pub async fn capture_all() {
    let wall = Wall::new().await;
    for _ in 1..50 {
        chart(&wall.app, wall.lesson).await;
    }
    let look = wall.app.live.look(wall.lesson).await.expect("a lesson");
    let before = resident_kb();
    let (mut most, begun) = (before, Instant::now());
    for view in &look.order {
        let taken = captures::take_whole(&wall.app, wall.lesson, &look, view.clone(), Vec::new());
        taken.await.expect("a capture");
        most = most.max(resident_kb());
    }
    let seconds = begun.elapsed().as_secs_f64();
    let note = format!(
        "{} backdrops of 3840 pixels, {:.0} ms each; the server's memory grew by {:.0} MB at the most, workers apart",
        look.order.len(),
        seconds * 1000.0 / look.order.len() as f64,
        (most - before) / 1024.0
    );
    row("capture.all", seconds, "s", None, &note);
}

/// Twenty captures as PNG files for elsewhere, beside what `oxipng` makes of the same pixels at its default.
pub async fn png_size() {
    let wall = Wall::new().await;
    let (mut ours, mut theirs) = (0, 0);
    let (mut our_time, mut their_time) = (0.0, 0.0);
    for n in 0..20 {
        let (across, down) = (f64::from(n % 5), f64::from(n / 5));
        let area = Rect::from_size(across * 300.0, down * 170.0, 640.0 + 30.0 * down, 480.0);
        let id = wall.take(area).await;
        let file = wall.file(id).await;
        let pixmap = bozzetto_press::Pixmap::decode_png(&file).expect("a picture");
        let begun = Instant::now();
        ours += sent(&file, pixmap.width(), pixmap.height()).len();
        our_time += milliseconds(begun.elapsed());
        let begun = Instant::now();
        theirs += oxipng::optimize_from_memory(&file, &oxipng::Options::default())
            .expect("a PNG file")
            .len();
        their_time += milliseconds(begun.elapsed());
    }
    let note = format!(
        "20 captures in bytes; baseline: oxipng's default. Ours took {:.3} of its time",
        our_time / their_time
    );
    row("png.size", ours as f64, "B", Some(theirs as f64), &note);
}

/// A picture of 3840 by 2160 pixels made half as large, beside what the library for it takes that also goes through linear
/// light, by its own tables in 16 bits.
pub fn resample() {
    use fast_image_resize::images::Image;
    use fast_image_resize::{
        FilterType, PixelType, ResizeAlg, ResizeOptions, Resizer, create_srgb_mapper,
    };
    let picture = image::RgbImage::from_fn(3840, 2160, |x, y| {
        image::Rgb([(x / 15) as u8, (y / 9) as u8, (x ^ y) as u8])
    });
    let ours = (0..7).map(|_| {
        let begun = Instant::now();
        std::hint::black_box(resample::rgb(&picture, 1920, 1080));
        milliseconds(begun.elapsed())
    });
    let ours = median(ours.collect());
    let mapper = create_srgb_mapper();
    let options = ResizeOptions::new().resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3));
    let theirs = (0..7).map(|_| {
        let copy = picture.clone().into_raw();
        let begun = Instant::now();
        let from = Image::from_vec_u8(3840, 2160, copy, PixelType::U8x3).expect("pixels");
        let mut linear = Image::new(3840, 2160, PixelType::U16x3);
        mapper.forward_map(&from, &mut linear).expect("tables");
        let mut small = Image::new(1920, 1080, PixelType::U16x3);
        Resizer::new()
            .resize(&linear, &mut small, &options)
            .expect("a picture");
        let mut out = Image::new(1920, 1080, PixelType::U8x3);
        mapper.backward_map(&small, &mut out).expect("tables");
        std::hint::black_box(out.buffer().len());
        milliseconds(begun.elapsed())
    });
    let note = "3840 x 2160 to 1920 x 1080 in linear light, median of 7; baseline: fast_image_resize's own way there";
    row("resample", ours, "ms", Some(median(theirs.collect())), note);
}

/// Where all that was measured here is asked for.
pub async fn captures() {
    if runs("capture.4k") {
        capture_4k().await;
    }
    if runs("capture.all") {
        capture_all().await;
    }
    if runs("png.size") {
        png_size().await;
    }
    if runs("resample") {
        resample();
    }
}
