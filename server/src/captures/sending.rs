//! Captures as files for elsewhere: in the format, the size and the limit that are wanted.

use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use bozzetto_core::capture::name::file_name;
use bozzetto_core::capture::paper::Layout;
use bozzetto_core::capture::send::{Fit, Fitted, Format};
use bozzetto_press::send::SendFault;
use bytes::Bytes;
use jiff::Timestamp;
use serde::Deserialize;

use super::queries::Capture;
use super::routes::{find, thousands};
use super::several::Paper;
use super::take;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::attachment;
use crate::render::TO_CAPTURE;
use crate::render::job::{Done, Job, Send};

pub fn routes() -> Routes {
    const SEND: &str = "/lessons/{lesson}/captures/{capture}/send";
    Routes::of(Access::Presenter)
        .get(SEND, send)
        .get(&format!("{SEND}/size"), size)
}

/// What is wanted, as the form has it.
#[derive(Deserialize)]
struct Wanted {
    #[serde(default)]
    format: Format,
    /// `original`, `width`, `box-600-400` or `paper-1240-1754`.
    #[serde(default)]
    fit: String,
    /// In pixels, for `width`.
    #[serde(default)]
    width: String,
    #[serde(default)]
    quality: String,
    /// The most, in kB; empty for no limit.
    #[serde(default)]
    most: String,
    /// Of a PDF file on paper: its caption or name is below it.
    #[serde(default)]
    captioned: bool,
}

impl Wanted {
    fn fit(&self) -> Fit {
        let number = |s: &str| s.trim().parse().unwrap_or(0);
        let mut parts = self.fit.split('-');
        let kind = parts.next().unwrap_or("");
        let mut next = || parts.next().map_or(0, number);
        match kind {
            "width" => Fit::Width(number(&self.width)),
            "box" => Fit::Box(next(), next()),
            "paper" => Fit::Paper(next(), next()),
            _ => Fit::Original,
        }
    }

    fn quality(&self) -> u8 {
        self.quality.trim().parse().unwrap_or(85).clamp(1, 100)
    }

    fn most(&self) -> Option<u64> {
        self.most
            .trim()
            .parse::<u64>()
            .ok()
            .map(|kb| kb.saturating_mul(1000))
    }
}

/// What would be sent.
#[derive(Template)]
#[template(path = "send_size.html")]
struct Size {
    fitted: Fitted,
    bytes: usize,
    /// The quality, where the limit made it lower than was asked for.
    lowered: Option<u8>,
}

impl Size {
    fn pixels(&self) -> String {
        let Fitted { width, height, .. } = self.fitted;
        format!("{} × {} px", thousands(width), thousands(height))
    }

    /// In kB or MB of a thousand.
    fn size(&self) -> String {
        match self.bytes {
            0..1000 => format!("{} bytes", self.bytes),
            1000..1_000_000 => format!("{} kB", self.bytes.div_ceil(1000)),
            _ => format!("{:.1} MB", self.bytes as f64 / 1e6),
        }
    }

    fn enlarged(&self) -> Option<String> {
        self.fitted.enlarged.map(|by| format!("{by:.1}"))
    }
}

struct Made {
    c: Capture,
    fitted: Fitted,
    bytes: Bytes,
    quality: u8,
}

async fn made(app: &App, lesson: i64, id: i64, wanted: &Wanted, paper: &Paper) -> Result<Made> {
    let c = find(app, lesson, id).await?;
    let file = app.media.file(&c.media);
    let layout = paper.layout();
    let on_paper = wanted.format == Format::Pdf && layout != Layout::Own;
    let fit = match on_paper || wanted.format == Format::Svg {
        true => Fit::Original,
        false => wanted.fit(),
    };
    let fitted = fit
        .of(c.width, c.height)
        .map_err(|e| AppError::Unusable(e.to_string()))?;
    let taken = Timestamp::from_millisecond(c.taken_at).unwrap_or(Timestamp::UNIX_EPOCH);
    let words = if wanted.captioned { c.words() } else { "" };
    if wanted.format == Format::Svg
        && let Some(svg) = take::as_svg(app, &c).await?
    {
        return within(wanted, svg, 100, c, fitted);
    }
    let job = match on_paper {
        true => Job::Pages {
            files: vec![(file, words.to_owned())],
            title: c.name.clone(),
            layout,
            shape: f64::from(c.width) / f64::from(c.height.max(1)),
        },
        false => Job::Send {
            file,
            send: Send {
                width: fitted.width,
                height: fitted.height,
                format: wanted.format,
                quality: wanted.quality(),
                most: wanted.most(),
                title: c.name.clone(),
                taken: taken.to_string(),
            },
        },
    };
    let pixels = |w: u32, h: u32| u64::from(w) * u64::from(h);
    // The picture as it is, and at its new size, for its format once more.
    let memory = pixels(c.width, c.height) * 4 + pixels(fitted.width, fitted.height) * 8;
    match app
        .render
        .run_sized(job, memory + (64 << 20), TO_CAPTURE)
        .await?
    {
        Done::Sent { bytes, quality } => within(wanted, bytes, quality, c, fitted),
        _ => Err(AppError::Internal("no file".to_owned())),
    }
}

/// A file, unless it is larger than was wanted.
fn within(wanted: &Wanted, bytes: Bytes, quality: u8, c: Capture, fitted: Fitted) -> Result<Made> {
    match wanted.most() {
        Some(most) if bytes.len() as u64 > most => {
            let fault = SendFault::TooLarge(most / 1000);
            Err(AppError::Unusable(fault.to_string()))
        }
        _ => Ok(Made {
            c,
            fitted,
            bytes,
            quality,
        }),
    }
}

async fn send(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Query(wanted): Query<Wanted>,
    Query(paper): Query<Paper>,
) -> Result<Response> {
    let made = made(&app, lesson, id, &wanted, &paper).await?;
    let name = file_name(&made.c.name, wanted.format.extension());
    let headers = [
        (header::CONTENT_TYPE, wanted.format.mime().to_owned()),
        (header::CONTENT_DISPOSITION, attachment(&name)),
        (header::CACHE_CONTROL, "no-store".to_owned()),
    ];
    Ok((headers, made.bytes).into_response())
}

async fn size(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
    Query(wanted): Query<Wanted>,
    Query(paper): Query<Paper>,
) -> Result<Html<String>> {
    let made = made(&app, lesson, id, &wanted, &paper).await?;
    let lowered = made.quality < wanted.quality() && wanted.format.has_quality();
    let size = Size {
        fitted: made.fitted,
        bytes: made.bytes.len(),
        lowered: lowered.then_some(made.quality),
    };
    Ok(Html(size.render()?))
}
