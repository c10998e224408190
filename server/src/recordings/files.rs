//! The files of recordings: each only grows. The database says how much of it is whole; what comes after that broke off.

use std::collections::HashSet;
use std::fs::{self, File, OpenOptions};
use std::io::{Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context;
use moka::future::Cache;
use rusqlite::Connection;

use crate::media::hex;
use crate::store::{self, Store, StoreError};

/// What the folder is called in a data folder.
pub const FOLDER: &str = "recordings";

/// How many films are known well enough to be given out at once.
const AT_HAND: u64 = 16;
/// For how long they are, after they were used last.
const IDLE: Duration = Duration::from_secs(600);
/// How long a recording that was binned can be had again, in milliseconds.
const BINNED: i64 = 24 * 3600 * 1000;

/// The folder of recordings; cheap to clone.
#[derive(Clone)]
pub struct Films {
    folder: Arc<PathBuf>,
    /// One piece is written after the other.
    writing: Arc<tokio::sync::Mutex<()>>,
    pub(super) made: Cache<super::film::Key, Arc<bozzetto_film::Layout>>,
}

impl Films {
    pub fn open(data: &Path) -> anyhow::Result<Self> {
        let folder = data.join(FOLDER);
        fs::create_dir_all(&folder)
            .with_context(|| format!("{} could not be made", folder.display()))?;
        crate::private::folder(&folder)?;
        Ok(Self {
            folder: Arc::new(folder),
            writing: Arc::default(),
            made: Cache::builder()
                .max_capacity(AT_HAND)
                .time_to_idle(IDLE)
                .build(),
        })
    }

    /// A name that no other file has.
    pub fn new_name() -> String {
        hex(&rand::random::<[u8; 32]>())
    }

    /// Where the file lies; `name` is one from the database, which is hexadecimal.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.join(name)
    }

    /// Writes a piece after the first `whole` bytes of a file; when this returns it is on the disk.
    pub async fn append(&self, name: &str, whole: u64, piece: bytes::Bytes) -> std::io::Result<()> {
        let _one = self.writing.lock().await;
        let (path, folder) = (self.path(name), self.folder.clone());
        let write = move || {
            let is_new = !path.exists();
            let mut file = OpenOptions::new()
                .write(true)
                .create(true)
                .truncate(false)
                .open(&path)?;
            crate::private::file(&path)?;
            file.set_len(whole)?;
            file.seek(SeekFrom::Start(whole))?;
            file.write_all(&piece)?;
            file.sync_all()?;
            if is_new {
                File::open(&*folder)?.sync_all()?;
            }
            Ok(())
        };
        tokio::task::spawn_blocking(write)
            .await
            .map_err(std::io::Error::other)?
    }

    /// Removes every file that no recording has. That is done where rows are written: a file is made after its row.
    pub async fn sweep_unused(&self, store: &Store) {
        let folder = self.folder.clone();
        let sweep = move |conn: &Connection| {
            let mut statement = conn.prepare("SELECT file FROM recording")?;
            let known = statement.query_map([], |row| row.get(0))?;
            let known: HashSet<String> = known.collect::<rusqlite::Result<_>>()?;
            remove_others(&folder, &known).map_err(|e| StoreError(e.to_string()))
        };
        if let Err(e) = store.write(sweep).await {
            tracing::warn!("recordings that nobody has any more stay: {e}");
        }
    }
}

fn remove_others(folder: &Path, known: &HashSet<String>) -> std::io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        if !known.contains(&*entry.file_name().to_string_lossy()) {
            fs::remove_file(entry.path())?;
        }
    }
    Ok(())
}

/// Forgets what was binned more than a day ago, and what was to be kept until now.
pub fn forget_old(conn: &Connection) -> store::Result<()> {
    conn.execute(
        "DELETE FROM recording WHERE deleted_at < ?1 OR forget_at < ?2",
        [crate::now() - BINNED, crate::now()],
    )?;
    Ok(())
}
