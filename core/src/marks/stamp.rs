//! Stamps: small signs of our own drawing, set with one tap.

use serde::{Deserialize, Serialize};

use crate::display::Path;
use crate::display::colour::{BLACK, Rgb, WHITE};
use crate::geometry::frames::{Ink, Point, Rect};
use crate::ink::InkPoint;
use crate::ink::centreline::Node;
use crate::ink::outline::outline_of;
use crate::ink::tip::Tip;

/// What a stamp shows.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Sign {
    Tick,
    Cross,
    Question,
    Star,
    /// "Look here": an eye.
    Look,
    /// 1, 2, 3 … in a disc, for instructions step by step.
    Counter(u16),
}

impl Sign {
    pub const ALL: [Sign; 6] = [
        Sign::Tick,
        Sign::Cross,
        Sign::Question,
        Sign::Star,
        Sign::Look,
        Sign::Counter(1),
    ];

    /// What it is called in scripts and in settings.
    pub fn word(self) -> &'static str {
        match self {
            Sign::Tick => "tick",
            Sign::Cross => "cross",
            Sign::Question => "question mark",
            Sign::Star => "star",
            Sign::Look => "look here",
            Sign::Counter(_) => "counter",
        }
    }
}

/// A sign around a middle.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Stamp {
    pub sign: Sign,
    /// In 1/64 unit.
    pub middle: crate::ink::curve::Spot,
    /// Half its width and height, in 1/64 unit.
    pub half: i32,
}

/// The highest number of a counter.
pub const MOST: u16 = 999;

impl Stamp {
    /// `half` is half its width and height, in units.
    pub fn new(sign: Sign, middle: Point<Ink>, half: f64) -> Self {
        Self {
            sign,
            middle: crate::ink::curve::Spot::new(middle),
            half: (half * crate::ink::UNITS).round() as i32,
        }
    }

    /// Half its width and height, in units.
    pub fn half(&self) -> f64 {
        f64::from(self.half) / crate::ink::UNITS
    }

    /// The rectangle that contains it, in the mark's own frame.
    pub fn bounds(&self) -> Rect<Ink> {
        let m = self.middle.position();
        Rect::from_corners(m, m).inflate(self.half())
    }

    /// What is filled, from the bottom up.
    pub fn fills(&self, colour: Rgb) -> Vec<(Path, Rgb)> {
        let (m, half) = (self.middle.position(), self.half());
        let place = |p: &[(f64, f64)]| -> Vec<(f64, f64)> {
            p.iter()
                .map(|(x, y)| (m.x + x * half, m.y + y * half))
                .collect()
        };
        let line = |p: &[(f64, f64)], width: f64| stroke(&place(p), width * half);
        match self.sign {
            Sign::Tick => vec![(
                line(&[(-0.75, 0.05), (-0.2, 0.6), (0.78, -0.62)], 0.34),
                colour,
            )],
            Sign::Cross => {
                let mut path = line(&[(-0.65, -0.65), (0.65, 0.65)], 0.34);
                path.append(&line(&[(0.65, -0.65), (-0.65, 0.65)], 0.34));
                vec![(path, colour)]
            }
            Sign::Question => {
                let bow = arc(0.0, -0.42, 0.42, -180.0, 70.0);
                let mut path = line(&[&bow[..], &[(0.0, 0.1), (0.0, 0.3)]].concat(), 0.3);
                path.append(&line(&[(0.0, 0.76), (0.0, 0.77)], 0.34));
                vec![(path, colour)]
            }
            Sign::Star => {
                let points: Vec<(f64, f64)> = (0..10)
                    .map(|i| {
                        let r = if i % 2 == 0 { 0.98 } else { 0.42 };
                        let a = (f64::from(i) * 36.0 - 90.0).to_radians();
                        (r * a.cos(), r * a.sin())
                    })
                    .collect();
                let mut path = Path::default();
                path.polygon(place(&points));
                vec![(path, colour)]
            }
            Sign::Look => {
                let upper = arc(0.0, 0.56, 1.0, -150.0, -30.0);
                let lower = arc(0.0, -0.44, 1.0, 30.0, 150.0);
                let lids = [&upper[..], &lower[..], &upper[..1]].concat();
                let mut path = line(&lids, 0.17);
                path.append(&line(&[(0.0, 0.07), (0.01, 0.07)], 0.52));
                vec![(path, colour)]
            }
            Sign::Counter(n) => {
                let disc = stroke(&[(m.x, m.y)], half * 2.0);
                let on = if colour.contrast(WHITE) >= colour.contrast(BLACK) {
                    WHITE
                } else {
                    BLACK
                };
                vec![(disc, colour), (digits(n, place, half), on)]
            }
        }
    }
}

