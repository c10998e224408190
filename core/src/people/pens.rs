//! Who of the participants has a pen, who has the hand that operates pages, whose screen is on stage, and whose hand is raised.

use std::collections::BTreeMap;

use crate::display::colour::{OKABE_ITO, Rgb};
use crate::geometry::ids::{BackdropId, PersonId};
use crate::wire::Yours;

/// The colours that participants draw in: those that are told apart on white and on black alike, none of them the
/// presenter's first.
pub const COLOURS: [usize; 6] = [3, 7, 1, 2, 6, 5];

/// The colour of a pen that was passed.
pub fn colour(number: u32) -> Rgb {
    OKABE_ITO[COLOURS[number as usize % COLOURS.len()]].1
}

/// See the module's description.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Pens {
    /// Who has one, and in which colour.
    passed: BTreeMap<PersonId, u32>,
    /// Who operates the page on stage.
    hand: Option<PersonId>,
    /// Whose screen each of these backdrops is; one of a participant's at a time.
    screens: BTreeMap<BackdropId, PersonId>,
    /// Who was first is first.
    raised: Vec<PersonId>,
}

impl Pens {
    /// Passes a pen to somebody, in the colour that fewest have; their hand comes down. Whoever has one keeps it.
    pub fn pass(&mut self, to: PersonId) {
        self.lower(to);
        let mut used = [0; COLOURS.len()];
        for colour in self.passed.values() {
            used[*colour as usize] += 1;
        }
        let least = (0..COLOURS.len()).min_by_key(|n| used[*n]).unwrap_or(0);
        self.passed.entry(to).or_insert(least as u32);
    }

    /// Takes somebody's pen back; whether they had one.
    pub fn take_back(&mut self, from: PersonId) -> bool {
        self.passed.remove(&from).is_some()
    }

    /// Takes all pens back; gives who had one.
    pub fn take_all_back(&mut self) -> Vec<PersonId> {
        std::mem::take(&mut self.passed).into_keys().collect()
    }

    /// Passes the hand to somebody, from whoever had it, or takes it back; gives those for whom that changes something.
    pub fn pass_hand(&mut self, to: Option<PersonId>) -> Vec<PersonId> {
        if let Some(to) = to {
            self.lower(to);
        }
        let before = std::mem::replace(&mut self.hand, to);
        before.into_iter().chain(to).collect()
    }

    pub fn has_hand(&self, person: PersonId) -> bool {
        self.hand == Some(person)
    }

    /// A backdrop is somebody's screen from now on, and no other one.
    pub fn lend_screen(&mut self, backdrop: BackdropId, of: PersonId) {
        self.screens.retain(|_, other| *other != of);
        self.screens.insert(backdrop, of);
    }

    /// The backdrop that is somebody's screen.
    pub fn screen_of(&self, person: PersonId) -> Option<BackdropId> {
        let mut all = self.screens.iter();
        all.find_map(|(backdrop, of)| (*of == person).then_some(*backdrop))
    }

    /// Whose screen a backdrop is.
    pub fn whose_screen(&self, backdrop: BackdropId) -> Option<PersonId> {
        self.screens.get(&backdrop).copied()
    }

    /// All of them.
    pub fn screens(&self) -> impl Iterator<Item = (BackdropId, PersonId)> {
        self.screens.iter().map(|(backdrop, of)| (*backdrop, *of))
    }

    /// Somebody's screen is shown no more.
    pub fn end_screen(&mut self, of: PersonId) {
        self.screens.retain(|_, other| *other != of);
    }

    /// Somebody raises their hand, at the end of the line; whoever has raised it already keeps their place.
    pub fn raise(&mut self, person: PersonId) {
        if !self.raised.contains(&person) {
            self.raised.push(person);
        }
    }

    /// A hand comes down.
    pub fn lower(&mut self, person: PersonId) {
        self.raised.retain(|other| *other != person);
    }

