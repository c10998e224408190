//! Pictures at another size, by Lanczos's filter over three lobes, in linear light: what is half black and half white
//! becomes as light as it looks from afar.
//!
//! A picture is gone through in bands of rows, so that only as much of it as a band needs is in memory as light, which takes
//! four times as much as its pixels do.

use std::sync::LazyLock;

use fast_image_resize::images::{TypedImage, TypedImageRef};
use fast_image_resize::pixels::{F32x3, F32x4};
use fast_image_resize::{FilterType, PixelTrait, ResizeAlg, ResizeOptions, Resizer};
use image::{RgbImage, RgbaImage};

/// How far the filter reaches, in pixels of the smaller of the two pictures.
const LOBES: f64 = 3.0;
/// How much light of the picture a band is made from, in pixels; and how many rows at least, by what overlaps with the next.
const BAND: usize = 1 << 18;
const OVERLAPS: usize = 8;

/// A picture through which nothing is seen, at another size.
pub fn rgb(picture: &RgbImage, width: u32, height: u32) -> RgbImage {
    let pixels = picture.as_raw().as_chunks::<3>().0;
    let light = |p: &[u8; 3]| F32x3::new(p.map(|v| LINEAR[usize::from(v)]));
    let mut out = Vec::with_capacity(width as usize * height as usize * 3);
    in_bands(pixels, picture.dimensions(), (width, height), light, |p| {
        out.extend(p.0.map(srgb));
    });
    RgbImage::from_raw(width, height, out).expect("three bytes to a pixel")
}

/// A picture of which some lets through what lies beneath, at another size.
pub fn rgba(picture: &RgbaImage, width: u32, height: u32) -> RgbaImage {
    let pixels = picture.as_raw().as_chunks::<4>().0;
    let light = |p: &[u8; 4]| {
        let alpha = f32::from(p[3]) / 255.0;
        let one = |v: u8| LINEAR[usize::from(v)] * alpha;
        F32x4::new([one(p[0]), one(p[1]), one(p[2]), alpha])
    };
    let mut out = Vec::with_capacity(width as usize * height as usize * 4);
    in_bands(pixels, picture.dimensions(), (width, height), light, |p| {
        let [r, g, b, a] = p.0;
        let alpha = a.clamp(0.0, 1.0);
        let one = |v: f32| match alpha > 0.0 {
            true => srgb(v / alpha),
            false => 0,
        };
        out.extend([one(r), one(g), one(b), (alpha * 255.0).round() as u8]);
    });
    RgbaImage::from_raw(width, height, out).expect("four bytes to a pixel")
}

/// Calls back with the pixels of the picture at its new size, one after the other.
fn in_bands<const N: usize, P: PixelTrait>(
    pixels: &[[u8; N]],
    from: (u32, u32),
    to: (u32, u32),
    light: impl Fn(&[u8; N]) -> P,
    mut each: impl FnMut(&P),
) {
    let scale = f64::from(from.1) / f64::from(to.1);
    let reach = (LOBES * scale.max(1.0)).ceil() as usize + 1;
    let (across, down) = (from.0 as usize, from.1 as usize);
    let most = (BAND / across.max(1)).max(reach * 2 * OVERLAPS);
    let rows = ((most as f64 / scale) as u32).clamp(1, to.1.max(1));
    let mut resizer = Resizer::new();
    let options = ResizeOptions::new()
        .resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3))
        .use_alpha(false);
    let mut lit = Vec::new();
    for first in (0..to.1).step_by(rows as usize) {
        let rows = rows.min(to.1 - first);
        // What the band shows, and all that it is made from.
        let top = f64::from(first) * scale;
        let below = (f64::from(first + rows) * scale).min(down as f64);
        let begins = (top as usize).saturating_sub(reach);
        let ends = (below.ceil() as usize + reach).min(down);
        lit.clear();
        lit.extend(pixels[begins * across..ends * across].iter().map(&light));
        let source = TypedImageRef::new(from.0, (ends - begins) as u32, &lit)
            .expect("as many pixels as there are");
        let mut band = TypedImage::<P>::new(to.0, rows);
        let shown = options.crop(0.0, top - begins as f64, across as f64, below - top);
        resizer
            .resize_typed(&source, &mut band, &shown)
            .expect("a band lies in what it is made from");
        band.pixels().iter().for_each(&mut each);
    }
}

/// Lightness from 0 to 1 for each of 256 values of sRGB. Source: IEC 61966-2-1.
static LINEAR: LazyLock<[f32; 256]> = LazyLock::new(|| {
    std::array::from_fn(|v| {
        let v = v as f64 / 255.0;
        let linear = match v <= 0.04045 {
            true => v / 12.92,
            false => ((v + 0.055) / 1.055).powf(2.4),
        };
        linear as f32
    })
});

/// The way back, for so many steps of lightness.
const STEPS: f32 = 65535.0;
static SRGB: LazyLock<Vec<u8>> = LazyLock::new(|| {
    let back = |v: u32| {
        let v = f64::from(v) / 65535.0;
        let srgb = match v <= 0.003_130_8 {
            true => v * 12.92,
            false => 1.055 * v.powf(1.0 / 2.4) - 0.055,
        };
        (srgb * 255.0).round() as u8
    };
    (0..=65535).map(back).collect()
});

/// Lanczos's filter goes beyond black and white beside edges.
fn srgb(light: f32) -> u8 {
    SRGB[(light.clamp(0.0, 1.0) * STEPS).round() as usize]
}
