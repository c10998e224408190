//! Straight edges in a picture: borders of windows, figures, tables and margins, which run along its rows and
//! columns of pixels.
//!
//! Between two neighbouring pixels lies an edge when they differ, and differ more than the pairs beside them:
//! so a border that lies across pixels is one edge, and a soft change of light is none. Edges that go on
//! straight, with something even on one side at least, are a line. What is only noise or a photograph's detail does
//! not go on, or not without holes.

use crate::geometry::frames::{Pixels, Point, Rect, Size};

/// How much two pixels differ in one of their colours, of 127, to have an edge between them. A white card on
/// off-white paper differs by a little more.
const EDGE: u8 = 2;
/// How long a line is at least, in pixels: longer than the strokes of letters.
const LONG: u32 = 24;
/// How many pixels may be missing in a row (something crosses it), and how much of all of it must be there.
const HOLE: u32 = 6;
const SOLID: f64 = 0.75;
/// What differs so much is something to see; and the side of a square in which that is noted, in pixels.
const SEEN: u8 = 7;
pub(super) const CELL: usize = 4;

/// Which way a line runs.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Axis {
    /// Along a column: it is at an x.
    Upright,
    /// Along a row: it is at a y.
    Level,
}

/// A piece of a line, from one pixel to before another.
type Piece = (u32, u32);

/// Lines that run one way, in the order of where they are.
#[derive(Clone, Default, Debug)]
struct Lines {
    /// Where each is, and its pieces in order. It lies before the pixel of that number.
    all: Vec<(u32, Vec<Piece>)>,
}

impl Lines {
    fn new(mut found: Vec<(u32, Piece)>) -> Self {
        found.sort_unstable();
        let mut all: Vec<(u32, Vec<Piece>)> = Vec::new();
        for (at, piece) in found {
            match all.last_mut() {
                Some((last, pieces)) if *last == at => pieces.push(piece),
                _ => all.push((at, vec![piece])),
            }
        }
        Self { all }
    }

    fn between(&self, low: f64, high: f64) -> &[(u32, Vec<Piece>)] {
        let from = self.all.partition_point(|l| f64::from(l.0) < low);
        let to = self.all.partition_point(|l| f64::from(l.0) <= high);
        &self.all[from..to.max(from)]
    }
}

/// The straight edges of a picture, and where in it something is to be seen.
#[derive(Clone, Debug)]
pub struct Edges {
    upright: Lines,
    level: Lines,
    size: Size<Pixels>,
    rgba: Vec<u8>,
    /// The cells with something to see, row by row.
    seen: Vec<bool>,
    columns: usize,
}

impl Edges {
    /// Finds them. `rgba` has four bytes to a pixel, row by row; of one that is too short for its size nothing
    /// is found.
    ///
    /// Cost: once through the pixels.
    pub fn find(rgba: Vec<u8>, width: usize, height: usize) -> Self {
        let pixels = rgba.as_chunks::<4>().0;
        let whole = width > 1 && height > 1 && pixels.len() >= width * height;
        let (width, height) = if whole { (width, height) } else { (0, 0) };
        let columns = width.div_ceil(CELL);
        let mut cells = vec![false; columns * height.div_ceil(CELL)];
        let (mut upright, mut level) = (Vec::new(), Vec::new());
        let mut down: Vec<Run> = vec![Run::default(); width];
        // By how much each pixel of three rows differs from its left neighbour, with none beyond the ends; and from the
        // one above.
        let mut left = [
            vec![0i8; width + 2],
            vec![0i8; width + 2],
            vec![0i8; width + 2],
        ];
        let mut above = [vec![0i8; width], vec![0i8; width], vec![0i8; width]];
        // A row and the one above it, a number to a pixel: most pixels are like their neighbours.
        let (mut row, mut upper) = (vec![0u32; width], vec![0u32; width]);
        for y in 0..=height {
            above.rotate_left(1);
            left.rotate_left(1);
            let [before, here, next] = &mut above;
            let [upper_left, lower_left, left] = &mut left;
            next.fill(0);
            if y < height {
                std::mem::swap(&mut row, &mut upper);
                for (to, from) in row.iter_mut().zip(&pixels[y * width..(y + 1) * width]) {
                    *to = u32::from_le_bytes(*from);
                }
                for (d, pair) in left[1..].iter_mut().zip(row.windows(2)) {
                    *d = step(pair[0], pair[1]);
                }
                if y > 0 {
                    for (d, (a, b)) in next.iter_mut().zip(upper.iter().zip(&row)) {
                        *d = step(*a, *b);
                    }
                }
                for_each_peak(&left[..width], &left[1..], &left[2..], |x, d| {
                    // Of the pixel to the right of the pair.
                    let x = x + 1;
                    cells[y / CELL * columns + x / CELL] |= d >= SEEN;
                    if !(is_plain(next[x - 1]) || is_plain(next[x])) {
                        return;
                    }
                    if let Some(piece) = down[x].meet(y as u32) {
                        upright.push((x as u32, piece));
                    }
                });
            }
            // Of the row before it is known now how it differs from both its neighbours.
            if y < 2 {
                continue;
            }
            let mut along = Run::default();
            let at = y as u32 - 1;
            for_each_peak(before, here, next, |x, d| {
                cells[(y - 1) / CELL * columns + x / CELL] |= d >= SEEN;
                if !(is_plain(upper_left[x]) || is_plain(lower_left[x])) {
                    return;
                }
                if let Some(piece) = along.meet(x as u32) {
                    level.push((at, piece));
                }
            });
            level.extend(along.end().map(|piece| (at, piece)));
        }
        for (x, run) in down.iter().enumerate() {
            upright.extend(run.end().map(|piece| (x as u32, piece)));
        }
        Self {
            upright: Lines::new(upright),
            level: Lines::new(level),
            size: Size::new(width as f64, height as f64),
            rgba,
            seen: cells,
            columns,
        }
    }

