//! The four corners of a sheet of paper or a board in a photograph.
//!
//! Edges vote for straight lines that have the light on one side (R. Duda and P. Hart, *Use of the Hough
//! transformation to detect lines and curves in pictures*, 1972, each edge for the lines across its gradient only);
//! of the strongest lines the largest four-sided figure is taken whose sides lie on edges nearly throughout and which
//! is lighter within, or darker, on all of them. Its sides are then fitted to the edges in the full picture.

use crate::geometry::frames::{Pixels, Point};
use crate::geometry::homography::Place;

/// The longer side of the picture that is looked at first, in pixels.
const SMALL: usize = 400;
/// How steep an edge is at the least, of 255 to a pixel.
const EDGE: f32 = 5.0;
/// Steps of a half turn, and how many of them beside its own an edge votes for.
const STEPS: usize = 360;
const BESIDE: i32 = 3;
/// The lines that are tried.
const LINES: usize = 28;
/// How much of a side lies on edges at the least, and of all sides together.
const ONE_SIDE: f64 = 0.55;
const ALL_SIDES: f64 = 0.8;
/// How much of the picture the sheet takes at the least.
const AREA: f64 = 0.08;
/// Sides meet at such an angle at the least: its cosine.
const SHARPEST: f64 = 0.75;

/// A straight line: `x cos + y sin = at`; the light is on the side where the left is larger.
#[derive(Clone, Copy, Debug)]
struct Line {
    cos: f64,
    sin: f64,
    at: f64,
    votes: f32,
}

impl Line {
    fn meets(&self, other: &Line) -> Option<Place> {
        let det = self.cos * other.sin - self.sin * other.cos;
        (det.abs() > 1e-6).then(|| {
            (
                (self.at * other.sin - other.at * self.sin) / det,
                (other.at * self.cos - self.at * other.cos) / det,
            )
        })
    }
}

/// The picture, lightness only, and how it changes.
struct Light {
    width: usize,
    height: usize,
    across: Vec<f32>,
    down: Vec<f32>,
}

/// The corners in pixels of the picture, from its upper left one clockwise; `None` when none are clear. `rgba` has
/// four bytes to a pixel, row by row.
///
/// Cost: a few times through the pixels.
pub fn find(rgba: &[u8], width: usize, height: usize) -> Option<[Point<Pixels>; 4]> {
    if width < 32 || height < 32 || rgba.len() < width * height * 4 {
        return None;
    }
    let by = width.max(height).div_ceil(SMALL).max(1);
    let small = Light::of(&shrunk(rgba, width, height, by), width / by, height / by);
    let found = largest(&small, &small.lines())?;
    let rough = found.map(|(x, y)| {
        let back = |v: f64| (v + 0.5) * by as f64;
        (back(x), back(y))
    });
    let fitted = refined(rgba, width, height, by as f64, rough)?;
    Some(upright(fitted).map(|(x, y)| Point::new(x, y)))
}

/// Lightness, ITU-R BT.601, as the mean of squares of `by` pixels.
fn shrunk(rgba: &[u8], width: usize, height: usize, by: usize) -> Vec<f32> {
    let (w, h) = (width / by, height / by);
    let mut small = vec![0.0; w * h];
    for (y, line) in rgba.chunks_exact(width * 4).take(h * by).enumerate() {
        for (x, p) in line.as_chunks::<4>().0[..w * by].iter().enumerate() {
            let [r, g, b] = [p[0], p[1], p[2]].map(u32::from);
            small[y / by * w + x / by] += ((77 * r + 150 * g + 29 * b) >> 8) as f32;
        }
    }
    let count = (by * by) as f32;
    small.iter_mut().for_each(|v| *v /= count);
    small
}

