//! The pixels that are drawn on, and the fills that wait to be drawn on them.
//!
//! Marks are many paths in plain colours that lie over one another. They are gathered and drawn
//! together, by a rasteriser that takes a strip of pixels once for all of them. Whatever else is drawn
//! has those that wait drawn first. What is mixed with what lies beneath in another way than by lying
//! over it (a highlighter), or is clipped by a curve, is drawn by itself.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::display::{Blend, Path};
use bozzetto_core::geometry::frames::{Glass, Map, Pixels, Size};
use hayro::vello_cpu::color::{AlphaColor, Srgb};
use hayro::vello_cpu::kurbo::{Affine, BezPath, Rect};
use hayro::vello_cpu::{self, RasterizerSettings, RenderContext, Resources, TargetInit};
use resvg::tiny_skia::{Color, FillRule, Paint, PixmapMut, Shader};

use super::clip::Clip;
use super::skia::{mixed, skia_path, transform};

pub struct Canvas<'a> {
    pixels: PixmapMut<'a>,
    /// Made for the first fill that waits.
    fills: Option<RenderContext>,
    waiting: bool,
}

impl<'a> Canvas<'a> {
    pub fn new(pixels: PixmapMut<'a>) -> Self {
        Self {
            pixels,
            fills: None,
            waiting: false,
        }
    }

    pub fn room(&self) -> Size<Pixels> {
        Size::new(
            f64::from(self.pixels.width()),
            f64::from(self.pixels.height()),
        )
    }

    /// The pixels with everything drawn that waited.
    pub fn settled(&mut self) -> &mut PixmapMut<'a> {
        if let Some(fills) = &mut self.fills
            && self.waiting
        {
            self.waiting = false;
            let (width, height) = (fills.width(), fills.height());
            let onto = vello_cpu::PixmapMut::new(width, height, self.pixels.data_mut());
            let over = RasterizerSettings {
                target_init: TargetInit::SrcOver,
                ..Default::default()
            };
            fills.flush();
            fills.render_with(
                onto.expect("made as large as these pixels"),
                &mut Resources::default(),
                over,
            );
            fills.reset();
        }
        &mut self.pixels
    }

    /// Fills a path. `map` leads from its units to these pixels.
    pub fn fill(
        &mut self,
        path: &Path,
        (colour, blend, opacity): (Rgb, Blend, f32),
        map: &Map<Glass, Pixels>,
        clip: Option<&Clip>,
    ) {
        let by_itself = blend != Blend::Over || clip.is_some_and(|c| !c.whole);
        if !by_itself && let Some(fills) = self.fills() {
            let within = clip.and_then(|c| c.part_of(fills.width(), fills.height()));
            if let Some([left, top, right, bottom]) = within {
                fills.reset_transform();
                fills.push_clip_rect(&Rect::new(left, top, right, bottom));
            }
            fills.set_transform(Affine::new(map.coefficients()));
            let shown = AlphaColor::<Srgb>::from_rgb8(colour.r, colour.g, colour.b);
            fills.set_paint(shown.with_alpha(opacity));
            fills.fill_path(&BezPath::from(path));
            if within.is_some() {
                fills.pop_clip();
            }
            self.waiting = true;
        } else if let Some(path) = skia_path(path) {
            let ink = paint(colour, blend, opacity);
            let mask = clip.map(|c| &c.mask);
            let at = transform(map);
            self.settled()
                .fill_path(&path, &ink, FillRule::Winding, at, mask);
        }
    }

    /// `None` when these pixels are more than fit.
    fn fills(&mut self) -> Option<&mut RenderContext> {
        if self.fills.is_none() {
            let width = self.pixels.width().try_into().ok()?;
            let height = self.pixels.height().try_into().ok()?;
            self.fills = Some(RenderContext::new(width, height));
        }
        self.fills.as_mut()
    }
}

fn paint(colour: Rgb, blend: Blend, opacity: f32) -> Paint<'static> {
    let mut shown = Color::from_rgba8(colour.r, colour.g, colour.b, 255);
    shown.apply_opacity(opacity);
    Paint {
        shader: Shader::SolidColor(shown),
        blend_mode: mixed(blend),
        anti_alias: true,
        ..Default::default()
    }
}
