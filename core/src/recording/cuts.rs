//! A film with parts of it taken out, and where its chapters are then. Times are in seconds from where the film begins.

use serde::{Deserialize, Serialize};

/// What of a film is left, in order, each part from a time to a later one; nothing overlaps.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Cuts(Vec<(f64, f64)>);

/// A part of a film that has a name: it goes on to where the next one begins.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Chapter {
    pub at: f64,
    pub name: String,
}

/// What is shorter than this is no part of a film.
const LEAST: f64 = 0.05;
/// A key frame that is no farther before is where a film can begin, in seconds.
const NEAR: f64 = 1.0;

impl Cuts {
    /// A film of this length, whole.
    pub fn whole(seconds: f64) -> Self {
        Self(vec![(0.0, seconds)])
    }

    /// The parts that are left.
    pub fn parts(&self) -> &[(f64, f64)] {
        &self.0
    }

    /// How long what is left is.
    pub fn seconds(&self) -> f64 {
        self.0.iter().map(|(from, to)| to - from).sum()
    }

    /// Takes out what lies between two times of the whole film. `false`, and nothing changes, where nothing would be left.
    pub fn take_out(&mut self, from: f64, to: f64) -> bool {
        let (from, to) = (from.min(to), from.max(to));
        let mut left = Vec::new();
        for (a, b) in &self.0 {
            for (a, b) in [(*a, b.min(from)), (a.max(to), *b)] {
                if b - a >= LEAST {
                    left.push((a, b));
                }
            }
        }
        if left.is_empty() {
            return false;
        }
        self.0 = left;
        true
    }

    /// What is left that is also in one of `parts`, which are in order and apart, in the time of the whole film.
    pub fn within(&self, parts: &[(f64, f64)]) -> Self {
        let mut left = Vec::new();
        for (from, to) in &self.0 {
            for (a, b) in parts {
                let (from, to) = (from.max(*a), to.min(*b));
                if to - from >= LEAST {
                    left.push((from, to));
                }
            }
        }
        Self(left)
    }

    /// The same, with each part beginning where a film can begin: with the first of `keys` in it, which are in order. What
    /// was taken out is never seen, and up to one key frame's distance more is taken out with it.
    pub fn at_keys(&self, keys: &[f64]) -> Self {
        let begins = |(from, to): &(f64, f64)| {
            let key = keys[keys.partition_point(|key| key < from)..].first()?;
            (to - key >= LEAST).then_some((*key, *to))
        };
        Self(self.0.iter().filter_map(begins).collect())
    }

    /// Where a time of the whole film is in what is left of it: where it goes on, if it was taken out.
    pub fn to_cut(&self, at: f64) -> f64 {
        let mut before = 0.0;
        for (from, to) in &self.0 {
            if at < *from {
                return before;
            }
            if at <= *to {
                return before + at - from;
            }
            before += to - from;
        }
        before
    }

    /// Where a time of what is left was in the whole film.
    pub fn to_whole(&self, at: f64) -> f64 {
        let mut left = at.max(0.0);
        for (from, to) in &self.0 {
            if left < to - from {
                return from + left;
            }
            left -= to - from;
        }
        self.0.last().map_or(0.0, |(_, to)| *to)
    }

    /// The parts of the whole film between two times of what is left.
    pub fn parts_between(&self, from: f64, to: f64) -> Vec<(f64, f64)> {
        let mut before = 0.0;
        let mut parts = Vec::new();
        for (a, b) in &self.0 {
            let (from, to) = ((from - before).max(0.0), (to - before).min(b - a));
            if to - from >= LEAST {
                parts.push((a + from, a + to));
            }
            before += b - a;
        }
        parts
    }

