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
    let rgb = rgb(pixmap.data());
    write(pixmap.width(), pixmap.height(), &rgb, Some(scale))
}

/// A small version that fits into `width` by `height`, never enlarged; by Lanczos's filter
/// over three lobes.
pub fn thumbnail(pixmap: &Pixmap, width: u32, height: u32) -> Vec<u8> {
    let (w, h) = (pixmap.width(), pixmap.height());
    let (to_width, to_height) = fitted((w, h), (width, height));
    let small = resized(pixmap.data(), (w, h), (to_width, to_height), &lanczos());
    write(to_width, to_height, &rgb(&small), None)
}

/// A picture as a PNG file, written while its rows are still being printed, with a small version of
/// it: the whole of it is never in memory.
pub struct Rows {
    whole: StreamWriter<'static, Out>,
    out: Out,
    small: Shrinking,
    rgb: Vec<u8>,
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
    /// makes it.
    pub fn begin(size: (u32, u32), scale: f64, small: (u32, u32)) -> Self {
        let out = Out::default();
        let mut encoder = Encoder::with_info(out.clone(), info(size.0, size.1, Some(scale)))
            .expect("the header is complete");
        encoder.set_compression(Compression::Fast);
        let whole = encoder
            .write_header()
            .and_then(|writer| writer.into_stream_writer_with_size(1 << 18))
            .expect("memory is all it takes");
        Self {
            whole,
            out,
            small: Shrinking::begin(size, small),
            rgb: Vec::new(),
        }
    }

    /// The next rows, four bytes to a pixel.
    pub fn push(&mut self, rows: &[u8]) {
        self.rgb.resize(rows.len() / 4 * 3, 0);
        for (to, from) in self.rgb.chunks_exact_mut(3).zip(rows.chunks_exact(4)) {
            to.copy_from_slice(&from[..3]);
        }
        self.whole
            .write_all(&self.rgb)
            .expect("memory is all it takes");
        self.small.push(&self.rgb);
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
    /// How many pixels and rows become one at first: no more than sums of 16 bits hold.
    by: u32,
    /// What the rows that are being put together add up to, and how many they are.
    sums: Vec<u16>,
    rows: u32,
    put_together: Vec<u8>,
}

impl Shrinking {
    fn begin(from: (u32, u32), most: (u32, u32)) -> Self {
        let to = fitted(from, most);
        let by = (from.0 / to.0 / 2).min(from.1 / to.1 / 2).clamp(1, 257);
        Self {
            from,
            to,
            by,
            sums: vec![0; from.0 as usize * 3],
            rows: 0,
            put_together: Vec::new(),
        }
    }

    /// The next rows, three bytes to a pixel.
    fn push(&mut self, rows: &[u8]) {
        for row in rows.chunks_exact(self.from.0 as usize * 3) {
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
        for block in self.sums.chunks(self.by as usize * 3) {
            let mut sum = [0u32; 3];
            for pixel in block.chunks_exact(3) {
                for (sum, &v) in sum.iter_mut().zip(pixel) {
                    *sum += u32::from(v);
                }
            }
            let count = block.len() as u32 / 3 * self.rows;
            let mean = sum.map(|s| ((s + count / 2) / count) as u8);
            self.put_together.extend(mean);
            self.put_together.push(255);
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
        write(self.to.0, self.to.1, &rgb(&small), None)
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

/// The colours without the opacity.
fn rgb(data: &[u8]) -> Vec<u8> {
    let pixels = data.chunks_exact(4);
    pixels.flat_map(|p| [p[0], p[1], p[2]]).collect()
}

fn info(width: u32, height: u32, scale: Option<f64>) -> png::Info<'static> {
    let mut info = png::Info::with_size(width, height);
    info.color_type = ColorType::Rgb;
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

fn write(width: u32, height: u32, rgb: &[u8], scale: Option<f64>) -> Vec<u8> {
    let mut out = Vec::with_capacity(rgb.len() / 8);
    let mut encoder =
        Encoder::with_info(&mut out, info(width, height, scale)).expect("the header is complete");
    encoder.set_compression(Compression::Fast);
    encoder
        .write_header()
        .and_then(|mut writer| writer.write_image_data(rgb))
        .expect("the rows are complete and memory is all it takes");
    out
}
