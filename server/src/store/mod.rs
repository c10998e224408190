//! `bozzetto.db`: one writer thread, readers with connections of their own.
//!
//! The writer takes whatever waits for it into one transaction, so that many people drawing at
//! once share one sync to disk. A write has answered only when it is on disk: WAL with
//! `synchronous=FULL`.

mod schema;

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use anyhow::Context;
use rusqlite::Error::FromSqlConversionFailure;
use rusqlite::types::Type;
use rusqlite::{Connection, Row, TransactionBehavior};
use serde::Serialize;
use serde::de::DeserializeOwned;
use tokio::sync::{mpsc, oneshot};

/// Why the store did not do what it was asked.
#[derive(Debug, Clone, thiserror::Error)]
#[error("the store could not be used: {0}")]
pub struct StoreError(pub String);

impl From<rusqlite::Error> for StoreError {
    fn from(e: rusqlite::Error) -> Self {
        StoreError(e.to_string())
    }
}

pub type Result<T> = std::result::Result<T, StoreError>;

/// Does its work inside the transaction, if there is one, and gives back whom to tell whether it has
/// been committed.
type Job = Box<dyn FnOnce(Option<&Connection>) -> Answer + Send>;
type Answer = Box<dyn FnOnce(std::result::Result<(), StoreError>) + Send>;

/// How many writes share a transaction at most.
const GROUP: usize = 512;
/// How long a write waits for somebody else who holds the database, such as a backup.
const PATIENCE: Duration = Duration::from_secs(2);

/// The database; cheap to clone.
#[derive(Clone)]
pub struct Store {
    jobs: mpsc::UnboundedSender<Job>,
    readers: Arc<Readers>,
}

struct Readers {
    path: PathBuf,
    idle: Mutex<Vec<Connection>>,
}

impl Store {
    /// Opens the database in `data`, making or migrating it.
    pub fn open(data: &Path) -> anyhow::Result<Self> {
        let path = data.join("bozzetto.db");
        crate::private::folder(data)?;
        let mut writer = connect(&path)?;
        // SQLite gives the files beside it the same permissions.
        crate::private::file(&path)?;
        migrate(&mut writer)
            .with_context(|| format!("{} could not be brought up to date", path.display()))?;
        let (jobs, queue) = mpsc::unbounded_channel();
        std::thread::Builder::new()
            .name("store".to_owned())
            .spawn(move || write_all(writer, queue))?;
        let idle = Mutex::new(Vec::new());
        Ok(Self {
            jobs,
            readers: Arc::new(Readers { path, idle }),
        })
    }

    /// Overwrites what was written before it went into the database's own file; waits for those who still read it.
    /// Source: SQLite, `PRAGMA wal_checkpoint`, TRUNCATE.
    pub async fn wipe_log(&self) -> Result<()> {
        let wiped = |conn: &Connection| -> rusqlite::Result<bool> {
            conn.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |row| {
                Ok(row.get::<_, i64>(0)? == 0)
            })
        };
        let done = self.read(move |conn| {
            for _ in 0..20 {
                if wiped(conn)? {
                    return Ok(true);
                }
                std::thread::sleep(Duration::from_millis(100));
            }
            Ok(false)
        });
        if !done.await? {
            tracing::warn!("what was deleted may be in the log of writes for a while yet");
        }
        Ok(())
    }

    /// Runs `work` in the writer's transaction; answers when it is on disk.
    pub async fn write<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Connection) -> Result<T> + Send + 'static,
    ) -> Result<T> {
        let (tell, told) = oneshot::channel();
        let job: Job = Box::new(move |conn| {
            let done = conn.map(|conn| in_savepoint(conn, work));
            Box::new(move |committed| {
                let nothing = || Err(StoreError("nothing was written".to_owned()));
                let _ = tell.send(committed.and_then(|()| done.unwrap_or_else(nothing)));
            })
        });
        let gone = || StoreError("it has been closed".to_owned());
        self.jobs.send(job).map_err(|_| gone())?;
        told.await.map_err(|_| gone())?
    }

    /// Runs `work` on a connection that only reads.
    pub async fn read<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Connection) -> Result<T> + Send + 'static,
    ) -> Result<T> {
        let readers = self.readers.clone();
        tokio::task::spawn_blocking(move || {
            let idle = readers.idle.lock().expect("no reader panics with it").pop();
            let conn = match idle {
                Some(conn) => conn,
                None => connect(&readers.path).map_err(|e| StoreError(e.to_string()))?,
            };
            let result = work(&conn);
            readers
                .idle
                .lock()
                .expect("no reader panics with it")
                .push(conn);
            result
        })
        .await
        .map_err(|e| StoreError(e.to_string()))?
    }
}

