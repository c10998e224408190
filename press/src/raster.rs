//! Prints a display list into pixels.

use bozzetto_core::capture::Plan;
use bozzetto_core::colour::Rgb;
use bozzetto_core::display::{Blend, DisplayList, Item, Path, Verb};
use bozzetto_core::frames::{Glass, Map, Pixels, Rect};
use resvg::tiny_skia::{
    BlendMode, Color, FillRule, FilterQuality, Paint, PathBuilder, Pixmap, PixmapPaint, Shader,
    Transform,
};

use crate::picture::Source;

/// The planned area as pixels. `picture` is what [`Item::Picture`] shows. `None` when there is not
/// enough memory for it.
pub fn print(list: &DisplayList, plan: &Plan, picture: Option<&Source>) -> Option<Pixmap> {
    let mut pixmap = Pixmap::new(plan.width, plan.height)?;
    let map = plan.to_pixels();
    for item in &list.items {
        match item {
            Item::Fill {
                path,
                colour,
                blend,
            } => fill(&mut pixmap, path, *colour, *blend, transform(&map)),
            Item::Picture { to } => {
                if let Some(source) = picture {
                    place(&mut pixmap, source, &map.apply_rect(to));
                }
            }
        }
    }
    Some(pixmap)
}

fn transform(map: &Map<Glass, Pixels>) -> Transform {
    let [a, b, c, d, e, f] = map.coefficients().map(|v| v as f32);
    Transform::from_row(a, b, c, d, e, f)
}

fn fill(pixmap: &mut Pixmap, path: &Path, colour: Rgb, blend: Blend, transform: Transform) {
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
fn place(pixmap: &mut Pixmap, source: &Source, to: &Rect<Pixels>) {
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
        Source::Vector(tree) => {
            let size = tree.size();
            let transform = Transform::from_row(
                (to.width() / f64::from(size.width())) as f32,
                0.0,
                0.0,
                (to.height() / f64::from(size.height())) as f32,
                to.x0 as f32,
                to.y0 as f32,
            );
            resvg::render(tree, transform, &mut pixmap.as_mut());
        }
    }
}
