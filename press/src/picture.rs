//! Pictures that people bring: what they are, whether they can be used, and their pixels.
//!
//! A file is known by its content, never by its name. Its size is read before its pixels are, so
//! that a small file that unpacks to more than memory is refused before it is unpacked.

use std::collections::HashMap;
use std::io::Cursor;
use std::sync::{Arc, Mutex};

use image::codecs::gif::GifDecoder;
use image::codecs::png::PngDecoder;
use image::codecs::webp::WebPDecoder;
use image::metadata::Orientation;
use image::{
    AnimationDecoder, ColorType, DynamicImage, ImageDecoder, ImageFormat, ImageReader, RgbaImage,
};
use resvg::tiny_skia::{IntSize, Pixmap};
use resvg::usvg;

use bozzetto_core::display;

use crate::document::PageOf;
use crate::{metadata, svg};

/// The largest file, in bytes.
pub const MAX_BYTES: usize = 40 * 1024 * 1024;
/// The most pixels.
pub const MAX_PIXELS: u64 = 80_000_000;
/// The longest side, in pixels.
pub const MAX_SIDE: u32 = 20_000;

/// The kinds of file that are kept.
pub const MIMES: [&str; 4] = ["image/png", "image/jpeg", "image/webp", "image/svg+xml"];

/// Why a file cannot be used as a picture, in words for whoever brought it.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum PictureFault {
    #[error("This is not a picture that can be shown. PNG, JPEG, WebP, AVIF, GIF and SVG work.")]
    NotAPicture,
    #[error(
        "The picture is {width} × {height} pixels. Up to {MAX_SIDE} on a side and 80 million in all work; make it smaller and try again."
    )]
    TooManyPixels { width: u32, height: u32 },
    #[error("The file is larger than 40 MB. Make the picture smaller and try again.")]
    TooManyBytes,
    #[error("The {0} file is damaged: it could not be read to its end.")]
    Damaged(&'static str),
    #[error("The SVG file could not be read: {0}")]
    Svg(String),
}

/// A picture that has been read through and can be kept.
pub struct Picture {
    /// What is to be stored: the file as it was, or an SVG as re-written.
    pub bytes: Vec<u8>,
    pub mime: &'static str,
    /// As it is shown, in pixels (CSS pixels for an SVG).
    pub width: u32,
    pub height: u32,
    pub vector: bool,
    /// The file holds several pictures that follow one another, and only its first one is kept: what
    /// the stage shows is what a capture contains.
    pub moved: bool,
}

/// Reads a file that somebody brought, to its end.
pub fn read(bytes: Vec<u8>) -> Result<Picture, PictureFault> {
    if bytes.len() > MAX_BYTES {
        return Err(PictureFault::TooManyBytes);
    }
    if svg::looks_like(&bytes) {
        let (bytes, width, height) = svg::rewrite(&bytes)?;
        return Ok(Picture {
            bytes,
            mime: "image/svg+xml",
            width,
            height,
            vector: true,
            moved: false,
        });
    }
    let (mime, (format, name)) = format(&bytes)?;
    let (pixels, orientation) = decode(&bytes)?;
    let (width, height) = (pixels.width(), pixels.height());
    let moved = moves(&bytes, format);
    let stripped = match format {
        ImageFormat::Gif => None,
        ImageFormat::WebP if moved => None,
        // Colours for printers are turned into a screen's in one way, not in each browser's own.
        ImageFormat::Jpeg if metadata::is_for_printers(&bytes) => None,
        _ => metadata::stripped(&bytes, mime, orientation.to_exif()),
    };
    let (bytes, mime) = match stripped {
        Some(bytes) => (bytes, mime),
        // Its pixels say nothing beside.
        None => {
            let mut still = Vec::new();
            pixels
                .write_to(&mut Cursor::new(&mut still), ImageFormat::Png)
                .map_err(|_| PictureFault::Damaged(name))?;
            (still, "image/png")
        }
    };
    Ok(Picture {
        width,
        height,
        bytes,
        mime,
        vector: false,
        moved,
    })
}

/// Whether a file holds several pictures that follow one another.
fn moves(bytes: &[u8], format: ImageFormat) -> bool {
    let file = Cursor::new(bytes);
    match format {
        ImageFormat::Gif => {
            GifDecoder::new(file).is_ok_and(|d| d.into_frames().nth(1).is_some_and(|f| f.is_ok()))
        }
        ImageFormat::WebP => WebPDecoder::new(file).is_ok_and(|d| d.has_animation()),
        ImageFormat::Png => {
            PngDecoder::new(file).is_ok_and(|d| d.is_apng().is_ok_and(|moves| moves))
        }
        _ => false,
    }
}

/// The file of a kept picture without what it says beside its pixels, for one that was kept before
/// this was done when it came. Vector pictures are written anew, and say nothing.
pub fn stripped(bytes: Vec<u8>, mime: &str) -> Vec<u8> {
    let turned = || -> Option<u8> {
        let format = ImageFormat::from_mime_type(mime)?;
        let reader = ImageReader::with_format(Cursor::new(&bytes), format);
        let orientation = reader.into_decoder().ok()?.orientation().ok()?;
        Some(orientation.to_exif())
    };
    metadata::stripped(&bytes, mime, turned().unwrap_or(1)).unwrap_or(bytes)
}

