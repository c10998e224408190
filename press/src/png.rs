//! Pixels as a PNG file. Source: W3C, *Portable Network Graphics*, third edition.

use std::cell::RefCell;
use std::io::Write;
use std::rc::Rc;

use fast_image_resize::{FilterType, ResizeAlg, ResizeOptions};
use png::{
    BitDepth, ColorType, Compression, Encoder, PixelDimensions, SrgbRenderingIntent, StreamWriter,
    Unit,
};
use resvg::tiny_skia::Pixmap;

use crate::resize::resized;

/// CSS pixels to a metre. Source: CSS Values, 1 in = 96 px = 2.54 cm.
const CSS_PIXELS_PER_METRE: f64 = 96.0 / 0.0254;

/// The picture as a PNG file without transparency. `scale` is how many of its pixels the screen
/// showed to a CSS pixel; it goes into `pHYs`, so that the picture is as large in a document as it
/// was on the screen.
pub fn encode(pixmap: &Pixmap, scale: f64) -> Vec<u8> {
    let size = (pixmap.width(), pixmap.height());
    write(size, pixmap.data(), Some(scale), false)
}

/// A small version that fits into `width` by `height`, never enlarged; by Lanczos's filter
/// over three lobes.
pub fn thumbnail(pixmap: &Pixmap, width: u32, height: u32) -> Vec<u8> {
    let (w, h) = (pixmap.width(), pixmap.height());
    let to = fitted((w, h), (width, height));
    let small = resized(pixmap.data(), (w, h), to, &lanczos());
    write(to, &small, None, false)
}

/// A picture as a PNG file, written while its rows are still being printed, with a small version of
/// it: the whole of it is never in memory.
pub struct Rows {
    whole: StreamWriter<'static, Out>,
    out: Out,
    small: Shrinking,
    /// Whether it lets through what is beneath.
    through: bool,
    straight: Vec<u8>,
}

/// Where the file goes; the encoder keeps what it writes to until it has ended.
#[derive(Clone, Default)]
struct Out(Rc<RefCell<Vec<u8>>>);

impl Write for Out {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.borrow_mut().extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Rows {
    /// Begins a picture of this size, as [`encode`] writes it, and a small version as [`thumbnail`]
    /// makes it. One that lets `through` what is beneath has its opacity too.
    pub fn begin(size: (u32, u32), scale: f64, small: (u32, u32), through: bool) -> Self {
        let out = Out::default();
        let info = info(size, Some(scale), through);
        let mut encoder = Encoder::with_info(out.clone(), info).expect("the header is complete");
        encoder.set_compression(Compression::Fast);
        let whole = encoder
            .write_header()
            .and_then(|writer| writer.into_stream_writer_with_size(1 << 18))
            .expect("memory is all it takes");
        Self {
            whole,
            out,
            small: Shrinking::begin(size, small, through),
            through,
            straight: Vec::new(),
        }
    }

    /// The next rows, four bytes to a pixel, colours multiplied by opacity.
    pub fn push(&mut self, rows: &[u8]) {
        self.straight.clear();
        straight(rows, self.through, &mut self.straight);
        self.whole
            .write_all(&self.straight)
            .expect("memory is all it takes");
        self.small.push(rows);
    }

    /// All rows have come. Gives the file and its small version.
    pub fn finish(self) -> (Vec<u8>, Vec<u8>) {
        self.whole.finish().expect("the rows are complete");
        (self.out.0.take(), self.small.finish())
    }
}

/// Makes a picture smaller row by row: first by whole numbers of pixels, to between two and four
/// times the size that is wanted, then by Lanczos's filter.
struct Shrinking {
    /// Width and height of the whole, and of the small version.
    from: (u32, u32),
    to: (u32, u32),
    through: bool,
    /// How many pixels and rows become one at first: no more than sums of 16 bits hold.
    by: u32,
    /// What the rows that are being put together add up to, and how many they are.
    sums: Vec<u16>,
    rows: u32,
    put_together: Vec<u8>,
}

impl Shrinking {
    fn begin(from: (u32, u32), most: (u32, u32), through: bool) -> Self {
        let to = fitted(from, most);
        let by = (from.0 / to.0 / 2).min(from.1 / to.1 / 2).clamp(1, 257);
        Self {
            from,
            to,
            through,
            by,
            sums: vec![0; from.0 as usize * 4],
            rows: 0,
            put_together: Vec::new(),
        }
    }

