//! Captures as files for elsewhere: resampled, in the format and within the size that is asked for.

use std::borrow::Cow;
use std::collections::HashMap;
use std::io::Cursor;

use crate::{list_svg, resample};
use bozzetto_core::capture::paper::{self, A4, Cell, Layout};
use bozzetto_core::capture::send::{Format, largest_within};
use bozzetto_core::display::Verb;
use bozzetto_core::marks::text::Text;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ExtendedColorType, ImageEncoder, RgbImage, RgbaImage};
use miniz_oxide::deflate::compress_to_vec_zlib;
use pdf_writer::{Content, Filter, Finish, Name, Pdf, Rect, Ref, TextStr};
use png::{BitDepth, ColorType, Compression, Encoder, PixelDimensions, SrgbRenderingIntent, Unit};

/// What is asked for.
pub struct Wanted<'a> {
    pub width: u32,
    pub height: u32,
    pub format: Format,
    /// From 1 to 100, for formats that lose detail.
    pub quality: u8,
    /// The most bytes, if there is a limit: the quality is as good as it lets it be.
    pub most: Option<u64>,
    pub title: &'a str,
    /// When it was taken, as RFC 3339 has it.
    pub taken: &'a str,
}

/// A file, and the quality that it has.
pub struct Sent {
    pub bytes: Vec<u8>,
    pub quality: u8,
}

/// Why nothing was made, in words for whoever asked.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum SendFault {
    #[error("The capture could not be read.")]
    Unreadable,
    #[error("It does not fit into {0} kB in this format and size. Choose a smaller size, or JPEG.")]
    TooLarge(u64),
    #[error(
        "WebP takes more memory than there is for so many pixels. Choose a smaller size, or JPEG."
    )]
    TooMany,
}

/// Makes the file of a capture's PNG.
///
/// # Errors
/// When it cannot be read, or nothing fits into the limit.
pub fn send(png: &[u8], wanted: &Wanted) -> Result<Sent, SendFault> {
    let picture = Picture::read(png)?;
    let per_metre = density(png);
    let by = f64::from(wanted.width) / f64::from(picture.dimensions().0);
    let picture = picture.resampled(wanted.width, wanted.height);
    let made = |quality: u8| -> Result<Vec<u8>, SendFault> {
        Ok(match wanted.format {
            Format::Png => as_png(&picture, per_metre.map(|d| d * by), wanted),
            Format::Jpeg => as_jpeg(&picture, quality),
            Format::Webp => as_webp(&picture, quality)?,
            Format::Svg => {
                let png = as_png(&picture, None, wanted);
                list_svg::of_picture(&png, picture.dimensions(), wanted.title).into_bytes()
            }
            Format::Pdf => as_pdf(&picture, wanted.title),
        })
    };
    let fault = || SendFault::TooLarge(wanted.most.unwrap_or(0) / 1000);
    let quality = match wanted.most {
        Some(most) if wanted.format.has_quality() => {
            let best = largest_within(1, wanted.quality, most, |q| {
                made(q).map_or(u64::MAX, |bytes| bytes.len() as u64)
            });
            best.ok_or_else(fault)?
        }
        _ => wanted.quality,
    };
    let bytes = made(quality)?;
    match wanted.most {
        Some(most) if bytes.len() as u64 > most => Err(fault()),
        _ => Ok(Sent { bytes, quality }),
    }
}

/// Pixels to a metre, as the file says.
fn density(png: &[u8]) -> Option<f64> {
    let reader = png::Decoder::new(Cursor::new(png)).read_info().ok()?;
    let dims = reader.info().pixel_dims?;
    (dims.unit == Unit::Meter).then(|| f64::from(dims.xppu))
}

/// A picture that is sent.
pub enum Picture {
    /// Nothing is seen through it.
    Opaque(RgbImage),
    Through(RgbaImage),
}

impl Picture {
    /// Reads a capture's PNG.
    ///
    /// # Errors
    /// When it cannot be read.
    pub fn read(png: &[u8]) -> Result<Self, SendFault> {
        let read = image::load_from_memory_with_format(png, image::ImageFormat::Png);
        Ok(match read.map_err(|_| SendFault::Unreadable)? {
            DynamicImage::ImageRgb8(opaque) => Self::Opaque(opaque),
            other => Self::from(other.into_rgba8()),
        })
    }

