//! What participants have made of a worksheet, as files: pictures with a table in a ZIP file, pages of a PDF file, and each
//! as an SVG file in which marks are lines.

use axum::extract::{Path, Query, State};
use axum::response::Response;
use bozzetto_core::capture::name::file_name;
use bozzetto_core::capture::paper::{Layout, Lies};
use bozzetto_core::capture::send::Format;
use bozzetto_core::geometry::ids::AuthorId;
use bozzetto_core::sheets::owned;
use bozzetto_core::sheets::sheet::Sheets;
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::worksheets::elsewhere::Fits;
use bozzetto_core::worksheets::worksheet::Verdict;
use bytes::Bytes;
use rusqlite::Connection;
use serde::Deserialize;

use super::queries::{self, Answer, Worksheet};
use crate::app::App;
use crate::backdrops::queries as backdrops;
use crate::captures::{Paper, as_file, print_of, zipped};
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::live::log;
use crate::render::TO_CAPTURE;
use crate::render::job::{Done, File, Job, Send};
use crate::table::{self, To, cell, moment};

pub fn routes() -> Routes {
    const SHEET: &str = "/lessons/{lesson}/worksheets/{worksheet}";
    Routes::of(Access::Presenter)
        .get(&format!("{SHEET}/zip"), zip)
        .get(&format!("{SHEET}/csv"), csv)
        .get(&format!("{SHEET}/pdf"), pdf)
        .get(&format!("{SHEET}/answers/{{answer}}/picture"), one)
}

/// The widest and highest that a picture of a hand-in is, in pixels.
const MOST: (u32, u32) = (4096, 4096);

/// What is wanted in the files.
#[derive(Deserialize, Default)]
#[serde(default)]
struct Wanted {
    /// Who made what. Without, numbers.
    names: bool,
    /// The presenter's remarks as well.
    remarks: bool,
    /// SVG files instead of pictures.
    lines: bool,
}

/// What somebody has handed in last, or has drawn so far, as a PNG file.
pub async fn picture(app: &App, answer: &Answer, remarks: bool) -> Result<Bytes> {
    let (backdrop, sheets) = marked(app, answer, remarks).await?;
    let (print, memory) = print_of(app, backdrop, &sheets).await?;
    let job = Job::Small { print, most: MOST };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Png(png) => Ok(png),
        _ => Err(AppError::Internal("no picture".to_owned())),
    }
}

