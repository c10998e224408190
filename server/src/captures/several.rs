//! Several captures at once: found, handed out, taken back, deleted, and as one file.

use std::collections::HashSet;
use std::io::{Seek, SeekFrom, Write};
use std::path::PathBuf;

use askama::Template;
use axum::body::Body;
use axum::extract::{Path, Query, RawQuery, State};
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::capture::name::{counted, file_name, has_words};
use bozzetto_core::capture::paper::{Layout, Lies};
use serde::Deserialize;
use tokio_util::io::ReaderStream;

use super::queries::{self, Capture};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::attachment;
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::render::TO_CAPTURE;
use crate::render::job::{Done, Job};

pub fn routes() -> Routes {
    const ALL: &str = "/lessons/{lesson}/captures";
    let several = |what: &str| format!("{ALL}/several/{what}");
    Routes::of(Access::Presenter)
        .get(&format!("{ALL}/found"), found)
        .get(&several("zip"), zip)
        .get(&several("pdf"), pdf)
        .post(&several("{what}"), change)
}

/// Captures of a lesson, and what has just become of some.
#[derive(Template, Default)]
#[template(path = "captures_found.html")]
pub struct Found {
    pub lesson: i64,
    pub words: String,
    pub captures: Vec<Capture>,
    /// What happened, in words.
    pub happened: Option<String>,
    /// Those that were deleted, and can be brought back.
    pub deleted: Vec<i64>,
}

/// Which captures are looked for; nothing looks for all.
#[derive(Deserialize, Default)]
#[serde(default)]
struct Wanted {
    words: String,
    backdrop: String,
    day: String,
}

impl Wanted {
    fn is(&self, c: &Capture) -> bool {
        let texts = [&c.name, &c.caption, &c.backdrop].map(String::as_str);
        has_words(&self.words, texts)
            && (self.backdrop.is_empty() || self.backdrop == c.backdrop)
            && (self.day.is_empty() || self.day == c.day())
    }
}

impl Found {
    /// How many of them participants have.
    fn out(&self) -> usize {
        self.captures.iter().filter(|c| c.handed_out).count()
    }
}

/// The captures that are looked for.
async fn wanted(app: &App, lesson: i64, wanted: &Wanted) -> Result<Vec<Capture>> {
    let all = app.store.read(move |conn| queries::of_lesson(conn, lesson));
    let mut all = all.await?;
    all.retain(|c| wanted.is(c));
    Ok(all)
}

async fn found(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Query(asked): Query<Wanted>,
) -> Result<Html<String>> {
    let captures = wanted(&app, lesson, &asked).await?;
    let found = Found {
        lesson,
        words: asked.words,
        captures,
        ..Found::default()
    };
    Ok(Html(found.render()?))
}

/// The numbers of those that were chosen: `c=3&c=7`.
fn chosen(form: &str) -> HashSet<i64> {
    let fields = form.split('&').filter_map(|f| f.strip_prefix("c="));
    fields.filter_map(|n| n.parse().ok()).collect()
}

/// Those that were chosen, in their order.
async fn captures(app: &App, lesson: i64, form: &str) -> Result<Vec<Capture>> {
    let chosen = chosen(form);
    let mut all = wanted(app, lesson, &Wanted::default()).await?;
    all.retain(|c| chosen.contains(&c.id));
    match all.is_empty() {
        true => Err(AppError::Unusable("Choose some captures first.".to_owned())),
        false => Ok(all),
    }
}

async fn change(
    State(app): State<App>,
    Path((lesson, what)): Path<(i64, String)>,
    form: String,
) -> Result<Html<String>> {
    let ids: Vec<i64> = match what.as_str() {
        // They are in no list.
        "restore" => chosen(&form).into_iter().collect(),
        _ => {
            let some = captures(&app, lesson, &form).await?;
            some.iter().map(|c| c.id).collect()
        }
    };
    let happened = match what.as_str() {
        "hand-out" => "handed out",
        "take-back" => "taken back",
        "delete" => "deleted. They can be brought back for 30 days",
        "restore" => "here again",
        "earlier" => "one place earlier",
        "later" => "one place later",
        _ => return Err(AppError::NotFound),
    };
    let (these, deed) = (ids.clone(), what.clone());
    let write = move |conn: &rusqlite::Connection| match deed.as_str() {
        "hand-out" | "take-back" => these
            .iter()
            .try_for_each(|id| queries::set_handed_out(conn, lesson, *id, deed == "hand-out")),
        "earlier" | "later" => queries::shift(conn, lesson, &these, deed == "later"),
        _ => these
            .iter()
            .try_for_each(|id| queries::set_deleted(conn, lesson, *id, deed == "delete")),
    };
    app.store.write(write).await?;
    app.live.tell(lesson, Command::CapturesChanged).await;
    let number = match ids.len() {
        1 => "One capture is".to_owned(),
        n => format!("{n} captures are"),
    };
    let mut captures = wanted(&app, lesson, &Wanted::default()).await?;
    // What is moved goes on being moved.
    let moved = matches!(what.as_str(), "earlier" | "later");
    for c in &mut captures {
        c.chosen = moved && ids.contains(&c.id);
    }
    let found = Found {
        lesson,
        captures,
        happened: Some(format!("{number} {happened}.")),
        deleted: if what == "delete" { ids } else { Vec::new() },
        ..Found::default()
    };
    Ok(Html(found.render()?))
}