/// A kept picture, ready to be printed.
#[derive(Clone)]
pub enum Source {
    Pixels(Arc<Pixels>),
    Vector(Arc<Vector>),
    /// A page of a document.
    Page(PageOf),
}

/// What a display list's pictures are.
#[derive(Clone, Default)]
pub struct Shown {
    /// Of backdrops, and held ones.
    pub backdrops: HashMap<display::Source, Source>,
    /// Those that are marks, by the server's names.
    pub placed: HashMap<u64, Source>,
}

/// Pixels, and whether they hide all that is beneath them: then they can be copied.
pub struct Pixels {
    pub pixmap: Pixmap,
    pub(crate) opaque: bool,
}

impl From<Pixmap> for Pixels {
    fn from(pixmap: Pixmap) -> Self {
        let opaque = pixmap.data().chunks_exact(4).all(|p| p[3] == 255);
        Self { pixmap, opaque }
    }
}

/// The shapes of a vector picture, and its pixels at the size that they were last wanted in: a
/// backdrop is captured again and again at one size.
pub struct Vector {
    pub tree: usvg::Tree,
    pub(crate) printed: Mutex<Option<Arc<Pixels>>>,
}

impl Source {
    /// In its own pixels; of a vector picture in CSS pixels, of a page in points.
    pub fn width(&self) -> f64 {
        match self {
            Source::Pixels(pixels) => f64::from(pixels.pixmap.width()),
            Source::Vector(vector) => f64::from(vector.tree.size().width()),
            Source::Page(page) => page.width,
        }
    }

    /// From the bytes of a [`Picture`].
    pub fn open(bytes: &[u8]) -> Result<Self, PictureFault> {
        if svg::looks_like(bytes) {
            let printed = Mutex::default();
            return svg::tree(bytes).map(|tree| Source::Vector(Arc::new(Vector { tree, printed })));
        }
        let (pixels, _) = decode(bytes)?;
        let rgba = pixels.into_rgba8();
        let size =
            IntSize::from_wh(rgba.width(), rgba.height()).ok_or(PictureFault::NotAPicture)?;
        let mut data = rgba.into_raw();
        for px in data.chunks_exact_mut(4) {
            let a = u16::from(px[3]);
            if a != 255 {
                for c in &mut px[..3] {
                    *c = ((u16::from(*c) * a + 127) / 255) as u8;
                }
            }
        }
        Pixmap::from_vec(data, size)
            .map(|p| Source::Pixels(Arc::new(p.into())))
            .ok_or(PictureFault::NotAPicture)
    }

    /// How much memory it takes, in bytes; roughly, for what is not pixels.
    pub fn bytes(&self) -> usize {
        match self {
            Source::Pixels(pixels) => pixels.pixmap.data().len(),
            // What it was printed as is kept with it.
            Source::Vector(_) => 48 * 1024 * 1024,
            Source::Page(_) => 16 * 1024 * 1024,
        }
    }
}

fn format(bytes: &[u8]) -> Result<(&'static str, (ImageFormat, &'static str)), PictureFault> {
    match image::guess_format(bytes) {
        Ok(f @ ImageFormat::Png) => Ok(("image/png", (f, "PNG"))),
        Ok(f @ ImageFormat::Jpeg) => Ok(("image/jpeg", (f, "JPEG"))),
        Ok(f @ ImageFormat::WebP) => Ok(("image/webp", (f, "WebP"))),
        Ok(f @ ImageFormat::Gif) => Ok(("image/gif", (f, "GIF"))),
        _ => Err(PictureFault::NotAPicture),
    }
}

/// The pixels, turned the way the camera was held, and how they had to be turned. They are read into
/// the memory that four bytes to a pixel take, and no more.
fn decode(bytes: &[u8]) -> Result<(DynamicImage, Orientation), PictureFault> {
    let (_, (format, name)) = format(bytes)?;
    let damaged = |_| PictureFault::Damaged(name);
    let reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut decoder = reader.into_decoder().map_err(damaged)?;
    let (width, height) = decoder.dimensions();
    let pixels = u64::from(width) * u64::from(height);
    if width > MAX_SIDE || height > MAX_SIDE || pixels > MAX_PIXELS {
        return Err(PictureFault::TooManyPixels { width, height });
    }
    let orientation = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    let mut image = match decoder.color_type() {
        ColorType::Rgb8 => {
            let (three, four) = (decoder.total_bytes() as usize, pixels as usize * 4);
            let mut data = vec![0; four];
            decoder.read_image(&mut data[..three]).map_err(damaged)?;
            // From the end, so that no pixel is written over before it has been moved.
            for i in (0..pixels as usize).rev() {
                let [r, g, b] = [data[i * 3], data[i * 3 + 1], data[i * 3 + 2]];
                data[i * 4..i * 4 + 4].copy_from_slice(&[r, g, b, 255]);
            }
            RgbaImage::from_raw(width, height, data)
                .map(DynamicImage::ImageRgba8)
                .ok_or(PictureFault::Damaged(name))?
        }
        _ => DynamicImage::from_decoder(decoder).map_err(damaged)?,
    };
    image.apply_orientation(orientation);
    Ok((image, orientation))
}

/// Width and height of a picture's file in pixels, from its head; `None` for what is no picture of
/// pixels.
pub fn size(file: &std::path::Path) -> Option<(u32, u32)> {
    let size = imagesize::size(file).ok()?;
    Some((size.width as u32, size.height as u32))
}