    fn dimensions(&self) -> (u32, u32) {
        match self {
            Self::Opaque(picture) => picture.dimensions(),
            Self::Through(picture) => picture.dimensions(),
        }
    }

    /// At another size, in linear light.
    #[must_use]
    pub fn resampled(self, width: u32, height: u32) -> Self {
        match self {
            same if same.dimensions() == (width, height) => same,
            Self::Opaque(picture) => Self::Opaque(resample::rgb(&picture, width, height)),
            Self::Through(picture) => Self::Through(resample::rgba(&picture, width, height)),
        }
    }

    /// Three bytes to a pixel; without what lets through, on white.
    fn on_white(&self) -> Cow<'_, [u8]> {
        let picture = match self {
            Self::Opaque(picture) => return Cow::Borrowed(picture.as_raw()),
            Self::Through(picture) => picture,
        };
        let mix =
            |v: u8, alpha: u32| ((u32::from(v) * alpha + 255 * (255 - alpha) + 127) / 255) as u8;
        let each = picture.pixels();
        let mixed = each.flat_map(|p| {
            let alpha = u32::from(p[3]);
            [mix(p[0], alpha), mix(p[1], alpha), mix(p[2], alpha)]
        });
        Cow::Owned(mixed.collect())
    }
}

impl From<RgbaImage> for Picture {
    fn from(picture: RgbaImage) -> Self {
        match picture.pixels().all(|p| p[3] == 255) {
            true => Self::Opaque(DynamicImage::ImageRgba8(picture).into_rgb8()),
            false => Self::Through(picture),
        }
    }
}

/// The colours of a picture, if there are no more than a palette holds, and which one each pixel has.
fn palette<const N: usize>(pixels: &[[u8; N]]) -> Option<(Vec<[u8; N]>, Vec<u8>)> {
    let mut known: HashMap<[u8; N], u8> = HashMap::new();
    let mut colours = Vec::new();
    let mut which = Vec::new();
    // Most pixels are as the one before.
    let mut last: Option<([u8; N], u8)> = None;
    for p in pixels {
        let number = match last {
            Some((colour, number)) if colour == *p => number,
            _ => match known.get(p) {
                Some(number) => *number,
                None if colours.len() == 256 => return None,
                None => {
                    let number = colours.len() as u8;
                    known.insert(*p, number);
                    colours.push(*p);
                    number
                }
            },
        };
        last = Some((*p, number));
        which.push(number);
    }
    Some((colours, which))
}

/// Without loss; by a palette when there are few colours.
fn as_png(picture: &Picture, per_metre: Option<f64>, wanted: &Wanted) -> Vec<u8> {
    let (width, height) = picture.dimensions();
    let mut info = png::Info::with_size(width, height);
    info.bit_depth = BitDepth::Eight;
    info.srgb = Some(SrgbRenderingIntent::Perceptual);
    info.pixel_dims = per_metre.map(|per_metre| PixelDimensions {
        xppu: per_metre.round() as u32,
        yppu: per_metre.round() as u32,
        unit: Unit::Meter,
    });
    let data: Cow<[u8]> = match picture {
        Picture::Opaque(picture) => match palette(picture.as_raw().as_chunks::<3>().0) {
            Some((colours, which)) => {
                info.color_type = ColorType::Indexed;
                info.palette = Some(colours.concat().into());
                which.into()
            }
            None => {
                info.color_type = ColorType::Rgb;
                picture.as_raw().into()
            }
        },
        Picture::Through(picture) => match palette(picture.as_raw().as_chunks::<4>().0) {
            Some((colours, which)) => {
                info.color_type = ColorType::Indexed;
                let rgb: Vec<u8> = colours.iter().flat_map(|c| [c[0], c[1], c[2]]).collect();
                let alpha: Vec<u8> = colours.iter().map(|c| c[3]).collect();
                (info.palette, info.trns) = (Some(rgb.into()), Some(alpha.into()));
                which.into()
            }
            None => {
                info.color_type = ColorType::Rgba;
                picture.as_raw().into()
            }
        },
    };
    let indexed = info.color_type == ColorType::Indexed;
    let mut out = Vec::new();
    let mut encoder = Encoder::with_info(&mut out, info).expect("the header is complete");
    encoder.set_compression(Compression::Balanced);
    if indexed {
        // Numbers of colours have nothing to do with those beside them.
        encoder.set_filter(png::Filter::NoFilter);
    }
    let texts = [("Title", wanted.title), ("Creation Time", wanted.taken)];
    for (word, text) in texts {
        // Words in any script.
        let _ = encoder.add_itxt_chunk(word.to_owned(), text.to_owned());
    }
    encoder
        .write_header()
        .and_then(|mut writer| writer.write_image_data(&data))
        .expect("memory is all it takes");
    out
}

