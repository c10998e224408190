//! Documents: the pages of a PDF file, and their pixels at the resolution that is asked for.
//!
//! The same renderer makes what the stage shows and what a capture contains, so they agree.

use std::sync::Arc;

use bozzetto_core::geometry::frames::{self, Rect, Size};
use bozzetto_core::stage::backdrop::MOST_PAGES;
use hayro::hayro_interpret::InterpreterSettings;
use hayro::hayro_interpret::util::TransformExt;
use hayro::hayro_syntax::page::Page;
use hayro::hayro_syntax::{DecryptionError, LoadPdfError, Pdf};
use hayro::kurbo::Affine;
use hayro::vello_cpu::color::palette::css::WHITE;
use hayro::vello_cpu::{Pixmap, RasterizerSettings, RenderContext, Resources, TargetInit};
use hayro::{RenderCache, RenderSettings, render_into};
use resvg::tiny_skia::{self, IntSize};

/// The largest file, in bytes.
pub const MAX_BYTES: usize = 100 * 1024 * 1024;

/// The largest side of what is rendered at once, in pixels.
const MAX_SIDE: f64 = 16_000.0;

/// Why a file cannot be used as a document, in words for whoever brought it.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum DocumentFault {
    #[error("The PDF is locked with a password. Save a copy without one and bring that.")]
    Locked,
    #[error(
        "The PDF is encrypted in a way that cannot be read here. Save a copy without encryption and bring that."
    )]
    Encrypted,
    #[error(
        "The PDF is damaged: its pages could not be found. Opening it in the program that made it and saving it again often helps."
    )]
    Damaged,
    #[error("The PDF has no pages.")]
    Empty,
    #[error(
        "The PDF has {0} pages; up to {MOST_PAGES} work. Split it and bring the part you need."
    )]
    TooManyPages(usize),
    #[error("The PDF is larger than 100 MB. Split it and bring the part you need.")]
    TooManyBytes,
}

/// Whether a file is a PDF, by its content (ISO 32000: the header stands within the first KiB).
pub fn looks_like(bytes: &[u8]) -> bool {
    bytes[..bytes.len().min(1024)]
        .windows(5)
        .any(|w| w == b"%PDF-")
}

/// An opened document.
pub struct Document {
    pdf: Pdf,
}

/// A part of a page as pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Part {
    /// Pixels to a point.
    pub scale: f64,
    /// The first pixel, counted from the page's left upper corner.
    pub x: f64,
    pub y: f64,
    /// In pixels.
    pub width: u32,
    pub height: u32,
}

/// One page of a document.
#[derive(Clone)]
pub struct PageOf {
    pub document: Arc<Document>,
    pub number: usize,
    /// In points.
    pub width: f64,
}

impl PageOf {
    /// The part of the page that lies in a room of pixels when the whole page lies at `to`, and
    /// where its first pixel is in the room; `None` when no part does.
    pub(crate) fn part(
        &self,
        to: &Rect<frames::Pixels>,
        room: Size<frames::Pixels>,
    ) -> Option<(Part, i32, i32)> {
        let seen = to.intersection(&Rect::of_size(room));
        if seen.is_empty() {
            return None;
        }
        let (x0, y0) = (seen.x0.floor(), seen.y0.floor());
        let part = Part {
            scale: to.width() / self.width,
            x: x0 - to.x0,
            y: y0 - to.y0,
            width: (seen.x1.ceil() - x0) as u32,
            height: (seen.y1.ceil() - y0) as u32,
        };
        Some((part, x0 as i32, y0 as i32))
    }
}

impl Document {
    pub fn open(bytes: Vec<u8>) -> Result<Self, DocumentFault> {
        if bytes.len() > MAX_BYTES {
            return Err(DocumentFault::TooManyBytes);
        }
        // A reader of so old a format meets files that nobody foresaw: what it cannot take is
        // damaged, and no reason to end.
        let opened = std::panic::catch_unwind(|| Pdf::new(Arc::new(bytes)));
        let pdf = match opened {
            Ok(Ok(pdf)) => pdf,
            Ok(Err(LoadPdfError::Decryption(DecryptionError::PasswordProtected))) => {
                return Err(DocumentFault::Locked);
            }
            Ok(Err(LoadPdfError::Decryption(_))) => return Err(DocumentFault::Encrypted),
            Ok(Err(LoadPdfError::Invalid)) | Err(_) => return Err(DocumentFault::Damaged),
        };
        let document = Self { pdf };
        match document.pdf.pages().len() {
            0 => Err(DocumentFault::Empty),
            n if n > MOST_PAGES => Err(DocumentFault::TooManyPages(n)),
            _ => Ok(document),
        }
    }

    /// The size of each page as it is shown, in points of 1/72 inch.
    pub fn pages(&self) -> Vec<(f32, f32)> {
        self.pdf
            .pages()
            .iter()
            .map(Page::render_dimensions)
            .collect()
    }

    /// A part of a page on white; `None` for a page that is not there or a part of no size.
    pub fn print(&self, page: usize, part: &Part) -> Option<tiny_skia::Pixmap> {
        let fits = |v: u32| v > 0 && f64::from(v) <= MAX_SIDE;
        if !fits(part.width) || !fits(part.height) || !part.scale.is_finite() {
            return None;
        }
        let page = self.pdf.pages().get(page)?;
        let printed =
            std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| rendered(page, part)));
        // What cannot be drawn is left white.
        let pixmap = printed.unwrap_or_else(|_| blank(part));
        let size = IntSize::from_wh(part.width, part.height)?;
        let data = pixmap.data_as_u8_slice().to_vec();
        tiny_skia::Pixmap::from_vec(data, size)
    }
}

fn rendered(page: &Page, part: &Part) -> Pixmap {
    let mut context = RenderContext::new(part.width as u16, part.height as u16);
    let to_pixels = Affine::translate((-part.x, -part.y))
        * Affine::scale(part.scale)
        * page.initial_transform(true).to_kurbo();
    render_into(
        page,
        &RenderCache::new(),
        &InterpreterSettings::default(),
        &RenderSettings {
            // Hinting moves letters to whole pixels, differently at each size: marks drawn on a
            // word would not stay on it.
            hinting: false,
            ..Default::default()
        },
        &mut context,
        to_pixels,
    );
    context.flush();
    let mut pixmap = Pixmap::new(context.width(), context.height());
    let onto = RasterizerSettings {
        target_init: TargetInit::Clear(WHITE),
        ..Default::default()
    };
    context.render_with(&mut pixmap, &mut Resources::default(), onto);
    pixmap
}

fn blank(part: &Part) -> Pixmap {
    let mut pixmap = Pixmap::new(part.width as u16, part.height as u16);
    pixmap.data_as_u8_slice_mut().fill(255);
    pixmap
}
