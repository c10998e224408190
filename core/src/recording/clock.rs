//! A film's time and its lesson's: the film stands still while recording is paused, the lesson does not.

use super::cuts::Cuts;

/// How times of a film and of its lesson belong together.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Clock {
    /// Where pieces of the film begin, in microseconds of the film, and what the lesson's time was then, in milliseconds
    /// since 1970; both in order.
    known: Vec<(u64, u64)>,
    /// How long the film is, in microseconds.
    lasts: u64,
}

impl Clock {
    /// Of where each piece of a film begins, in order, and how long all of it is, in microseconds.
    pub fn new(known: Vec<(u64, u64)>, lasts: u64) -> Self {
        Self { known, lasts }
    }

    /// The clock of what is left of a film, in its own time.
    pub fn of_left(&self, left: &Cuts) -> Self {
        let mut known = Vec::new();
        let mut before = 0.0;
        for (from, to) in left.parts() {
            let micros = |at: f64| (at * 1e6).round() as u64;
            known.extend(self.to_lesson(*from).map(|taken| (micros(before), taken)));
            let inside = self
                .known
                .iter()
                .filter(|(at, _)| (micros(*from) + 1..micros(*to)).contains(at));
            known.extend(inside.map(|(at, taken)| (micros(before) + at - micros(*from), *taken)));
            before += to - from;
        }
        let lasts = (before * 1e6).round() as u64;
        Self { known, lasts }
    }

    /// Where pieces of the film begin, and what the lesson's time was then: see [`Clock::new`].
    pub fn known(&self) -> &[(u64, u64)] {
        &self.known
    }

    /// The parts of the lesson's time that are in the film, in milliseconds since 1970, in order: a piece that follows another
    /// without a pause is the same part.
    pub fn parts(&self) -> Vec<(u64, u64)> {
        /// By so much clocks may differ, in milliseconds.
        const SAME: u64 = 500;
        let mut parts: Vec<(u64, u64)> = Vec::new();
        let ends = self
            .known
            .iter()
            .skip(1)
            .map(|(from, _)| *from)
            .chain([self.lasts]);
        for ((from, taken), end) in self.known.iter().zip(ends) {
            let to = taken + end.saturating_sub(*from) / 1000;
            match parts.last_mut() {
                Some(last) if taken.abs_diff(last.1) <= SAME => last.1 = to,
                _ => parts.push((*taken, to)),
            }
        }
        parts
    }

    /// What the lesson's time was when the film shows this moment; seconds and milliseconds since 1970. Cost: logarithmic.
    pub fn to_lesson(&self, film: f64) -> Option<u64> {
        let micros = (film.max(0.0) * 1e6).round() as u64;
        let n = self.known.partition_point(|(from, _)| *from <= micros);
        let (from, taken) = *self.known.get(n.checked_sub(1)?)?;
        Some(taken + (micros - from) / 1000)
    }

    /// Where the film shows what was at this time of the lesson, in seconds; where it was not recorded then, where it goes on
    /// after that. `None` where it does not go on.
    pub fn to_film(&self, lesson: u64) -> Option<f64> {
        let n = self.known.partition_point(|(_, taken)| *taken <= lesson);
        let next = self.known.get(n).map(|(from, _)| *from);
        let Some((from, taken)) = n.checked_sub(1).map(|n| self.known[n]) else {
            return next.map(|from| from as f64 / 1e6);
        };
        let at = from.saturating_add((lesson - taken).saturating_mul(1000));
        match next {
            Some(next) => Some(at.min(next) as f64 / 1e6),
            None => (at < self.lasts).then_some(at as f64 / 1e6),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever the pauses: each moment of the film is found again from the lesson's time, to a millisecond, and what was
        /// in a pause is where the film goes on.
        #[test]
        fn moments_are_found_again(pieces in prop::collection::vec((1u64..4000, 0u64..100_000), 1..40), at in 0.0..1.0f64) {
            let (mut film, mut lesson, mut known) = (0, 1_700_000_000_000u64, Vec::new());
            for (lasts, pause) in &pieces {
                known.push((film, lesson));
                film += lasts * 1000;
                lesson += lasts + pause;
            }
            let clock = Clock::new(known.clone(), film);
            let moment = at * film as f64 / 1e6;
            let then = clock.to_lesson(moment).unwrap();
            prop_assert!((clock.to_film(then).unwrap() - moment).abs() <= 0.001);
            for ((_, pause), (from, taken)) in pieces.iter().zip(&known[1..]) {
                let paused = clock.to_film(taken - pause).unwrap();
                prop_assert!((paused - *from as f64 / 1e6).abs() < 1e-6);
            }
            prop_assert_eq!(clock.to_film(lesson), None);
            // Of what is left of a film each moment is at the same time of the lesson.
            let mut left = Cuts::whole(film as f64 / 1e6);
            if left.take_out(at * 0.4 * film as f64 / 1e6, moment) {
                let cut = clock.of_left(&left);
                for n in 0..50 {
                    let shown = left.seconds() * f64::from(n) / 50.0;
                    let apart = cut.to_lesson(shown).unwrap().abs_diff(clock.to_lesson(left.to_whole(shown)).unwrap());
                    prop_assert!(apart <= 1, "{apart}");
                }
            }
            let shown: u64 = clock.parts().iter().map(|(from, to)| to - from).sum();
            let most = pieces.iter().map(|(lasts, _)| lasts).sum::<u64>() + 500 * pieces.len() as u64;
            prop_assert!(shown >= film / 1000 && shown <= most);
        }
    }
}
