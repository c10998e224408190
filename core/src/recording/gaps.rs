//! The time of a lesson that is shown again: gaps in which nothing happened are left out.

/// Which parts of a lesson's time are shown, in order; milliseconds since 1970.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Gaps {
    parts: Vec<(u64, u64)>,
}

/// How much of a gap is left, in milliseconds: before what comes next, ...
const BEFORE: u64 = 500;
/// ... and after what came last.
const AFTER: u64 = 1500;
/// A gap that is left as it is when gaps are not skipped: the lesson goes on, somebody explains. What is longer is another
/// day, or a break.
pub const BREAK: u64 = 3 * 60 * 1000;
/// A gap that is left as it is when they are.
pub const SILENCE: u64 = 4000;

impl Gaps {
    /// Of a lesson in which something happened at these times, in order; gaps longer than `longest` are shortened. `whole` are
    /// parts of which nothing is left out, because they are heard.
    pub fn new(happened: &[u64], whole: &[(u64, u64)], longest: u64) -> Self {
        let around = |at: &u64| (at.saturating_sub(BEFORE), at + AFTER);
        let mut all: Vec<(u64, u64)> = happened.iter().map(around).collect();
        all.extend(whole.iter().filter(|(from, to)| from < to));
        all.sort_unstable();
        let mut parts: Vec<(u64, u64)> = Vec::new();
        for (from, to) in all {
            match parts.last_mut() {
                Some(last) if from <= last.1.saturating_add(longest - BEFORE - AFTER) => {
                    last.1 = last.1.max(to);
                }
                _ => parts.push((from, to)),
            }
        }
        Self { parts }
    }

    /// The same, of these parts of the lesson alone.
    pub fn within(&self, these: &[(u64, u64)]) -> Self {
        let mut parts = Vec::new();
        for (from, to) in &self.parts {
            for (a, b) in these {
                let (from, to) = ((*from).max(*a), (*to).min(*b));
                if from < to {
                    parts.push((from, to));
                }
            }
        }
        parts.sort_unstable();
        Self { parts }
    }

    /// How long what is shown is, in seconds.
    pub fn seconds(&self) -> f64 {
        let all: u64 = self.parts.iter().map(|(from, to)| to - from).sum();
        all as f64 / 1000.0
    }

    /// The lesson's time when so many seconds have been shown; the last one where there are not so many.
    pub fn to_lesson(&self, shown: f64) -> u64 {
        let mut left = (shown.max(0.0) * 1000.0).round() as u64;
        for (from, to) in &self.parts {
            if left < to - from {
                return from + left;
            }
            left -= to - from;
        }
        self.parts.last().map_or(0, |(_, to)| *to)
    }

    /// When a time of the lesson is shown, in seconds; where it goes on, if it is in a gap.
    pub fn to_shown(&self, lesson: u64) -> f64 {
        let before = |(from, to): &(u64, u64)| lesson.clamp(*from, *to) - from;
        let all: u64 = self.parts.iter().map(before).sum();
        all as f64 / 1000.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever happened when: it is all shown, at a time that leads back to it, in order; nothing that is heard is left
        /// out; and no gap is longer than it may be.
        #[test]
        fn what_happened_is_shown(
            happened in prop::collection::vec(0u64..2_000_000, 1..60), heard in (0u64..2_000_000, 0u64..60_000), skips in any::<bool>(),
        ) {
            let base = 1_700_000_000_000;
            let mut happened: Vec<u64> = happened.into_iter().map(|at| base + at).collect();
            happened.sort_unstable();
            let heard = (base + heard.0, base + heard.0 + heard.1);
            let longest = if skips { SILENCE } else { BREAK };
            let gaps = Gaps::new(&happened, &[heard], longest);
            let mut last = -1.0;
            for at in &happened {
                let shown = gaps.to_shown(*at);
                prop_assert!(shown >= last);
                prop_assert_eq!(gaps.to_lesson(shown), *at);
                last = shown;
            }
            let shown = gaps.to_shown(heard.1) - gaps.to_shown(heard.0);
            prop_assert!((shown * 1000.0 - heard.1 as f64 + heard.0 as f64).abs() < 1e-3);
            for (a, b) in happened.iter().zip(&happened[1..]) {
                let between = heard.0 <= *b && heard.1 >= *a;
                let shown = (gaps.to_shown(*b) - gaps.to_shown(*a)) * 1000.0;
                prop_assert!(between || shown <= longest as f64 + 1e-3, "{shown} of {}", b - a);
            }
            let whole = [(base, base + 2_100_000)];
            prop_assert_eq!(gaps.within(&whole).parts.len(), gaps.parts.iter().filter(|p| p.1 > base).count());
            let (early, late) = (base + 500_000, base + 1_500_000);
            let apart = [(base - 1000, early), (early, late), (late, base + 3_000_000)];
            prop_assert!((gaps.within(&apart).seconds() - gaps.seconds()).abs() < 1e-6);
        }
    }
}
