//! What lies over the picture and stays there: the spotlight, instruments, clocks.

use serde::{Deserialize, Serialize};

use crate::aids::spotlight::Spotlight;
use crate::clocks::{self, Clock};
use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Rect, Size};
use crate::instruments::compasses::{self, Compasses};
use crate::instruments::measure::Measuring;
use crate::instruments::placed::{Lies, Placed};
use crate::instruments::protractor::{self, Protractor};
use crate::instruments::ruler::{self, Ruler};
use crate::sheets::refusal::Refusal;
use crate::stage::sight::Sight;

/// See the module's description. What is put away is kept as it was.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Laid {
    pub spotlight: Option<Spotlight>,
    pub clocks: Vec<Clock>,
    pub ruler: Option<Ruler>,
    pub protractor: Option<Protractor>,
    pub measuring: Option<Measuring>,
    pub compasses: Option<Compasses>,
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
    Ruler(Ruler),
    Protractor(Protractor),
    Measuring(Measuring),
    Compasses(Compasses),
}

impl Lay {
    /// Whether two are about the same thing.
    pub fn same_thing(&self, other: &Self) -> bool {
        match (self.clock(), other.clock()) {
            (Some(one), Some(other)) => one == other,
            (None, None) => std::mem::discriminant(self) == std::mem::discriminant(other),
            _ => false,
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
            Lay::Ruler(ruler) => Lay::Ruler(Ruler {
                placed: placed(ruler.placed, ruler::LENGTHS, area),
                millimetres: ruler::sound_millimetres(ruler.millimetres),
                ..ruler
            }),
            Lay::Protractor(protractor) => Lay::Protractor(
                Protractor {
                    placed: placed(protractor.placed, protractor::RADII, area),
                    ..protractor
                }
                .settled(),
            ),
            Lay::Measuring(measuring) => Lay::Measuring(measuring.settled()),
            Lay::Compasses(compasses) => Lay::Compasses(Compasses {
                placed: placed(compasses.placed, compasses::RADII, area),
                millimetres: ruler::sound_millimetres(compasses.millimetres),
                ..compasses
            }),
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
            Lay::Ruler(ruler) => ruler.told,
            Lay::Protractor(protractor) => protractor.told,
            Lay::Measuring(measuring) => measuring.told,
            Lay::Compasses(compasses) => compasses.told,
        }
    }
}

/// An instrument that can be seen and reached. What the glass holds lies on it; what a backdrop holds may be
/// out of sight with that part of it.
fn placed(placed: Placed, sizes: (f64, f64), area: Size<Glass>) -> Placed {
    let sound = |v: f64, otherwise: f64| if v.is_finite() { v } else { otherwise };
    let (w, h) = (area.width, area.height);
    let at = (sound(placed.at.0, w / 2.0), sound(placed.at.1, h / 2.0));
    let (at, size) = match placed.on {
        None => (
            (at.0.clamp(0.0, w), at.1.clamp(0.0, h)),
            sound(placed.size, sizes.0).clamp(sizes.0, sizes.1),
        ),
        // In units of the backdrop, of which there may be few or many.
        Some(_) => (
            (at.0.clamp(-1e6, 1e6), at.1.clamp(-1e6, 1e6)),
            sound(placed.size, sizes.0).clamp(1e-3, 1e6),
        ),
    };
    Placed {
        at,
        size,
        angle: sound(placed.angle, 0.0) % std::f64::consts::TAU,
        ..placed
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
            Lay::Ruler(ruler) => self.ruler = Some(ruler.clone()),
            Lay::Protractor(protractor) => self.protractor = Some(protractor.clone()),
            Lay::Measuring(measuring) => self.measuring = Some(measuring.clone()),
            Lay::Compasses(compasses) => self.compasses = Some(compasses.clone()),
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

    /// The ruler and where it lies, unless it is put away or what holds it is not on stage.
    pub fn ruler_seen(&self, sight: &Sight) -> Option<(&Ruler, Lies)> {
        let ruler = self.ruler.as_ref().filter(|r| !r.away)?;
        Some((ruler, ruler.placed.lies(&sight.view(ruler.placed.on)?)))
    }

    /// The same for the protractor.
    pub fn protractor_seen(&self, sight: &Sight) -> Option<(&Protractor, Lies)> {
        let protractor = self.protractor.as_ref().filter(|p| !p.away)?;
        let view = sight.view(protractor.placed.on)?;
        Some((protractor, protractor.placed.lies(&view)))
    }

    /// The same for the compasses.
    pub fn compasses_seen(&self, sight: &Sight) -> Option<(&Compasses, Lies)> {
        let compasses = self.compasses.as_ref().filter(|c| !c.away)?;
        let view = sight.view(compasses.placed.on)?;
        Some((compasses, compasses.placed.lies(&view)))
    }

    /// As participants get to know it: what is kept to the stage, or put away, is not there.
    pub fn for_participants(mut self) -> Self {
        self.spotlight = self.spotlight.filter(|s| s.told && !s.away);
        self.clocks.retain(|c| c.told && !c.away);
        self.ruler = self.ruler.filter(|r| r.told && !r.away);
        self.protractor = self.protractor.filter(|p| p.told && !p.away);
        self.measuring = self.measuring.filter(|m| m.told && !m.away);
        self.compasses = self.compasses.filter(|c| c.told && !c.away);
        self
    }

    /// Draws all of it as it is at a moment of the server's clock, from the bottom up. `still` is for those
    /// who want no motion.
    pub fn paint(&self, sight: &Sight, now: u64, still: bool, list: &mut DisplayList) {
        if let Some(spotlight) = &self.spotlight {
            spotlight.paint(sight.area, list);
        }
        self.paint_instruments(sight, list);
        for clock in self.clocks.iter().filter(|c| !c.away) {
            clock.paint(now, still, list);
        }
    }

    fn paint_instruments(&self, sight: &Sight, list: &mut DisplayList) {
        if let Some((protractor, lies)) = self.protractor_seen(sight) {
            protractor.paint(&lies, list);
        }
        if let Some((ruler, lies)) = self.ruler_seen(sight) {
            let reads = sight.calibrated(ruler.placed.on, lies.at, ruler.millimetres);
            ruler::paint(&lies, &reads, list);
        }
        if let Some((compasses, lies)) = self.compasses_seen(sight) {
            let on = compasses.placed.on;
            let reads = sight.calibrated(on, lies.at, compasses.millimetres);
            compasses::paint(&lies, &reads, list);
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
            if let (true, Some((_, lies))) = (a.ruler != b.ruler, a.ruler_seen(sight)) {
                all = all.union(&ruler::bounds(&lies));
            }
            if let (true, Some((protractor, lies))) =
                (a.protractor != b.protractor, a.protractor_seen(sight))
            {
                all = all.union(&protractor.bounds(&lies));
            }
            if let (true, Some((_, lies))) = (a.compasses != b.compasses, a.compasses_seen(sight)) {
                all = all.union(&compasses::bounds(&lies));
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

    /// Whether nothing of it is to be seen.
    pub fn is_clear(&self) -> bool {
        self.spotlight.as_ref().is_none_or(|s| s.away)
            && self.clocks.iter().all(|c| c.away)
            && self.ruler.as_ref().is_none_or(|r| r.away)
            && self.protractor.as_ref().is_none_or(|p| p.away)
            && self.measuring.as_ref().is_none_or(|m| m.away)
            && self.compasses.as_ref().is_none_or(|c| c.away)
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
