//! What lies over the picture and stays there: the spotlight, the magnifier, instruments, clocks.

use serde::{Deserialize, Serialize};

use crate::aids::magnifier::Magnifier;
use crate::aids::spotlight::Spotlight;
use crate::clocks::{self, Clock};
use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Rect, Size};
use crate::instruments::instrument::{Instrument, Which};
use crate::instruments::measure::Measuring;
use crate::instruments::placed::Lies;
use crate::sheets::refusal::Refusal;
use crate::stage::sight::Sight;

/// See the module's description. What is put away is kept as it was.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Laid {
    pub spotlight: Option<Spotlight>,
    pub magnifier: Option<Magnifier>,
    pub clocks: Vec<Clock>,
    /// One of each kind at the most, from the bottom up.
    pub instruments: Vec<Instrument>,
    pub measuring: Option<Measuring>,
}

/// One of these, as it is from now on.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Lay {
    Spotlight(Spotlight),
    /// The clock of this name, or one more.
    Clock(Clock),
    /// There is no clock of this name any more.
    NoClock(u64),
    Instrument(Instrument),
    Measuring(Measuring),
    Magnifier(Magnifier),
}

impl Lay {
    /// Whether two are about the same thing.
    pub fn same_thing(&self, other: &Self) -> bool {
        match (self, other) {
            (Lay::Instrument(one), Lay::Instrument(other)) => one.which() == other.which(),
            _ => match (self.clock(), other.clock()) {
                (Some(one), Some(other)) => one == other,
                (None, None) => std::mem::discriminant(self) == std::mem::discriminant(other),
                _ => false,
            },
        }
    }

    fn clock(&self) -> Option<u64> {
        match self {
            Lay::Clock(clock) => Some(clock.id),
            Lay::NoClock(id) => Some(*id),
            _ => None,
        }
    }

    /// Within what can be, whatever was sent.
    pub fn settled(self, area: Size<Glass>) -> Self {
        match self {
            Lay::Spotlight(spotlight) => Lay::Spotlight(spotlight.settled(area)),
            Lay::Clock(clock) => Lay::Clock(clock.settled(area)),
            Lay::NoClock(_) => self,
            Lay::Instrument(instrument) => Lay::Instrument(instrument.settled(area)),
            Lay::Measuring(measuring) => Lay::Measuring(measuring.settled()),
            Lay::Magnifier(magnifier) => Lay::Magnifier(magnifier.settled(area)),
        }
    }

    /// Whether a hand can have hold of it: a clock has to be there.
    pub fn is_in(&self, laid: &Laid) -> bool {
        self.clock().is_none_or(|id| laid.clock(id).is_some())
    }

    /// Whether participants are to hear of it, as far as it says itself.
    pub fn told(&self) -> bool {
        match self {
            Lay::Spotlight(spotlight) => spotlight.told,
            Lay::Clock(clock) => clock.told,
            Lay::NoClock(_) => true,
            Lay::Instrument(instrument) => instrument.told,
            Lay::Measuring(measuring) => measuring.told,
            Lay::Magnifier(magnifier) => magnifier.told,
        }
    }
}

impl Laid {
    /// Lays one of it otherwise.
    pub fn lay(&mut self, lay: &Lay) {
        match lay {
            Lay::Spotlight(spotlight) => self.spotlight = Some(spotlight.clone()),
            Lay::Clock(clock) => match self.clocks.iter_mut().find(|c| c.id == clock.id) {
                Some(known) => known.clone_from(clock),
                None => self.clocks.push(clock.clone()),
            },
            Lay::NoClock(id) => self.clocks.retain(|c| c.id != *id),
            Lay::Instrument(instrument) => {
                let order = |i: &Instrument| i.which().cmp(&instrument.which());
                match self.instruments.binary_search_by(order) {
                    Ok(known) => self.instruments[known].clone_from(instrument),
                    Err(place) => self.instruments.insert(place, instrument.clone()),
                }
            }
            Lay::Measuring(measuring) => self.measuring = Some(measuring.clone()),
            Lay::Magnifier(magnifier) => self.magnifier = Some(magnifier.clone()),
        }
    }

    /// What somebody wants laid, within what can be.
    ///
    /// # Errors
    /// When there are as many clocks as there can be.
    pub fn settled(&self, lay: &Lay, area: Size<Glass>) -> Result<Lay, Refusal> {
        if let Lay::Clock(clock) = lay {
            let known = self.clocks.iter().any(|c| c.id == clock.id);
            if !known && self.clocks.len() >= clocks::MOST {
                return Err(Refusal::NoMoreClocks);
            }
        }
        Ok(lay.clone().settled(area))
    }

    /// A clock.
    pub fn clock(&self, id: u64) -> Option<&Clock> {
        self.clocks.iter().find(|c| c.id == id)
    }