impl Light {
    /// Smoothed by a binomial filter, then its slope by Sobel's, per pixel.
    fn of(light: &[f32], width: usize, height: usize) -> Self {
        let at = |from: &[f32], x: i64, y: i64| {
            let x = x.clamp(0, width as i64 - 1) as usize;
            let y = y.clamp(0, height as i64 - 1) as usize;
            from[y * width + x]
        };
        let each = |f: &dyn Fn(i64, i64) -> f32| -> Vec<f32> {
            let all = (0..height as i64).flat_map(|y| (0..width as i64).map(move |x| (x, y)));
            all.map(|(x, y)| f(x, y)).collect()
        };
        let weigh = |a: f32, b: f32, c: f32| (a + 2.0 * b + c) / 4.0;
        let rows = each(&|x, y| weigh(at(light, x - 1, y), at(light, x, y), at(light, x + 1, y)));
        let smooth = each(&|x, y| weigh(at(&rows, x, y - 1), at(&rows, x, y), at(&rows, x, y + 1)));
        let slope = |dx: i64, dy: i64| {
            each(&|x, y| {
                let one = |k: i64| {
                    let (ox, oy) = (k * dy, k * dx);
                    at(&smooth, x + dx + ox, y + dy + oy) - at(&smooth, x - dx + ox, y - dy + oy)
                };
                weigh(one(-1), one(0), one(1)) / 2.0
            })
        };
        Self {
            width,
            height,
            across: slope(1, 0),
            down: slope(0, 1),
        }
    }

    fn steepness(&self, i: usize) -> f32 {
        self.across[i].hypot(self.down[i])
    }

    /// The strongest straight lines.
    fn lines(&self) -> Vec<Line> {
        let reach = (self.width as f64).hypot(self.height as f64).ceil();
        let bins = 2 * reach as usize + 3;
        let mut votes = vec![0.0f32; 2 * STEPS * bins];
        let turn = |step: usize| (step as f64 * std::f64::consts::PI / STEPS as f64).sin_cos();
        let turns: Vec<(f64, f64)> = (0..2 * STEPS).map(turn).collect();
        for y in 1..self.height - 1 {
            for x in 1..self.width - 1 {
                let i = y * self.width + x;
                let steep = self.steepness(i);
                if steep < EDGE {
                    continue;
                }
                let angle = f64::from(self.down[i]).atan2(f64::from(self.across[i]));
                let step = (angle / std::f64::consts::PI * STEPS as f64).round() as i32;
                for beside in -BESIDE..=BESIDE {
                    let step = (step + beside).rem_euclid(2 * STEPS as i32) as usize;
                    let (sin, cos) = turns[step];
                    let at = x as f64 * cos + y as f64 * sin + reach + 1.0;
                    // Steep edges are no better than clear ones: writing is steeper than paper.
                    let vote = (steep / 16.0).min(1.0);
                    let (low, part) = (at.floor(), at.fract() as f32);
                    votes[step * bins + low as usize] += vote * (1.0 - part);
                    votes[step * bins + low as usize + 1] += vote * part;
                }
            }
        }
        let mut lines = Vec::new();
        while lines.len() < LINES {
            let best = (0..votes.len()).max_by(|a, b| votes[*a].total_cmp(&votes[*b]));
            let Some(best) = best.filter(|b| votes[*b] > self.width.min(self.height) as f32 / 10.0)
            else {
                break;
            };
            let (step, bin) = (best / bins, best % bins);
            let (sin, cos) = turns[step];
            lines.push(Line {
                cos,
                sin,
                at: bin as f64 - reach - 1.0,
                votes: votes[best],
            });
            // What is nearly the same line is it.
            let near = STEPS as i32 / 45;
            for beside in -near..=near {
                let step = (step as i32 + beside).rem_euclid(2 * STEPS as i32) as usize;
                let from = bin.saturating_sub(5);
                votes[step * bins + from..step * bins + (bin + 6).min(bins)].fill(0.0);
            }
        }
        lines
    }

