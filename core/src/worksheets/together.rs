//! All that has been handed in to one worksheet, laid over one another: where most have marked, who has marked elsewhere,
//! and how many have marked an area.

use kurbo::PathEl;

use super::spans::{Grid, Span, spans};
use crate::display::Path;
use crate::edit::select::touches;
use crate::geometry::frames::{Glass, Held, Ink, Map, Pixels, Point, Rect, Size};
use crate::ink::outline::outline_of;
use crate::marks::mark::{Body, Mark};

/// The side of a square of the density, in pixels.
pub const CELL: u32 = 4;
/// The side of a square in which marks are near one another, in pixels: some letters across.
const NEAR: u32 = 48;
/// What fewer than this share of the others have marked near is apart from them.
const FEW: f64 = 0.1;
/// Of fewer hand-ins nobody can be told apart from most.
const ENOUGH: usize = 5;
/// Ends nearer than this share of a line's extent make it one that goes round something.
const CLOSED: f64 = 0.25;
/// How far a line may stray from its curve, in pixels.
const TOLERANCE: f64 = 0.25;

/// A set of squares or pixels: a bit for each.
#[derive(Clone, Default, Debug)]
struct Bits(Vec<u64>);

impl Bits {
    fn of(many: usize) -> Self {
        Self(vec![0; many.div_ceil(64)])
    }

    fn add(&mut self, n: usize) {
        self.0[n / 64] |= 1 << (n % 64);
    }

    fn has(&self, n: usize) -> bool {
        self.0
            .get(n / 64)
            .is_some_and(|word| word >> (n % 64) & 1 == 1)
    }

    fn each(&self) -> impl Iterator<Item = usize> {
        self.0.iter().enumerate().flat_map(|(n, word)| {
            let mut left = *word;
            std::iter::from_fn(move || {
                let bit = left.trailing_zeros() as usize;
                left &= left.wrapping_sub(1);
                (bit < 64).then_some(n * 64 + bit)
            })
        })
    }

    /// How many there are from one to before another.
    fn count(&self, from: usize, to: usize) -> u32 {
        if from >= to {
            return 0;
        }
        let (first, last) = (from / 64, (to - 1) / 64);
        let words = self.0[first..=last].iter().enumerate();
        let each = words.map(|(n, word)| {
            let mut word = *word;
            if n == 0 {
                word &= !0 << (from % 64);
            }
            if first + n == last {
                word &= !0 >> (63 - (to - 1) % 64);
            }
            word.count_ones()
        });
        each.sum()
    }
}

/// One mark, in pixels.
#[derive(Clone, Debug)]
struct Inked {
    spans: Vec<Span>,
    /// The line along which it was drawn, if it has one.
    line: Vec<Point<Pixels>>,
}

/// What one has handed in.
#[derive(Clone, Default, Debug)]
struct Hand {
    marks: Vec<Inked>,
    /// The squares of the density, and the larger ones in which marks are near, that have ink of it.
    cells: Bits,
    near: Bits,
}

/// The hand-ins to one worksheet.
#[derive(Clone, Debug)]
pub struct Together {
    grid: Grid,
    hands: Vec<Hand>,
    /// How many have ink in each square, row by row.
    density: Vec<u16>,
}

/// How many have marked an area: by the numbers of their hand-ins.
#[derive(Clone, PartialEq, Eq, Default, Debug)]
pub struct Count {
    /// How many hand-ins there are.
    pub of: usize,
    /// A mark of theirs lies in it as a whole.
    pub inside: Vec<usize>,
    /// Ink of theirs is in it.
    pub touches: Vec<usize>,
    /// A line of theirs goes in and comes out again.
    pub through: Vec<usize>,
}

impl Together {
    /// To a worksheet of this size, from nobody yet.
    pub fn new(size: Size<Held>) -> Self {
        Self::on(Grid::of(size))
    }

    fn on(grid: Grid) -> Self {
        let squares = grid.width.div_ceil(CELL) * grid.height.div_ceil(CELL);
        Self {
            grid,
            hands: Vec::new(),
            density: vec![0; squares as usize],
        }
    }

