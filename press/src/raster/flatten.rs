//! A sheet seen at an angle becomes an upright page.

use bozzetto_core::capture::Plan;
use bozzetto_core::capture::flat::Flat;
use bozzetto_core::geometry::frames::{Glass, Rect};
use resvg::tiny_skia::Pixmap;

use super::bands::in_bands;

/// Into so many parts the longer side is divided to find how light the paper is.
const PARTS: usize = 24;
/// Which of a part's pixels, from the darkest to the lightest, is paper.
const PAPER: f64 = 0.85;
/// A part that is darker than this, compared with those around it, is no shadow but a picture.
const SHADOW: f32 = 0.85;
/// What is nearly paper is white, and what is as dark as this is as dark as it can be, of 255.
const WHITE: f32 = 236.0;
const BLACK: f32 = 24.0;

/// The page that the sheet is in a picture printed by this plan. `seen` is all that the camera saw. `None` when there
/// is not enough memory.
pub fn flatten(picture: &Pixmap, plan: &Plan, flat: &Flat, seen: &Rect<Glass>) -> Option<Pixmap> {
    let (width, height) = flat.size(plan, seen);
    let map = flat.to_picture(plan)?;
    let mut page = Pixmap::new(width, height)?;
    in_bands(&mut page, |mut band, top| {
        let rows = band.data_mut().chunks_exact_mut(width as usize * 4);
        for (y, row) in (top..).zip(rows) {
            let down = (f64::from(y) + 0.5) / f64::from(height);
            for (x, pixel) in row.as_chunks_mut::<4>().0.iter_mut().enumerate() {
                let across = (x as f64 + 0.5) / f64::from(width);
                *pixel = sampled(picture, map.apply((across, down)));
            }
        }
    });
    if flat.clean {
        clean(&mut page);
    }
    Some(page)
}

/// The picture between its pixels, by a Catmull-Rom cubic. Source: R. Keys, *Cubic convolution interpolation for
/// digital image processing*, 1981, with a = -1/2.
fn sampled(picture: &Pixmap, (x, y): (f64, f64)) -> [u8; 4] {
    let (x, y) = (x - 0.5, y - 0.5);
    let weights = |t: f64| {
        let (t, s, c) = (t as f32, (t * t) as f32, (t * t * t) as f32);
        [
            -0.5 * t + s - 0.5 * c,
            1.0 - 2.5 * s + 1.5 * c,
            0.5 * t + 2.0 * s - 1.5 * c,
            -0.5 * s + 0.5 * c,
        ]
    };
    let (wx, wy) = (weights(x - x.floor()), weights(y - y.floor()));
    let within = |v: f64, most: u32| v.clamp(0.0, f64::from(most - 1)) as usize;
    let column = |k: usize| within(x.floor() + k as f64 - 1.0, picture.width());
    let columns = [0, 1, 2, 3].map(column);
    let mut sum = [0.0f32; 4];
    for (k, wy) in wy.iter().enumerate() {
        let row = within(y.floor() + k as f64 - 1.0, picture.height()) * picture.width() as usize;
        for (column, wx) in columns.iter().zip(wx) {
            let at = (row + column) * 4;
            let p = &picture.data()[at..at + 4];
            for (sum, v) in sum.iter_mut().zip(p) {
                *sum += wx * wy * f32::from(*v);
            }
        }
    }
    sum.map(|v| v.round().clamp(0.0, 255.0) as u8)
}

/// Evens the light: what is paper is white everywhere, and writing keeps its colour.
fn clean(page: &mut Pixmap) {
    let (width, height) = (page.width() as usize, page.height() as usize);
    let side = width.max(height).div_ceil(PARTS).max(8);
    let (columns, rows) = (width.div_ceil(side), height.div_ceil(side));
    let papers: Vec<[f32; 3]> = (0..rows * columns)
        .map(|n| paper(page, side, n % columns, n / columns))
        .collect();
    let papers = middles(&papers, columns, rows);
    let (papers, columns, rows) = (&papers, columns as f32, rows as f32);
    in_bands(page, |mut band, top| {
        let lines = band.data_mut().chunks_exact_mut(width * 4);
        for (y, line) in (top..).zip(lines) {
            let down = ((y as f32 + 0.5) / side as f32 - 0.5).clamp(0.0, rows - 1.0);
            for (x, p) in line.as_chunks_mut::<4>().0.iter_mut().enumerate() {
                let across = ((x as f32 + 0.5) / side as f32 - 0.5).clamp(0.0, columns - 1.0);
                let paper = between(papers, columns as usize, rows as usize, across, down);
                for (v, paper) in p.iter_mut().zip(paper) {
                    let even = f32::from(*v) * 255.0 / paper.max(1.0);
                    *v = ((even - BLACK) * 255.0 / (WHITE - BLACK)).clamp(0.0, 255.0) as u8;
                }
            }
        }
    });
}

