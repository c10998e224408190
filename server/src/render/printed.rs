//! What workers have printed, kept for a while: pages of documents, cut pictures, small pictures of
//! backdrops. Whoever asks for what is being printed waits for it; what failed is remembered, and
//! not tried again at every look.

use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;
use moka::future::Cache;

use super::job::{Done, Job};
use super::{Pool, RenderFault};

/// How many bytes of printed pictures are kept.
const KEPT: u64 = 64 * 1024 * 1024;
/// How long it is remembered that something cannot be printed.
const REMEMBERED: Duration = Duration::from_secs(6 * 3600);

/// Printed pictures, by what they show; cheap to clone.
#[derive(Clone)]
pub struct Printed {
    pool: Pool,
    kept: Cache<String, Bytes>,
    failed: Cache<String, RenderFault>,
}

impl Printed {
    pub fn new(pool: Pool) -> Self {
        Self {
            pool,
            kept: Cache::builder()
                .max_capacity(KEPT)
                .weigher(|key: &String, bytes: &Bytes| (key.len() + bytes.len()) as u32)
                .build(),
            failed: Cache::builder()
                .max_capacity(10_000)
                .time_to_live(REMEMBERED)
                .build(),
        }
    }

    /// The PNG file that `job` prints, which is the same whenever `key` is. `memory` is what it is
    /// expected to take.
    pub async fn get(
        &self,
        key: String,
        job: impl FnOnce() -> Job,
        memory: u64,
        within: Duration,
    ) -> Result<Bytes, RenderFault> {
        if let Some(fault) = self.failed.get(&key).await {
            return Err(fault);
        }
        let print = async {
            match self.pool.run_sized(job(), memory, within).await {
                Ok(Done::Png(bytes)) => Ok(bytes),
                Ok(_) => Err(RenderFault::TooLarge),
                Err(fault) => Err(fault),
            }
        };
        let printed = self.kept.try_get_with(key.clone(), print).await;
        match printed.map_err(Arc::unwrap_or_clone) {
            Err(fault) if fault.lasts() => {
                self.failed.insert(key, fault.clone()).await;
                Err(fault)
            }
            printed => printed,
        }
    }
}
