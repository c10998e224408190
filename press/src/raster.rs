//! Prints a display list into pixels.

use std::sync::Arc;
use std::thread;

use bozzetto_core::capture::Plan;
use bozzetto_core::colour::Rgb;
use bozzetto_core::display::{Blend, DisplayList, Item, Path, Verb};
use bozzetto_core::frames::{Glass, Map, Pixels, Rect};
use resvg::tiny_skia::{
    BlendMode, Color, FillRule, FilterQuality, Paint, PathBuilder, Pixmap, PixmapMut, PixmapPaint,
    Shader, Transform,
};

use crate::picture::{Source, Vector};

/// The planned area as pixels. `picture` is what [`Item::Picture`] shows. `None` when there is not
/// enough memory for it.
pub fn print(list: &DisplayList, plan: &Plan, picture: Option<&Source>) -> Option<Pixmap> {
    let mut pixmap = Pixmap::new(plan.width, plan.height)?;
    let map = plan.to_pixels();
    in_bands(&mut pixmap, |band, top| {
        let map = map.then(&Map::scale_then_move(1.0, 0.0, -f64::from(top)));
        for item in &list.items {
            match item {
                Item::Fill {
                    path,
                    colour,
                    blend,
                } => fill(band, path, *colour, *blend, transform(&map)),
                Item::Picture { to } => {
                    if let Some(source) = picture {
                        place(band, source, &map.apply_rect(to));
                    }
                }
            }
        }
    });
    Some(pixmap)
}

/// Prints bands of whole rows side by side, one to a processor; `print` is told which row of the
/// picture its band begins with.
fn in_bands(pixmap: &mut Pixmap, print: impl Fn(&mut PixmapMut, u32) + Sync) {
    let (width, height) = (pixmap.width(), pixmap.height());
    let processors = thread::available_parallelism().map_or(1, |n| n.get() as u32);
    let rows = height.div_ceil(processors).max(64);
    let bytes = (rows * width * 4) as usize;
    thread::scope(|scope| {
        for (data, top) in pixmap
            .data_mut()
            .chunks_mut(bytes)
            .zip((0..).step_by(rows as usize))
        {
            let print = &print;
            let rows = rows.min(height - top);
            scope.spawn(move || {
                if let Some(mut band) = PixmapMut::from_bytes(data, width, rows) {
                    print(&mut band, top);
                }
            });
        }
    });
}

fn transform(map: &Map<Glass, Pixels>) -> Transform {
    let [a, b, c, d, e, f] = map.coefficients().map(|v| v as f32);
    Transform::from_row(a, b, c, d, e, f)
}

fn fill(pixmap: &mut PixmapMut, path: &Path, colour: Rgb, blend: Blend, transform: Transform) {
    let Some(path) = skia_path(path) else {
        return;
    };
    let paint = Paint {
        shader: Shader::SolidColor(Color::from_rgba8(colour.r, colour.g, colour.b, 255)),
        blend_mode: match blend {
            Blend::Over => BlendMode::SourceOver,
            Blend::Multiply => BlendMode::Multiply,
        },
        anti_alias: true,
        ..Default::default()
    };
    pixmap.fill_path(&path, &paint, FillRule::Winding, transform, None);
}

fn skia_path(path: &Path) -> Option<resvg::tiny_skia::Path> {
    let mut b = PathBuilder::with_capacity(path.verbs.len(), path.coords.len() / 2);
    let mut rest = &path.coords[..];
    for verb in &path.verbs {
        let (c, next) = rest.split_at(verb.points() * 2);
        match verb {
            Verb::Move => b.move_to(c[0], c[1]),
            Verb::Line => b.line_to(c[0], c[1]),
            Verb::Quad => b.quad_to(c[0], c[1], c[2], c[3]),
            Verb::Cubic => b.cubic_to(c[0], c[1], c[2], c[3], c[4], c[5]),
            Verb::Close => b.close(),
        }
        rest = next;
    }
    b.finish()
}

/// Draws the picture into `to`. At its own size its pixels are copied as they are.
fn place(pixmap: &mut PixmapMut, source: &Source, to: &Rect<Pixels>) {
    match source {
        Source::Pixels(pixels) => {
            let (sx, sy) = (
                to.width() / f64::from(pixels.width()),
                to.height() / f64::from(pixels.height()),
            );
            let own_size = (sx - 1.0).abs() < 1e-6 && (sy - 1.0).abs() < 1e-6;
            let (transform, quality) = if own_size {
                let at = Transform::from_translate(to.x0.round() as f32, to.y0.round() as f32);
                (at, FilterQuality::Nearest)
            } else {
                let at =
                    Transform::from_row(sx as f32, 0.0, 0.0, sy as f32, to.x0 as f32, to.y0 as f32);
                (at, FilterQuality::Bilinear)
            };
            let paint = PixmapPaint {
                quality,
                ..Default::default()
            };
            pixmap.draw_pixmap(0, 0, (**pixels).as_ref(), &paint, transform, None);
        }
        Source::Vector(vector) => match printed(vector, to) {
            Some(pixels) => {
                let (x, y) = (to.x0.round() as i32, to.y0.round() as i32);
                let paint = PixmapPaint::default();
                pixmap.draw_pixmap(
                    x,
                    y,
                    (*pixels).as_ref(),
                    &paint,
                    Transform::identity(),
                    None,
                );
            }
            None => resvg::render(&vector.tree, onto(vector, to), pixmap),
        },
    }
}

/// From the units of a vector picture to where it is to lie.
fn onto(vector: &Vector, to: &Rect<Pixels>) -> Transform {
    let size = vector.tree.size();
    let (sx, sy) = (
        to.width() / f64::from(size.width()),
        to.height() / f64::from(size.height()),
    );
    Transform::from_row(sx as f32, 0.0, 0.0, sy as f32, to.x0 as f32, to.y0 as f32)
}

/// The most pixels of a vector picture that are kept.
const KEPT: f64 = 16_000_000.0;

/// A vector picture printed whole, kept for the next time. `None` when it would not lie on whole
/// pixels, or is too large to be kept.
fn printed(vector: &Vector, to: &Rect<Pixels>) -> Option<Arc<Pixmap>> {
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
        && (pixels.width(), pixels.height()) == (width, height)
    {
        return Some(pixels.clone());
    }
    let mut pixels = Pixmap::new(width, height)?;
    in_bands(&mut pixels, |band, top| {
        let at = onto(vector, to).post_translate(-to.x0 as f32, -to.y0 as f32 - top as f32);
        resvg::render(&vector.tree, at, band);
    });
    let pixels = Arc::new(pixels);
    *kept = Some(pixels.clone());
    Some(pixels)
}