    /// How much of the stretch between two places lies on edges across it, `inwards` the light side's direction.
    fn support(&self, a: Place, b: Place, line: &Line) -> f64 {
        let length = (b.0 - a.0).hypot(b.1 - a.1);
        let samples = (length / 2.0).ceil().max(8.0) as usize;
        let on_edge = |n: usize| {
            // Corners are round, and what meets there has its own edges.
            let t = 0.03 + 0.94 * (n as f64 + 0.5) / samples as f64;
            let (x, y) = (a.0 + (b.0 - a.0) * t, a.1 + (b.1 - a.1) * t);
            (-2..=2).any(|k| {
                let (x, y) = (x + f64::from(k) * line.cos, y + f64::from(k) * line.sin);
                let (x, y) = (x.round(), y.round());
                if x < 0.0 || y < 0.0 || x >= self.width as f64 || y >= self.height as f64 {
                    return false;
                }
                let i = y as usize * self.width + x as usize;
                let (gx, gy) = (f64::from(self.across[i]), f64::from(self.down[i]));
                let steep = gx.hypot(gy);
                let along = gx * line.cos + gy * line.sin;
                steep >= f64::from(EDGE) * 0.6 && along > 0.9 * steep
            })
        };
        (0..samples).filter(|n| on_edge(*n)).count() as f64 / samples as f64
    }
}

/// The largest figure of four of the lines.
fn largest(light: &Light, lines: &[Line]) -> Option<[Place; 4]> {
    let mut best: Option<(f64, [Place; 4])> = None;
    let whole = (light.width * light.height) as f64;
    let strongest = lines.first()?.votes;
    let opposite = |a: &Line, b: &Line| a.cos * b.cos + a.sin * b.sin < -0.5;
    let pairs: Vec<(usize, usize)> = (0..lines.len())
        .flat_map(|a| (a + 1..lines.len()).map(move |b| (a, b)))
        .filter(|(a, b)| opposite(&lines[*a], &lines[*b]))
        .collect();
    for (n, one) in pairs.iter().enumerate() {
        for other in &pairs[n + 1..] {
            let sides = [one.0, other.0, one.1, other.1].map(|i| &lines[i]);
            let Some(corners) = corners(sides) else {
                continue;
            };
            let area = area(&corners).abs();
            if area < AREA * whole || !plausible(light, &corners) || !all_one_way(&corners, sides) {
                continue;
            }
            if best
                .as_ref()
                .is_some_and(|(score, _)| area / whole < *score * 0.6)
            {
                continue;
            }
            let support: [f64; 4] =
                std::array::from_fn(|i| light.support(corners[(i + 3) % 4], corners[i], sides[i]));
            let mean = support.iter().sum::<f64>() / 4.0;
            if support.iter().any(|s| *s < ONE_SIDE) || mean < ALL_SIDES {
                continue;
            }
            let weakest = sides.iter().map(|s| s.votes).fold(strongest, f32::min);
            let score = area / whole * mean.powi(4) * f64::from(weakest / strongest).powf(0.1);
            if best.as_ref().is_none_or(|(least, _)| score > *least) {
                best = Some((score, corners));
            }
        }
    }
    best.map(|(_, corners)| corners)
}

/// Where each side meets the next.
fn corners(sides: [&Line; 4]) -> Option<[Place; 4]> {
    let [a, b, c, d] = sides;
    Some([a.meets(b)?, b.meets(c)?, c.meets(d)?, d.meets(a)?])
}

fn area(c: &[Place; 4]) -> f64 {
    let one = |i: usize| c[i].0 * c[(i + 1) % 4].1 - c[i].1 * c[(i + 1) % 4].0;
    (0..4).map(one).sum::<f64>() / 2.0
}

