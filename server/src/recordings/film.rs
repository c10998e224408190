//! Recordings as files: MP4, WebM, the sound alone, and their chapters.

use std::fs::File;
use std::io::Read;
use std::ops::Range;
use std::sync::Arc;

use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use bozzetto_core::capture::name::file_name;
use bozzetto_core::recording::captions;
use bozzetto_core::recording::clock::Clock;
use bozzetto_core::recording::cuts::Chapter;
use bozzetto_film::{Fault, Film, Kept, Layout};
use bytes::Bytes;
use futures_util::{StreamExt, stream};
use http_range_header::parse_range_header;
use serde::Deserialize;
use tokio::sync::mpsc;

use super::chapters;
use super::queries::{self, Recording};
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::{MEDIA_POLICY, attachment};
use crate::serving::{self, ASK_FIRST};

/// How much is read at once.
const CHUNK: usize = 256 * 1024;

/// What files there are of a recording, by how their names end.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Kind {
    Mp4,
    Webm,
}

impl Kind {
    fn ending(self) -> &'static str {
        match self {
            Kind::Mp4 => "mp4",
            Kind::Webm => "webm",
        }
    }

    fn mime(self) -> &'static str {
        match self {
            Kind::Mp4 => "video/mp4",
            Kind::Webm => "video/webm",
        }
    }
}

/// What a file depends on, beside what the recording's file has in it: which recording, how much of it, what is left of it,
/// its name and its chapters.
pub type Key = (Kind, String, u64, String);

pub fn routes() -> Routes {
    const ONE: &str = "/lessons/{lesson}/recordings/{recording}";
    Routes::of(Access::Presenter)
        .get(&format!("{ONE}/files/{{file}}"), own_file)
        .get(&format!("{ONE}/sound.ogg"), sound)
        .get(&format!("{ONE}/chapters.txt"), chapters_as_text)
}

type Which = Path<(i64, i64)>;

/// Whether a file is to be kept rather than played.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct How {
    pub keep: bool,
}

pub async fn find(app: &App, id: i64) -> Result<Recording> {
    let found = app.store.read(move |conn| queries::one(conn, id)).await?;
    found.ok_or(AppError::NotFound)
}

async fn own_file(
    State(app): State<App>,
    Path((_, id, name)): Path<(i64, i64, String)>,
    Query(how): Query<How>,
    asked: HeaderMap,
) -> Result<Response> {
    let recording = find(&app, id).await?;
    file(&app, &recording, &name, how, &asked).await
}

/// One of the files that whoever watches a recording gets, by its name.
pub async fn file(
    app: &App,
    recording: &Recording,
    name: &str,
    how: How,
    asked: &HeaderMap,
) -> Result<Response> {
    match name {
        "film.mp4" => give(app, recording, Kind::Mp4, how.keep, asked).await,
        "film.webm" => give(app, recording, Kind::Webm, how.keep, asked).await,
        "captions.vtt" => captions(app, recording).await,
        "poster" => {
            let poster = recording.poster.clone().ok_or(AppError::NotFound)?;
            serving::media(app, poster, asked).await
        }
        _ => Err(AppError::NotFound),
    }
}

/// What is known of a recording without its data. Cost: a read of some kilobytes for each of its pieces.
pub async fn kept(app: &App, recording: &Recording) -> Result<Kept> {
    let (path, bytes) = (app.films.path(&recording.file), recording.bytes);
    let read = move || -> bozzetto_film::Result<Kept> { Kept::read(&mut File::open(path)?, bytes) };
    blocking(read).await
}

async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> bozzetto_film::Result<T> + Send + 'static,
) -> Result<T> {
    let done = tokio::task::spawn_blocking(work).await;
    done.map_err(|e| AppError::Internal(e.to_string()))?
        .map_err(AppError::from)
}

impl From<Fault> for AppError {
    fn from(fault: Fault) -> Self {
        match fault {
            Fault::Read(e) => e.into(),
            Fault::Empty => AppError::Unusable("Nothing of this recording is there.".to_owned()),
            Fault::Kind => {
                AppError::Unusable("This recording cannot be in a file of that kind.".to_owned())
            }
            fault => AppError::Internal(fault.to_string()),
        }
    }
}