/// How light the paper is in one part.
fn paper(page: &Pixmap, side: usize, column: usize, row: usize) -> [f32; 3] {
    let (width, height) = (page.width() as usize, page.height() as usize);
    let mut counts = [[0u32; 256]; 3];
    let mut all = 0;
    for y in row * side..((row + 1) * side).min(height) {
        let line = &page.data()[y * width * 4..(y + 1) * width * 4];
        for p in &line.as_chunks::<4>().0[column * side..((column + 1) * side).min(width)] {
            all += 1;
            for (counts, v) in counts.iter_mut().zip(p) {
                counts[usize::from(*v)] += 1;
            }
        }
    }
    let below = (f64::from(all) * PAPER) as u32;
    counts.map(|counts| {
        let mut sum = 0;
        let reached = counts.iter().position(|n| {
            sum += n;
            sum > below
        });
        reached.unwrap_or(255) as f32
    })
}

/// A part that is a picture on the page as those around it are in the middle.
fn middles(papers: &[[f32; 3]], columns: usize, rows: usize) -> Vec<[f32; 3]> {
    let around = |v: usize, most: usize| v.saturating_sub(2)..(v + 3).min(most);
    let middle = |n: usize| {
        std::array::from_fn(|channel| {
            let down = around(n / columns, rows);
            let all = down.flat_map(|y| around(n % columns, columns).map(move |x| (x, y)));
            let mut all: Vec<f32> = all.map(|(x, y)| papers[y * columns + x][channel]).collect();
            all.sort_by(f32::total_cmp);
            let (own, middle) = (papers[n][channel], all[all.len() / 2]);
            if own < SHADOW * middle { middle } else { own }
        })
    };
    (0..papers.len()).map(middle).collect()
}

fn between(papers: &[[f32; 3]], columns: usize, rows: usize, x: f32, y: f32) -> [f32; 3] {
    let (left, above) = (x as usize, y as usize);
    let (right, below) = ((left + 1).min(columns - 1), (above + 1).min(rows - 1));
    let (fx, fy) = (x.fract(), y.fract());
    std::array::from_fn(|c| {
        let at = |x: usize, y: usize| papers[y * columns + x][c];
        let upper = at(left, above) * (1.0 - fx) + at(right, above) * fx;
        let lower = at(left, below) * (1.0 - fx) + at(right, below) * fx;
        upper * (1.0 - fy) + lower * fy
    })
}

/// Turned by so many right angles, clockwise. `None` when there is not enough memory.
pub fn turned(picture: Pixmap, turns: u8) -> Option<Pixmap> {
    let (w, h) = (picture.width() as usize, picture.height() as usize);
    let from = picture.data().as_chunks::<4>().0;
    let pixel: &dyn Fn(usize, usize) -> usize = match turns % 4 {
        0 => return Some(picture),
        1 => &|x, y| (h - 1 - x) * w + y,
        2 => &|x, y| (h - 1 - y) * w + (w - 1 - x),
        _ => &|x, y| x * w + (w - 1 - y),
    };
    let (width, height) = if turns % 2 == 1 { (h, w) } else { (w, h) };
    let mut turned = Pixmap::new(width as u32, height as u32)?;
    let onto = turned.data_mut().as_chunks_mut::<4>().0;
    for (y, row) in onto.chunks_exact_mut(width).enumerate() {
        for (x, p) in row.iter_mut().enumerate() {
            *p = from[pixel(x, y)];
        }
    }
    Some(turned)
}