/// Whether a sheet can look like this: bulging outwards, no corner far too sharp, all of it in the picture or nearly.
fn plausible(light: &Light, c: &[Place; 4]) -> bool {
    let (w, h) = (light.width as f64, light.height as f64);
    let near = |v: f64, most: f64| v > -0.02 * most && v < 1.02 * most;
    let turns: [f64; 4] = std::array::from_fn(|i| {
        let (a, b, d) = (c[(i + 3) % 4], c[i], c[(i + 1) % 4]);
        (b.0 - a.0) * (d.1 - b.1) - (b.1 - a.1) * (d.0 - b.0)
    });
    let sharp = (0..4).any(|i| {
        let (a, b, d) = (c[(i + 3) % 4], c[i], c[(i + 1) % 4]);
        let (u, v) = ((a.0 - b.0, a.1 - b.1), (d.0 - b.0, d.1 - b.1));
        let cos = (u.0 * v.0 + u.1 * v.1) / (u.0.hypot(u.1) * v.0.hypot(v.1)).max(1e-9);
        cos.abs() > SHARPEST
    });
    let one_way = turns.iter().all(|t| *t > 0.0) || turns.iter().all(|t| *t < 0.0);
    one_way && !sharp && c.iter().all(|(x, y)| near(*x, w) && near(*y, h))
}

/// Whether the light is within on all sides, or on none.
fn all_one_way(c: &[Place; 4], sides: [&Line; 4]) -> bool {
    let middle = (
        c.iter().map(|p| p.0).sum::<f64>() / 4.0,
        c.iter().map(|p| p.1).sum::<f64>() / 4.0,
    );
    let inside = sides.map(|s| middle.0 * s.cos + middle.1 * s.sin > s.at);
    inside.iter().all(|i| *i) || inside.iter().all(|i| !*i)
}

/// How many places of a side its edge is looked for at, and how far away, in pixels of the small picture.
const PLACES: usize = 96;
const FAR: f64 = 2.5;

/// Corners where the sides meet that are fitted to the edges of the full picture.
fn refined(
    rgba: &[u8],
    width: usize,
    height: usize,
    by: f64,
    rough: [Place; 4],
) -> Option<[Place; 4]> {
    let light = |x: f64, y: f64| {
        let x = (x - 0.5).round().clamp(0.0, width as f64 - 1.0) as usize;
        let y = (y - 0.5).round().clamp(0.0, height as f64 - 1.0) as usize;
        let p = &rgba[(y * width + x) * 4..];
        let [r, g, b] = [p[0], p[1], p[2]].map(f64::from);
        0.299 * r + 0.587 * g + 0.114 * b
    };
    let far = (FAR * by).ceil().max(3.0);
    let steps = 2 * far as usize + 1;
    let mut sides = Vec::new();
    for i in 0..4 {
        let (a, b) = (rough[i], rough[(i + 1) % 4]);
        let length = (b.0 - a.0).hypot(b.1 - a.1);
        let (along, across) = (
            ((b.0 - a.0) / length, (b.1 - a.1) / length),
            (-(b.1 - a.1) / length, (b.0 - a.0) / length),
        );
        // The profile across the side at each place, as the mean of some pixels along it.
        let profiles: Vec<(f64, Vec<f64>)> = (0..PLACES)
            .map(|n| {
                let t = length * (0.04 + 0.92 * (n as f64 + 0.5) / PLACES as f64);
                let value = |s: usize| {
                    let off = s as f64 - far;
                    let mean = (-2..=2).map(|k| {
                        let t = t + f64::from(k) * by.max(1.0) / 2.0;
                        light(
                            a.0 + along.0 * t + across.0 * off,
                            a.1 + along.1 * t + across.1 * off,
                        )
                    });
                    mean.sum::<f64>() / 5.0
                };
                (t, (0..steps).map(value).collect())
            })
            .collect();
        // The edge is where it changes most, in the way that it does on the whole.
        let slope = |p: &[f64], s: usize| p[s + 1] - p[s - 1];
        let sign: f64 = profiles.iter().map(|(_, p)| p[steps - 1] - p[0]).sum();
        let found: Vec<Place> = profiles
            .iter()
            .filter_map(|(t, p)| {
                let change = |s: usize| slope(p, s) * sign.signum();
                let best = (1..steps - 1).max_by(|a, b| change(*a).total_cmp(&change(*b)))?;
                if change(best) < f64::from(EDGE) {
                    return None;
                }
                // Between the pixels by a parabola.
                let (low, high) = (
                    if best > 1 { change(best - 1) } else { 0.0 },
                    if best + 2 < steps {
                        change(best + 1)
                    } else {
                        0.0
                    },
                );
                let bend = low - 2.0 * change(best) + high;
                let shift = if bend < 0.0 {
                    (low - high) / (2.0 * bend)
                } else {
                    0.0
                };
                Some((*t, best as f64 - far + shift))
            })
            .collect();
        let (off, tilt) = fit(&found)?;
        let at = |t: f64| {
            let off = off + tilt * t;
            (
                a.0 + along.0 * t + across.0 * off,
                a.1 + along.1 * t + across.1 * off,
            )
        };
        sides.push((at(0.0), at(length)));
    }
    let meet = |i: usize| {
        let line = |(p, q): (Place, Place)| {
            let length = (q.0 - p.0).hypot(q.1 - p.1);
            let (cos, sin) = (-(q.1 - p.1) / length, (q.0 - p.0) / length);
            Line {
                cos,
                sin,
                at: p.0 * cos + p.1 * sin,
                votes: 0.0,
            }
        };
        line(sides[(i + 3) % 4]).meets(&line(sides[i]))
    };
    Some([meet(0)?, meet(1)?, meet(2)?, meet(3)?])
}