    /// An instrument, also when it is put away.
    pub fn instrument(&self, which: Which) -> Option<&Instrument> {
        self.instruments.iter().find(|i| i.which() == which)
    }

    /// The instruments that are seen and where they lie, from the bottom up.
    pub fn instruments_seen(
        &self,
        sight: &Sight,
    ) -> impl DoubleEndedIterator<Item = (&Instrument, Lies)> {
        let all = self.instruments.iter();
        all.filter_map(move |instrument| Some((instrument, instrument.seen(sight)?)))
    }

    /// As participants get to know it: what is kept to the stage, or put away, is not there.
    pub fn for_participants(mut self) -> Self {
        self.spotlight = self.spotlight.filter(|s| s.told && !s.away);
        self.magnifier = self.magnifier.filter(|m| m.told && !m.away);
        self.clocks.retain(|c| c.told && !c.away);
        self.instruments.retain(|i| i.told && !i.away);
        self.measuring = self.measuring.filter(|m| m.told && !m.away);
        self
    }

    /// Draws all of it as it is at a moment of the server's clock, from the bottom up. `still` is for those
    /// who want no motion.
    pub fn paint(&self, sight: &Sight, now: u64, still: bool, list: &mut DisplayList) {
        if let Some(spotlight) = &self.spotlight {
            spotlight.paint(sight.area, list);
        }
        self.paint_in_lens(sight, now, still, list);
        if let Some(magnifier) = &self.magnifier {
            magnifier.paint_frame(list);
        }
    }

    /// The same as the magnifier shows it: nothing is dimmed there.
    pub fn paint_in_lens(&self, sight: &Sight, now: u64, still: bool, list: &mut DisplayList) {
        self.paint_instruments(sight, list);
        for clock in self.clocks.iter().filter(|c| !c.away) {
            clock.paint(now, still, list);
        }
    }

    /// The magnifier, unless it is put away.
    pub fn lens(&self) -> Option<&Magnifier> {
        self.magnifier.as_ref().filter(|m| !m.away)
    }

    fn paint_instruments(&self, sight: &Sight, list: &mut DisplayList) {
        for (instrument, lies) in self.instruments_seen(sight) {
            let reads = sight.calibrated(instrument.placed.on, &lies, instrument.millimetres);
            instrument.paint(&lies, &reads, list);
        }
        if let Some(measuring) = self.measuring.as_ref().filter(|m| !m.away)
            && let Some(view) = sight.view(measuring.on)
        {
            let known = sight.known(measuring.on);
            measuring.paint(&view, known, &sight.all(), list);
        }
    }

    /// Draws what belongs to a picture of the stage: instruments and clocks that participants see, and
    /// nothing that only points.
    pub fn paint_kept(&self, sight: &Sight, now: u64, list: &mut DisplayList) {
        let seen = self.clone().for_participants();
        seen.paint_instruments(sight, list);
        for clock in &seen.clocks {
            clock.paint(now, true, list);
        }
    }

    /// Where it looks otherwise than another.
    pub fn difference(&self, other: &Self, sight: &Sight) -> Rect<Glass> {
        if self.spotlight != other.spotlight {
            return sight.all();
        }
        let one_sided = |a: &Self, b: &Self| -> Rect<Glass> {
            let changed = a.clocks.iter().filter(|c| b.clock(c.id) != Some(c));
            let mut all = changed.fold(Rect::EMPTY, |all, c| all.union(&c.face));
            if let (true, Some(magnifier)) = (a.magnifier != b.magnifier, &a.magnifier) {
                all = all.union(&magnifier.frame_bounds());
            }
            for (instrument, lies) in a.instruments_seen(sight) {
                if b.instrument(instrument.which()) != Some(instrument) {
                    all = all.union(&instrument.bounds(&lies));
                }
            }
            if let (true, Some(measuring)) = (a.measuring != b.measuring, &a.measuring)
                && let Some(view) = sight.view(measuring.on)
            {
                all = all.union(&measuring.bounds(&view));
            }
            all
        };
        one_sided(self, other).union(&one_sided(other, self))
    }

    /// Whether nothing of it is to be seen, but for the lens itself.
    pub fn is_clear(&self) -> bool {
        self.lens().is_none_or(|m| m.shows.is_none())
            && self.spotlight.as_ref().is_none_or(|s| s.away)
            && self.clocks.iter().all(|c| c.away)
            && self.instruments.iter().all(|i| i.away)
            && self.measuring.as_ref().is_none_or(|m| m.away)
    }

    /// In how many milliseconds something of it looks otherwise by itself, and where that is.
    pub fn changes_in(&self, now: u64) -> Option<(u64, Rect<Glass>)> {
        let running = self.clocks.iter().filter_map(|clock| {
            let wait = clock.changes_in(now)?;
            Some((wait, clock.face))
        });
        running.reduce(|(a, one), (b, other)| (a.min(b), one.union(&other)))
    }
}