fn as_jpeg(picture: &Picture, quality: u8) -> Vec<u8> {
    let (width, height) = picture.dimensions();
    let mut out = Vec::new();
    JpegEncoder::new_with_quality(&mut out, quality.clamp(1, 100))
        .write_image(&picture.on_white(), width, height, ExtendedColorType::Rgb8)
        .expect("memory is all it takes");
    out
}

fn as_webp(picture: &Picture, quality: u8) -> Result<Vec<u8>, SendFault> {
    let (width, height) = picture.dimensions();
    let encoder = match picture {
        Picture::Opaque(picture) => webp::Encoder::from_rgb(picture.as_raw(), width, height),
        Picture::Through(picture) => webp::Encoder::from_rgba(picture.as_raw(), width, height),
    };
    let made = encoder.encode_simple(false, f32::from(quality.clamp(1, 100)));
    Ok(made.map_err(|_| SendFault::TooMany)?.to_vec())
}

/// The type of words on paper, in points; and the shortest line that they are set in.
pub const TYPE: f64 = 9.0;
const LINE: f64 = 100.0;

/// A PDF file of the pictures of PNG files, read one after the other, each with the words that belong below it on
/// paper. `shape` is that of most of them, width by height: paper is laid so that such a one is largest. `set` lays
/// words out in type of [`TYPE`] points, in lines of so many points.
///
/// # Errors
/// What `each` says, or that one could not be read.
pub fn pages<E: AsRef<[u8]>>(
    each: impl ExactSizeIterator<Item = Result<(E, String), String>>,
    title: &str,
    layout: Layout,
    shape: f64,
    mut set: impl FnMut(&str, f64) -> Text,
) -> Result<Vec<u8>, String> {
    let mut pdf = Pages::begin(title);
    let sheet = match layout {
        Layout::Own => None,
        Layout::Paper(n, lies) => {
            let per_page = n.clamp(1, each.len().max(1) as u32);
            Some(paper::sheet(per_page, shape, lies))
        }
    };
    for (n, one) in each.enumerate() {
        let (png, words) = one?;
        let picture = Picture::read(png.as_ref()).map_err(|e| e.to_string())?;
        let (w, h) = picture.dimensions();
        let place = sheet.as_ref().map(|(page, cells)| {
            let at = n % cells.len();
            if at == 0 {
                pdf.turn(*page);
            }
            cells[at].fitted(w, h)
        });
        let place = place.unwrap_or_else(|| pdf.own(w, h));
        let fit = place.pixels().of(w, h).map_err(|e| e.to_string())?;
        pdf.place(&picture.resampled(fit.width, fit.height), &place);
        if sheet.is_some() && !words.is_empty() {
            pdf.words(&set(&words, place.width.max(LINE)), &place);
        }
    }
    Ok(pdf.finish())
}

/// A PDF file that is being made.
struct Pages {
    pdf: Pdf,
    /// The next number of an object.
    next: i32,
    pages: Vec<Ref>,
    /// What is drawn on the page that is open, how large that is, and the pictures on it.
    open: Option<(Content, (f64, f64), Vec<Ref>)>,
}

const CATALOGUE: Ref = Ref::new(1);
const TREE: Ref = Ref::new(2);
const INFO: Ref = Ref::new(3);

impl Pages {
    fn begin(title: &str) -> Self {
        let mut pdf = Pdf::new();
        pdf.catalog(CATALOGUE).pages(TREE);
        pdf.document_info(INFO).title(TextStr(title));
        Self {
            pdf,
            next: 4,
            pages: Vec::new(),
            open: None,
        }
    }

    fn number(&mut self) -> Ref {
        self.next += 1;
        Ref::new(self.next - 1)
    }

    /// Begins a page of this size, in points.
    fn turn(&mut self, size: (f64, f64)) {
        self.close();
        self.open = Some((Content::new(), size, Vec::new()));
    }