    /// The chapters of what is left, each with its number in `all`, from 0: one of which nothing is left is none.
    pub fn chapters(&self, all: &[Chapter]) -> Vec<(usize, Chapter)> {
        let mut left: Vec<(usize, Chapter)> = Vec::new();
        for (n, chapter) in all.iter().enumerate() {
            let at = self.to_cut(chapter.at);
            // Nothing is left of the one before, or no more than where a film had to begin.
            if let Some((of, before)) = left.last() {
                let (lasts, lasted) = (at - before.at, chapter.at - all[*of].at);
                if lasts < LEAST || (lasts < NEAR && lasts < lasted - LEAST) {
                    left.pop();
                }
            }
            if self.seconds() - at >= LEAST {
                let name = chapter.name.clone();
                left.push((n, Chapter { at, name }));
            }
        }
        left
    }
}

/// Where a part of a film is begun that is wanted from a time on: at the last of `keys` before it, if that is near. The browser
/// shows what comes on stage, with a key frame, a little before the server has noted when it came.
///
/// ```
/// use bozzetto_core::recording::cuts::{Chapter, Cuts, begun};
/// let chapter = |at, name: &str| Chapter { at, name: name.to_owned() };
/// let all = [chapter(0.0, "Board"), chapter(5.3, "Low water")];
/// // The second chapter begins with the whole picture that is a little before it, and is all that is named then.
/// let mut cuts = Cuts::whole(9.0);
/// cuts.take_out(0.0, begun(5.3, &[0.0, 5.0]));
/// let left = cuts.chapters(&all);
/// assert_eq!(left.len(), 1);
/// assert_eq!(left[0].1.name, "Low water");
/// ```
pub fn begun(wanted: f64, keys: &[f64]) -> f64 {
    let before = keys[..keys.partition_point(|key| *key <= wanted)].last();
    match before {
        Some(key) if wanted - key <= NEAR => *key,
        _ => wanted,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What is in some parts is what those around and between them have not.
        #[test]
        fn a_part_is_what_others_leave(mut at in prop::collection::vec(0.0..60.0f64, 4), out in (0.0..60.0f64, 0.0..60.0f64)) {
            at.sort_by(f64::total_cmp);
            let mut film = Cuts::whole(60.0);
            film.take_out(out.0, out.1);
            let within = film.within(&[(at[0], at[1]), (at[2], at[3])]);
            for n in 0..6000 {
                let t = f64::from(n) / 100.0;
                let inside = |parts: &[(f64, f64)]| parts.iter().any(|(a, b)| *a + LEAST <= t && t + LEAST < *b);
                let wanted = inside(film.parts()) && (inside(&[(at[0], at[1])]) || inside(&[(at[2], at[3])]));
                let there = within.parts().iter().any(|(a, b)| *a <= t && t < *b);
                prop_assert!(there || !wanted);
                let near = |parts: &[(f64, f64)]| parts.iter().any(|(a, b)| *a <= t && t < *b);
                prop_assert!(!there || near(film.parts()) && near(&[(at[0], at[1]), (at[2], at[3])]));
            }
        }

        /// Whatever is taken out: a hundredth of a second is in what is left just when no cut has it, it is found again
        /// from there, and order stays.
        #[test]
        fn what_is_left_is_found(
            seconds in 5.0..60.0f64, cuts in prop::collection::vec((0.0..60.0f64, 0.0..60.0f64), 0..6),
        ) {
            let mut film = Cuts::whole(seconds);
            let mut out = Vec::new();
            for (a, b) in cuts {
                if film.take_out(a, b) {
                    out.push((a.min(b), a.max(b)));
                }
            }
            let mut last = 0.0;
            for n in 0..(seconds * 100.0) as u32 {
                let at = f64::from(n) / 100.0;
                let cut = film.to_cut(at);
                prop_assert!(cut >= last - 1e-9 && cut <= film.seconds() + 1e-9);
                last = cut;
                let gone = out.iter().any(|(a, b)| *a < at && at < *b);
                let there = film.parts().iter().any(|(a, b)| *a <= at && at < *b);
                prop_assert!(!(gone && there));
                if there {
                    prop_assert!((film.to_whole(cut) - at).abs() < 1e-6);
                }
            }
        }
    }
}
