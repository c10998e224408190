//! Files that people bring as backdrops: chosen, pasted or dropped, several at once.
//!
//! What a file is, is known by its content. It is written piece by piece under a temporary name and
//! read through before anything refers to it: an upload that breaks off leaves nothing behind.

use axum::Json;
use axum::extract::multipart::{Field, MultipartError};
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use bozzetto_core::capture::name::tidy;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::stage::playback::frame_length;
use bozzetto_press::document;
use bozzetto_press::picture::{self, PictureFault};
use serde::{Deserialize, Serialize};

use super::queries::{self, New, Whither};
use super::{pictures, videos, web_pages};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::media::{Incoming, Written};
use crate::render::job::{Done, Job};
use crate::render::{RenderFault, TO_READ};

/// The largest upload, in bytes.
pub const LIMIT: usize = 2 * 1024 * 1024 * 1024;
/// The largest file, in bytes: a video of a lesson's length.
const MAX_FILE: u64 = 1024 * 1024 * 1024;
/// The longest part of a form that is words, in bytes.
const MAX_WORDS: u64 = 64 * 1024;
/// After how many bytes it is asked again whether there is room for more.
const ASK_EVERY: u64 = 16 * 1024 * 1024;

/// How an upload went, file by file.
#[derive(Serialize, Default)]
struct Outcome {
    /// The backdrops' ids.
    added: Vec<i64>,
    /// The one that goes on stage.
    #[serde(skip)]
    shown: Option<i64>,
    refused: Vec<Said>,
    /// What is to be known of files that were taken.
    notes: Vec<Said>,
}

impl IntoResponse for Outcome {
    fn into_response(self) -> Response {
        let status = match self.refused.is_empty() {
            true => StatusCode::OK,
            false => StatusCode::UNPROCESSABLE_ENTITY,
        };
        (status, Json(self)).into_response()
    }
}

#[derive(Serialize)]
struct Said {
    file: String,
    why: String,
}

/// What the browser knows of a video, which it can play and the server cannot.
#[derive(Deserialize, Clone, Debug)]
pub struct About {
    pub width: f64,
    pub height: f64,
    /// In seconds.
    pub duration: f64,
    /// The moments of its first frames, in seconds.
    pub moments: Vec<f64>,
}

/// What goes before a file in the form and belongs to it.
#[derive(Default)]
struct Before {
    about: Option<About>,
    poster: Option<Incoming>,
    /// The backdrop that it comes after.
    after: Option<i64>,
}