    /// What the hand-in of this number consists of now. Numbers are counted from 0.
    ///
    /// Cost: as the marks' rows of pixels.
    pub fn set<'a>(&mut self, number: usize, marks: impl IntoIterator<Item = &'a Mark>) {
        let columns = self.columns();
        let near_columns = self.grid.width.div_ceil(NEAR) as usize;
        let mut hand = Hand {
            marks: marks.into_iter().map(|m| inked(m, &self.grid)).collect(),
            cells: Bits::of(self.density.len()),
            near: Bits::of(near_columns * self.grid.height.div_ceil(NEAR) as usize),
        };
        let squares = |span: &Span, side: u32, columns: usize| {
            let (row, from, to) = (
                u32::from(span.row),
                u32::from(span.from),
                u32::from(span.to),
            );
            let first = (row / side) as usize * columns;
            first + (from / side) as usize..=first + ((to - 1) / side) as usize
        };
        for span in hand.marks.iter().flat_map(|mark| &mark.spans) {
            squares(span, CELL, columns).for_each(|n| hand.cells.add(n));
            squares(span, NEAR, near_columns).for_each(|n| hand.near.add(n));
        }
        if self.hands.len() <= number {
            self.hands.resize_with(number + 1, Hand::default);
        }
        let before = std::mem::replace(&mut self.hands[number], hand);
        for n in before.cells.each() {
            self.density[n] -= 1;
        }
        for n in self.hands[number].cells.each() {
            self.density[n] += 1;
        }
    }

    /// How many squares there are to a row of the density.
    pub fn columns(&self) -> usize {
        self.grid.width.div_ceil(CELL) as usize
    }

    /// How many have ink in each square of [`CELL`] pixels, row by row.
    pub fn density(&self) -> &[u16] {
        &self.density
    }

    /// The numbers of those who have marked apart from the others: more than half of their ink is where, nearby too, fewer
    /// than a tenth of the others have any. Common practice, no source. Nobody is while there are few.
    pub fn apart(&self) -> Vec<usize> {
        let columns = self.grid.width.div_ceil(NEAR) as i64;
        let rows = i64::from(self.grid.height.div_ceil(NEAR));
        let marked: Vec<usize> = (0..self.hands.len())
            .filter(|n| !self.hands[*n].marks.is_empty())
            .collect();
        if marked.len() < ENOUGH {
            return Vec::new();
        }
        // How many have ink in a square or in one beside it.
        let mut nearby = vec![0u32; (columns * rows) as usize];
        for hand in marked.iter().map(|n| &self.hands[*n]) {
            let mut reached = Bits::of(nearby.len());
            for n in hand.near.each() {
                let (x, y) = (n as i64 % columns, n as i64 / columns);
                for beside in (y - 1).max(0)..=(y + 1).min(rows - 1) {
                    for at in (x - 1).max(0)..=(x + 1).min(columns - 1) {
                        reached.add((beside * columns + at) as usize);
                    }
                }
            }
            reached.each().for_each(|n| nearby[n] += 1);
        }
        let few = FEW * (marked.len() - 1) as f64;
        let is_apart = |n: &usize| {
            let all = self.hands[*n].near.each();
            let (alone, whole) = all.fold((0, 0), |(alone, whole), square| {
                // Without this one.
                let others = f64::from(nearby[square] - 1);
                (alone + usize::from(others < few), whole + 1)
            });
            alone * 2 > whole
        };
        marked.into_iter().filter(is_apart).collect()
    }

    /// How many have marked an area that is a path in the worksheet's units, filled by the non-zero rule.
    ///
    /// Cost: as the rows of pixels of all marks.
    pub fn count(&self, area: &Path) -> Count {
        let (width, height) = (self.grid.width as usize, self.grid.height as usize);
        let mut mask = Bits::of(width * height);
        for span in spans(&area.mapped(&self.grid.to_pixels), &self.grid) {
            let row = usize::from(span.row) * width;
            (span.from..span.to).for_each(|x| mask.add(row + usize::from(x)));
        }
        let mut count = Count {
            of: self.hands.len(),
            ..Count::default()
        };
        for (number, hand) in self.hands.iter().enumerate() {
            let (mut inside, mut touches, mut through) = (false, false, false);
            for mark in &hand.marks {
                let row = |s: &Span| usize::from(s.row) * width;
                let each = mark.spans.iter();
                let (within, all) = each.fold((0, 0), |(within, all), s| {
                    let row = row(s);
                    let here = mask.count(row + usize::from(s.from), row + usize::from(s.to));
                    (within + here, all + s.pixels())
                });
                touches |= within > 0;
                inside |= all > 0 && within == all;
                through |= !through && goes_through(&mark.line, &mask, width, height);
            }
            let found = [
                (inside, &mut count.inside),
                (touches, &mut count.touches),
                (through, &mut count.through),
            ];
            for (is, numbers) in found {
                numbers.extend(is.then_some(number));
            }
        }
        count
    }
}