/// A straight line through places most of which lie on one: its value at 0 and its slope. Places are weighed by
/// Tukey's biweight about the line of least absolute error among pairs, again and again (P. Huber, *Robust
/// Statistics*, 1981, 7.8).
fn fit(places: &[Place]) -> Option<(f64, f64)> {
    if places.len() < PLACES / 3 {
        return None;
    }
    let half = places.len() / 2;
    let error = |(off, tilt): (f64, f64)| {
        let mut all: Vec<f64> = places
            .iter()
            .map(|p| (p.1 - off - tilt * p.0).abs())
            .collect();
        all.sort_by(f64::total_cmp);
        all[half]
    };
    let through = |i: usize, j: usize| {
        let tilt = (places[j].1 - places[i].1) / (places[j].0 - places[i].0);
        (places[i].1 - tilt * places[i].0, tilt)
    };
    // Pairs that lie far apart.
    let pairs = (0..half).map(|i| through(i, i + half));
    let mut line = pairs.min_by(|a, b| error(*a).total_cmp(&error(*b)))?;
    for _ in 0..8 {
        let wide = (error(line) * 4.0).max(1.0);
        let mut sums = [0.0; 5];
        for (t, v) in places {
            let off = (v - line.0 - line.1 * t) / wide;
            let weight = (1.0 - off * off).max(0.0).powi(2);
            for (sum, v) in sums.iter_mut().zip([1.0, *t, *v, t * t, t * v]) {
                *sum += weight * v;
            }
        }
        let [n, t, v, tt, tv] = sums;
        let det = n * tt - t * t;
        if det.abs() < 1e-9 {
            break;
        }
        line = ((tt * v - t * tv) / det, (n * tv - t * v) / det);
    }
    Some(line)
}

/// Clockwise on the screen, from the corner that is nearest to the picture's upper left one.
fn upright(mut c: [Place; 4]) -> [Place; 4] {
    if area(&c) < 0.0 {
        c.reverse();
    }
    let first = (0..4).min_by(|a, b| (c[*a].0 + c[*a].1).total_cmp(&(c[*b].0 + c[*b].1)));
    c.rotate_left(first.unwrap_or(0));
    c
}
