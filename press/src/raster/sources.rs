//! Draws backdrops: pictures, drawings and pages of documents.

use std::sync::Arc;

use bozzetto_core::geometry::frames::{self, Rect, Size};
use resvg::tiny_skia::{FilterQuality, Pixmap, PixmapMut, PixmapPaint, Transform};

use super::bands::in_bands;
use super::clip::Clip;
use crate::picture::{Pixels, Source, Vector};

/// Draws the picture into `to`. At its own size its pixels are copied as they are.
pub fn place(
    pixmap: &mut PixmapMut,
    source: &Source,
    to: &Rect<frames::Pixels>,
    clip: Option<&Clip>,
) {
    let mask = clip.map(|c| &c.mask);
    match source {
        Source::Pixels(pixels) => {
            let (sx, sy) = (
                to.width() / f64::from(pixels.pixmap.width()),
                to.height() / f64::from(pixels.pixmap.height()),
            );
            if (sx - 1.0).abs() < 1e-6 && (sy - 1.0).abs() < 1e-6 {
                return at_own_size(pixmap, pixels, to, clip);
            }
            let at =
                Transform::from_row(sx as f32, 0.0, 0.0, sy as f32, to.x0 as f32, to.y0 as f32);
            let paint = PixmapPaint {
                quality: FilterQuality::Bilinear,
                ..Default::default()
            };
            pixmap.draw_pixmap(0, 0, pixels.pixmap.as_ref(), &paint, at, mask);
        }
        Source::Vector(vector) => match printed(vector, to) {
            Some(pixels) => at_own_size(pixmap, &pixels, to, clip),
            None if mask.is_none() => resvg::render(&vector.tree, onto(vector, to), pixmap),
            None => {
                // Printed apart, since resvg knows no mask.
                if let Some(mut apart) = Pixmap::new(pixmap.width(), pixmap.height()) {
                    resvg::render(&vector.tree, onto(vector, to), &mut apart.as_mut());
                    let paint = PixmapPaint::default();
                    let as_is = Transform::identity();
                    pixmap.draw_pixmap(0, 0, apart.as_ref(), &paint, as_is, mask);
                }
            }
        },
        Source::Page(page) => {
            let room = Size::new(f64::from(pixmap.width()), f64::from(pixmap.height()));
            if let Some((part, x, y)) = page.part(to, room)
                && let Some(printed) = page.document.print(page.number, &part)
            {
                let paint = PixmapPaint::default();
                let as_is = Transform::identity();
                pixmap.draw_pixmap(x, y, printed.as_ref(), &paint, as_is, mask);
            }
        }
    }
}

/// Every pixel as it is; where nothing shows through, whole rows are copied.
pub fn at_own_size(
    onto: &mut PixmapMut,
    source: &Pixels,
    to: &Rect<frames::Pixels>,
    clip: Option<&Clip>,
) {
    let (x, y) = (to.x0.round() as i32, to.y0.round() as i32);
    if !source.opaque || clip.is_some_and(|c| !c.whole) {
        let paint = PixmapPaint::default();
        let from = source.pixmap.as_ref();
        let mask = clip.map(|c| &c.mask);
        onto.draw_pixmap(x, y, from, &paint, Transform::identity(), mask);
        return;
    }
    let (width, height) = (onto.width() as i32, onto.height() as i32);
    let [x0, y0, x1, y1] = clip.map_or([0, 0, width, height], |c| c.within);
    let (w, h) = (source.pixmap.width() as i32, source.pixmap.height() as i32);
    let (left, right) = (x.max(x0), (x + w).min(x1));
    if left >= right {
        return;
    }
    let data = onto.data_mut();
    for row in y.max(y0)..(y + h).min(y1) {
        let at = ((row * width + left) * 4) as usize;
        let from = (((row - y) * w + left - x) * 4) as usize;
        let length = ((right - left) * 4) as usize;
        data[at..at + length].copy_from_slice(&source.pixmap.data()[from..from + length]);
    }
}

/// From the units of a vector picture to where it is to lie.
fn onto(vector: &Vector, to: &Rect<frames::Pixels>) -> Transform {
    let size = vector.tree.size();
    let (sx, sy) = (
        to.width() / f64::from(size.width()),
        to.height() / f64::from(size.height()),
    );
    Transform::from_row(sx as f32, 0.0, 0.0, sy as f32, to.x0 as f32, to.y0 as f32)
}

/// The most pixels of a vector picture that are kept.
pub const KEPT: f64 = 16_000_000.0;

/// A vector picture printed whole, kept for the next time. `None` when it would not lie on whole
/// pixels, or is too large to be kept.
fn printed(vector: &Vector, to: &Rect<frames::Pixels>) -> Option<Arc<Pixels>> {
    let whole = |v: f64| (v - v.round()).abs() < 1e-3;
    let on_pixels = [to.x0, to.y0, to.width(), to.height()]
        .into_iter()
        .all(whole);
    if !on_pixels || to.width() * to.height() > KEPT {
        return None;
    }
    let (width, height) = (to.width().round() as u32, to.height().round() as u32);
    let mut kept = vector.printed.lock().ok()?;
    if let Some(pixels) = &*kept
        && (pixels.pixmap.width(), pixels.pixmap.height()) == (width, height)
    {
        return Some(pixels.clone());
    }
    let mut pixels = Pixmap::new(width, height)?;
    in_bands(&mut pixels, |mut band, top| {
        let at = onto(vector, to).post_translate(-to.x0 as f32, -to.y0 as f32 - top as f32);
        resvg::render(&vector.tree, at, &mut band);
    });
    let pixels = Arc::new(Pixels::from(pixels));
    *kept = Some(pixels.clone());
    Some(pixels)
}
