//! Parts of a capture that are hidden. What is beneath is drawn only to be made unreadable; what goes into the picture
//! is what is left of it.

use bozzetto_core::capture::Plan;
use bozzetto_core::capture::hide::{Hide, Hiding, Strength, pixelate};
use bozzetto_core::display::{DisplayList, Item, Source};
use fast_image_resize::{FilterType, ResizeAlg, ResizeOptions};
use image::RgbaImage;
use resvg::tiny_skia::{Color, IntSize, Pixmap};

use crate::picture::{self, Shown};
use crate::resize::resized;

/// What a filled part is filled with: the stage's graphite.
const FILLED: [u8; 3] = [0x14, 0x18, 0x1d];
/// A picture is made smaller before it is blurred, until the Gaussian deviates by so many of its pixels.
const DEVIATES: f64 = 4.0;

/// The list with its hidden parts as pictures over it, and what these show. `None` when there is not enough memory.
pub fn hide(
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    hidden: &[Hide],
) -> Option<(DisplayList, Shown)> {
    let (mut list, mut shown) = (list.clone(), shown.clone());
    for (n, part) in (0..).zip(hidden) {
        let Some([x, y, width, height]) = part.pixels(plan) else {
            continue;
        };
        let (scale, at) = (plan.scale, &plan.area);
        let left = |v: u32| f64::from(v) / scale;
        let (x0, y0) = (at.x0 + left(x), at.y0 + left(y));
        let area =
            bozzetto_core::geometry::frames::Rect::from_size(x0, y0, left(width), left(height));
        let here = Plan {
            area,
            scale,
            width,
            height,
        };
        let pixels = match part.how {
            Hiding::Fill => filled(width, height)?,
            other => unreadable(super::print(&list, &here, &shown)?, other)?,
        };
        let source = picture::Source::Pixels(std::sync::Arc::new(pixels.into()));
        shown.backdrops.insert(Source::Hidden(n), source);
        list.items.push(Item::Picture {
            source: Source::Hidden(n),
            to: area,
        });
    }
    Some((list, shown))
}

fn filled(width: u32, height: u32) -> Option<Pixmap> {
    let mut pixmap = Pixmap::new(width, height)?;
    let [r, g, b] = FILLED;
    pixmap.fill(Color::from_rgba8(r, g, b, 255));
    Some(pixmap)
}

fn unreadable(pixmap: Pixmap, how: Hiding) -> Option<Pixmap> {
    let (width, height) = (pixmap.width(), pixmap.height());
    let size = IntSize::from_wh(width, height)?;
    let mut pixels = pixmap.take();
    let (w, h) = (width as usize, height as usize);
    let strength = Strength::for_part(&pixels, w, h);
    pixelate(&mut pixels, w, h, strength.cell);
    if how == Hiding::Blur {
        pixels = blurred(pixels, (width, height), strength.deviation);
    }
    Pixmap::from_vec(pixels, size)
}

/// Blurred by a Gaussian of this standard deviation, in pixels; beyond its edges it goes on as it ends there. It is
/// made smaller first when it can be: no more is left of it then than the Gaussian would leave.
pub fn blurred(pixels: Vec<u8>, (width, height): (u32, u32), deviation: f64) -> Vec<u8> {
    let by = (deviation / DEVIATES).max(1.0);
    let side = |v: u32| ((f64::from(v) / by).round() as u32).max(1);
    let to = (side(width), side(height));
    let resize = |pixels: &[u8], from, to, filter| {
        let options = ResizeOptions::new().resize_alg(ResizeAlg::Convolution(filter));
        resized(pixels, from, to, &options)
    };
    let small = resize(&pixels, (width, height), to, FilterType::Box);
    // Made smaller and larger again it is blurred by that much already: the variance of a box, 1/12, and of a tent, 1/6.
    let already = if by > 1.0 { by * by / 4.0 } else { 0.0 };
    let left = (deviation * deviation - already).max(0.25);
    let small = RgbaImage::from_raw(to.0, to.1, small).expect("four bytes to a pixel");
    let soft = image::imageops::blur(&small, (left.sqrt() / by) as f32).into_raw();
    resize(&soft, to, (width, height), FilterType::Bilinear)
}
