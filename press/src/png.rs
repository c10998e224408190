//! Pixels as a PNG file. Source: W3C, *Portable Network Graphics*, third edition.

use fast_image_resize::images::{Image, ImageRef};
use fast_image_resize::{FilterType, PixelType, ResizeAlg, ResizeOptions, Resizer};
use png::{BitDepth, ColorType, Compression, Encoder, PixelDimensions, SrgbRenderingIntent, Unit};
use resvg::tiny_skia::Pixmap;

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
    let scale = (f64::from(width) / f64::from(w))
        .min(f64::from(height) / f64::from(h))
        .min(1.0);
    let to = |v: u32| ((f64::from(v) * scale).round() as u32).max(1);
    let whole = ImageRef::new(w, h, pixmap.data(), PixelType::U8x4).expect("four bytes to a pixel");
    let mut small = Image::new(to(w), to(h), PixelType::U8x4);
    let options = ResizeOptions::new()
        .resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3))
        .use_alpha(false);
    Resizer::new()
        .resize(&whole, &mut small, &options)
        .expect("both hold the same kind of pixel");
    write(small.width(), small.height(), &rgb(small.buffer()), None)
}

/// The colours without the opacity.
fn rgb(data: &[u8]) -> Vec<u8> {
    let pixels = data.chunks_exact(4);
    pixels.flat_map(|p| [p[0], p[1], p[2]]).collect()
}

fn write(width: u32, height: u32, rgb: &[u8], scale: Option<f64>) -> Vec<u8> {
    let mut out = Vec::with_capacity(rgb.len() / 8);
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
    let mut encoder = Encoder::with_info(&mut out, info).expect("the header is complete");
    encoder.set_compression(Compression::Fast);
    encoder
        .write_header()
        .and_then(|mut writer| writer.write_image_data(rgb))
        .expect("the rows are complete and memory is all it takes");
    out
}