/// What a file of several is called by.
async fn title(app: &App, lesson: i64) -> Result<String> {
    let card = app
        .store
        .read(move |conn| lessons::one(conn, lesson))
        .await?;
    Ok(format!(
        "Captures, {}",
        card.ok_or(AppError::NotFound)?.name
    ))
}

async fn zip(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    RawQuery(query): RawQuery,
) -> Result<Response> {
    let captures = captures(&app, lesson, &query.unwrap_or_default()).await?;
    let title = title(&app, lesson).await?;
    let mut names = Names::default();
    let files = captures.iter();
    let files = files.map(|c| (names.file(&c.name, "png"), app.media.path_of(&c.media)));
    let files = files.collect();
    zipped(&app, &title, files).await
}

/// Files, each under its name, in one ZIP file.
pub async fn zipped(app: &App, title: &str, files: Vec<(String, PathBuf)>) -> Result<Response> {
    let bytes: u64 = files
        .iter()
        .filter_map(|(_, path)| Some(std::fs::metadata(path).ok()?.len()))
        .sum();
    app.room.for_a_capture(bytes)?;
    let media = app.media.clone();
    let packing = tokio::task::spawn_blocking(move || -> std::io::Result<std::fs::File> {
        // Never in memory: a lesson may have hundreds.
        let mut zip = zip::ZipWriter::new(media.nameless()?);
        // Pictures are packed already.
        let plain = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        for (name, path) in files {
            zip.start_file(name, plain).map_err(std::io::Error::other)?;
            std::io::copy(&mut std::fs::File::open(path)?, &mut zip)?;
        }
        let mut file = zip.finish().map_err(std::io::Error::other)?;
        file.flush()?;
        file.seek(SeekFrom::Start(0))?;
        Ok(file)
    });
    let file = packing
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let body = Body::from_stream(ReaderStream::new(tokio::fs::File::from_std(file)));
    Ok(as_file(title, "zip", "application/zip", body))
}

/// Names for files, none twice: those that are alike are counted.
#[derive(Default)]
pub struct Names(HashSet<String>);

impl Names {
    pub fn file(&mut self, name: &str, extension: &str) -> String {
        let mut names = counted(name).map(|name| file_name(&name, extension));
        // Some systems tell no capitals from small letters.
        names
            .find(|name| self.0.insert(name.to_lowercase()))
            .unwrap_or_default()
    }
}

/// How a PDF is laid: `own`, or how many to a page of A4, and how that lies.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Paper {
    layout: String,
    lies: Lies,
}

impl Paper {
    pub fn layout(&self) -> Layout {
        let number = self.layout.parse();
        number.map_or(Layout::Own, |n| Layout::Paper(n, self.lies))
    }
}

async fn pdf(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    Query(paper): Query<Paper>,
    RawQuery(query): RawQuery,
) -> Result<Response> {
    let captures = captures(&app, lesson, &query.unwrap_or_default()).await?;
    let title = title(&app, lesson).await?;
    let files = captures
        .iter()
        .map(|c| (app.media.file(&c.media), c.words().to_owned()))
        .collect();
    let largest = captures
        .iter()
        .map(|c| u64::from(c.width) * u64::from(c.height));
    let memory = largest.max().unwrap_or(0) * 24 + (256 << 20);
    let mut shapes: Vec<f64> = captures
        .iter()
        .map(|c| f64::from(c.width) / f64::from(c.height.max(1)))
        .collect();
    shapes.sort_by(f64::total_cmp);
    let job = Job::Pages {
        files,
        title: title.clone(),
        layout: paper.layout(),
        shape: shapes[shapes.len() / 2],
    };
    match app.render.run_sized(job, memory, TO_CAPTURE).await? {
        Done::Sent { bytes, .. } => Ok(as_file(&title, "pdf", "application/pdf", bytes)),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

pub fn as_file(title: &str, extension: &str, mime: &str, body: impl Into<Body>) -> Response {
    let headers = [
        (header::CONTENT_TYPE, mime.to_owned()),
        (
            header::CONTENT_DISPOSITION,
            attachment(&file_name(title, extension)),
        ),
        (header::CACHE_CONTROL, "no-store".to_owned()),
    ];
    (headers, body.into()).into_response()
}
