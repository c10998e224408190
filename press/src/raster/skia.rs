//! Core's maps, paths and blends as the rasteriser's.

use bozzetto_core::display::{Blend, Path, Verb};
use bozzetto_core::geometry::frames::{Map, Pixels};
use resvg::tiny_skia::{BlendMode, PathBuilder, Transform};

pub fn transform<A>(map: &Map<A, Pixels>) -> Transform {
    let [a, b, c, d, e, f] = map.coefficients().map(|v| v as f32);
    Transform::from_row(a, b, c, d, e, f)
}

pub fn mixed(blend: Blend) -> BlendMode {
    match blend {
        Blend::Over => BlendMode::SourceOver,
        Blend::Multiply => BlendMode::Multiply,
        Blend::Screen => BlendMode::Screen,
    }
}

pub fn skia_path(path: &Path) -> Option<resvg::tiny_skia::Path> {
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