    /// The picture's size, in its pixels.
    pub fn size(&self) -> Size<Pixels> {
        self.size
    }

    /// The pixel there, as a number; nothing outside the picture.
    pub(super) fn pixel(&self, x: usize, y: usize) -> Option<u32> {
        let width = self.size.width as usize;
        let inside = x < width && y < self.size.height as usize;
        let pixels = self.rgba.as_chunks::<4>().0;
        let pixel = inside.then(|| pixels.get(y * width + x)).flatten();
        pixel.map(|p| u32::from_le_bytes(*p))
    }

    fn lines(&self, axis: Axis) -> &Lines {
        match axis {
            Axis::Upright => &self.upright,
            Axis::Level => &self.level,
        }
    }

    /// Where lines that run this way are, from `low` to `high`.
    pub fn between(&self, axis: Axis, low: f64, high: f64) -> impl DoubleEndedIterator<Item = f64> {
        let found = self.lines(axis).between(low, high);
        found.iter().map(|(at, _)| f64::from(*at))
    }

    /// How much of the stretch `from`..`to` there is a line at `at`, or a pixel beside it: 0 to 1.
    pub fn covers(&self, axis: Axis, at: f64, from: f64, to: f64) -> f64 {
        if to <= from {
            return 0.0;
        }
        let (mut covered, mut until) = (0.0, from);
        for (a, b) in self.pieces(axis, at) {
            let (a, b) = (a.max(until), b.min(to));
            covered += (b - a).max(0.0);
            until = until.max(b);
        }
        covered / (to - from)
    }

    /// How far from `corner` a line at `at` begins, on the way to `end`.
    pub fn begins(&self, axis: Axis, at: f64, corner: f64, end: f64) -> f64 {
        let pieces = self.pieces(axis, at).into_iter();
        let (low, high) = (corner.min(end), corner.max(end));
        let nearest = pieces
            .filter(|p| p.1 > low && p.0 < high)
            .map(|(a, b)| if end > corner { a - corner } else { corner - b });
        nearest.fold(high - low, f64::min).max(0.0)
    }

    /// The pieces of a line at `at`, or a pixel beside it, in order.
    fn pieces(&self, axis: Axis, at: f64) -> Vec<(f64, f64)> {
        let lines = self.lines(axis).between(at - 1.0, at + 1.0);
        let all = lines.iter().flat_map(|(_, pieces)| pieces);
        let mut all: Vec<(f64, f64)> = all.map(|p| (p.0.into(), p.1.into())).collect();
        all.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        all
    }

    /// The box of all that hangs together with what is at a place: nothing lies further than about `gap` pixels
    /// from the rest of it. To within some pixels; `None` where nothing is near.
    pub fn together(&self, at: Point<Pixels>, gap: f64) -> Option<Rect<Pixels>> {
        let reach = (gap / 2.0 / CELL as f64).round() as usize;
        let near = widened(&self.seen, self.columns, reach);
        let rows = self.seen.len() / self.columns.max(1);
        let (x, y) = (at.x as usize / CELL, at.y as usize / CELL);
        let mut left: Vec<usize> = vec![y * self.columns + x.min(self.columns.saturating_sub(1))];
        let mut been = vec![false; self.seen.len()];
        let mut found = Rect::EMPTY;
        while let Some(cell) = left.pop() {
            if !near.get(cell).is_some_and(|near| *near) || std::mem::replace(&mut been[cell], true)
            {
                continue;
            }
            let (x, y) = (cell % self.columns, cell / self.columns);
            if self.seen[cell] {
                let side = CELL as f64;
                let square = Rect::from_size(x as f64 * side, y as f64 * side, side, side);
                found = found.union(&square);
            }
            left.extend((x > 0).then(|| cell - 1));
            left.extend((x + 1 < self.columns).then_some(cell + 1));
            left.extend((y > 0).then(|| cell - self.columns));
            left.extend((y + 1 < rows).then_some(cell + self.columns));
        }
        (!found.is_empty()).then_some(found)
    }
}

