//! Prints a display list into pixels.

mod bands;
mod canvas;
mod clip;
pub mod flatten;
pub mod hidden;
mod outline;
mod placed;
mod skia;
mod sources;

use std::collections::HashMap;
use std::sync::mpsc::sync_channel;
use std::thread;

use bozzetto_core::capture::Plan;
use bozzetto_core::capture::moment::Bench;
use bozzetto_core::capture::way::Outline;
use bozzetto_core::display::{DisplayList, Group, Item};
use bozzetto_core::geometry::frames::{self, Glass, Map, Point, Rect, Size};
use resvg::tiny_skia::{FilterQuality, IntSize, Pixmap, PixmapMut, PixmapPaint, Transform};

use crate::picture::{Pixels, Shown, Source};
use crate::png;
use bands::in_bands;
use canvas::Canvas;
use clip::Clip;
use skia::mixed;
use sources::{KEPT, at_own_size, place};

/// The planned area as pixels. `None` when there is not enough memory for it.
pub fn print(list: &DisplayList, plan: &Plan, shown: &Shown) -> Option<Pixmap> {
    let mut pixmap = Pixmap::new(plan.width, plan.height)?;
    let ready = ready(list, plan, shown);
    in_bands(&mut pixmap, |band, top| {
        print_rows(band, top, list, plan, shown, &ready);
    });
    Some(pixmap)
}

/// How many bytes of rows are printed at once: few enough that processors keep them at hand.
const SLAB: usize = 2 * 1024 * 1024;
/// How many slabs are printed side by side at the most: each takes its memory.
const MOST_PRINTERS: usize = 4;

/// What becomes of a capture's picture after it is drawn.
pub struct Finish<'a> {
    /// What lies outside of it is let through.
    pub outline: Option<&'a Outline>,
    pub bench: &'a Bench,
    /// All that a camera saw: the picture area.
    pub seen: Rect<Glass>,
    /// As in [`png::encode`].
    pub scale: f64,
    /// What the small version fits into.
    pub small: (u32, u32),
}

/// A capture as files.
pub struct Captured {
    pub whole: Vec<u8>,
    pub small: Vec<u8>,
    pub width: u32,
    pub height: u32,
}

/// The planned area as a PNG file, and a small version. `None` when there is not enough memory.
pub fn capture(
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    finish: &Finish,
) -> Option<Captured> {
    let hidden = &finish.bench.hidden;
    if !hidden.is_empty() {
        let (list, shown) = hidden::hide(list, plan, shown, hidden)?;
        return as_drawn_or_changed(&list, plan, &shown, finish);
    }
    as_drawn_or_changed(list, plan, shown, finish)
}

fn as_drawn_or_changed(
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    finish: &Finish,
) -> Option<Captured> {
    let Bench { flat, turns, .. } = finish.bench;
    if flat.is_none() && turns % 4 == 0 {
        return in_slabs(list, plan, shown, finish);
    }
    let mut picture = print(list, plan, shown)?;
    let outline = finish.outline.filter(|_| flat.is_none());
    if let Some(outline) = outline {
        outline::cut(&mut picture, 0, outline, plan);
    }
    if let Some(flat) = flat {
        picture = flatten::flatten(&picture, plan, flat, &finish.seen)?;
    }
    picture = flatten::turned(picture, *turns)?;
    let size = (picture.width(), picture.height());
    let mut png = png::Rows::begin(size, finish.scale, finish.small, outline.is_some());
    png.push(picture.data());
    let (whole, small) = png.finish();
    Some(Captured {
        whole,
        small,
        width: size.0,
        height: size.1,
    })
}

