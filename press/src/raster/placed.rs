//! Prints pictures that are marks: moved, turned, resized and cropped.

use bozzetto_core::display::Placing;
use bozzetto_core::geometry::frames::{Glass, Map, Pixels};
use fast_image_resize::ResizeOptions;
use resvg::tiny_skia::{
    FilterQuality, IntSize, Mask, Paint, Pattern, Pixmap, PixmapMut, Rect, SpreadMode, Transform,
};

use super::skia::transform;
use crate::picture::Source;
use crate::resize::resized;

/// Below this scale neighbouring pixels of a picture are put together before they are drawn.
const SHRUNK: f64 = 0.75;
/// The most pixels of a picture that are made ready to be drawn from.
const MOST: f64 = 16_000_000.0;

/// A picture made smaller, or printed from a drawing: worked out once, drawn from in every band.
pub struct Ready {
    pixmap: Pixmap,
    /// Its pixels to one of the picture's own.
    by: f64,
}

/// What a picture is drawn from, where that is not the picture itself. `map` leads from glass units
/// to pixels. `None` too for a drawing that is enlarged so much that it is better drawn in place.
pub fn ready(source: &Source, placing: &Placing, map: &Map<Glass, Pixels>) -> Option<Ready> {
    let by = own(placing, map).mean_scale();
    let pixmap = match source {
        Source::Pixels(pixels) if by < SHRUNK => shrunk(&pixels.pixmap, by)?,
        Source::Vector(vector) => {
            let size = vector.tree.size();
            let pixels = f64::from(size.width()) * f64::from(size.height()) * by * by;
            if pixels > MOST {
                return None;
            }
            let size = size.to_int_size().scale_by(by as f32)?;
            let mut pixmap = Pixmap::new(size.width(), size.height())?;
            let scale = Transform::from_scale(by as f32, by as f32);
            resvg::render(&vector.tree, scale, &mut pixmap.as_mut());
            pixmap
        }
        // Pages of documents are backdrops, never marks.
        Source::Pixels(_) | Source::Page(_) => return None,
    };
    Some(Ready { pixmap, by })
}

/// From a picture's own pixels to those that it is printed on.
fn own(placing: &Placing, map: &Map<Glass, Pixels>) -> Map<Pixels, Pixels> {
    Map::<Pixels, Glass>::from_coefficients(placing.map).then(map)
}

/// Draws the part of a picture that is seen. `map` leads from glass units to pixels.
pub fn print(
    onto: &mut PixmapMut,
    (source, ready): (&Source, Option<&Ready>),
    placing: &Placing,
    opacity: f32,
    map: &Map<Glass, Pixels>,
    mask: Option<&Mask>,
) {
    let own = transform(&own(placing, map));
    let [x0, y0, x1, y1] = placing.part.map(|v| v as f32);
    let Some(part) = Rect::from_ltrb(x0, y0, x1, y1) else {
        return;
    };
    let made;
    let (pixmap, back) = match (ready, source) {
        (Some(ready), _) => {
            let back = (1.0 / ready.by) as f32;
            (&ready.pixmap, Transform::from_scale(back, back))
        }
        (None, Source::Pixels(pixels)) => (&pixels.pixmap, Transform::identity()),
        (None, Source::Vector(vector)) => {
            // Drawn where it lies, and taken from there as it is.
            let room = Pixmap::new(onto.width(), onto.height());
            let (Some(mut there), Some(back)) = (room, own.invert()) else {
                return;
            };
            resvg::render(&vector.tree, own, &mut there.as_mut());
            made = there;
            (&made, back)
        }
        (None, Source::Page(_)) => return,
    };
    let paint = Paint {
        shader: Pattern::new(
            pixmap.as_ref(),
            SpreadMode::Pad,
            FilterQuality::Bilinear,
            opacity,
            back,
        ),
        anti_alias: true,
        ..Default::default()
    };
    onto.fill_rect(part, &paint, own, mask);
}

/// The picture at a fraction of its size, each pixel the mean of those that it stands for.
fn shrunk(pixmap: &Pixmap, scale: f64) -> Option<Pixmap> {
    let size = |v: u32| ((f64::from(v) * scale).round() as u32).max(1);
    let (width, height) = (size(pixmap.width()), size(pixmap.height()));
    let (w, h) = (pixmap.width(), pixmap.height());
    // Colours are multiplied with opacity already.
    let options = ResizeOptions::new();
    let small = resized(pixmap.data(), (w, h), (width, height), &options);
    Pixmap::from_vec(small, IntSize::from_wh(width, height)?)
}