/// What a pointer has chosen to be counted, by the line that it went, in the worksheet's units: what that goes round; or,
/// where it stayed within `reach`, what the mark there takes in, of several the last. `None` where there is none.
pub fn area_at<'a>(
    line: &[Point<Held>],
    reach: f64,
    marks: impl IntoIterator<Item = &'a Mark>,
) -> Option<Path> {
    let first = *line.first()?;
    if line.iter().any(|p| p.distance(first) > reach) {
        let mut path = Path::default();
        path.polygon(line.iter().map(|p| (p.x, p.y)));
        return Some(path);
    }
    let seen = Map::coincident();
    let at = Point::<Glass>::new(first.x, first.y);
    let there = marks
        .into_iter()
        .filter(|mark| touches(mark, &seen, at, reach));
    there.last().map(taken_in)
}

/// What a mark takes in, in the frame of what holds it: the inside of a figure, or of a line that comes back to where it
/// began to within a quarter of its extent; otherwise its ink.
fn taken_in(mark: &Mark) -> Path {
    let tolerance = TOLERANCE / mark.transform.mean_scale().max(1e-9);
    let style = &mark.style;
    let round = |places: &mut dyn Iterator<Item = Point<Ink>>| {
        let mut path = Path::default();
        path.polygon(places.map(|p| (p.x, p.y)));
        path
    };
    let path = match &mark.body {
        Body::Stroke(curve) => {
            let nodes = curve.flatten(tolerance);
            let ends = nodes.first().zip(nodes.last());
            let apart = ends.map_or(0.0, |(a, b)| a.at.distance(b.at));
            let extent = mark.own_bounds();
            match apart <= extent.width().max(extent.height()) * CLOSED {
                true => round(&mut nodes.iter().map(|node| node.at)),
                false => outline_of(&nodes, style.tip),
            }
        }
        Body::Shape(shape) => shape
            .inside()
            .unwrap_or_else(|| shape.outline(f64::from(style.width), 0.0, style.dash, tolerance)),
        Body::Stamp(_) | Body::Text(_) | Body::Picture(_) => {
            let Rect { x0, y0, x1, y1, .. } = mark.own_bounds();
            let corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)];
            round(&mut corners.into_iter().map(|(x, y)| Point::new(x, y)))
        }
    };
    path.mapped(&mark.transform)
}

/// Whether a line that begins outside of an area goes in and comes out again.
fn goes_through(line: &[Point<Pixels>], mask: &Bits, width: usize, height: usize) -> bool {
    let is_in = |p: Point<Pixels>| {
        let within = p.x >= 0.0 && p.y >= 0.0 && p.x < width as f64 && p.y < height as f64;
        within && mask.has(p.y as usize * width + p.x as usize)
    };
    // Outside, then in.
    let (mut was_out, mut went_in) = (false, false);
    for pair in line.windows(2) {
        let (a, b) = (pair[0], pair[1]);
        let steps = a.distance(b).ceil().clamp(1.0, 1e5);
        for n in 0..=steps as u32 {
            let t = f64::from(n) / steps;
            let here = is_in(Point::new(a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t));
            match (here, was_out, went_in) {
                (false, _, true) => return true,
                (false, ..) => was_out = true,
                (true, true, _) => went_in = true,
                (true, false, _) => {}
            }
        }
    }
    false
}

