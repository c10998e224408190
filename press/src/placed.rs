//! Prints pictures that are marks: moved, turned, resized and cropped.

use bozzetto_core::display::Placing;
use bozzetto_core::frames::{Glass, Map, Pixels};
use fast_image_resize::images::{Image, ImageRef};
use fast_image_resize::{PixelType, ResizeOptions, Resizer};
use resvg::tiny_skia::{
    FilterQuality, IntSize, Mask, Paint, Pattern, Pixmap, PixmapMut, Rect, SpreadMode, Transform,
};

use crate::picture::Source;
use crate::raster::transform;

/// Below this scale neighbouring pixels of a picture are put together before they are drawn.
const SHRUNK: f64 = 0.75;

/// Draws the part of a picture that is seen. `map` leads from glass units to pixels.
pub fn print(
    onto: &mut PixmapMut,
    source: &Source,
    placing: &Placing,
    opacity: f32,
    map: &Map<Glass, Pixels>,
    mask: Option<&Mask>,
) {
    let own = Map::<Pixels, Glass>::from_coefficients(placing.map).then(map);
    let scale = own.mean_scale();
    let [x0, y0, x1, y1] = placing.part.map(|v| v as f32);
    let Some(part) = Rect::from_ltrb(x0, y0, x1, y1) else {
        return;
    };
    let made;
    let (pixmap, by) = match source {
        Source::Pixels(pixels) if scale >= SHRUNK => (&pixels.pixmap, 1.0),
        Source::Pixels(pixels) => match shrunk(&pixels.pixmap, scale) {
            Some(small) => {
                made = small;
                (&made, scale)
            }
            None => (&pixels.pixmap, 1.0),
        },
        Source::Vector(vector) => {
            let size = vector.tree.size().to_int_size().scale_by(scale as f32);
            let Some(mut pixmap) = size.and_then(|s| Pixmap::new(s.width(), s.height())) else {
                return;
            };
            let by = scale as f32;
            resvg::render(
                &vector.tree,
                Transform::from_scale(by, by),
                &mut pixmap.as_mut(),
            );
            made = pixmap;
            (&made, scale)
        }
        // Pages of documents are backdrops, never marks.
        Source::Page(_) => return,
    };
    let back = (1.0 / by) as f32;
    let paint = Paint {
        shader: Pattern::new(
            pixmap.as_ref(),
            SpreadMode::Pad,
            FilterQuality::Bilinear,
            opacity,
            Transform::from_scale(back, back),
        ),
        anti_alias: true,
        ..Default::default()
    };
    onto.fill_rect(part, &paint, transform(&own), mask);
}

/// The picture at a fraction of its size, each pixel the mean of those that it stands for.
fn shrunk(pixmap: &Pixmap, scale: f64) -> Option<Pixmap> {
    let size = |v: u32| ((f64::from(v) * scale).round() as u32).max(1);
    let (width, height) = (size(pixmap.width()), size(pixmap.height()));
    let (w, h) = (pixmap.width(), pixmap.height());
    let whole = ImageRef::new(w, h, pixmap.data(), PixelType::U8x4).ok()?;
    let mut small = Image::new(width, height, PixelType::U8x4);
    // Colours are multiplied with opacity already.
    let options = ResizeOptions::new().use_alpha(false);
    Resizer::new().resize(&whole, &mut small, &options).ok()?;
    Pixmap::from_vec(small.into_vec(), IntSize::from_wh(width, height)?)
}
