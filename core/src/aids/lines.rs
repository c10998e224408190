//! Lines of text and rows of tables in a picture, by its row profile: how much there is to read in each row of
//! pixels.
//!
//! What can be read has edges along the row. Of a vertical rule of a table, all of whose edges lie above each
//! other, nothing is read, and a horizontal one has no edges along the row. Where a row of pixels has no edges
//! lies a gap, and a cover stops in the middle of it, so that it cuts through nothing.

/// How much lighter or darker than the pixel beside it one has to be, of 255, to be an edge.
const EDGE: i16 = 28;
/// How many edges in a row of pixels are something to read; fewer are dust.
const READ: u16 = 2;
/// An edge that goes on straight down for so much of the picture's height is a rule, however thin; and how many
/// pixels are missing of it where a horizontal rule crosses.
const RULE: f64 = 1.0 / 24.0;
const CROSSED: u32 = 5;
/// A gap smaller than this, as a fraction of the usual height of a line, is one within a letter.
const WITHIN: f64 = 0.12;
/// What is lower than this fraction of the usual height is a dot, an accent or a dash of the line that it is
/// nearest to, when it is nearer than this other fraction.
const DOT: (f64, f64) = (0.4, 0.45);

/// Rows of pixels with something to read, the upper one first: `from`, and where it ends.
pub type Band = (u32, u32);

/// The lines of a picture, from the top down. `rgba` has four bytes to a pixel, row by row.
///
/// Cost: once through the pixels.
pub fn lines(rgba: &[u8], width: usize, height: usize) -> Vec<Band> {
    let longest = (height as f64 * RULE).max(24.0) as u32;
    of_profile(profile(rgba, width, height, longest))
}

/// How high the highest line is, if there is any: rules and figures are taken for writing, so that nothing that can be
/// read is higher.
pub fn highest(rgba: &[u8], width: usize, height: usize) -> Option<u32> {
    let lines = of_profile(profile(rgba, width, height, u32::MAX));
    lines.iter().map(|(from, to)| to - from).max()
}

fn of_profile(profile: Vec<u16>) -> Vec<Band> {
    let mut bands: Vec<Band> = Vec::new();
    for (y, edges) in (0..).zip(profile) {
        match bands.last_mut() {
            _ if edges < READ => {}
            Some(last) if last.1 == y => last.1 = y + 1,
            _ => bands.push((y, y + 1)),
        }
    }
    let mut heights: Vec<u32> = bands.iter().map(|b| b.1 - b.0).collect();
    heights.sort_unstable();
    // Dots and dashes are many, and low: the usual height is that of what is rather high.
    let usual = heights.get(heights.len() * 2 / 3).copied();
    let usual = f64::from(usual.unwrap_or(0));
    joined(bands, usual)
}

/// How many edges each row of pixels has that are no rule's: what goes on straight down for `longest` is one.
fn profile(rgba: &[u8], width: usize, height: usize, longest: u32) -> Vec<u16> {
    let mut profile = vec![0u16; height];
    if width < 2 || rgba.len() < width * height * 4 {
        return profile;
    }
    // Of each column the edge that goes on: where it began, and where it was seen last.
    let mut runs: Vec<(u32, u32)> = vec![(0, 0); width];
    let mut light = vec![0i16; width];
    // What turns out to be a rule is taken off again.
    let end = |profile: &mut [u16], (from, to): (u32, u32)| {
        if to - from >= longest {
            let rows = profile[from as usize..to as usize].iter_mut();
            rows.for_each(|n| *n = n.saturating_sub(1));
        }
    };
    for y in 0..height {
        let row = &rgba[y * width * 4..(y + 1) * width * 4];
        for (light, p) in light.iter_mut().zip(row.as_chunks::<4>().0) {
            // ITU-R BT.601, in 256ths.
            let [r, g, b] = [p[0], p[1], p[2]].map(i32::from);
            *light = ((77 * r + 150 * g + 29 * b) >> 8) as i16;
        }
        let y = y as u32;
        let mut edges = 0u16;
        for (pair, run) in light.windows(2).zip(&mut runs) {
            if (pair[1] - pair[0]).abs() < EDGE {
                continue;
            }
            edges = edges.saturating_add(1);
            if run.1 + CROSSED < y {
                end(&mut profile, *run);
                *run = (y, y + 1);
            } else {
                run.1 = y + 1;
            }
        }
        profile[y as usize] = edges;
    }
    for run in runs {
        end(&mut profile, run);
    }
    profile
}

/// Bands as lines: what belongs to one letter, or to one line, is one.
fn joined(bands: Vec<Band>, usual: f64) -> Vec<Band> {
    let mut lines: Vec<Band> = Vec::new();
    for band in bands {
        match lines.last_mut() {
            Some(last) if f64::from(band.0 - last.1) < WITHIN * usual => last.1 = band.1,
            _ => lines.push(band),
        }
    }
    let mut n = 0;
    while n < lines.len() {
        let low = |b: Band| f64::from(b.1 - b.0) < DOT.0 * usual;
        let apart = |a: Band, b: Band| f64::from(b.0 - a.1);
        let above = (n > 0).then(|| apart(lines[n - 1], lines[n]));
        let below = lines.get(n + 1).map(|next| apart(lines[n], *next));
        let near = |gap: &f64| *gap < DOT.1 * usual;
        let nearest = match (above.filter(near), below.filter(near)) {
            (Some(a), Some(b)) if a <= b => Some(n - 1),
            (_, Some(_)) => Some(n),
            (Some(_), None) => Some(n - 1),
            (None, None) => None,
        };
        match nearest.filter(|_| low(lines[n])) {
            Some(first) => {
                lines[first].1 = lines[first + 1].1;
                lines.remove(first + 1);
                n = first;
            }
            None => n += 1,
        }
    }
    lines
}

/// Where a cover stops: in the middle of each gap, in pixels from the top.
pub fn stops(lines: &[Band]) -> Vec<f64> {
    let gaps = lines.windows(2);
    gaps.map(|w| f64::from(w[0].1 + w[1].0) / 2.0).collect()
}