/// The chapters of the whole recording.
pub async fn whole_chapters(app: &App, recording: &Recording, kept: &Kept) -> Result<Vec<Chapter>> {
    let clock = Clock::new(kept.clock.clone(), kept.lasts);
    let recording = recording.clone();
    Ok(app
        .store
        .read(move |conn| chapters::of(conn, &recording, &clock))
        .await?)
}

/// What is shown of a recording.
pub async fn film(app: &App, recording: &Recording) -> Result<Film> {
    let kept = kept(app, recording).await?;
    let chapters = whole_chapters(app, recording, &kept).await?;
    Ok(Film::of(
        &kept,
        &recording.left(),
        &recording.name,
        &chapters,
    )?)
}

/// Gives out a recording, or the part of it that is asked for.
pub async fn give(
    app: &App,
    recording: &Recording,
    kind: Kind,
    keep: bool,
    asked: &HeaderMap,
) -> Result<Response> {
    let about = serde_json::to_string(&(&recording.name, &recording.chapters, &recording.cuts))
        .map_err(|e| AppError::Internal(e.to_string()))?;
    let key: Key = (kind, recording.file.clone(), recording.bytes, about);
    let path = app.films.path(&recording.file);
    let make = async {
        let film = film(app, recording).await?;
        let path = path.clone();
        let lay = move || -> bozzetto_film::Result<Layout> {
            let mut file = File::open(path)?;
            match kind {
                Kind::Mp4 => bozzetto_film::mp4(&film, &mut file),
                Kind::Webm => bozzetto_film::webm(&film, &mut file),
            }
        };
        Ok::<_, AppError>(Arc::new(blocking(lay).await?))
    };
    let layout = match app.films.made.get(&key).await {
        Some(layout) => layout,
        None => {
            let layout = make.await?;
            app.films.made.insert(key, layout.clone()).await;
            layout
        }
    };
    let size = layout.size();
    let (status, range) = match part(asked, size) {
        Ok(None) => (StatusCode::OK, 0..size),
        Ok(Some(range)) => (StatusCode::PARTIAL_CONTENT, range),
        Err(()) => {
            let all = [(header::CONTENT_RANGE, format!("bytes */{size}"))];
            return Ok((StatusCode::RANGE_NOT_SATISFIABLE, all).into_response());
        }
    };
    let length = range.end - range.start;
    let file = File::open(&path)?;
    let told = range.clone();
    let body = streamed(move |send| {
        let mut reader = layout.read(file, range);
        let mut chunk = vec![0; CHUNK];
        loop {
            let n = reader.read(&mut chunk)?;
            if n == 0 || !send(Bytes::copy_from_slice(&chunk[..n])) {
                return Ok(());
            }
        }
    });
    let mut response = (status, dressed(kind.mime()), body).into_response();
    let headers = response.headers_mut();
    headers.insert(header::ACCEPT_RANGES, HeaderValue::from_static("bytes"));
    headers.insert(header::CONTENT_LENGTH, length.into());
    if status == StatusCode::PARTIAL_CONTENT {
        let said = format!("bytes {}-{}/{size}", told.start, told.end - 1);
        headers.insert(header::CONTENT_RANGE, header_value(&said)?);
    }
    if keep {
        headers.insert(
            header::CONTENT_DISPOSITION,
            header_value(&attachment(&file_name(&recording.name, kind.ending())))?,
        );
    }
    Ok(response)
}

fn dressed(mime: &'static str) -> [(header::HeaderName, &'static str); 3] {
    [
        (header::CONTENT_TYPE, mime),
        (header::CONTENT_SECURITY_POLICY, MEDIA_POLICY),
        (header::CACHE_CONTROL, ASK_FIRST),
    ]
}

fn header_value(text: &str) -> Result<HeaderValue> {
    HeaderValue::from_str(text).map_err(|e| AppError::Internal(e.to_string()))
}