    pub fn has_pen(&self, person: PersonId) -> bool {
        self.passed.contains_key(&person)
    }

    /// What somebody has.
    pub fn of(&self, person: PersonId) -> Yours {
        Yours {
            pen: self.passed.get(&person).copied(),
            hand: self.has_hand(person),
            screen: self.screen_of(person),
            raised: self.raised.contains(&person),
        }
    }

    /// Whose hands are raised, the first one first.
    pub fn raised(&self) -> &[PersonId] {
        &self.raised
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// How many have each colour.
    fn used(pens: &Pens) -> [usize; COLOURS.len()] {
        let mut used = [0; COLOURS.len()];
        let all = (0..9).filter_map(|who| pens.of(PersonId(who)).pen);
        all.for_each(|colour| used[colour as usize] += 1);
        used
    }

    proptest! {
        /// Whatever is passed, raised and taken back: hands are in the order in which they were raised since they were
        /// last down, whoever gets a pen has no hand up and a colour that none is rarer than; one at the most has the hand
        /// that operates pages, and each at the most one screen.
        #[test]
        fn what_is_passed_is_had(deeds in prop::collection::vec((0u8..9, 0u64..9), 0..60)) {
            let mut pens = Pens::default();
            // When each hand was raised, and who has a pen, told otherwise.
            let mut up: BTreeMap<u64, usize> = BTreeMap::new();
            let mut has = std::collections::BTreeSet::new();
            let mut operates = None;
            // Whose screen each of some backdrops is.
            let mut screens = [None; 4];
            for (moment, (deed, who)) in deeds.into_iter().enumerate() {
                let person = PersonId(who);
                match deed {
                    0 => {
                        pens.raise(person);
                        up.entry(who).or_insert(moment);
                    }
                    1 => {
                        pens.lower(person);
                        up.remove(&who);
                    }
                    2 => {
                        let used = used(&pens);
                        pens.pass(person);
                        up.remove(&who);
                        if has.insert(who) {
                            let colour = pens.of(person).pen.unwrap_or(99) as usize;
                            prop_assert_eq!(used[colour], *used.iter().min().unwrap());
                        }
                    }
                    3 => prop_assert_eq!(pens.take_back(person), has.remove(&who)),
                    4 => {
                        let before = operates.replace(who);
                        up.remove(&who);
                        let told: Vec<u64> = pens.pass_hand(Some(person)).into_iter().map(|p| p.0).collect();
                        prop_assert_eq!(told, before.into_iter().chain([who]).collect::<Vec<_>>());
                    }
                    5 => {
                        operates = None;
                        pens.pass_hand(None);
                    }
                    6 => {
                        screens = screens.map(|of| of.filter(|other| *other != who));
                        screens[moment % 4] = Some(who);
                        pens.lend_screen(BackdropId(moment as u64 % 4), person);
                    }
                    7 => {
                        screens = screens.map(|of| of.filter(|other| *other != who));
                        pens.end_screen(person);
                    }
                    _ if moment % 7 == 0 => {
                        let had: Vec<u64> = pens.take_all_back().into_iter().map(|p| p.0).collect();
                        prop_assert_eq!(had, has.iter().copied().collect::<Vec<_>>());
                        has.clear();
                    }
                    _ => {}
                }
                let mut line: Vec<u64> = up.keys().copied().collect();
                line.sort_by_key(|who| up[who]);
                prop_assert_eq!(pens.raised().iter().map(|p| p.0).collect::<Vec<_>>(), line);
                for who in 0..9 {
                    let yours = pens.of(PersonId(who));
                    prop_assert_eq!(yours.pen.is_some(), has.contains(&who));
                    prop_assert_eq!(yours.raised, up.contains_key(&who));
                    prop_assert_eq!(yours.hand, operates == Some(who));
                    let screen = screens.iter().position(|of| *of == Some(who));
                    prop_assert_eq!(yours.screen, screen.map(|n| BackdropId(n as u64)));
                }
            }
        }
    }
}
