//! Files that people bring as backdrops: chosen, pasted or dropped, several at once.
//!
//! What a file is, is known by its content. It is written piece by piece under a temporary name and
//! read through before anything refers to it: an upload that breaks off leaves nothing behind.

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use bozzetto_core::backdrop::{BackdropKind, Seen};
use bozzetto_core::capture::Grain;
use bozzetto_core::ids::BackdropId;
use bozzetto_core::naming::tidy;
use bozzetto_core::playback::frame_length;
use bozzetto_press::document::{self, Document};
use bozzetto_press::{picture, svg};
use serde::{Deserialize, Serialize};

use super::queries::{self, New, Whither};
use super::videos;
use super::web_pages::{self, Brought};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::media::{Incoming, Written};

/// The largest upload, in bytes.
pub const LIMIT: usize = 2 * 1024 * 1024 * 1024;
/// The largest file, in bytes: a video of a lesson's length.
const MAX_FILE: u64 = 1024 * 1024 * 1024;

/// How an upload went, file by file.
#[derive(Serialize, Default)]
struct Outcome {
    /// The backdrops' ids.
    added: Vec<i64>,
    /// The one that goes on stage.
    #[serde(skip)]
    shown: Option<i64>,
    refused: Vec<Refused>,
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
struct Refused {
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
    poster: Option<Vec<u8>>,
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
    let broken = |_| {
        AppError::Unusable(
            "The upload broke off or was too large; nothing of it was kept. Files up to 1 GB work."
                .to_owned(),
        )
    };
    while let Some(mut field) = form.next_field().await.map_err(broken)? {
        match field.name() {
            Some("about") => {
                let text = field.text().await.map_err(broken)?;
                before.about = serde_json::from_str(&text).ok();
                continue;
            }
            Some("poster") => {
                before.poster = Some(field.bytes().await.map_err(broken)?.to_vec());
                continue;
            }
            Some("after") => {
                before.after = field.text().await.map_err(broken)?.parse().ok();
                continue;
            }
            _ => {}
        }
        let file = field.file_name().unwrap_or("Picture").to_owned();
        let mut incoming = app.media.receive()?;
        let mut too_large = false;
        while let Some(piece) = field.chunk().await.map_err(broken)? {
            too_large |= incoming.bytes() + piece.len() as u64 > MAX_FILE;
            if !too_large {
                // A slow disk holds up nobody's pen.
                let pushed = tokio::task::spawn_blocking(move || {
                    incoming.push(&piece)?;
                    Ok::<_, std::io::Error>(incoming)
                });
                incoming = pushed
                    .await
                    .map_err(|e| AppError::Internal(e.to_string()))??;
            }
        }
        let before = std::mem::take(&mut before);
        // The first is shown, and those that come with it follow it.
        let after = before.after.or(outcome.added.last().copied());
        let to = match (whither, after) {
            (Whither::Lesson(lesson), Some(backdrop)) => Whither::After { lesson, backdrop },
            _ => whither,
        };
        let added = match too_large {
            true => Err("The file is larger than 1 GB.".to_owned()),
            false => bring(app, to, &file, incoming, before).await?,
        };
        match added {
            Ok(id) => {
                if after.is_none() {
                    outcome.shown = Some(id);
                }
                outcome.added.push(id);
            }
            Err(why) => outcome.refused.push(Refused { file, why }),
        }
    }
    Ok(outcome)
}

/// Adds a file as a backdrop, or says why it cannot be one.
async fn bring(
    app: &App,
    whither: Whither,
    file: &str,
    incoming: Incoming,
    before: Before,
) -> Result<std::result::Result<i64, String>> {
    let (name, app_media) = (name_of(file), app.media.clone());
    let read =
        tokio::task::spawn_blocking(move || -> Result<std::result::Result<Ready, String>> {
            let poster = match before.poster.map(picture::read) {
                Some(Ok(p)) => Some(app_media.write(&p.bytes, p.mime)?),
                _ => None,
            };
            let head = incoming.head();
            if let Some(mime) = videos::mime_of(head) {
                let about = match videos::checked(before.about) {
                    Ok(about) => about,
                    Err(why) => return Ok(Err(why)),
                };
                let kind = BackdropKind::Video {
                    duration: about.duration,
                    frame: frame_length(&about.moments),
                };
                let file = Some(incoming.keep(mime)?);
                return Ok(Ok(Ready::Backdrop(Box::new(New {
                    name,
                    kind,
                    file,
                    poster,
                    width: about.width,
                    height: about.height,
                    seen: Seen::default(),
                }))));
            }
            if web_pages::is_one(head) {
                let bytes = incoming.read()?;
                return Ok(web_pages::read(&bytes).map(|page| Ready::Page(name, page)));
            }
            if document::looks_like(head) {
                return document(name, incoming);
            }
            picture(name, incoming)
        })
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let new = match read {
        Ok(Ready::Backdrop(new)) => *new,
        Ok(Ready::Page(name, page)) => web_pages::keep(app, name, page).await?,
        Err(why) => return Ok(Err(why)),
    };
    let id = app
        .store
        .write(move |conn| queries::add(conn, whither, &new))
        .await?;
    Ok(Ok(id))
}

/// What has been read through and can be kept.
enum Ready {
    Backdrop(Box<New>),
    Page(String, Brought),
}

fn document(name: String, incoming: Incoming) -> Result<std::result::Result<Ready, String>> {
    if incoming.bytes() > document::MAX_BYTES as u64 {
        return Ok(Err(document::DocumentFault::TooManyBytes.to_string()));
    }
    let pages = match Document::open(incoming.read()?) {
        Ok(document) => document.pages(),
        Err(fault) => return Ok(Err(fault.to_string())),
    };
    let (width, height) = pages[0];
    Ok(Ok(Ready::Backdrop(Box::new(New {
        name,
        kind: BackdropKind::Document { pages },
        file: Some(incoming.keep("application/pdf")?),
        poster: None,
        width: f64::from(width),
        height: f64::from(height),
        seen: Seen::default(),
    }))))
}

fn picture(name: String, incoming: Incoming) -> Result<std::result::Result<Ready, String>> {
    if incoming.bytes() > picture::MAX_BYTES as u64 && !svg::looks_like(incoming.head()) {
        return Ok(Err(picture::PictureFault::TooManyBytes.to_string()));
    }
    let read = match picture::read(incoming.read()?) {
        Ok(read) => read,
        Err(fault) => return Ok(Err(fault.to_string())),
    };
    let mut kept = incoming.again()?;
    kept.push(&read.bytes)?;
    Ok(Ok(Ready::Backdrop(Box::new(picture_backdrop(
        name,
        kept.keep(read.mime)?,
        (read.width, read.height),
        read.vector,
    )))))
}

fn picture_backdrop(name: String, file: Written, size: (u32, u32), vector: bool) -> New {
    let grain = if vector { Grain::Vector } else { Grain::Pixels };
    New {
        name,
        kind: BackdropKind::Picture { grain },
        file: Some(file),
        poster: None,
        width: f64::from(size.0),
        height: f64::from(size.1),
        seen: Seen::default(),
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
    let before = Before {
        about,
        poster,
        after: None,
    };
    bring(app, whither, file, incoming, before).await
}

/// A file's name without its ending.
fn name_of(file: &str) -> String {
    let bare = file.rsplit(['/', '\\']).next().unwrap_or(file);
    let stem = match bare.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ => bare,
    };
    tidy(&stem.replace(['_', '-'], " ")).unwrap_or_else(|| "Picture".to_owned())
}