fn inked(mark: &Mark, grid: &Grid) -> Inked {
    let map: Map<Ink, Pixels> = mark.transform.then(&grid.to_pixels);
    let tolerance = TOLERANCE / map.mean_scale().max(1e-9);
    let style = &mark.style;
    let mut line: Vec<Point<Pixels>> = Vec::new();
    let paths: Vec<Path> = match &mark.body {
        Body::Stroke(curve) => {
            let nodes = curve.flatten(tolerance);
            line.extend(nodes.iter().map(|node| map.apply(node.at)));
            vec![outline_of(&nodes, style.tip)]
        }
        Body::Shape(shape) => {
            kurbo::flatten(shape.line(), tolerance, |step| match step {
                PathEl::MoveTo(p) | PathEl::LineTo(p) => {
                    line.push(map.apply(Point::new(p.x, p.y)));
                }
                PathEl::ClosePath => line.extend(line.first().copied()),
                PathEl::QuadTo(..) | PathEl::CurveTo(..) => {}
            });
            let filled = style.fill.and_then(|_| shape.inside());
            let outline = shape.outline(f64::from(style.width), 0.0, style.dash, tolerance);
            filled.into_iter().chain([outline]).collect()
        }
        Body::Stamp(_) | Body::Text(_) => {
            let fills = mark.fills(tolerance).into_iter();
            fills.map(|(path, _)| path).collect()
        }
        Body::Picture(placed) => {
            let area = placed.area();
            let mut path = Path::default();
            path.polygon([
                (area.x0, area.y0),
                (area.x1, area.y0),
                (area.x1, area.y1),
                (area.x0, area.y1),
            ]);
            vec![path]
        }
    };
    let each = paths
        .iter()
        .flat_map(|path| spans(&path.mapped(&map), grid));
    Inked {
        spans: each.collect(),
        line,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::ids::{AuthorId, MarkId};
    use crate::ink::InkPoint;
    use crate::ink::fit::fit;
    use crate::marks::swatch::ORIGINALS;
    use kurbo::{BezPath, Shape};
    use proptest::prelude::*;

    const WIDTH: u32 = 160;
    const HEIGHT: u32 = 100;

    fn small() -> Together {
        Together::on(Grid {
            to_pixels: Map::scale_then_move(1.0, 0.0, 0.0),
            width: WIDTH,
            height: HEIGHT,
        })
    }

    fn stroke(places: &[(f64, f64)], wide: f64) -> Mark {
        let points: Vec<InkPoint> = places
            .iter()
            .map(|(x, y)| InkPoint::new(Point::new(*x, *y), wide))
            .collect();
        let body = Body::Stroke(fit(&points).unwrap());
        let style = ORIGINALS[0].style();
        Mark::new(MarkId(1), AuthorId(1), style, body, Map::coincident(), 1)
    }

    /// The pixels whose centres are in a path, tried one by one.
    fn plain(path: &Path) -> Vec<bool> {
        let mut straight = BezPath::new();
        kurbo::flatten(BezPath::from(path), TOLERANCE, |step| straight.push(step));
        let pixels = (0..HEIGHT).flat_map(|y| (0..WIDTH).map(move |x| (x, y)));
        let centre = |(x, y)| kurbo::Point::new(f64::from(x) + 0.5, f64::from(y) + 0.5);
        pixels.map(|p| straight.winding(centre(p)) != 0).collect()
    }

    fn ink(mark: &Mark) -> Vec<bool> {
        let Body::Stroke(curve) = &mark.body else {
            return Vec::new();
        };
        plain(&outline_of(&curve.flatten(TOLERANCE), mark.style.tip))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        /// Who has a mark inside, or ink in an area, and how many have ink in each square: as when each pixel of each
        /// sheet is tried by itself, by kurbo's winding numbers.
        #[test]
        fn counts_are_those_of_the_pixels(
            hands in prop::collection::vec(prop::collection::vec(
                (prop::collection::vec((5.0..155.0f64, 5.0..95.0f64), 2..5), 2.0..14.0f64), 0..3), 1..6),
            corners in prop::collection::vec((0.0..160.0f64, 0.0..100.0f64), 3..6),
        ) {
            let mut area = Path::default();
            area.polygon(corners);
            let mask = plain(&area);
            let mut together = small();
            // A hand-in that was another one before.
            together.set(0, &[stroke(&[(10.0, 10.0), (150.0, 90.0)], 9.0)]);
            let mut wanted = Count { of: hands.len(), ..Count::default() };
            let mut density = vec![0u16; together.density().len()];
            for (number, hand) in hands.iter().enumerate() {
                let marks: Vec<Mark> = hand.iter().map(|(places, wide)| stroke(places, *wide)).collect();
                together.set(number, &marks);
                let inks: Vec<Vec<bool>> = marks.iter().map(ink).collect();
                let within = |ink: &Vec<bool>| ink.iter().zip(&mask).filter(|(i, m)| **i && **m).count();
                let whole = |ink: &Vec<bool>| ink.iter().filter(|i| **i).count();
                if inks.iter().any(|i| within(i) > 0) {
                    wanted.touches.push(number);
                }
                if inks.iter().any(|i| whole(i) > 0 && within(i) == whole(i)) {
                    wanted.inside.push(number);
                }
                for (n, square) in density.iter_mut().enumerate() {
                    let (left, top) = (n as u32 % together.columns() as u32 * CELL, n as u32 / together.columns() as u32 * CELL);
                    let has = |ink: &Vec<bool>| (top..top + CELL).any(|y| (left..left + CELL).any(|x| {
                        ink.get((y * WIDTH + x) as usize).copied().unwrap_or(false)
                    }));
                    *square += u16::from(inks.iter().any(has));
                }
            }
            let mut count = together.count(&area);
            count.through.clear();
            prop_assert_eq!(count, wanted);
            prop_assert_eq!(together.density(), density);
        }

        /// A line that a pointer went is counted as it is; where it stayed, the mark there is: what a ring goes round, and of
        /// a line that stays open no more than its ink.
        #[test]
        fn an_area_is_drawn_or_a_mark_is_taken(x in 40.0..120.0f64, y in 40.0..60.0f64, half in 10.0..30.0f64) {
            let round: Vec<(f64, f64)> = (0..=60)
                .map(|n| f64::from(n) * std::f64::consts::TAU / 60.0)
                .map(|turned| (x + half * turned.cos(), y + half * turned.sin()))
                .collect();
            let ring = stroke(&round, 2.0);
            let top = y - half;
            let open = stroke(&[(x - half, top), (x + half, top)], 2.0);
            let disc = std::f64::consts::PI * half * half;
            let size = |path: &Path| BezPath::from(path).area().abs();
            let taken = area_at(&[Point::new(x + half, y)], 4.0, [&open, &ring]).unwrap();
            prop_assert!((size(&taken) / disc - 1.0).abs() < 0.05, "{} of {}", size(&taken), disc);
            let ink = area_at(&[Point::new(x, top)], 4.0, [&open]).unwrap();
            prop_assert!(size(&ink) < 2.0 * half * 2.0 * 2.0);
            prop_assert!(area_at(&[Point::new(x, y)], 4.0, [&open, &ring]).is_none());
            let drawn: Vec<_> = round.iter().map(|(x, y)| Point::new(*x, *y)).collect();
            let drawn = area_at(&drawn, 4.0, [&open, &ring]).unwrap();
            prop_assert!((size(&drawn) / disc - 1.0).abs() < 0.01);
        }

        /// A line goes through just when it is in an area between two places where it is not.
        #[test]
        fn lines_go_through(from in 2.0..38.0f64, to in 2.0..158.0f64, turned in any::<bool>()) {
            let mut area = Path::default();
            area.polygon([(60.0, 0.0), (100.0, 0.0), (100.0, 100.0), (60.0, 100.0)]);
            let mut places = [(from, 50.0), (to, 48.0)];
            if turned {
                places.reverse();
            }
            let mut together = small();
            together.set(0, &[stroke(&places, 3.0)]);
            prop_assume!((to - 100.0).abs() > 1.0);
            prop_assert_eq!(together.count(&area).through.len(), usize::from(to > 100.0));
        }

        /// Whoever has marked where nobody else has is apart; nobody is apart where all have marked, however unsteadily.
        #[test]
        fn who_has_marked_elsewhere_is_apart(
            jitter in prop::collection::vec((-30.0..30.0f64, -30.0..30.0f64), 11..30), odd in 0usize..11,
        ) {
            let mut together = Together::new(Size::new(1920.0, 1080.0));
            for (n, (x, y)) in jitter.iter().enumerate() {
                together.set(n, &[stroke(&[(400.0 + x, 300.0 + y), (600.0 + x, 340.0 + y)], 8.0)]);
            }
            prop_assert_eq!(together.apart(), Vec::<usize>::new());
            together.set(odd, &[stroke(&[(1500.0, 900.0), (1600.0, 800.0)], 8.0)]);
            prop_assert_eq!(together.apart(), vec![odd]);
        }
    }
}
