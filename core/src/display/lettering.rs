//! Lettering: numbers and units on scales and faces, as outlines, so that every printer draws them alike.
//!
//! The letters are those of the font that pages are set in; `make_letters.py` takes them from it.

use std::sync::LazyLock;

use kurbo::Affine;

use super::Path;
use crate::geometry::frames::{Glass, Map};

/// What `letters.txt` measures with: so many units to the size of type.
const EM: f64 = 512.0;
/// The width of a space, and the height of figures and capitals, to the size of type.
const SPACE: f64 = 0.26;
/// See [`SPACE`].
pub const HEIGHT: f64 = 0.668;

struct Letter {
    advance: f64,
    /// In units of [`EM`], standing on the line at 0.
    outline: Path,
}

/// In their order, as the file has them.
static LETTERS: LazyLock<Vec<(char, Letter)>> = LazyLock::new(|| {
    let lines = include_str!("letters.txt").lines();
    lines.filter_map(letter).collect()
});

/// A line of `letters.txt`. All its numbers are whole, so no general reader of paths has to be on the page.
fn letter(line: &str) -> Option<(char, Letter)> {
    let mut parts = line.splitn(3, ' ');
    let letter = parts.next()?.chars().next()?;
    let advance = f64::from(parts.next()?.parse::<i32>().ok()?) / EM;
    let (mut outline, mut at, mut start) = (Path::default(), (0.0, 0.0), (0.0, 0.0));
    for step in parts.next()?.split_terminator(';') {
        let (verb, numbers) = step.split_at(1);
        let mut places = numbers.split(' ').map(|n| n.parse::<i32>().unwrap_or(0));
        let mut place = || {
            let (dx, dy) = (places.next().unwrap_or(0), places.next().unwrap_or(0));
            at = (at.0 + f64::from(dx), at.1 + f64::from(dy));
            at
        };
        match verb {
            "m" => {
                start = place();
                outline.move_to(start.0, start.1);
            }
            "l" => {
                let to = place();
                outline.line_to(to.0, to.1);
            }
            "q" => {
                let (by, to) = (place(), place());
                outline.quad_to(by, to);
            }
            _ => {
                outline.close();
                at = start;
            }
        }
    }
    Some((letter, Letter { advance, outline }))
}

fn find(c: char) -> Option<&'static Letter> {
    let at = LETTERS.binary_search_by_key(&c, |(known, _)| *known).ok()?;
    Some(&LETTERS[at].1)
}

/// Where along its line a word is at the place that is given for it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Anchor {
    Start,
    Middle,
    End,
}

/// Whether all of it can be lettered; spaces can.
pub fn can_letter(words: &str) -> bool {
    words.chars().all(|c| c == ' ' || find(c).is_some())
}

/// How long a line of words is in type of size 1. What cannot be lettered takes a space.
pub fn length(words: &str) -> f64 {
    words.chars().map(advance).sum()
}

fn advance(c: char) -> f64 {
    find(c).map_or(SPACE, |letter| letter.advance)
}

/// A line of words, as it is to be filled: in type of `size`, standing on `(x, y)`, turned about that by
/// `angle` (radians, clockwise on the screen).
pub fn words(words: &str, (x, y): (f64, f64), size: f64, anchor: Anchor, angle: f64) -> Path {
    let whole = length(words) * size;
    let back = match anchor {
        Anchor::Start => 0.0,
        Anchor::Middle => whole / 2.0,
        Anchor::End => whole,
    };
    let line = Affine::translate((x, y)) * Affine::rotate(angle) * Affine::translate((-back, 0.0));
    let mut path = Path::default();
    let mut at = 0.0;
    for c in words.chars() {
        if let Some(letter) = find(c) {
            let here = line * Affine::translate((at, 0.0)) * Affine::scale(size / EM);
            let here = Map::<Glass, Glass>::from_coefficients(here.as_coeffs());
            path.append(&letter.outline.mapped(&here));
        }
        at += advance(c) * size;
    }
    path
}

/// A number whose figures keep their places while it changes: each takes as much as the widest. Otherwise
/// as [`words`], in the middle of `(x, y)`.
pub fn figures(number: &str, (x, y): (f64, f64), size: f64) -> Path {
    let wide = |c: char| match c.is_ascii_digit() {
        true => ('0'..='9').map(advance).fold(0.0, f64::max),
        false => advance(c),
    };
    let whole: f64 = number.chars().map(wide).sum();
    let mut at = x - whole * size / 2.0;
    let mut path = Path::default();
    for c in number.chars() {
        let room = wide(c) * size;
        let middle = (at + room / 2.0, y);
        path.append(&words(&c.to_string(), middle, size, Anchor::Middle, 0.0));
        at += room;
    }
    path
}

/// How long a number is in type of size 1, as [`figures`] sets it.
pub fn figures_length(number: &str) -> f64 {
    let widest = ('0'..='9').map(advance).fold(0.0, f64::max);
    let wide = |c: char| {
        if c.is_ascii_digit() {
            widest
        } else {
            advance(c)
        }
    };
    number.chars().map(wide).sum()
}
