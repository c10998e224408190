//! Open lessons: one task each, which owns the lesson's state and puts its changes in order.

pub mod broadcast;
pub mod connection;
mod form1;
pub mod lesson;
pub mod log;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use tokio::sync::{mpsc, oneshot};

use crate::store::{Store, StoreError};
use lesson::{Command, Look, Shown};

/// All open lessons; cheap to clone.
#[derive(Clone)]
pub struct Live {
    store: Store,
    open: Arc<Mutex<HashMap<i64, mpsc::Sender<Command>>>>,
}

/// How many commands wait for a lesson before whoever sends more has to wait.
const QUEUE: usize = 1024;

impl Live {
    pub fn new(store: Store) -> Self {
        Self {
            store,
            open: Arc::default(),
        }
    }

    /// The lesson's task, started if it is not running.
    pub fn lesson(&self, id: i64) -> mpsc::Sender<Command> {
        let mut open = self.open.lock().expect("nothing panics with it");
        open.entry(id)
            .or_insert_with(|| {
                let (commands, queue) = mpsc::channel(QUEUE);
                let task = lesson::run(id, self.store.clone(), self.clone(), queue);
                tokio::spawn(task);
                commands
            })
            .clone()
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
