//! Writing what was put in order, and telling of it once it is on disk.

use std::time::Duration;

use bozzetto_core::lesson::change::Change;
use bozzetto_core::wire::FromServer;

use super::{Lesson, RETRY, SNAPSHOT_EVERY};
use crate::live::log::{self, RECENT};

impl Lesson {
    /// Starts writing what waits, unless a write is under way: that one's end starts the next.
    pub(super) fn write(&mut self) {
        if self.writing.is_some() || self.unwritten.is_empty() {
            return;
        }
        let batch: Vec<(u64, Change)> = self.unwritten.iter().cloned().collect();
        let (count, lesson, store) = (batch.len(), self.id, self.store.clone());
        let pause = if self.told_unkept > 0 {
            RETRY
        } else {
            Duration::ZERO
        };
        self.writing = Some(tokio::spawn(async move {
            if !pause.is_zero() {
                tokio::time::sleep(pause).await;
            }
            let done = store
                .write(move |conn| log::append(conn, lesson, &batch))
                .await;
            (count, done.is_ok())
        }));
    }

    pub(super) fn after_write(&mut self, (count, kept): (usize, bool)) {
        self.writing = None;
        if kept {
            let told = self.told_unkept.min(count);
            for i in 0..count {
                let Some((seq, change)) = self.unwritten.pop_front() else {
                    break;
                };
                if i < told {
                    self.publish_to_presenters(&FromServer::Known { id: change.id });
                } else {
                    self.publish_change(seq, &change, true);
                }
                self.remember(seq, change);
            }
            self.told_unkept -= told;
            if told > 0 && self.told_unkept == 0 {
                self.publish_to_presenters(&FromServer::Keeping(true));
            }
            self.snapshot_if_due();
        } else {
            if self.told_unkept == 0 {
                self.publish_to_presenters(&FromServer::Keeping(false));
            }
            let untold: Vec<_> = self
                .unwritten
                .iter()
                .skip(self.told_unkept)
                .cloned()
                .collect();
            self.told_unkept = self.unwritten.len();
            for (seq, change) in untold {
                self.publish_change(seq, &change, false);
            }
        }
        self.write();
    }

    pub(super) fn remember(&mut self, seq: u64, change: Change) {
        self.recent.push_back((seq, change));
        if self.recent.len() > RECENT {
            self.recent.pop_front();
        }
    }

    pub(super) fn snapshot_if_due(&mut self) {
        if self.unwritten.is_empty() && self.seq >= self.snapshot_at + SNAPSHOT_EVERY {
            self.snapshot_at = self.seq;
            tokio::spawn(self.snapshot());
        }
    }

    pub(super) fn snapshot(&self) -> impl Future<Output = ()> + Send + 'static {
        let (store, lesson, seq) = (self.store.clone(), self.id, self.seq);
        let (snapshot, stage) = (self.state.sheets.snapshot(), self.state.stage.clone());
        async move {
            let kept = store
                .write(move |conn| log::persist_snapshot(conn, lesson, seq, &snapshot, &stage))
                .await;
            if let Err(e) = kept {
                tracing::warn!("no snapshot of lesson {lesson}: {e}");
            }
        }
    }

    pub(super) async fn put_away(&mut self) {
        if self.seq > self.snapshot_at {
            self.snapshot().await;
        }
    }
}