    /// Begins a page with the shape of a picture, as large as A4 lets it be; gives the place of the picture.
    fn own(&mut self, width: u32, height: u32) -> Cell {
        let by = A4.1 / f64::from(width.max(height).max(1));
        let (width, height) = (f64::from(width) * by, f64::from(height) * by);
        self.turn((width, height));
        Cell {
            x: 0.0,
            y: 0.0,
            width,
            height,
        }
    }

    /// Draws a picture on the page that is open.
    fn place(&mut self, picture: &Picture, at: &Cell) {
        let object_at = self.number();
        let packed = compress_to_vec_zlib(&picture.on_white(), 6);
        let mut object = self.pdf.image_xobject(object_at, &packed);
        object.filter(Filter::FlateDecode);
        let (width, height) = picture.dimensions();
        object
            .width(width as i32)
            .height(height as i32)
            .bits_per_component(8)
            .color_space()
            .device_rgb();
        object.finish();
        if let Some((content, (_, high), pictures)) = &mut self.open {
            let name = format!("P{}", pictures.len());
            pictures.push(object_at);
            // PDF counts from the lower left corner.
            let y = *high - at.y - at.height;
            let map = [at.width, 0.0, 0.0, at.height, at.x, y].map(|v| v as f32);
            content
                .save_state()
                .transform(map)
                .x_object(Name(name.as_bytes()))
                .restore_state();
        }
    }

    /// Draws words below what is at `at`, as outlines: any script is read everywhere. Many are made smaller.
    fn words(&mut self, words: &Text, at: &Cell) {
        /// What of the room below is left free above the words, in points.
        const FREE: f64 = 5.0;
        let Some((content, (_, high), _)) = &mut self.open else {
            return;
        };
        let area = words.area();
        let by = ((paper::WORDS - FREE) / area.height().max(1.0)).min(1.0);
        let (left, top) = (at.x, *high - at.y - at.height - FREE);
        let map = [by, 0.0, 0.0, -by, left - area.x0 * by, top + area.y0 * by];
        content.save_state().transform(map.map(|v| v as f32));
        let path = words.path();
        let mut coords = path.coords.iter().copied();
        let mut from = [0.0f32; 2];
        for verb in &path.verbs {
            let c: Vec<f32> = coords.by_ref().take(verb.points() * 2).collect();
            match (verb, c.as_slice()) {
                (Verb::Move, &[x, y]) => _ = content.move_to(x, y),
                (Verb::Line, &[x, y]) => _ = content.line_to(x, y),
                (Verb::Quad, &[a, b, x, y]) => {
                    // The cubic that is the same curve.
                    let third = |p: f32, q: f32| p + (q - p) * 2.0 / 3.0;
                    let (ax, ay) = (third(from[0], a), third(from[1], b));
                    content.cubic_to(ax, ay, third(x, a), third(y, b), x, y);
                }
                (Verb::Cubic, &[a, b, c, d, x, y]) => _ = content.cubic_to(a, b, c, d, x, y),
                _ => _ = content.close_path(),
            }
            if let [.., x, y] = *c.as_slice() {
                from = [x, y];
            }
        }
        content.fill_nonzero().restore_state();
    }

    /// Writes the page that is open.
    fn close(&mut self) {
        let Some((content, (width, height), pictures)) = self.open.take() else {
            return;
        };
        let (page_at, content_at) = (self.number(), self.number());
        self.pages.push(page_at);
        let mut page = self.pdf.page(page_at);
        page.parent(TREE)
            .media_box(Rect::new(0.0, 0.0, width as f32, height as f32))
            .contents(content_at);
        let mut resources = page.resources();
        let mut named = resources.x_objects();
        for (n, picture) in pictures.iter().enumerate() {
            named.pair(Name(format!("P{n}").as_bytes()), picture);
        }
        named.finish();
        resources.finish();
        page.finish();
        let packed = compress_to_vec_zlib(&content.finish(), 6);
        self.pdf
            .stream(content_at, &packed)
            .filter(Filter::FlateDecode);
    }

    fn finish(mut self) -> Vec<u8> {
        self.close();
        let count = self.pages.len() as i32;
        self.pdf.pages(TREE).kids(self.pages).count(count);
        self.pdf.finish()
    }
}

fn as_pdf(picture: &Picture, title: &str) -> Vec<u8> {
    let mut pdf = Pages::begin(title);
    let (width, height) = picture.dimensions();
    let place = pdf.own(width, height);
    pdf.place(picture, &place);
    pdf.finish()
}
