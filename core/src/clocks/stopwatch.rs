//! A stopwatch, with laps.

use serde::{Deserialize, Serialize};

/// How finely its face shows the time, in milliseconds.
pub const STEP: u64 = 100;
/// The most laps.
pub const MOST_LAPS: usize = 200;

/// The laps of a stopwatch.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Stopwatch {
    /// In their order.
    pub laps: Vec<Lap>,
}

/// A lap: when it ended, by the stopwatch, in milliseconds.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Lap {
    pub total: u64,
    /// What the presenter calls it; perhaps nothing.
    pub name: String,
}

/// A lap as it is shown.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Split<'a> {
    pub lap: &'a Lap,
    /// How long it took by itself, in milliseconds.
    pub split: u64,
    /// It is the shortest or the longest; neither while there is only one, or while all are alike.
    pub best: bool,
    pub worst: bool,
}

impl Stopwatch {
    /// A lap ends; when there are [`MOST_LAPS`], none does.
    pub(super) fn lap(&mut self, passed: u64) {
        if self.laps.len() < MOST_LAPS {
            self.laps.push(Lap {
                total: passed,
                name: String::new(),
            });
        }
    }

    /// The laps with what each took.
    pub fn splits(&self) -> Vec<Split<'_>> {
        let mut before = 0;
        let mut splits: Vec<Split> = self
            .laps
            .iter()
            .map(|lap| {
                let split = lap.total.saturating_sub(before);
                before = lap.total;
                Split {
                    lap,
                    split,
                    best: false,
                    worst: false,
                }
            })
            .collect();
        let lengths = splits.iter().map(|s| s.split);
        if let (Some(least), Some(most)) = (lengths.clone().min(), lengths.max())
            && least < most
        {
            for s in &mut splits {
                (s.best, s.worst) = (s.split == least, s.split == most);
            }
        }
        splits
    }

    /// The laps as a table that a spreadsheet reads, a line each: RFC 4180, with a comma `between` what stands
    /// side by side, or pasted, with a tab. A name that a spreadsheet would take for a formula gets a quote
    /// before it.
    pub fn table(&self, between: char) -> String {
        let rows = self.splits().into_iter().enumerate().map(|(i, s)| {
            let name = match s.lap.name.starts_with(['=', '+', '-', '@']) {
                true => format!("'{}", s.lap.name),
                false => s.lap.name.clone(),
            };
            let note = match (s.best, s.worst) {
                (true, _) => "best",
                (_, true) => "worst",
                _ => "",
            };
            [
                format!("{}", i + 1),
                format!("\"{}\"", name.replace('"', "\"\"")),
                seconds(s.split),
                seconds(s.lap.total),
                note.to_owned(),
            ]
        });
        let head = ["Lap", "Name", "Split (s)", "Total (s)", ""].map(str::to_owned);
        let line = |cells: [String; 5]| cells.join(&between.to_string()) + "\r\n";
        [head].into_iter().chain(rows).map(line).collect()
    }

    pub(super) fn settle(&mut self) {
        self.laps.truncate(MOST_LAPS);
        for lap in &mut self.laps {
            lap.name = super::name(&lap.name);
        }
    }
}

fn seconds(ms: u64) -> String {
    format!("{}.{:02}", ms / 1000, ms % 1000 / 10)
}