    /// The next rows, four bytes to a pixel.
    fn push(&mut self, rows: &[u8]) {
        for row in rows.chunks_exact(self.from.0 as usize * 4) {
            for (sum, &v) in self.sums.iter_mut().zip(row) {
                *sum += u16::from(v);
            }
            self.rows += 1;
            if self.rows == self.by {
                self.close_row();
            }
        }
    }

    fn close_row(&mut self) {
        // The last block of a row may be narrower.
        for block in self.sums.chunks(self.by as usize * 4) {
            let mut sum = [0u32; 4];
            for pixel in block.chunks_exact(4) {
                for (sum, &v) in sum.iter_mut().zip(pixel) {
                    *sum += u32::from(v);
                }
            }
            let count = block.len() as u32 / 4 * self.rows;
            let mean = sum.map(|s| ((s + count / 2) / count) as u8);
            self.put_together.extend(mean);
        }
        self.sums.fill(0);
        self.rows = 0;
    }

    fn finish(mut self) -> Vec<u8> {
        if self.rows > 0 {
            self.close_row();
        }
        let width = self.from.0.div_ceil(self.by);
        let height = self.from.1.div_ceil(self.by);
        let by = f64::from(self.by);
        let (w, h) = (f64::from(self.from.0) / by, f64::from(self.from.1) / by);
        let options = lanczos().crop(0.0, 0.0, w, h);
        let small = resized(&self.put_together, (width, height), self.to, &options);
        write(self.to, &small, None, self.through)
    }
}

fn lanczos() -> ResizeOptions {
    ResizeOptions::new().resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3))
}

/// The size of a picture that is to fit into `most`, never enlarged.
fn fitted((w, h): (u32, u32), most: (u32, u32)) -> (u32, u32) {
    let scale = (f64::from(most.0) / f64::from(w))
        .min(f64::from(most.1) / f64::from(h))
        .min(1.0);
    let to = |v: u32| ((f64::from(v) * scale).round() as u32).max(1);
    (to(w), to(h))
}

/// Pixels as they are written: colours alone, or not multiplied by the opacity that follows.
fn straight(data: &[u8], through: bool, onto: &mut Vec<u8>) {
    for p in data.as_chunks::<4>().0 {
        if !through {
            onto.extend(&p[..3]);
            continue;
        }
        // Lanczos's filter may leave a colour that is more than its opacity.
        let alpha = u32::from(p[3]);
        let colour = |v: u8| {
            (u32::from(v) * 255 + alpha / 2)
                .checked_div(alpha)
                .unwrap_or(0)
                .min(255)
        };
        onto.extend([
            colour(p[0]) as u8,
            colour(p[1]) as u8,
            colour(p[2]) as u8,
            p[3],
        ]);
    }
}

fn info((width, height): (u32, u32), scale: Option<f64>, through: bool) -> png::Info<'static> {
    let mut info = png::Info::with_size(width, height);
    info.color_type = if through {
        ColorType::Rgba
    } else {
        ColorType::Rgb
    };
    info.bit_depth = BitDepth::Eight;
    info.srgb = Some(SrgbRenderingIntent::Perceptual);
    info.pixel_dims = scale.map(|scale| {
        let per_metre = (CSS_PIXELS_PER_METRE * scale).round() as u32;
        PixelDimensions {
            xppu: per_metre,
            yppu: per_metre,
            unit: Unit::Meter,
        }
    });
    info
}

/// A whole picture, four bytes to a pixel.
fn write(size: (u32, u32), data: &[u8], scale: Option<f64>, through: bool) -> Vec<u8> {
    let mut pixels = Vec::with_capacity(data.len());
    straight(data, through, &mut pixels);
    let mut out = Vec::with_capacity(data.len() / 8);
    let mut encoder =
        Encoder::with_info(&mut out, info(size, scale, through)).expect("the header is complete");
    encoder.set_compression(Compression::Fast);
    encoder
        .write_header()
        .and_then(|mut writer| writer.write_image_data(&pixels))
        .expect("the rows are complete and memory is all it takes");
    out
}
