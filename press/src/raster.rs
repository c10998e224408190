//! Prints a display list into pixels.

use std::collections::HashMap;
use std::sync::Arc;
use std::sync::mpsc::sync_channel;
use std::thread;

use bozzetto_core::capture::Plan;
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::display::{Blend, DisplayList, Group, Item, Path, Verb};
use bozzetto_core::geometry::frames::{self, Glass, Map, Point, Rect, Size};
use resvg::tiny_skia::{
    BlendMode, Color, FillRule, FilterQuality, IntSize, Mask, Paint, PathBuilder, Pixmap,
    PixmapMut, PixmapPaint, Shader, Transform,
};

use crate::picture::{Pixels, Shown, Source, Vector};
use crate::{placed, png};

/// The planned area as pixels. `None` when there is not enough memory for it.
pub fn print(list: &DisplayList, plan: &Plan, shown: &Shown) -> Option<Pixmap> {
    let mut pixmap = Pixmap::new(plan.width, plan.height)?;
    let ready = ready(list, plan, shown);
    print_rows(&mut pixmap, 0, list, plan, shown, &ready);
    Some(pixmap)
}

/// How many bytes of rows are printed at once.
const SLAB: usize = 4 * 1024 * 1024;
/// How many slabs are printed side by side at the most: each takes its memory.
const MOST_PRINTERS: usize = 4;

/// The planned area as a PNG file, and a small version that fits into `small`. Slabs of rows are printed
/// side by side, as many as there are processors, and written meanwhile; so a capture of any size takes the
/// memory of a few hundred rows for each. `scale` is as in [`png::encode`].
pub fn capture(
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    scale: f64,
    small: (u32, u32),
) -> Option<(Vec<u8>, Vec<u8>)> {
    let ready = &ready(list, plan, shown);
    let rows = (SLAB / (plan.width as usize * 4)).max(64) as u32;
    let tops: Vec<u32> = (0..plan.height).step_by(rows as usize).collect();
    let printers = thread::available_parallelism().map_or(1, |n| n.get().min(MOST_PRINTERS));
    thread::scope(|scope| {
        // Each printer takes every so many'th slab, and is at most one ahead of what is written.
        let printed = (0..printers).map(|first| {
            let (done, printed) = sync_channel::<Option<Pixmap>>(1);
            let tops = tops.clone();
            scope.spawn(move || {
                for top in tops.into_iter().skip(first).step_by(printers) {
                    let height = rows.min(plan.height - top);
                    let mut pixmap = Pixmap::new(plan.width, height);
                    if let Some(pixmap) = &mut pixmap {
                        print_rows(pixmap, top, list, plan, shown, ready);
                    }
                    // Nobody takes it when one before it could not be printed.
                    if done.send(pixmap).is_err() {
                        return;
                    }
                }
            });
            printed
        });
        let printed: Vec<_> = printed.collect();
        let mut png = png::Rows::begin((plan.width, plan.height), scale, small);
        for slab in 0..tops.len() {
            png.push(printed[slab % printers].recv().ok()??.data());
        }
        Some(png.finish())
    })
}

/// What is worked out before any row is printed, by the places of its items in
/// [`DisplayList::each`].
#[derive(Default)]
struct Ready {
    /// Pages of documents, and where their first pixel lies.
    pages: HashMap<usize, (Pixels, i32, i32)>,
    placed: HashMap<usize, placed::Ready>,
}

fn ready(list: &DisplayList, plan: &Plan, shown: &Shown) -> Ready {
    let room = Size::new(f64::from(plan.width), f64::from(plan.height));
    let mut ready = Ready::default();
    make_ready(
        &mut 0,
        &list.items,
        &plan.to_pixels(),
        room,
        shown,
        &mut ready,
    );
    ready
}

fn make_ready(
    number: &mut usize,
    items: &[Item],
    map: &Map<Glass, frames::Pixels>,
    room: Size<frames::Pixels>,
    shown: &Shown,
    ready: &mut Ready,
) {
    for item in items {
        let here = *number;
        *number += 1;
        match item {
            // Of a page that is not too large to be printed at once, the part that is in the planned
            // area.
            Item::Picture { source, to } => {
                if let Some(Source::Page(page)) = shown.backdrops.get(source)
                    && let Some((part, x, y)) = page.part(&map.apply_rect(to), room)
                    && f64::from(part.width) * f64::from(part.height) <= KEPT
                    && let Some(printed) = page.document.print(page.number, &part)
                {
                    ready.pages.insert(here, (printed.into(), x, y));
                }
            }
            Item::Placed { placing, .. } => {
                let source = shown.placed.get(&placing.picture);
                let made = source.and_then(|source| placed::ready(source, placing, map));
                ready.placed.extend(made.map(|made| (here, made)));
            }
            Item::Group(group) => {
                let map = group.map.then(map);
                make_ready(number, &group.items, &map, room, shown, ready);
            }
            Item::Fill { .. } => {}
        }
    }
}