/// The one part that is asked for; all where several are. `Err` where there is no such part.
fn part(asked: &HeaderMap, size: u64) -> std::result::Result<Option<Range<u64>>, ()> {
    let Some(said) = asked.get(header::RANGE).and_then(|said| said.to_str().ok()) else {
        return Ok(None);
    };
    let parsed = parse_range_header(said).map_err(|_| ())?;
    let ranges = parsed.validate(size).map_err(|_| ())?;
    Ok(match &ranges[..] {
        [one] => Some(*one.start()..one.end() + 1),
        _ => None,
    })
}

/// A body that is written by a thread, which is told `false` when nobody reads it any more.
fn streamed(
    write: impl FnOnce(&mut dyn FnMut(Bytes) -> bool) -> std::io::Result<()> + Send + 'static,
) -> Body {
    let (tell, told) = mpsc::channel::<std::io::Result<Bytes>>(4);
    tokio::task::spawn_blocking(move || {
        let mut send = |bytes| tell.blocking_send(Ok(bytes)).is_ok();
        if let Err(e) = write(&mut send) {
            // Whoever reads sees that it broke off.
            let _ = tell.blocking_send(Err(e));
        }
    });
    let chunks = stream::unfold(told, async |mut told| Some((told.recv().await?, told)));
    // Whoever packs it on the way asks once more after the end.
    Body::from_stream(chunks.fuse())
}

/// What is written in a recording, in the time of what is shown.
async fn captions(app: &App, recording: &Recording) -> Result<Response> {
    let cues = recording.captions.as_ref().ok_or(AppError::NotFound)?;
    let left = recording
        .left()
        .at_keys(&kept(app, recording).await?.keys());
    let text = captions::written(&captions::of_left(cues, &left));
    Ok((dressed("text/vtt; charset=utf-8"), text).into_response())
}

async fn sound(State(app): State<App>, Path((_, id)): Which) -> Result<Response> {
    let recording = find(&app, id).await?;
    let film = film(&app, &recording).await?;
    if film.sound().is_none() {
        return Err(AppError::Unusable(
            "There is no sound in this recording.".to_owned(),
        ));
    }
    let mut file = File::open(app.films.path(&recording.file))?;
    let body = streamed(move |send| {
        let written = bozzetto_film::ogg(&film, &mut file, Sender(send));
        written.map_err(std::io::Error::other)
    });
    let name = header_value(&attachment(&file_name(&recording.name, "ogg")))?;
    Ok((
        dressed("audio/ogg"),
        [(header::CONTENT_DISPOSITION, name)],
        body,
    )
        .into_response())
}

/// Writes into a body.
struct Sender<'a>(&'a mut dyn FnMut(Bytes) -> bool);

impl std::io::Write for Sender<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match (self.0)(Bytes::copy_from_slice(bytes)) {
            true => Ok(bytes.len()),
            false => Err(std::io::ErrorKind::BrokenPipe.into()),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

async fn chapters_as_text(State(app): State<App>, Path((_, id)): Which) -> Result<Response> {
    let recording = find(&app, id).await?;
    let film = film(&app, &recording).await?;
    let lines = film
        .chapters
        .iter()
        .map(|chapter| format!("{} {}\n", time(chapter.at), chapter.name));
    let name = header_value(&attachment(&file_name(&recording.name, "txt")))?;
    let text = lines.collect::<String>();
    Ok((
        dressed("text/plain; charset=utf-8"),
        [(header::CONTENT_DISPOSITION, name)],
        text,
    )
        .into_response())
}

/// A time in a film: minutes and seconds, and hours if there are some.
pub fn time(seconds: f64) -> String {
    let all = seconds.max(0.0) as u64;
    let (hours, minutes, seconds) = (all / 3600, all / 60 % 60, all % 60);
    match hours {
        0 => format!("{minutes}:{seconds:02}"),
        _ => format!("{hours}:{minutes:02}:{seconds:02}"),
    }
}
