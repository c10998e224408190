//! What lies over the picture and stays there: the spotlight, instruments, clocks.

use serde::{Deserialize, Serialize};

use crate::aids::spotlight::Spotlight;
use crate::clocks::{self, Clock};
use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Rect, Size};
use crate::sheets::refusal::Refusal;

/// See the module's description. What is put away is kept as it was.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Laid {
    pub spotlight: Option<Spotlight>,
    pub clocks: Vec<Clock>,
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
}

impl Lay {
    /// Whether two are about the same thing.
    pub fn same_thing(&self, other: &Self) -> bool {
        match (self, other) {
            (Lay::Spotlight(_), Lay::Spotlight(_)) => true,
            (Lay::Spotlight(_), _) | (_, Lay::Spotlight(_)) => false,
            (one, other) => one.clock() == other.clock(),
        }
    }

    fn clock(&self) -> Option<u64> {
        match self {
            Lay::Clock(clock) => Some(clock.id),
            Lay::NoClock(id) => Some(*id),
            Lay::Spotlight(_) => None,
        }
    }

    /// Within what can be, whatever was sent.
    pub fn settled(self, area: Size<Glass>) -> Self {
        match self {
            Lay::Spotlight(spotlight) => Lay::Spotlight(spotlight.settled(area)),
            Lay::Clock(clock) => Lay::Clock(clock.settled(area)),
            Lay::NoClock(_) => self,
        }
    }

    /// Whether participants are to hear of it, as far as it says itself.
    pub fn told(&self) -> bool {
        match self {
            Lay::Spotlight(spotlight) => spotlight.told,
            Lay::Clock(clock) => clock.told,
            Lay::NoClock(_) => true,
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

    /// As participants get to know it: what is kept to the stage, or put away, is not there.
    pub fn for_participants(mut self) -> Self {
        self.spotlight = self.spotlight.filter(|s| s.told && !s.away);
        self.clocks.retain(|c| c.told && !c.away);
        self
    }

    /// Draws all of it as it is at a moment of the server's clock, from the bottom up. `still` is for those
    /// who want no motion.
    pub fn paint(&self, area: Size<Glass>, now: u64, still: bool, list: &mut DisplayList) {
        if let Some(spotlight) = &self.spotlight {
            spotlight.paint(area, list);
        }
        for clock in self.clocks.iter().filter(|c| !c.away) {
            clock.paint(now, still, list);
        }
    }

    /// Draws what belongs to a picture of the stage: clocks that participants see, and nothing that only
    /// points.
    pub fn paint_kept(&self, now: u64, list: &mut DisplayList) {
        for clock in self.clocks.iter().filter(|c| c.told && !c.away) {
            clock.paint(now, true, list);
        }
    }

    /// Where it looks otherwise than another.
    pub fn difference(&self, other: &Self, area: Size<Glass>) -> Rect<Glass> {
        if self.spotlight != other.spotlight {
            return Rect::of_size(area);
        }
        let one_sided = |a: &Self, b: &Self| -> Rect<Glass> {
            let changed = a.clocks.iter().filter(|c| b.clock(c.id) != Some(c));
            changed.fold(Rect::EMPTY, |all, c| all.union(&c.face))
        };
        one_sided(self, other).union(&one_sided(other, self))
    }

    /// Whether nothing of it is to be seen.
    pub fn is_clear(&self) -> bool {
        self.spotlight.as_ref().is_none_or(|s| s.away) && self.clocks.iter().all(|c| c.away)
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