/// Prints rows of the planned area, from `first` on.
fn print_rows(
    pixmap: &mut Pixmap,
    first: u32,
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    ready: &Ready,
) {
    let map = plan.to_pixels();
    in_bands(pixmap, |band, top| {
        let top = f64::from(first + top);
        let map = map.then(&Map::scale_then_move(1.0, 0.0, -top));
        let printing = Printing { shown, ready };
        printing.items(band, &mut 0, &list.items, &map, (0.0, -top), None);
    });
}

/// What all items are printed with.
struct Printing<'a> {
    shown: &'a Shown,
    ready: &'a Ready,
}

impl Printing<'_> {
    /// Prints items; `number` is the first one's. `origin` is where the planned area's corner lies in
    /// these pixels.
    fn items(
        &self,
        onto: &mut PixmapMut,
        number: &mut usize,
        items: &[Item],
        map: &Map<Glass, frames::Pixels>,
        origin: (f64, f64),
        clip: Option<&Clip>,
    ) {
        let room = Size::new(f64::from(onto.width()), f64::from(onto.height()));
        for item in items {
            let here = *number;
            *number += 1;
            match item {
                Item::Fill {
                    path,
                    colour,
                    blend,
                    opacity,
                } => {
                    let there = map.apply_rect(&path.bounds());
                    if there.intersects(&Rect::of_size(room)) {
                        let ink = paint(*colour, *blend, *opacity);
                        fill(onto, path, &ink, transform(map), clip);
                    }
                }
                Item::Picture { source, to } => {
                    if let Some((printed, x, y)) = self.ready.pages.get(&here) {
                        let (x, y) = (f64::from(*x) + origin.0, f64::from(*y) + origin.1);
                        let corner = Point::new(x, y);
                        let to = Rect::from_corners(corner, corner);
                        at_own_size(onto, printed, &to, clip);
                    } else if let Some(source) = self.shown.backdrops.get(source) {
                        place(onto, source, &map.apply_rect(to), clip);
                    }
                }
                Item::Placed { placing, opacity } => {
                    if let Some(source) = self.shown.placed.get(&placing.picture) {
                        let mask = clip.map(|c| &c.mask);
                        let from = (source, self.ready.placed.get(&here));
                        placed::print(onto, from, placing, *opacity, map, mask);
                    }
                }
                Item::Group(group) => self.group(onto, number, group, map, origin, clip),
            }
        }
    }

    fn group(
        &self,
        onto: &mut PixmapMut,
        number: &mut usize,
        group: &Group,
        map: &Map<Glass, frames::Pixels>,
        origin: (f64, f64),
        clip: Option<&Clip>,
    ) {
        let own = group.clip.as_ref().map(|path| Clip::new(path, map, onto));
        let both = match (own, clip) {
            (Some(own), Some(around)) => Some(own.and(around)),
            (own, _) => own,
        };
        let clip = both.as_ref().or(clip);
        let inner = group.map.then(map);
        if group.is_flat() {
            return self.items(onto, number, &group.items, &inner, origin, clip);
        }
        // What lies just beside these pixels is softened into them.
        let deviation = f64::from(group.softness) * map.mean_scale();
        let margin = (3.0 * deviation).ceil() as u32;
        let (width, height) = (onto.width() + 2 * margin, onto.height() + 2 * margin);
        let Some(mut apart) = Pixmap::new(width, height) else {
            return;
        };
        let by = f64::from(margin);
        let (map, at) = (
            inner.then(&Map::scale_then_move(1.0, by, by)),
            (origin.0 + by, origin.1 + by),
        );
        self.items(&mut apart.as_mut(), number, &group.items, &map, at, None);
        let apart = match deviation > 0.0 {
            true => softened(apart, deviation as f32),
            false => apart,
        };
        let paint = PixmapPaint {
            opacity: group.opacity,
            blend_mode: mixed(group.blend),
            quality: FilterQuality::Nearest,
        };
        let (x, y) = (-(margin as i32), -(margin as i32));
        let mask = clip.map(|c| &c.mask);
        onto.draw_pixmap(x, y, apart.as_ref(), &paint, Transform::identity(), mask);
    }
}

