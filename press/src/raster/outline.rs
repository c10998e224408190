//! What lies outside of an outline is taken away.

use bozzetto_core::capture::Plan;
use bozzetto_core::capture::way::Outline;
use bozzetto_core::geometry::frames::Map;
use image::GrayImage;
use resvg::tiny_skia::{FillRule, IntSize, Mask, Pixmap};

use super::skia::{skia_path, transform};

/// Lets through what lies outside of the outline, in rows of a capture from `top` on.
pub fn cut(rows: &mut Pixmap, top: u32, outline: &Outline, plan: &Plan) {
    let deviation = outline.softness() * plan.scale;
    // What lies just beside these rows is softened into them.
    let margin = (3.0 * deviation).ceil();
    let (width, height) = (rows.width(), rows.height());
    let (wide, high) = (width + 2 * margin as u32, height + 2 * margin as u32);
    let (Some(mut inside), Some(path)) = (Mask::new(wide, high), skia_path(&outline.path())) else {
        return;
    };
    let by = Map::scale_then_move(1.0, margin, margin - f64::from(top));
    let map = plan.to_pixels().then(&by);
    inside.fill_path(&path, FillRule::Winding, true, transform(&map));
    let mut data = inside.take();
    if deviation > 0.0 {
        let hard = GrayImage::from_raw(wide, high, data).expect("as many bytes as pixels");
        data = image::imageops::blur(&hard, deviation as f32).into_raw();
    }
    let margin = margin as usize;
    let lines = data
        .chunks_exact(wide as usize)
        .skip(margin)
        .take(height as usize);
    let cut: Vec<u8> = lines
        .flat_map(|line| &line[margin..margin + width as usize])
        .copied()
        .collect();
    let size = IntSize::from_wh(width, height).expect("as large as the rows");
    let mask = Mask::from_vec(cut, size).expect("as many bytes as pixels");
    rows.apply_mask(&mask);
}
