//! `bozzetto render`: the process in which files that people brought are read and drawn.
//!
//! It does one job after another and lives for as long as the server wants it. What a file makes it
//! do hurts nobody else: it takes no more memory than it is given (the system refuses it, and it
//! ends), is ended by the server when it takes too long, and gives way to every other process.

use std::collections::VecDeque;
use std::io::{Read, Write};
use std::path::Path;
use std::sync::Arc;

use bozzetto_core::geometry::frames::{Glass, Point, Size};
use bozzetto_core::marks::budget;
use bozzetto_core::marks::text::Text;
use bozzetto_core::wire::{decode, encode};
use bozzetto_press::document::PageOf;
use bozzetto_press::document::{Document, Part};
use bozzetto_press::picture::{self, Shown, Source};
use bozzetto_press::{inkml, list_svg, png, raster, send, sheet_svg};
use bozzetto_text::{Place, Setter, laid_out};
use bytes::Bytes;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};

use super::job::{Done, File, Job, Order, PagePart, Shows, Which};

/// How much of what was opened is kept for the next job, in bytes.
const KEPT: usize = 96 * 1024 * 1024;
/// What the worker itself takes before it has opened anything, in bytes.
const OWN: u64 = 24 * 1024 * 1024;
/// How much lower the priority is: pens come first.
const NICE: i32 = 5;

/// Takes orders from standard input until it ends.
///
/// # Errors
/// When the input is not one that a server sends.
pub fn run() -> anyhow::Result<()> {
    let _ = rustix::process::nice(NICE);
    // A crash is no news: it leaves nothing behind.
    let none = Rlimit {
        current: Some(0),
        maximum: Some(0),
    };
    let _ = setrlimit(Resource::Core, none);
    // What went wrong is said in the answer.
    std::panic::set_hook(Box::new(|_| {}));
    let (mut input, mut output) = (std::io::stdin().lock(), std::io::stdout().lock());
    let mut kept = Kept::default();
    let mut length = [0; 4];
    while input.read_exact(&mut length).is_ok() {
        let mut bytes = vec![0; u32::from_le_bytes(length) as usize];
        input.read_exact(&mut bytes)?;
        let order: Order = decode(&bytes).ok_or_else(|| anyhow::anyhow!("no order"))?;
        drop(bytes);
        if order.memory > super::ORDINARY {
            kept = Kept::default();
        }
        allow(order.memory);
        allow_time(Some(order.seconds));
        let work = std::panic::AssertUnwindSafe(|| kept.work(order.job));
        let done = std::panic::catch_unwind(work)
            .unwrap_or_else(|_| Done::Fault("The file is damaged.".to_owned()));
        allow(super::LARGE);
        allow_time(None);
        let answer = encode(&done);
        output.write_all(&(answer.len() as u32).to_le_bytes())?;
        output.write_all(&answer)?;
        output.flush()?;
    }
    Ok(())
}

/// Lets the process have this much memory to write in. Source: `setrlimit(2)`, `RLIMIT_DATA`, which
/// counts private mappings that can be written to since Linux 4.7.
fn allow(memory: u64) {
    let limit = Rlimit {
        current: Some(memory + OWN),
        maximum: getrlimit(Resource::Data).maximum,
    };
    let _ = setrlimit(Resource::Data, limit);
}

/// Lets the process use processors for so many seconds more, or for as long as it likes. The system
/// ends it then (`SIGXCPU`). What counts is its own time, however busy the machine is otherwise.
fn allow_time(seconds: Option<u64>) {
    let used = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime).tv_sec as u64;
    let limit = Rlimit {
        // A second is begun already.
        current: seconds.map(|seconds| used + seconds + 1),
        maximum: getrlimit(Resource::Cpu).maximum,
    };
    let _ = setrlimit(Resource::Cpu, limit);
}

/// What was opened, newest first: a backdrop is captured again and again.
#[derive(Default)]
struct Kept {
    pictures: VecDeque<(String, Source)>,
    documents: VecDeque<(String, Arc<Document>)>,
    /// Sets words; fonts stay in it.
    setter: Setter,
}

/// Words set in type of [`send::TYPE`] points, in lines of so many points.
fn set(setter: &mut Setter, words: &str, wide: f64) -> Text {
    let place = Place::free(Point::new(0.0, 0.0), Some(wide));
    let (text, wanted) = laid_out(setter, words, send::TYPE, &place);
    let fonts = wanted.into_iter();
    let came = fonts.map(|name| {
        let font = crate::assets::contents(&format!("fonts/text/{name}.ttf"));
        font.is_some_and(|bytes| setter.came(name, bytes))
    });
    // All of them, before it is set again.
    match came.filter(|came| *came).count() {
        0 => text,
        _ => laid_out(setter, words, send::TYPE, &place).0,
    }
}

impl Kept {
    fn work(&mut self, job: Job) -> Done {
        self.try_to(job).unwrap_or_else(Done::Fault)
    }