/// Blurred by a Gaussian of this standard deviation, in pixels.
fn softened(pixmap: Pixmap, deviation: f32) -> Pixmap {
    let size = (pixmap.width(), pixmap.height());
    let pixels = image::RgbaImage::from_raw(size.0, size.1, pixmap.take());
    let pixels = pixels.expect("as many bytes as pixels ask for");
    let soft = image::imageops::blur(&pixels, deviation).into_raw();
    let size = IntSize::from_wh(size.0, size.1).expect("it was one before");
    Pixmap::from_vec(soft, size).expect("as many bytes as before")
}

/// The part that is drawn on.
struct Clip {
    mask: Mask,
    /// The rectangle that contains it: left, top, right, bottom.
    within: [i32; 4],
    /// It is that rectangle.
    whole: bool,
}

impl Clip {
    /// A rectangle is cut at whole pixels: panes lie side by side without a seam. A part that is empty
    /// lets nothing through.
    fn new(path: &Path, map: &Map<Glass, frames::Pixels>, onto: &PixmapMut) -> Self {
        let (width, height) = (onto.width(), onto.height());
        let mut mask = Mask::new(width, height).expect("as large as what is drawn on");
        let edge = |v: f64, most: u32| v.round().clamp(0.0, f64::from(most)) as i32;
        let [_, b, c, ..] = map.coefficients();
        let upright = path.as_rect().filter(|_| b == 0.0 && c == 0.0);
        let Some(rect) = upright else {
            if let Some(path) = skia_path(path) {
                mask.fill_path(&path, FillRule::Winding, true, transform(map));
            }
            return Self {
                mask,
                within: [0, 0, width as i32, height as i32],
                whole: false,
            };
        };
        let at = map.apply_rect(&rect);
        let within = [
            edge(at.x0, width),
            edge(at.y0, height),
            edge(at.x1, width),
            edge(at.y1, height),
        ];
        let [x0, y0, x1, y1] = within.map(|v| v as usize);
        if x0 < x1 {
            for y in y0..y1 {
                let row = y * width as usize;
                mask.data_mut()[row + x0..row + x1].fill(255);
            }
        }
        Self {
            mask,
            within,
            whole: true,
        }
    }

    /// What lies in both.
    fn and(mut self, other: &Self) -> Self {
        for (a, b) in self.mask.data_mut().iter_mut().zip(other.mask.data()) {
            *a = (u16::from(*a) * u16::from(*b) / 255) as u8;
        }
        let [x0, y0, x1, y1] = self.within;
        let [left, top, right, bottom] = other.within;
        Self {
            mask: self.mask,
            within: [x0.max(left), y0.max(top), x1.min(right), y1.min(bottom)],
            whole: self.whole && other.whole,
        }
    }
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

pub(crate) fn transform<A>(map: &Map<A, frames::Pixels>) -> Transform {
    let [a, b, c, d, e, f] = map.coefficients().map(|v| v as f32);
    Transform::from_row(a, b, c, d, e, f)
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

fn mixed(blend: Blend) -> BlendMode {
    match blend {
        Blend::Over => BlendMode::SourceOver,
        Blend::Multiply => BlendMode::Multiply,
        Blend::Screen => BlendMode::Screen,
    }
}

fn fill(
    pixmap: &mut PixmapMut,
    path: &Path,
    paint: &Paint,
    transform: Transform,
    clip: Option<&Clip>,
) {
    if let Some(path) = skia_path(path) {
        let mask = clip.map(|c| &c.mask);
        pixmap.fill_path(&path, paint, FillRule::Winding, transform, mask);
    }
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
fn place(pixmap: &mut PixmapMut, source: &Source, to: &Rect<frames::Pixels>, clip: Option<&Clip>) {
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
fn at_own_size(
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
const KEPT: f64 = 16_000_000.0;

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
    in_bands(&mut pixels, |band, top| {
        let at = onto(vector, to).post_translate(-to.x0 as f32, -to.y0 as f32 - top as f32);
        resvg::render(&vector.tree, at, band);
    });
    let pixels = Arc::new(Pixels::from(pixels));
    *kept = Some(pixels.clone());
    Some(pixels)
}
