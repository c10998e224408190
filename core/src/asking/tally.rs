//! What answers come to: bars, words, or places on the picture.

use serde::Serialize;

use crate::asking::question::{Kind, Reply};
use crate::asking::spot::Spot;

/// The most bars of numbers, and the most words that are shown.
pub const MOST_BARS: usize = 12;

/// What answers come to.
#[derive(Clone, PartialEq, Debug, Default, Serialize)]
pub struct Tally {
    /// How many have answered.
    pub of: usize,
    pub bars: Vec<Bar>,
    pub places: Vec<Spot>,
    /// Of numbers: the one in the middle.
    pub median: Option<f64>,
}

/// So many have answered the same, or within a range.
#[derive(Clone, PartialEq, Debug, Serialize)]
pub struct Bar {
    pub shown: String,
    pub many: usize,
}

impl Tally {
    /// Counts answers to a question of this kind; those of another kind are left out.
    ///
    /// Cost: for numbers and words that of sorting them.
    pub fn of(kind: Kind, replies: &[Reply]) -> Self {
        match kind {
            Kind::Choices(_) | Kind::YesNo => choices(kind, replies),
            Kind::Number => numbers(replies),
            Kind::Word => words(replies),
            Kind::Place => {
                let places = replies.iter().filter_map(|reply| match reply {
                    Reply::Spot(spot) => Some(*spot),
                    _ => None,
                });
                let places: Vec<_> = places.collect();
                Self {
                    of: places.len(),
                    places,
                    ..Self::default()
                }
            }
        }
    }

    /// The longest bar.
    pub fn most(&self) -> usize {
        self.bars.iter().map(|bar| bar.many).max().unwrap_or(0)
    }
}

fn choices(kind: Kind, replies: &[Reply]) -> Tally {
    let mut bars: Vec<Bar> = kind
        .choices()
        .into_iter()
        .map(|shown| Bar { shown, many: 0 })
        .collect();
    for reply in replies {
        if let Reply::Choice(n) = reply
            && let Some(bar) = bars.get_mut(usize::from(*n))
        {
            bar.many += 1;
        }
    }
    Tally {
        of: bars.iter().map(|bar| bar.many).sum(),
        bars,
        ..Tally::default()
    }
}

/// Words are the same whatever their capitals; they are shown as whoever was first wrote them.
fn words(replies: &[Reply]) -> Tally {
    let mut all: Vec<(String, Bar)> = Vec::new();
    let mut of = 0;
    for reply in replies {
        let Reply::Word(word) = reply else { continue };
        of += 1;
        let folded = word.to_lowercase();
        match all.iter_mut().find(|(known, _)| *known == folded) {
            Some((_, bar)) => bar.many += 1,
            None => {
                let shown = word.clone();
                all.push((folded, Bar { shown, many: 1 }));
            }
        }
    }
    all.sort_by(|(a, x), (b, y)| y.many.cmp(&x.many).then_with(|| a.cmp(b)));
    let mut bars: Vec<Bar> = all.into_iter().map(|(_, bar)| bar).collect();
    if bars.len() > MOST_BARS {
        let others = bars.split_off(MOST_BARS - 1);
        let many = others.iter().map(|bar| bar.many).sum();
        let shown = format!("{} other words", others.len());
        bars.push(Bar { shown, many });
    }
    Tally {
        of,
        bars,
        ..Tally::default()
    }
}

/// A histogram in steps of 1, 2 or 5 times a power of ten, so that there are at most [`MOST_BARS`]. Few different numbers
/// have a bar each.
fn numbers(replies: &[Reply]) -> Tally {
    let mut all: Vec<f64> = replies
        .iter()
        .filter_map(|reply| match reply {
            Reply::Number(number) if number.is_finite() => Some(*number),
            _ => None,
        })
        .collect();
    all.sort_by(f64::total_cmp);
    let (Some(least), Some(most)) = (all.first().copied(), all.last().copied()) else {
        return Tally::default();
    };
    let middle = all.len() / 2;
    let median = match all.len() % 2 {
        1 => all[middle],
        _ => (all[middle - 1] + all[middle]) / 2.0,
    };
    let mut each: Vec<(f64, usize)> = Vec::new();
    for number in &all {
        match each.last_mut() {
            Some((known, many)) if known == number => *many += 1,
            _ => each.push((*number, 1)),
        }
    }
    let bars = match each.len() <= MOST_BARS {
        true => each
            .into_iter()
            .map(|(number, many)| Bar {
                shown: number.to_string(),
                many,
            })
            .collect(),
        false => histogram(&all, least, most),
    };
    Tally {
        of: all.len(),
        bars,
        median: Some(median),
        ..Tally::default()
    }
}