/// Adds files after what is on stage, and shows the first of them; or after another backdrop.
pub async fn to_lesson(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    form: Multipart,
) -> Result<Response> {
    let outcome = take(&app, Whither::Lesson(lesson), form).await?;
    let goto = outcome.shown.map(|id| BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(outcome.into_response())
}

/// Adds files at the end of a running order that is being prepared.
pub async fn to_order(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    form: Multipart,
) -> Result<Response> {
    let outcome = take(&app, Whither::End(lesson), form).await?;
    app.live.tell(lesson, Command::Changed { goto: None }).await;
    Ok(outcome.into_response())
}

pub async fn to_library(State(app): State<App>, form: Multipart) -> Result<Response> {
    let outcome = take(&app, Whither::Library, form).await?;
    Ok(outcome.into_response())
}

async fn take(app: &App, whither: Whither, mut form: Multipart) -> Result<Outcome> {
    let mut outcome = Outcome::default();
    let mut before = Before::default();
    while let Some(field) = form.next_field().await.map_err(broken)? {
        match field.name() {
            Some("about") => {
                let text = received(app, field, MAX_WORDS).await?;
                let text = text.map(|text| text.contents()).transpose()?;
                before.about = text.and_then(|text| serde_json::from_slice(&text).ok());
                continue;
            }
            Some("poster") => {
                before.poster = received(app, field, picture::MAX_BYTES as u64).await?;
                continue;
            }
            Some("after") => {
                let text = received(app, field, MAX_WORDS).await?;
                let text = text.map(|text| text.contents()).transpose()?;
                let text = text.and_then(|text| String::from_utf8(text).ok());
                before.after = text.and_then(|text| text.parse().ok());
                continue;
            }
            _ => {}
        }
        // Browsers write a quote in a name so. Source: HTML, multipart/form-data encoding algorithm.
        let file = field.file_name().unwrap_or("Picture").replace("%22", "\"");
        let incoming = received(app, field, MAX_FILE).await?;
        let before = std::mem::take(&mut before);
        // The first is shown, and those that come with it follow it.
        let after = before.after.or(outcome.added.last().copied());
        let to = match (whither, after) {
            (Whither::Lesson(lesson), Some(backdrop)) => Whither::After { lesson, backdrop },
            _ => whither,
        };
        let added = match incoming {
            None => Err("The file is larger than 1 GB.".to_owned()),
            Some(incoming) => bring(app, to, &file, incoming, before).await?,
        };
        match added {
            Ok((id, note)) => {
                outcome.notes.extend(note.map(|why| Said {
                    file,
                    why: why.to_owned(),
                }));
                if after.is_none() {
                    outcome.shown = Some(id);
                }
                outcome.added.push(id);
            }
            Err(why) => outcome.refused.push(Said { file, why }),
        }
    }
    Ok(outcome)
}

fn broken(_: MultipartError) -> AppError {
    AppError::Unusable(
        "The upload broke off or was too large; nothing of it was kept. Files up to 1 GB work."
            .to_owned(),
    )
}

/// Takes a part of a form piece by piece, into a file that goes away unless it is kept; `None` when
/// it is longer than `most` bytes, which are read all the same.
///
/// # Errors
/// When the line breaks, or the data folder takes no more.
pub async fn received(app: &App, mut field: Field<'_>, most: u64) -> Result<Option<Incoming>> {
    let mut incoming = app.media.receive()?;
    let mut asked = 0;
    while let Some(piece) = field.chunk().await.map_err(broken)? {
        if incoming.bytes() + piece.len() as u64 > most {
            while field.chunk().await.map_err(broken)?.is_some() {}
            return Ok(None);
        }
        if incoming.bytes() >= asked {
            asked = incoming.bytes() + ASK_EVERY;
            app.room.for_an_upload(incoming.bytes() + ASK_EVERY)?;
        }
        // A slow disk holds up nobody's pen.
        let pushed = tokio::task::spawn_blocking(move || {
            incoming.push(&piece)?;
            Ok::<_, std::io::Error>(incoming)
        });
        incoming = pushed
            .await
            .map_err(|e| AppError::Internal(e.to_string()))??;
    }
    Ok(Some(incoming))
}

/// What is said of a picture of which only a part is kept.
pub const STILL: &str = "It moves, and is shown still: its first picture.";

/// Adds a file as a backdrop; gives its id and what is to be known of it, or says why it cannot be one.
async fn bring(
    app: &App,
    whither: Whither,
    file: &str,
    incoming: Incoming,
    before: Before,
) -> Result<std::result::Result<(i64, Option<&'static str>), String>> {
    let name = name_of(file);
    let (new, note) = match read_any(app, name, incoming, before).await? {
        Ok(read) => read,
        Err(why) => return Ok(Err(why)),
    };
    let id = app
        .store
        .write(move |conn| queries::add(conn, whither, &new))
        .await?;
    Ok(Ok((id, note)))
}

/// Reads a picture or a document through, and keeps it; with what is to be known of it.
pub async fn read(
    app: &App,
    name: String,
    incoming: Incoming,
) -> Result<std::result::Result<(New, Option<&'static str>), String>> {
    read_any(app, name, incoming, Before::default()).await
}

/// Reads a file of any kind through, and keeps it; with what is to be known of it.
async fn read_any(
    app: &App,
    name: String,
    incoming: Incoming,
    before: Before,
) -> Result<std::result::Result<(New, Option<&'static str>), String>> {
    if let Some(mime) = videos::mime_of(incoming.head()) {
        let about = match videos::checked(before.about) {
            Ok(about) => about,
            Err(why) => return Ok(Err(why)),
        };
        let poster = match before.poster {
            Some(poster) => read_picture(app, poster).await?.ok().map(|read| read.file),
            None => None,
        };
        let new = New {
            name,
            kind: BackdropKind::Video {
                duration: about.duration,
                frame: frame_length(&about.moments),
            },
            file: Some(kept(incoming, mime).await?),
            poster,
            width: about.width,
            height: about.height,
            seen: ViewState::default(),
        };
        return Ok(Ok((new, None)));
    }
    if web_pages::is_one(incoming.head()) {
        let page = web_pages::bring(app, name, incoming).await?;
        return Ok(page.map(|new| (new, None)));
    }
    if document::looks_like(incoming.head()) {
        let document = read_document(app, name, incoming).await?;
        return Ok(document.map(|new| (new, None)));
    }
    let read = read_picture(app, incoming).await?;
    Ok(read.map(|read| {
        let note = read.moved.then_some(STILL);
        (picture_backdrop(name, read), note)
    }))
}

/// Keeps a file as it is.
pub async fn kept(incoming: Incoming, mime: &'static str) -> Result<Written> {
    let kept = tokio::task::spawn_blocking(move || incoming.keep(mime));
    Ok(kept
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??)
}

/// What a worker says of a file: the fault that is the file's own, apart from all others.
fn judged(
    done: std::result::Result<Done, RenderFault>,
) -> Result<std::result::Result<Done, String>> {
    match done {
        Ok(done) => Ok(Ok(done)),
        Err(RenderFault::Busy) => Err(RenderFault::Busy.into()),
        Err(fault) => Ok(Err(fault.to_string())),
    }
}

async fn read_document(
    app: &App,
    name: String,
    incoming: Incoming,
) -> Result<std::result::Result<New, String>> {
    if incoming.bytes() > document::MAX_BYTES as u64 {
        return Ok(Err(document::DocumentFault::TooManyBytes.to_string()));
    }
    let job = Job::Document(incoming.path().to_owned());
    let memory = incoming.bytes() * 2;
    let pages = match judged(app.render.run_sized(job, memory, TO_READ).await)? {
        Ok(Done::Document(pages)) => pages,
        Ok(_) => return Err(AppError::Internal("no document".to_owned())),
        Err(why) => return Ok(Err(why)),
    };
    let (width, height) = pages.first().copied().unwrap_or((595.0, 842.0));
    Ok(Ok(New {
        name,
        kind: BackdropKind::Document { pages },
        file: Some(kept(incoming, "application/pdf").await?),
        poster: None,
        width: f64::from(width),
        height: f64::from(height),
        seen: ViewState::default(),
    }))
}

/// A picture that was read through and kept.
pub struct ReadPicture {
    pub file: Written,
    pub width: u32,
    pub height: u32,
    vector: bool,
    /// Of several pictures in the file the first one is kept.
    pub moved: bool,
}

/// Reads a picture through and keeps it, without what its file says beside what it shows.
pub async fn read_picture(
    app: &App,
    incoming: Incoming,
) -> Result<std::result::Result<ReadPicture, String>> {
    if incoming.bytes() > picture::MAX_BYTES as u64 {
        return Ok(Err(PictureFault::TooManyBytes.to_string()));
    }
    let job = Job::Picture(incoming.path().to_owned());
    let memory = pictures::memory_of(incoming.path()) + incoming.bytes();
    let done = match judged(app.render.run_sized(job, memory, TO_READ).await)? {
        Ok(done) => done,
        Err(why) => return Ok(Err(why)),
    };
    let Done::Picture {
        bytes,
        mime,
        width,
        height,
        vector,
        moved,
    } = done
    else {
        return Err(AppError::Internal("no picture".to_owned()));
    };
    let mime = picture::MIMES.into_iter().find(|known| *known == mime);
    let mime = mime.ok_or_else(|| AppError::Internal("no kind of picture".to_owned()))?;
    let media = app.media.clone();
    let written = tokio::task::spawn_blocking(move || media.write(&bytes, mime));
    let file = written
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    Ok(Ok(ReadPicture {
        file,
        width,
        height,
        vector,
        moved,
    }))
}

fn picture_backdrop(name: String, read: ReadPicture) -> New {
    let grain = match read.vector {
        true => Grain::Vector,
        false => Grain::Pixels,
    };
    New {
        name,
        kind: BackdropKind::Picture { grain },
        file: Some(read.file),
        poster: None,
        width: f64::from(read.width),
        height: f64::from(read.height),
        seen: ViewState::default(),
    }
}

/// Adds a file that is at hand, as the demo data are; gives the backdrop's id.
pub async fn add(
    app: &App,
    whither: Whither,
    file: &str,
    bytes: &[u8],
    about: Option<About>,
    poster: Option<Vec<u8>>,
) -> Result<std::result::Result<i64, String>> {
    let mut incoming = app.media.receive()?;
    incoming.push(bytes)?;
    let poster = match poster {
        Some(bytes) => {
            let mut poster = app.media.receive()?;
            poster.push(&bytes)?;
            Some(poster)
        }
        None => None,
    };
    let before = Before {
        about,
        poster,
        after: None,
    };
    let added = bring(app, whither, file, incoming, before).await?;
    Ok(added.map(|(id, _)| id))
}

/// A file's name without its ending.
pub fn name_of(file: &str) -> String {
    let bare = file.rsplit(['/', '\\']).next().unwrap_or(file);
    let stem = match bare.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ => bare,
    };
    tidy(&stem.replace(['_', '-'], " ")).unwrap_or_else(|| "Picture".to_owned())
}
