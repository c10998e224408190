//! What people ask for: judged, put in order and applied.

use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId};
use bozzetto_core::lesson::change::{Change, Intent, NOBODY, What};
use bozzetto_core::paint::wet::WetShape;
use bozzetto_core::people::rights;
use bozzetto_core::sheets::owned::only_own;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Op, SheetId, Step, check_steps};
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, ToServer, divided};

use super::errands::Errand;
use super::{Lesson, nowhere};

impl Lesson {
    pub(super) fn message(&mut self, connection: u64, message: ToServer) {
        let known = self.connections.get(&connection);
        let Some((author, role)) = known.map(|c| (c.author, self.rights(c))) else {
            return;
        };
        if self.told.paused && matches!(role, rights::Role::Participant { pen: true, .. }) {
            match message {
                ToServer::Wet(_) | ToServer::WetShape(_) => return,
                ToServer::Act { id, intent } => {
                    return self.refuse(connection, author, id, &intent, Refusal::Paused);
                }
                _ => {}
            }
        }
        if !rights::may(role, &message) {
            let why = Refusal::NotAllowed;
            return match message {
                ToServer::Act { id, intent } => self.refuse(connection, author, id, &intent, why),
                _ => self.answer(connection, &FromServer::Sorry(why)),
            };
        }
        match message {
            ToServer::Wet(ink) => match ink.check() {
                Ok(()) => {
                    let now = crate::now() as u64;
                    self.wet.extend(author, &ink, Vec::new(), now, &nowhere);
                    let seen = self.told.in_view(ink.sheet);
                    self.publish_to_everybody(&FromServer::Wet { author, ink }, !seen);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::WetShape(mut shape) => match shape.mark.check() {
                Ok(_) => {
                    shape.mark.author = author;
                    self.wet.put(WetShape::clone(&shape), &nowhere);
                    let seen = self.told.in_view(shape.sheet);
                    self.publish_to_everybody(&FromServer::WetShape(shape), !seen);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::Point(pointing) => match pointing.settled() {
                Ok(pointing) => {
                    self.publish_to_everybody(&FromServer::Point { author, pointing }, false);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::WetEnd(mark) => self.end_wet(author, mark),
            ToServer::Act { id, intent } => self.act(connection, author, id, &intent),
            ToServer::See { backdrop, seen } => self.see(author, backdrop, *seen),
            ToServer::Lay(lay) => self.lay(author, &lay),
            ToServer::Chunk(chunk) if self.sends_pictures(role, chunk.backdrop) => {
                self.chunk(author, chunk);
            }
            ToServer::Still(still) if self.sends_pictures(role, still.backdrop) => {
                self.still(author, still);
            }
            // It is a participant's screen since.
            ToServer::Chunk(_) | ToServer::Still(_) => {}
            ToServer::WantKey(backdrop) => self.want_key(backdrop),
            ToServer::WantStills => self.want_stills(connection),
            ToServer::Raise(raised) => self.raise(connection, raised),
            ToServer::Lower(person) => self.lower(person),
            ToServer::PassPen { to, pen } => self.pass_pen(to, pen),
            ToServer::PassHand { to } => self.pass_hand(to),
            ToServer::Reach(reach) => self.reach(reach),
            ToServer::SendAway(person) => self.errand(Errand::SendAway(person)),
        }
    }

    pub(super) fn act(&mut self, connection: u64, author: AuthorId, id: ChangeId, intent: &Intent) {
        if self.known.contains_key(&id) {
            // Sent again after a broken line. If it still waits for the disk, so does the answer.
            if !self.unwritten.iter().any(|(_, c)| c.id == id) {
                self.answer(connection, &FromServer::Known { id });
            }
            return;
        }
        let role = self.connections.get(&connection).map(|c| self.rights(c));
        match self.apply(author, role, id, intent) {
            Ok(()) => self.write(),
            Err(why) => self.refuse(connection, author, id, intent, why),
        }
    }

    /// Does not do what was asked for. What was seen of it while it was drawn is gone everywhere.
    fn refuse(
        &mut self,
        connection: u64,
        author: AuthorId,
        id: ChangeId,
        intent: &Intent,
        why: Refusal,
    ) {
        if let Intent::Do(steps) = intent {
            for step in steps {
                if let Op::Add(mark) = &step.op {
                    self.end_wet(author, mark.id);
                }
            }
        }
        self.answer(connection, &FromServer::Refused { id, why });
    }

    /// A stroke is given up. Only whoever draws it does that.
    fn end_wet(&mut self, author: AuthorId, mark: MarkId) {
        if self.wet.author_of(mark) == Some(author) {
            self.wet.end(mark, &nowhere);
            self.publish_to_everybody(&FromServer::WetEnd { mark }, false);
        }
    }

    /// All that somebody is drawing is given up.
    pub(super) fn end_all_wet(&mut self, author: AuthorId) {
        for mark in self.wet.end_all_of(author, &nowhere) {
            self.publish_to_everybody(&FromServer::WetEnd { mark }, false);
        }
    }

    /// Makes steps, by nobody: there is nobody to undo them, and whoever asks is told in other ways.
    pub(super) fn draw(&mut self, steps: Vec<Step>) {
        let parts = match steps.is_empty() {
            true => Ok(Vec::new()),
            false => divided(Intent::Do(steps)),
        };
        let made = parts.and_then(|parts| {
            let mut each = parts.iter();
            each.try_for_each(|part| self.apply(NOBODY, None, ChangeId(rand::random()), part))
        });
        if let Err(why) = made {
            tracing::error!("lesson {}: nothing was drawn: {why}", self.id);
        }
        self.write();
    }

    pub(super) fn apply(
        &mut self,
        author: AuthorId,
        role: Option<rights::Role>,
        id: ChangeId,
        intent: &Intent,
    ) -> Result<(), Refusal> {
        let what = match self.state.resolve(author, intent)? {
            What::Marks { deed, steps } => {
                // What is undone may be as it was before there was a budget.
                check_steps(&steps)?;
                let watches = matches!(role, Some(rights::Role::Participant { .. }));
                if watches && !steps.iter().all(|step| self.told.in_view(step.sheet)) {
                    // What they cannot see they do not undo either.
                    return Err(match deed.goes_back() {
                        true => Refusal::NothingToUndo,
                        false => Refusal::NoSuchSheet,
                    });
                }
                let steps = match deed.goes_back() {
                    true => steps,
                    false => {
                        self.check_sheets(&steps)?;
                        let sheets = &self.state.sheets;
                        let steps = match role.is_some_and(rights::Role::is_guest) {
                            true => only_own(sheets, author, steps),
                            false => steps,
                        };
                        if steps.is_empty() {
                            return Err(Refusal::NotOwn);
                        }
                        sheets.vouched(author, steps)?
                    }
                };
                What::Marks { deed, steps }
            }
            stage @ What::Stage(_) => stage,
        };
        self.order(Change {
            id,
            author,
            at: crate::now() as u64,
            what,
        })
    }

    /// Applies a change, as the next in the order.
    pub(super) fn order(&mut self, change: Change) -> Result<(), Refusal> {
        self.state.apply(&change)?;
        self.seq += 1;
        match &change.what {
            What::Marks { steps, .. } => {
                self.marked = self.seq;
                for step in steps {
                    if let Op::Add(mark) = &step.op {
                        self.wet.end(mark.id, &nowhere);
                    }
                }
            }
            What::Stage(steps) => {
                for step in steps {
                    match step {
                        StageStep::See { backdrop, .. } => {
                            if let Some((_, seen)) = self.moments.remove(backdrop) {
                                self.settling.push((self.seq, *backdrop, seen));
                            }
                        }
                        StageStep::Lay(lay) => {
                            self.laying.retain(|(_, held)| !held.same_thing(lay));
                        }
                        _ => {}
                    }
                }
            }
        }
        self.known.insert(change.id, self.seq);
        self.unwritten.push_back((self.seq, change));
        Ok(())
    }

    pub(super) fn check_sheets(&self, steps: &[Step]) -> Result<(), Refusal> {
        let exists = |sheet: SheetId| {
            let known = |id| self.state.stage.backdrop(id).is_some() || self.removed.contains(&id);
            sheet.backdrop().is_none_or(known)
        };
        match steps.iter().all(|s| exists(s.sheet)) {
            true => Ok(()),
            false => Err(Refusal::NoSuchSheet),
        }
    }
}
