//! What people ask for: judged, put in order and applied.

use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::paint::wet::WetShape;
use bozzetto_core::people::rights;
use bozzetto_core::sheets::change::{Change, Intent, Op, Refusal, SheetId, Step, check_steps};
use bozzetto_core::wire::{FromServer, ToServer};

use super::{Lesson, nowhere};
use crate::live::log::Outline;

impl Lesson {
    pub(super) async fn message(&mut self, connection: u64, message: ToServer) {
        let known = self.connections.get(&connection);
        let Some((author, role)) = known.map(|c| (c.author, c.role.rights())) else {
            return;
        };
        if !rights::may(role, &message) {
            let answer = match message {
                ToServer::Act { id, .. } => FromServer::Refused {
                    id,
                    why: Refusal::NotAllowed,
                },
                _ => FromServer::Sorry(Refusal::NotAllowed),
            };
            return self.answer(connection, &answer);
        }
        match message {
            ToServer::Wet(ink) => match ink.check() {
                Ok(()) => {
                    let now = crate::now() as u64;
                    self.wet.extend(author, &ink, Vec::new(), now, &nowhere);
                    let seen = self.in_view(ink.sheet);
                    self.tell_everybody(&FromServer::Wet { author, ink }, !seen);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::WetShape(mut shape) => match shape.mark.check() {
                Ok(_) => {
                    shape.mark.author = author;
                    self.wet.put(WetShape::clone(&shape), &nowhere);
                    let seen = self.in_view(shape.sheet);
                    self.tell_everybody(&FromServer::WetShape(shape), !seen);
                }
                Err(fault) => self.answer(connection, &FromServer::Sorry(fault.into())),
            },
            ToServer::WetEnd(mark) => {
                // Only whoever draws a stroke gives it up.
                if self.wet.author_of(mark) == Some(author) {
                    self.wet.end(mark, &nowhere);
                    self.tell_everybody(&FromServer::WetEnd { mark }, false);
                }
            }
            ToServer::Act { id, intent } => self.act(connection, author, id, &intent),
            ToServer::Arrange { current, beside } => self.arrange(current, beside).await,
            ToServer::Pause(paused) => self.pause(paused).await,
            ToServer::See { backdrop, seen } => self.see(author, backdrop, *seen),
            ToServer::Chunk(chunk) => self.chunk(author, chunk),
            ToServer::Still(still) => self.still(author, still),
            ToServer::WantKey(backdrop) => self.want_key(backdrop),
            ToServer::WantStills => self.want_stills(connection),
            ToServer::Size {
                backdrop,
                width,
                height,
            } => self.size(backdrop, width, height).await,
            ToServer::NewPage(backdrop) => self.new_page(backdrop).await,
            ToServer::Divide(divider) => self.divide(divider).await,
            ToServer::SendAway(person) => self.send_away(person).await,
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
        match self.apply(author, id, intent) {
            Ok(()) => self.write(),
            Err(why) => self.answer(connection, &FromServer::Refused { id, why }),
        }
    }

    pub(super) fn apply(
        &mut self,
        author: AuthorId,
        id: ChangeId,
        intent: &Intent,
    ) -> Result<(), Refusal> {
        let (deed, steps) = self.sheets.resolve(author, intent)?;
        // What is undone may be as it was before there was a budget.
        check_steps(&steps)?;
        let steps = match deed.goes_back() {
            true => steps,
            false => {
                self.check_sheets(&steps)?;
                self.sheets.vouched(author, steps)?
            }
        };
        self.order(Change {
            id,
            author,
            at: crate::now() as u64,
            deed,
            steps,
        })
    }

    /// Applies a change, as the next in the order.
    pub(super) fn order(&mut self, change: Change) -> Result<(), Refusal> {
        self.sheets.apply(&change)?;
        for step in &change.steps {
            if let Op::Add(mark) = &step.op {
                self.wet.end(mark.id, &nowhere);
            }
        }
        self.seq += 1;
        self.known.insert(change.id, self.seq);
        self.unwritten.push_back((self.seq, change));
        Ok(())
    }

    pub(super) fn check_sheets(&self, steps: &[Step]) -> Result<(), Refusal> {
        let exists = |sheet: SheetId| {
            let Outline { order, removed, .. } = &self.outline;
            let known = |id| order.iter().any(|b| b.id == id) || removed.contains(&id);
            sheet.backdrop().is_none_or(known)
        };
        match steps.iter().all(|s| exists(s.sheet)) {
            true => Ok(()),
            false => Err(Refusal::NoSuchSheet),
        }
    }
}