fn histogram(sorted: &[f64], least: f64, most: f64) -> Vec<Bar> {
    let rough = (most - least) / (MOST_BARS - 1) as f64;
    let power = 10f64.powf(rough.log10().floor());
    let steps = [1.0, 2.0, 5.0, 10.0].map(|n| n * power);
    let step = steps
        .into_iter()
        .find(|step| *step >= rough)
        .unwrap_or(rough);
    let first = (least / step).floor();
    let count = ((most / step).floor() - first) as usize + 1;
    let mut bars: Vec<usize> = vec![0; count];
    for number in sorted {
        bars[((number / step).floor() - first) as usize] += 1;
    }
    let digits = (-step.log10().floor()).clamp(0.0, 12.0) as usize;
    let bars = bars.into_iter().enumerate();
    bars.map(|(n, many)| {
        let from = (first + n as f64) * step;
        Bar {
            shown: format!("{from:.digits$} to {:.digits$}", from + step),
            many,
        }
    })
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::frames::Point;
    use crate::geometry::ids::BackdropId;
    use proptest::prelude::*;

    fn answers() -> impl Strategy<Value = Reply> {
        prop_oneof![
            (0u8..8).prop_map(Reply::Choice),
            prop_oneof![-1e12..1e12, (-20i32..20).prop_map(f64::from), -1e-6..1e-6]
                .prop_map(Reply::Number),
            "[a-eA-E]{1,2}".prop_map(Reply::Word),
            (0.0..=1.0, 0.0..=1.0).prop_map(|(x, y)| Reply::Place(x, y)),
            (1u64..4, 0u32..3, -9.0..9e3, -9.0..9e3).prop_map(|(backdrop, page, x, y)| {
                let at = Point::new(x, y);
                Reply::Spot(Spot {
                    backdrop: BackdropId(backdrop),
                    page,
                    at,
                })
            }),
        ]
    }

    proptest! {
        /// Whatever is answered: everybody whose answer is one is counted once, in one bar, and there are not too many of
        /// these. Half of the numbers are on either side of the one in the middle.
        #[test]
        fn everybody_is_counted_once(replies in prop::collection::vec(answers(), 0..80)) {
            for kind in [Kind::Choices(4), Kind::YesNo, Kind::Number, Kind::Word, Kind::Place] {
                let tally = Tally::of(kind, &replies);
                let fit = replies.iter().filter(|reply| match (kind, reply) {
                    (Kind::Choices(_), Reply::Choice(n)) => *n < 4,
                    (Kind::YesNo, Reply::Choice(n)) => *n < 2,
                    (Kind::Number, Reply::Number(_)) | (Kind::Place, Reply::Spot(_)) => true,
                    (Kind::Word, Reply::Word(_)) => true,
                    _ => false,
                });
                prop_assert_eq!(tally.of, fit.count(), "{:?}", kind);
                let in_bars: usize = tally.bars.iter().map(|bar| bar.many).sum();
                prop_assert_eq!(in_bars + tally.places.len(), tally.of, "{:?}", kind);
                prop_assert!(tally.bars.len() <= MOST_BARS, "{:?} {:?}", kind, tally.bars);
                if let Some(median) = tally.median {
                    let numbers = replies.iter().filter_map(|r| match r {
                        Reply::Number(n) => Some(*n),
                        _ => None,
                    });
                    let (below, above) = numbers.fold((0, 0), |(below, above), n| {
                        (below + usize::from(n < median), above + usize::from(n > median))
                    });
                    prop_assert!(below <= tally.of / 2 && above <= tally.of / 2);
                }
            }
        }
    }

    /// R's `hist` with `breaks = pretty(range(x), 12)` has steps of 1, 2 and 5 times powers of ten as well.
    #[test]
    fn numbers_are_in_round_steps() {
        let replies: Vec<Reply> = (0..100).map(|n| Reply::Number(f64::from(n))).collect();
        let tally = Tally::of(Kind::Number, &replies);
        let shown: Vec<&str> = tally.bars.iter().map(|bar| bar.shown.as_str()).collect();
        assert_eq!(shown[..2], ["0 to 10", "10 to 20"]);
        assert!(tally.bars.iter().all(|bar| bar.many == 10));
        assert_eq!(tally.median, Some(49.5));
    }
}