/// What somebody has drawn up to now, to be handed in elsewhere: as large as fits, as a PNG file, or as JPEG where that
/// would be too much. Gives its type as well.
pub async fn for_elsewhere(
    app: &App,
    answer: &Answer,
    fits: Option<Fits>,
    png: bool,
) -> Result<(Bytes, Format)> {
    let now = Answer {
        handed_in: None,
        ..answer.clone()
    };
    let (backdrop, sheets) = marked(app, &now, false).await?;
    let (print, memory) = print_of(app, backdrop, &sheets).await?;
    let most = fits.map_or(MOST, |fits| (fits.width, fits.height));
    let job = Job::Small { print, most };
    let Done::Png(picture) = app.render.run_sized(job, memory, TO_CAPTURE).await? else {
        return Err(AppError::Internal("no picture".to_owned()));
    };
    let bytes = fits.and_then(|fits| fits.bytes).unwrap_or(u64::MAX);
    if png || picture.len() as u64 <= bytes {
        return Ok((picture, Format::Png));
    }
    let path = written(app, &picture)?;
    let (width, height) = image_size(&picture).unwrap_or(most);
    let job = Job::Send {
        file: File {
            name: path.to_string_lossy().into_owned(),
            path: path.to_path_buf(),
        },
        send: Send {
            width,
            height,
            format: Format::Jpeg,
            quality: 90,
            most: Some(bytes),
            title: String::new(),
            taken: String::new(),
        },
    };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Sent { bytes, .. } => Ok((bytes, Format::Jpeg)),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

/// The pixels of a PNG file, from its head (W3C PNG, 11.2.1).
fn image_size(png: &[u8]) -> Option<(u32, u32)> {
    let side = |at: usize| {
        let bytes = png.get(at..at + 4)?;
        Some(u32::from_be_bytes(bytes.try_into().ok()?))
    };
    Some((side(16)?, side(20)?))
}

/// What somebody has handed in last as an SVG file in which what is marked are lines.
async fn lines(app: &App, answer: &Answer, title: String, remarks: bool) -> Result<Bytes> {
    let (backdrop, sheets) = marked(app, answer, remarks).await?;
    let (print, memory) = print_of(app, backdrop, &sheets).await?;
    // Its picture is in the file as text.
    let memory = memory + u64::from(print.plan.width) * u64::from(print.plan.height) * 12;
    let job = Job::Svg { print, title };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Sent { bytes, .. } => Ok(bytes),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

async fn marked(app: &App, answer: &Answer, remarks: bool) -> Result<(BackdropView, Sheets)> {
    let answer = answer.clone();
    let read = app.store.read(move |conn| marks(conn, &answer, remarks));
    let (backdrop, sheets) = read.await?;
    Ok((backdrop.ok_or(AppError::NotFound)?, sheets))
}

/// An answer's picture and its marks, as they were handed in last; of one that was not, as they are.
pub fn marks(
    conn: &Connection,
    answer: &Answer,
    remarks: bool,
) -> crate::store::Result<(Option<BackdropView>, Sheets)> {
    let (drawn_in, author) = (answer.drawn_in, AuthorId(answer.participant as u64));
    let backdrop = backdrops::of_lesson(conn, drawn_in)?.into_iter().next();
    let now = log::marks_at(conn, drawn_in, u64::MAX)?;
    let mut sheets = match &answer.handed_in {
        Some(last) => owned::by(&log::marks_at(conn, drawn_in, last.seq)?, author, true),
        None => owned::by(&now, author, true),
    };
    if remarks {
        let others = owned::by(&now, author, false);
        for id in others.ids() {
            let both = sheets.sheet(id).marks().chain(others.sheet(id).marks());
            let both: Vec<_> = both.cloned().collect();
            sheets.load(id, both);
        }
    }
    Ok((backdrop, sheets))
}

async fn all(app: &App, lesson: i64, sheet: i64) -> Result<(Worksheet, Vec<Answer>)> {
    let read = move |conn: &Connection| {
        let of = queries::one(conn, lesson, sheet)?;
        Ok((of, queries::answers(conn, sheet)?))
    };
    let (of, answers) = app.store.read(read).await?;
    Ok((of.ok_or(AppError::NotFound)?, answers))
}

/// Those that are handed in, with their numbers.
fn handed_in(answers: &[Answer]) -> impl Iterator<Item = (usize, &Answer)> {
    let numbered = answers
        .iter()
        .enumerate()
        .map(|(n, answer)| (n + 1, answer));
    numbered.filter(|(_, answer)| answer.handed_in.is_some())
}

/// A file for as long as it takes to pack it.
fn written(app: &App, bytes: &[u8]) -> Result<tempfile::TempPath> {
    let mut file = app.media.receive()?;
    file.push(bytes)?;
    Ok(file.until_dropped())
}

/// What a hand-in is called: its number, and perhaps whose it is.
fn called(number: usize, answer: &Answer, wanted: &Wanted) -> String {
    match wanted.names {
        true => format!("{number:03} {}", answer.name),
        false => format!("{number:03}"),
    }
}

/// The table of a worksheet.
fn table(answers: &[Answer], wanted: &Wanted) -> Result<Vec<u8>> {
    let head = [
        "number",
        "name",
        "standing",
        "version",
        "handed in",
        "verdict",
        "points",
    ];
    let rows = answers.iter().zip(1..).map(|(answer, n)| {
        let last = answer.handed_in.as_ref();
        let points = answer.noted.points;
        [
            i32::to_string(&n),
            match wanted.names {
                true => cell(&answer.name),
                false => String::new(),
            },
            answer.standing().words().to_owned(),
            last.map_or(String::new(), |last| last.number.to_string()),
            last.map_or(String::new(), |last| moment(last.at as i64, To::Second)),
            answer.noted.verdict.map_or("", Verdict::name).to_owned(),
            points.map_or(String::new(), |points| points.to_string()),
        ]
    });
    table::of(head, rows)
}

async fn csv(
    State(app): State<App>,
    Path((lesson, sheet)): Path<(i64, i64)>,
    Query(wanted): Query<Wanted>,
) -> Result<Response> {
    let (of, answers) = all(&app, lesson, sheet).await?;
    let table = table(&answers, &wanted)?;
    Ok(as_file(
        &of.said.name,
        "csv",
        "text/csv; charset=utf-8",
        table,
    ))
}

async fn zip(
    State(app): State<App>,
    Path((lesson, sheet)): Path<(i64, i64)>,
    Query(wanted): Query<Wanted>,
) -> Result<Response> {
    let (of, answers) = all(&app, lesson, sheet).await?;
    let mut files = vec![(
        file_name(&of.said.name, "csv"),
        written(&app, &table(&answers, &wanted)?)?,
    )];
    for (n, answer) in handed_in(&answers) {
        let name = called(n, answer, &wanted);
        let (file, bytes) = match wanted.lines {
            true => {
                let lines = lines(&app, answer, name.clone(), wanted.remarks).await?;
                (file_name(&name, "svg"), lines)
            }
            false => (
                file_name(&name, "png"),
                picture(&app, answer, wanted.remarks).await?,
            ),
        };
        files.push((file, written(&app, &bytes)?));
    }
    let paths = files
        .iter()
        .map(|(name, path)| (name.clone(), path.to_path_buf()));
    let paths = paths.collect();
    zipped(&app, &of.said.name, paths).await
}

async fn pdf(
    State(app): State<App>,
    Path((lesson, sheet)): Path<(i64, i64)>,
    Query(wanted): Query<Wanted>,
    Query(paper): Query<Paper>,
) -> Result<Response> {
    let (of, answers) = all(&app, lesson, sheet).await?;
    let (mut files, mut paths) = (Vec::new(), Vec::new());
    for (n, answer) in handed_in(&answers) {
        let path = written(&app, &picture(&app, answer, wanted.remarks).await?)?;
        let file = File {
            name: path.to_string_lossy().into_owned(),
            path: path.to_path_buf(),
        };
        files.push((file, called(n, answer, &wanted)));
        paths.push(path);
    }
    if files.is_empty() {
        return Err(AppError::Unusable("Nothing is handed in yet.".to_owned()));
    }
    let memory = u64::from(of.width) * u64::from(of.height) * 24 + (256 << 20);
    let job = Job::Pages {
        files,
        title: of.said.name.clone(),
        layout: match paper.layout() {
            Layout::Own => Layout::Paper(1, Lies::default()),
            several => several,
        },
        shape: f64::from(of.width) / f64::from(of.height.max(1)),
    };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Sent { bytes, .. } => Ok(as_file(&of.said.name, "pdf", "application/pdf", bytes)),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

async fn one(
    State(app): State<App>,
    Path((lesson, sheet, id)): Path<(i64, i64, i64)>,
    Query(wanted): Query<Wanted>,
) -> Result<Response> {
    let (of, answers) = all(&app, lesson, sheet).await?;
    let mut numbered = answers.iter().enumerate();
    let (n, answer) = numbered
        .find(|(_, a)| a.id == id)
        .ok_or(AppError::NotFound)?;
    let title = format!("{} {}", of.said.name, called(n + 1, answer, &wanted));
    let picture = picture(&app, answer, wanted.remarks).await?;
    Ok(as_file(&title, "png", "image/png", picture))
}