    fn try_to(&mut self, job: Job) -> Result<Done, String> {
        match job {
            Job::Picture(path) => {
                let read = picture::read(bytes(&path)?).map_err(|e| e.to_string())?;
                Ok(Done::Picture {
                    bytes: read.bytes.into(),
                    mime: read.mime.to_owned(),
                    width: read.width,
                    height: read.height,
                    vector: read.vector,
                    moved: read.moved,
                })
            }
            Job::Document(path) => {
                let document = Document::open(bytes(&path)?).map_err(|e| e.to_string())?;
                Ok(Done::Document(document.pages()))
            }
            Job::Marks { file, stage } => marks(&bytes(&file)?, stage),
            Job::Send { file, send: asked } => {
                let wanted = send::Wanted {
                    width: asked.width,
                    height: asked.height,
                    format: asked.format,
                    quality: asked.quality,
                    most: asked.most,
                    title: &asked.title,
                    taken: &asked.taken,
                };
                let sent = send::send(&bytes(&file.path)?, &wanted).map_err(|e| e.to_string())?;
                Ok(Done::Sent {
                    bytes: sent.bytes.into(),
                    quality: sent.quality,
                })
            }
            Job::Pages {
                files,
                title,
                layout,
                shape,
            } => {
                let each = files.into_iter();
                let each = each.map(|(file, words)| Ok((bytes(&file.path)?, words)));
                let set = |words: &str, wide| set(&mut self.setter, words, wide);
                Ok(sent(send::pages(each, &title, layout, shape, set)?))
            }
            Job::Svg { print, title } => {
                let shown = self.shown(&print.pictures)?;
                let svg = list_svg::write(&print.list, &print.plan, &shown, &title);
                Ok(sent(svg.ok_or("It is too large to be drawn.")?))
            }
            Job::Page { file, part } => self.page(&file, &part),
            Job::Cut(print) => {
                let shown = self.shown(&print.pictures)?;
                let pixmap = raster::print(&print.list, &print.plan, &shown);
                let pixmap = pixmap.ok_or("It is too large to be drawn.")?;
                pixmap
                    .encode_png()
                    .map(|png| Done::Png(png.into()))
                    .map_err(|e| e.to_string())
            }
            Job::Small { print, most } => {
                let shown = self.shown(&print.pictures)?;
                let pixmap = raster::print(&print.list, &print.plan, &shown);
                let pixmap = pixmap.ok_or("It is too large to be drawn.")?;
                Ok(Done::Png(png::thumbnail(&pixmap, most.0, most.1).into()))
            }
            Job::Capture {
                print,
                scale,
                most,
                outline,
                bench,
                seen,
            } => {
                let shown = self.shown(&print.pictures)?;
                let finish = raster::Finish {
                    outline: outline.as_ref(),
                    bench: &bench,
                    seen,
                    scale,
                    small: most,
                };
                let captured = raster::capture(&print.list, &print.plan, &shown, &finish)
                    .ok_or("It is too large to be drawn.")?;
                Ok(Done::Capture {
                    whole: captured.whole.into(),
                    small: captured.small.into(),
                    width: captured.width,
                    height: captured.height,
                })
            }
        }
    }

    fn page(&mut self, file: &File, part: &PagePart) -> Result<Done, String> {
        let document = self.document(file)?;
        let printed = document.print(
            part.page,
            &Part {
                scale: part.scale,
                x: f64::from(part.x),
                y: f64::from(part.y),
                width: part.width,
                height: part.height,
            },
        );
        let pixmap = printed.ok_or("There is no such page.")?;
        Ok(Done::Png(png::encode(&pixmap, 1.0).into()))
    }

    fn shown(&mut self, pictures: &[(Which, Shows)]) -> Result<Shown, String> {
        let mut shown = Shown::default();
        for (which, shows) in pictures {
            let source = match shows {
                Shows::Picture(file) => self.picture(file)?,
                Shows::Page { file, page, width } => Source::Page(PageOf {
                    document: self.document(file)?,
                    number: *page,
                    width: *width,
                }),
            };
            match which {
                Which::Backdrop(key) => shown.backdrops.insert(*key, source),
                Which::Placed(name) => shown.placed.insert(*name, source),
            };
        }
        Ok(shown)
    }

    fn picture(&mut self, file: &File) -> Result<Source, String> {
        if let Some(source) = newest(&mut self.pictures, &file.name) {
            return Ok(source);
        }
        let source = Source::open(&bytes(&file.path)?).map_err(|e| e.to_string())?;
        self.pictures
            .push_front((file.name.clone(), source.clone()));
        let mut sum = 0;
        let fits = self.pictures.iter().take_while(|(_, s)| {
            sum += s.bytes();
            sum <= KEPT
        });
        let fits = fits.count();
        self.pictures.truncate(fits);
        Ok(source)
    }

    fn document(&mut self, file: &File) -> Result<Arc<Document>, String> {
        if let Some(document) = newest(&mut self.documents, &file.name) {
            return Ok(document);
        }
        let document = Document::open(bytes(&file.path)?).map_err(|e| e.to_string())?;
        let document = Arc::new(document);
        self.documents.truncate(1);
        self.documents
            .push_front((file.name.clone(), document.clone()));
        Ok(document)
    }
}

/// What is kept under this name, which becomes the newest.
fn newest<T: Clone>(kept: &mut VecDeque<(String, T)>, name: &str) -> Option<T> {
    let at = kept.iter().position(|(known, _)| known == name)?;
    let found = kept.remove(at)?;
    let value = found.1.clone();
    kept.push_front(found);
    Some(value)
}

/// A file that has all its quality.
fn sent(bytes: impl Into<Bytes>) -> Done {
    let bytes = bytes.into();
    Done::Sent {
        bytes,
        quality: 100,
    }
}

fn bytes(path: &Path) -> Result<Vec<u8>, String> {
    std::fs::read(path).map_err(|e| format!("The file could not be read: {e}"))
}

fn marks(bytes: &[u8], stage: Size<Glass>) -> Result<Done, String> {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(4096)]).into_owned();
    let (marks, left) = if head.contains("<svg") {
        let marks = sheet_svg::read(bytes).map_err(|e| e.to_string())?;
        (marks, Vec::new())
    } else {
        let read = inkml::read(bytes, stage).map_err(|e| e.to_string())?;
        (read.marks, read.left)
    };
    budget::check_all(&marks).map_err(|e| format!("These marks cannot be read: {e}."))?;
    Ok(Done::Marks { marks, left })
}