/// How much two pixels differ: by the colour that does most.
pub(super) fn differ(a: u32, b: u32) -> u8 {
    if a == b {
        return 0;
    }
    let ([r, g, b, _], [other_r, other_g, other_b, _]) = (a.to_le_bytes(), b.to_le_bytes());
    r.abs_diff(other_r)
        .max(g.abs_diff(other_g))
        .max(b.abs_diff(other_b))
}

/// By how much, of 127, one pixel is lighter than another, or darker: by the colour that does most.
fn step(from: u32, to: u32) -> i8 {
    if from == to {
        return 0;
    }
    let ([r, g, b, _], [to_r, to_g, to_b, _]) = (from.to_le_bytes(), to.to_le_bytes());
    let by = |from: u8, to: u8| (i32::from(to) - i32::from(from)) / 2;
    let (r, g, b) = (by(r, to_r), by(g, to_g), by(b, to_b));
    let (most, least) = (r.max(g).max(b), r.min(g).min(b));
    (if most >= -least { most } else { least }) as i8
}

/// Whether a line may go on there: on one of its sides, it is like the pixel before. Noise is on neither.
fn is_plain(step: i8) -> bool {
    step.unsigned_abs() < EDGE
}

/// Calls back with each step that is an edge, and where: none beside it is a larger one the same way. So what lies
/// across pixels is one edge, and a thin line has two.
fn for_each_peak(before: &[i8], here: &[i8], after: &[i8], mut peak: impl FnMut(usize, u8)) {
    const STEP: usize = 8;
    let mut look = |x: usize| {
        let d = here[x];
        let smaller = |other: &[i8]| {
            let other = other.get(x).copied().unwrap_or(0);
            (other < 0) != (d < 0) || other.unsigned_abs() <= d.unsigned_abs()
        };
        if d.unsigned_abs() >= EDGE && smaller(before) && smaller(after) {
            peak(x, d.unsigned_abs());
        }
    };
    let whole = here.as_chunks::<STEP>().0;
    for (n, chunk) in whole.iter().enumerate() {
        // Nothing is there for the most part.
        if u64::from_ne_bytes(chunk.map(|d| d as u8)) != 0 {
            (n * STEP..(n + 1) * STEP).for_each(&mut look);
        }
    }
    (whole.len() * STEP..here.len()).for_each(look);
}

/// A line as far as it has been followed.
#[derive(Clone, Copy, Default)]
struct Run {
    from: u32,
    /// The pixel after the last.
    to: u32,
    met: u32,
}

impl Run {
    /// It goes on at a pixel; what had come before, if that was the end of it.
    fn meet(&mut self, at: u32) -> Option<Piece> {
        if self.met > 0 && at <= self.to + HOLE {
            self.to = at + 1;
            self.met += 1;
            return None;
        }
        let ended = self.end();
        *self = Self {
            from: at,
            to: at + 1,
            met: 1,
        };
        ended
    }

    fn end(&self) -> Option<Piece> {
        let long = self.to - self.from;
        let solid = f64::from(self.met) >= SOLID * f64::from(long);
        (long >= LONG && solid).then_some((self.from, self.to))
    }
}

/// The cells that have one of these within `reach` cells, across and down.
fn widened(cells: &[bool], columns: usize, reach: usize) -> Vec<bool> {
    let rows = cells.len() / columns.max(1);
    let mut across = vec![false; cells.len()];
    for (y, row) in cells.chunks(columns.max(1)).enumerate() {
        for x in (0..columns).filter(|x| row[*x]) {
            let from = y * columns + x.saturating_sub(reach);
            across[from..=y * columns + (x + reach).min(columns - 1)].fill(true);
        }
    }
    let mut all = across.clone();
    for y in 0..rows {
        for other in y.saturating_sub(reach)..=(y + reach).min(rows - 1) {
            for x in 0..columns {
                all[y * columns + x] |= across[other * columns + x];
            }
        }
    }
    all
}