/// Slabs of rows are printed side by side, as many as there are processors, and written meanwhile; so a capture of
/// any size takes the memory of a few hundred rows for each.
fn in_slabs(list: &DisplayList, plan: &Plan, shown: &Shown, finish: &Finish) -> Option<Captured> {
    let ready = &ready(list, plan, shown);
    let outline = finish.outline;
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
                        print_rows(pixmap.as_mut(), top, list, plan, shown, ready);
                        if let Some(outline) = outline {
                            outline::cut(pixmap, top, outline, plan);
                        }
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
        let size = (plan.width, plan.height);
        let mut png = png::Rows::begin(size, finish.scale, finish.small, outline.is_some());
        for slab in 0..tops.len() {
            png.push(printed[slab % printers].recv().ok()??.data());
        }
        let (whole, small) = png.finish();
        Some(Captured {
            whole,
            small,
            width: plan.width,
            height: plan.height,
        })
    })
}

/// What is worked out before any row is printed, by the places of its items in
/// [`DisplayList::each`].
#[derive(Default)]
struct Ready {
    /// Where fills lie.
    fills: HashMap<usize, Rect<frames::Pixels>>,
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
            Item::Fill { path, .. } => {
                ready.fills.insert(here, map.apply_rect(&path.bounds()));
            }
        }
    }
}

/// Prints rows of the planned area, from `first` on.
fn print_rows(
    rows: PixmapMut,
    first: u32,
    list: &DisplayList,
    plan: &Plan,
    shown: &Shown,
    ready: &Ready,
) {
    let top = f64::from(first);
    let map = plan.to_pixels().then(&Map::scale_then_move(1.0, 0.0, -top));
    let printing = Printing { shown, ready };
    let mut canvas = Canvas::new(rows);
    printing.items(&mut canvas, &mut 0, &list.items, &map, (0.0, -top), None);
    canvas.settled();
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
        onto: &mut Canvas,
        number: &mut usize,
        items: &[Item],
        map: &Map<Glass, frames::Pixels>,
        origin: (f64, f64),
        clip: Option<&Clip>,
    ) {
        let from = Point::new(-origin.0, -origin.1);
        let size = onto.room();
        let to = Point::new(from.x + size.width, from.y + size.height);
        let room = Rect::from_corners(from, to);
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
                    if self.ready.fills[&here].intersects(&room) {
                        onto.fill(path, (*colour, *blend, *opacity), map, clip);
                    }
                }
                Item::Picture { source, to } => {
                    if let Some((printed, x, y)) = self.ready.pages.get(&here) {
                        let (x, y) = (f64::from(*x) + origin.0, f64::from(*y) + origin.1);
                        let corner = Point::new(x, y);
                        let to = Rect::from_corners(corner, corner);
                        at_own_size(onto.settled(), printed, &to, clip);
                    } else if let Some(source) = self.shown.backdrops.get(source) {
                        place(onto.settled(), source, &map.apply_rect(to), clip);
                    }
                }
                Item::Placed { placing, opacity } => {
                    if let Some(source) = self.shown.placed.get(&placing.picture) {
                        let mask = clip.map(|c| &c.mask);
                        let from = (source, self.ready.placed.get(&here));
                        placed::print(onto.settled(), from, placing, *opacity, map, mask);
                    }
                }
                Item::Group(group) => self.group(onto, number, group, map, origin, clip),
            }
        }
    }

    fn group(
        &self,
        onto: &mut Canvas,
        number: &mut usize,
        group: &Group,
        map: &Map<Glass, frames::Pixels>,
        origin: (f64, f64),
        clip: Option<&Clip>,
    ) {
        let own = group
            .clip
            .as_ref()
            .map(|path| Clip::new(path, map, onto.room()));
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
        let beneath = onto.settled();
        let (width, height) = (beneath.width() + 2 * margin, beneath.height() + 2 * margin);
        let Some(mut apart) = Pixmap::new(width, height) else {
            return;
        };
        let by = f64::from(margin);
        let (map, at) = (
            inner.then(&Map::scale_then_move(1.0, by, by)),
            (origin.0 + by, origin.1 + by),
        );
        let mut within = Canvas::new(apart.as_mut());
        self.items(&mut within, number, &group.items, &map, at, None);
        within.settled();
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
        beneath.draw_pixmap(x, y, apart.as_ref(), &paint, Transform::identity(), mask);
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
