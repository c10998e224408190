//! Open lessons: one task each, which owns the lesson's state and puts its changes in order.

pub mod broadcast;
pub mod connection;
mod form1;
pub mod lesson;
pub mod log;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use bozzetto_core::geometry::ids::PersonId;
use bozzetto_core::wire::Sees;
use tokio::sync::{mpsc, oneshot, watch};

use crate::auth::participant::Participant;
use crate::store::{Store, StoreError};
use lesson::{Command, Look, Shown};

/// All open lessons; cheap to clone.
#[derive(Clone)]
pub struct Live {
    store: Store,
    open: Arc<Mutex<HashMap<i64, mpsc::Sender<Command>>>>,
    /// Changes when somebody is sent away from a lesson.
    pub away: watch::Sender<()>,
}

/// How many commands wait for a lesson before whoever sends more has to wait.
const QUEUE: usize = 1024;

impl Live {
    pub fn new(store: Store) -> Self {
        Self {
            store,
            open: Arc::default(),
            away: watch::Sender::new(()),
        }
    }

    /// The lesson's task, started if it is not running.
    pub fn lesson(&self, id: i64) -> mpsc::Sender<Command> {
        let mut open = self.open.lock().expect("nothing panics with it");
        open.entry(id)
            .or_insert_with(|| {
                let (commands, queue) = mpsc::channel(QUEUE);
                let task = lesson::run(id, self.store.clone(), self.clone(), queue);
                self.supervise(id, task);
                commands
            })
            .clone()
    }

    /// Runs a lesson's task. If it panics, the lesson is forgotten: its connections end, browsers come
    /// back by themselves, and whoever is first opens it again from what is on disk.
    fn supervise(&self, id: i64, task: impl Future<Output = ()> + Send + 'static) {
        let (task, live) = (tokio::spawn(task), self.clone());
        tokio::spawn(async move {
            if let Err(e) = task.await
                && e.is_panic()
            {
                tracing::error!("lesson {id} broke down and is opened again: {e}");
                live.forget(id, || true);
            }
        });
    }

    /// Tells a lesson something, if it is open; nobody else needs to know.
    pub async fn tell(&self, id: i64, command: Command) {
        let open = self
            .open
            .lock()
            .expect("nothing panics with it")
            .get(&id)
            .cloned();
        if let Some(lesson) = open {
            let _ = lesson.send(command).await;
        }
    }

    /// Tells a lesson where a participant is who is not at its stage.
    pub async fn tell_where(&self, lesson: i64, who: &Participant, sees: Sees) {
        let told = Command::Sees {
            person: PersonId(who.id as u64),
            name: who.name.clone(),
            sees,
        };
        self.tell(lesson, told).await;
    }

    /// The lesson as it is at this moment.
    pub async fn look(&self, id: i64) -> Result<Look, StoreError> {
        let (reply, answer) = oneshot::channel();
        let gone = || StoreError("the lesson could not be opened".to_owned());
        let lesson = self.lesson(id);
        lesson
            .send(Command::Look { reply })
            .await
            .map_err(|_| gone())?;
        answer.await.map_err(|_| gone())
    }

    /// Whether somebody is connected to a lesson.
    pub async fn is_used(&self, id: i64) -> bool {
        let (reply, answer) = oneshot::channel();
        self.tell(id, Command::IsUsed { reply }).await;
        // A lesson that is not open drops the question.
        answer.await.unwrap_or(false)
    }

    /// What participants are being shown.
    pub async fn shown(&self, id: i64) -> Result<Shown, StoreError> {
        let (reply, answer) = oneshot::channel();
        let gone = || StoreError("the lesson could not be opened".to_owned());
        let lesson = self.lesson(id);
        lesson
            .send(Command::Shown { reply })
            .await
            .map_err(|_| gone())?;
        answer.await.map_err(|_| gone())
    }

    /// Forgets a lesson whose task is about to end, unless somebody has just taken hold of it.
    /// `idle` is asked while nobody can.
    fn forget(&self, id: i64, idle: impl FnOnce() -> bool) -> bool {
        let mut open = self.open.lock().expect("nothing panics with it");
        let ends = idle();
        if ends {
            open.remove(&id);
        }
        ends
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A lesson whose task breaks down is another one for who comes next, and the others stay.
    #[tokio::test]
    async fn a_lesson_that_breaks_down_is_opened_again() {
        let folder = tempfile::tempdir().unwrap();
        let live = Live::new(Store::open(folder.path()).unwrap());
        let (broken, mut end) = mpsc::channel(1);
        let (whole, _end) = mpsc::channel(1);
        for (id, commands) in [(1, &broken), (2, &whole)] {
            live.open.lock().unwrap().insert(id, commands.clone());
        }
        live.supervise(2, std::future::pending());
        live.supervise(1, async move {
            end.recv().await;
            panic!("as if a rule had been broken");
        });
        let (reply, _) = oneshot::channel();
        broken.send(Command::Look { reply }).await.unwrap();
        broken.closed().await;
        while live.open.lock().unwrap().contains_key(&1) {
            tokio::task::yield_now().await;
        }
        assert!(live.open.lock().unwrap().contains_key(&2));
    }
}
