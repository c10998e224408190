//! Errands: what a lesson has to ask the database. They are run one after the other beside the task,
//! which goes on meanwhile; whoever asks after one of them is answered when it is done.

use std::collections::VecDeque;

use bozzetto_core::geometry::ids::{BackdropId, PersonId};
use bozzetto_core::lesson::change::NOBODY;
use bozzetto_core::sheets::step::Step;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, TakeAway};
use tokio::sync::oneshot;
use tokio::task::JoinHandle;

use super::{Lesson, Look, Role, Shown};
use crate::auth::participant;
use crate::backdrops::begin_if_bare;
use crate::live::log::{self, Tables};
use crate::store::Result;

/// What is to be asked or done.
pub(super) enum Errand {
    /// Running order and name are read again; perhaps something is to go on stage then, and something beside it.
    Reload {
        goto: Option<(BackdropId, Option<BackdropId>)>,
    },
    /// What is handed out is read again.
    Captures,
    /// A participant is sent away and kept away.
    SendAway(PersonId),
    Draw(Vec<Step>),
    /// Questions that come after the others.
    Look(oneshot::Sender<Look>),
    Shown(oneshot::Sender<Shown>),
}

/// What came of an errand.
pub(super) enum Done {
    Reloaded {
        tables: Option<Box<Tables>>,
        goto: Option<(BackdropId, Option<BackdropId>)>,
    },
    Captures(Vec<TakeAway>),
    SentAway(PersonId),
}

/// Those that wait, and the one that is under way.
#[derive(Default)]
pub(super) struct Errands {
    waiting: VecDeque<Errand>,
    running: Option<JoinHandle<Result<Done>>>,
}

impl Errands {
    pub(super) fn is_empty(&self) -> bool {
        self.waiting.is_empty() && self.running.is_none()
    }

    /// The end of the one under way; for ever, if there is none.
    pub(super) async fn done(&mut self) -> Result<Done> {
        let Some(running) = &mut self.running else {
            return std::future::pending().await;
        };
        let done = running.await;
        self.running = None;
        done.unwrap_or_else(|e| Err(crate::store::StoreError(e.to_string())))
    }
}

impl Lesson {
    pub(super) fn errand(&mut self, errand: Errand) {
        self.errands.waiting.push_back(errand);
        self.next_errand();
    }

    /// Begins the next one, unless one is under way.
    fn next_errand(&mut self) {
        while self.errands.running.is_none()
            && let Some(errand) = self.errands.waiting.pop_front()
        {
            let (id, store) = (self.id, self.store.clone());
            self.errands.running = match errand {
                Errand::Look(reply) => {
                    let _ = reply.send(self.look());
                    None
                }
                Errand::Draw(steps) => {
                    self.draw(steps);
                    None
                }
                Errand::Shown(reply) => {
                    let _ = reply.send(self.shown_to_participants());
                    None
                }
                Errand::Reload { goto } => {
                    let presented = self.somebody_presents();
                    Some(tokio::spawn(async move {
                        if presented {
                            store.write(move |conn| begin_if_bare(conn, id)).await?;
                        }
                        let tables = store.read(move |conn| log::tables(conn, id)).await?;
                        let tables = tables.map(Box::new);
                        Ok(Done::Reloaded { tables, goto })
                    }))
                }
                Errand::Captures => Some(tokio::spawn(async move {
                    let handed_out =
                        store.read(move |conn| crate::captures::handed_out(conn, id, None));
                    Ok(Done::Captures(handed_out.await?))
                })),
                Errand::SendAway(person) => Some(tokio::spawn(async move {
                    let gone = person.0 as i64;
                    let kept = store.write(move |conn| participant::send_away(conn, id, gone));
                    if let Err(e) = kept.await {
                        tracing::error!("lesson {id}: nobody could be kept away: {e}");
                    }
                    Ok(Done::SentAway(person))
                })),
            };
        }
    }

    pub(super) fn after_errand(&mut self, done: Result<Done>) {
        match done {
            Ok(Done::Reloaded { tables, goto }) => self.follow_tables(tables.map(|t| *t), goto),
            Ok(Done::Captures(take_aways)) => self.captures_changed(take_aways),
            Ok(Done::SentAway(person)) => self.send_out(person),
            Err(e) => tracing::error!("lesson {}: the database did not answer: {e}", self.id),
        }
        self.next_errand();
    }

    /// Takes over what the tables say of the running order and the name.
    pub(super) fn follow_tables(
        &mut self,
        tables: Option<Tables>,
        goto: Option<(BackdropId, Option<BackdropId>)>,
    ) {
        let Some(tables) = tables else {
            return;
        };
        self.removed = tables.removed;
        let mut steps = self.state.stage.follow(&tables.stage);
        let mut then = self.state.stage.clone();
        steps.iter().for_each(|step| then.apply(step));
        let there = |id: &BackdropId| then.backdrop(*id).is_some();
        if let Some((current, other)) = goto.filter(|(id, _)| there(id)) {
            let beside = other.filter(there).map(|backdrop| Beside {
                backdrop,
                divider: 0.5,
            });
            if beside.is_some() || !then.is_on_stage(current) {
                let beside = beside.or(then.beside);
                steps.push(StageStep::Arrange { current, beside });
            }
        }
        self.stage_by_itself(NOBODY, steps);
    }

    fn captures_changed(&mut self, take_aways: Vec<TakeAway>) {
        self.take_aways = take_aways;
        self.publish_to_presenters(&FromServer::Captures);
        if let Some(held) = &mut self.held {
            // Nothing new while it is paused; but what is taken back is gone.
            let there = |t: &TakeAway| self.take_aways.iter().any(|n| n.id == t.id);
            let before = held.take_aways.len();
            held.take_aways.retain(there);
            if held.take_aways.len() < before {
                let left = FromServer::TakeAways(held.take_aways.clone());
                self.publish_to_participants_even_paused(&left);
            }
        }
        self.publish_to_participants(&FromServer::TakeAways(self.take_aways.clone()));
    }

    fn somebody_presents(&self) -> bool {
        let mut all = self.connections.values();
        all.any(|c| matches!(c.role, Role::Presenter))
    }
}