/// Brings tables of an earlier version up to date.
///
/// # Errors
/// When they are of a later one.
pub fn migrate(conn: &mut Connection) -> anyhow::Result<()> {
    Ok(schema::migrations().to_latest(conn)?)
}

fn connect(path: &Path) -> anyhow::Result<Connection> {
    let conn = Connection::open(path)
        .with_context(|| format!("{} could not be opened", path.display()))?;
    conn.busy_timeout(PATIENCE)?;
    conn.pragma_update(None, "journal_mode", "WAL")?;
    // What is deleted is overwritten: parts of captures are hidden for good.
    conn.pragma_update(None, "secure_delete", true)?;
    conn.pragma_update(None, "synchronous", "FULL")?;
    conn.pragma_update(None, "foreign_keys", true)?;
    conn.set_prepared_statement_cache_capacity(64);
    Ok(conn)
}

fn in_savepoint<T>(conn: &Connection, work: impl FnOnce(&Connection) -> Result<T>) -> Result<T> {
    conn.execute_batch("SAVEPOINT job")?;
    let done = work(conn);
    conn.execute_batch(match done {
        Ok(_) => "RELEASE job",
        Err(_) => "ROLLBACK TO job; RELEASE job",
    })?;
    done
}

fn write_all(mut conn: Connection, mut queue: mpsc::UnboundedReceiver<Job>) {
    while let Some(first) = queue.blocking_recv() {
        let mut jobs = vec![first];
        while jobs.len() < GROUP
            && let Ok(job) = queue.try_recv()
        {
            jobs.push(job);
        }
        let transaction = match conn.transaction_with_behavior(TransactionBehavior::Immediate) {
            Ok(transaction) => transaction,
            Err(e) => {
                tracing::error!("nothing can be written: {e}");
                let why = StoreError::from(e);
                jobs.into_iter().for_each(|job| job(None)(Err(why.clone())));
                continue;
            }
        };
        let answers: Vec<Answer> = jobs
            .into_iter()
            .map(|job| job(Some(&transaction)))
            .collect();
        let committed = transaction.commit().map_err(StoreError::from);
        if let Err(e) = &committed {
            tracing::error!("nothing could be written: {e}");
        }
        answers.into_iter().for_each(|tell| tell(committed.clone()));
    }
}

/// Moves one of the rows of a table by one place; they are given in their order, which is written anew.
pub fn shift(
    conn: &Connection,
    table: &'static str,
    mut all: Vec<i64>,
    id: i64,
    later: bool,
) -> Result<()> {
    let Some(at) = all.iter().position(|one| *one == id) else {
        return Ok(());
    };
    let other = if later { at + 1 } else { at.wrapping_sub(1) };
    if other < all.len() {
        all.swap(at, other);
    }
    let sql = format!("UPDATE {table} SET place = ?2 WHERE id = ?1");
    let mut set = conn.prepare_cached(&sql)?;
    for (place, id) in (1i64..).zip(all) {
        set.execute([id, place])?;
    }
    Ok(())
}

/// Something as a column of JSON has it.
pub fn json(what: &(impl Serialize + ?Sized)) -> Result<String> {
    serde_json::to_string(what).map_err(|e| StoreError(e.to_string()))
}

/// What is kept as JSON in a column, if there is something.
pub fn parsed<T: DeserializeOwned>(row: &Row, column: usize) -> rusqlite::Result<Option<T>> {
    let parse = |text: String| {
        serde_json::from_str(&text)
            .map_err(|e| FromSqlConversionFailure(column, Type::Text, Box::new(e)))
    };
    let text: Option<String> = row.get(column)?;
    text.map(parse).transpose()
}