/// The digits of a number, side by side in the middle, as lines.
fn digits(n: u16, place: impl Fn(&[(f64, f64)]) -> Vec<(f64, f64)>, half: f64) -> Path {
    let text = n.min(MOST).to_string();
    let count = text.len() as f64;
    let scale = match text.len() {
        1 => 0.56,
        2 => 0.46,
        _ => 0.36,
    };
    let step = 1.3 * scale;
    let mut path = Path::default();
    for (i, digit) in text.bytes().enumerate() {
        let left = (i as f64 - (count - 1.0) / 2.0) * step;
        for line in digit_lines(digit - b'0') {
            let moved: Vec<_> = line
                .iter()
                .map(|(x, y)| (left + x * scale, y * scale))
                .collect();
            path.append(&stroke(&place(&moved), 0.3 * scale * half));
        }
    }
    path
}

/// A digit between -0.5 and 0.5 across and -1 and 1 down.
fn digit_lines(digit: u8) -> Vec<Vec<(f64, f64)>> {
    let whole = |x: f64, y: f64, rx: f64, ry: f64, from: f64, to: f64| -> Vec<(f64, f64)> {
        arc(0.0, 0.0, 1.0, from, to)
            .into_iter()
            .map(|(c, s)| (x + c * rx, y + s * ry))
            .collect()
    };
    match digit {
        0 => vec![whole(0.0, 0.0, 0.5, 1.0, 0.0, 360.0)],
        1 => vec![vec![(-0.32, -0.62), (0.08, -1.0), (0.08, 1.0)]],
        2 => vec![
            [
                whole(0.0, -0.5, 0.5, 0.5, -170.0, 35.0),
                vec![(-0.5, 1.0), (0.55, 1.0)],
            ]
            .concat(),
        ],
        3 => vec![
            [
                whole(-0.04, -0.52, 0.5, 0.48, -160.0, 90.0),
                whole(-0.04, 0.48, 0.54, 0.52, -90.0, 160.0),
            ]
            .concat(),
        ],
        4 => vec![vec![(0.25, 1.0), (0.25, -1.0), (-0.55, 0.45), (0.58, 0.45)]],
        5 => vec![
            [
                vec![(0.45, -1.0), (-0.36, -1.0), (-0.44, -0.12)],
                whole(-0.06, 0.36, 0.54, 0.64, -130.0, 155.0),
            ]
            .concat(),
        ],
        6 => vec![
            [
                vec![(0.35, -1.0), (-0.25, -0.25)],
                whole(0.0, 0.4, 0.5, 0.6, -155.0, 205.0),
            ]
            .concat(),
        ],
        7 => vec![vec![(-0.5, -1.0), (0.5, -1.0), (-0.12, 1.0)]],
        8 => vec![
            whole(0.0, -0.5, 0.42, 0.5, 0.0, 360.0),
            whole(0.0, 0.5, 0.5, 0.5, 0.0, 360.0),
        ],
        _ => vec![
            [
                vec![(-0.35, 1.0), (0.25, 0.25)],
                whole(0.0, -0.4, 0.5, 0.6, 25.0, 385.0),
            ]
            .concat(),
        ],
    }
}

/// Points of a circle around (x, y) from one angle to another, in degrees, y downwards.
fn arc(x: f64, y: f64, r: f64, from: f64, to: f64) -> Vec<(f64, f64)> {
    let steps = ((to - from).abs() / 10.0).ceil().max(1.0);
    (0..=steps as u32)
        .map(|i| {
            let a = (from + (to - from) * f64::from(i) / steps).to_radians();
            (x + r * a.cos(), y + r * a.sin())
        })
        .collect()
}

/// A line of even width with round ends; a single point is a disc.
fn stroke(points: &[(f64, f64)], width: f64) -> Path {
    let nodes: Vec<Node> = points
        .iter()
        .map(|(x, y)| Node {
            at: InkPoint::new(Point::new(*x, *y), width).position(),
            radius: width / 2.0,
        })
        .collect();
    outline_of(&nodes, Tip::Round)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every sign stays within the square that it claims, and a counter's digits can be read on its
    /// disc whatever the colour (WCAG, 4.5:1 is more than the 3:1 for graphics).
    #[test]
    fn signs_keep_to_their_square_and_numbers_can_be_read() {
        for sign in Sign::ALL
            .into_iter()
            .chain((0..=MOST).step_by(37).map(Sign::Counter))
        {
            let stamp = Stamp::new(sign, Point::new(100.0, 50.0), 24.0);
            for (path, _) in stamp.fills(BLACK) {
                let b = path.bounds::<Ink>();
                let s = stamp.bounds().inflate(0.2);
                assert!(
                    b.x0 >= s.x0 && b.x1 <= s.x1 && b.y0 >= s.y0 && b.y1 <= s.y1,
                    "{sign:?} {b:?}"
                );
            }
        }
        for (_, colour) in crate::display::colour::OKABE_ITO {
            let fills = Stamp::new(Sign::Counter(7), Point::new(0.0, 0.0), 24.0).fills(colour);
            assert!(fills[0].1.contrast(fills[1].1) >= 4.5, "{colour:?}");
        }
    }
}
