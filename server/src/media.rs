//! Files, named by the SHA-256 of what they contain.
//!
//! A file is written under a temporary name, synced and renamed before the database learns of it:
//! a row always has its file. A file that never got its row is swept away at the next start.

use std::collections::HashSet;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context;
use rusqlite::{Connection, OptionalExtension, params};
use sha2::{Digest, Sha256};

use crate::app::App;
use crate::render::job::File;
use crate::store;

/// The folder of files; cheap to clone.
#[derive(Clone)]
pub struct Media {
    folder: Arc<PathBuf>,
}

/// A file that has been written and is not yet in the database.
#[derive(Clone, Debug)]
pub struct Written {
    pub sha: String,
    pub mime: &'static str,
    pub bytes: u64,
}

impl Media {
    pub fn open(data: &Path) -> anyhow::Result<Self> {
        let folder = data.join("media");
        fs::create_dir_all(&folder)
            .with_context(|| format!("{} could not be made", folder.display()))?;
        crate::private::folder(&folder)?;
        Ok(Self {
            folder: Arc::new(folder),
        })
    }

    /// Writes a file; blocks until it is on disk.
    pub fn write(&self, bytes: &[u8], mime: &'static str) -> std::io::Result<Written> {
        let sha = hex(&Sha256::digest(bytes));
        let written = Written {
            sha: sha.clone(),
            mime,
            bytes: bytes.len() as u64,
        };
        let path = self.path(&sha);
        if path.exists() {
            return Ok(written);
        }
        let mut temporary = tempfile::Builder::new()
            .prefix(".writing-")
            .tempfile_in(&*self.folder)?;
        temporary.write_all(bytes)?;
        temporary.as_file().sync_all()?;
        temporary.persist(&path).map_err(|e| e.error)?;
        fs::File::open(&*self.folder)?.sync_all()?;
        Ok(written)
    }

    /// A file without a name, gone when it is closed.
    pub fn nameless(&self) -> std::io::Result<fs::File> {
        tempfile::tempfile_in(&*self.folder)
    }

    /// Begins a file that comes in pieces.
    pub fn receive(&self) -> std::io::Result<Incoming> {
        let file = tempfile::Builder::new()
            .prefix(".writing-")
            .tempfile_in(&*self.folder)?;
        Ok(Incoming {
            media: self.clone(),
            file,
            sum: Sha256::new(),
            head: Vec::new(),
            bytes: 0,
        })
    }

    /// Where the file lies.
    pub fn path_of(&self, sha: &str) -> PathBuf {
        self.path(sha)
    }

    /// The file, for a worker.
    pub fn file(&self, sha: &str) -> File {
        File {
            name: sha.to_owned(),
            path: self.path(sha),
        }
    }

    /// The whole file; blocks.
    pub fn read(&self, sha: &str) -> std::io::Result<Vec<u8>> {
        fs::read(self.path(sha))
    }

    /// Removes every file that the database does not know.
    pub fn sweep(&self, known: &HashSet<String>) -> std::io::Result<()> {
        for entry in fs::read_dir(&*self.folder)? {
            let entry = entry?;
            if !known.contains(&*entry.file_name().to_string_lossy()) {
                fs::remove_file(entry.path())?;
            }
        }
        Ok(())
    }

    fn path(&self, sha: &str) -> PathBuf {
        // Only ever called with names from the database, which are hexadecimal.
        self.folder.join(sha)
    }
}

/// A file that is coming in pieces. Dropped, nothing of it stays.
pub struct Incoming {
    media: Media,
    file: tempfile::NamedTempFile,
    sum: Sha256,
    head: Vec<u8>,
    bytes: u64,
}

/// How much of a file tells what it is.
const HEAD: usize = 4096;

impl Incoming {
    pub fn push(&mut self, piece: &[u8]) -> std::io::Result<()> {
        let wanted = HEAD.saturating_sub(self.head.len()).min(piece.len());
        self.head.extend_from_slice(&piece[..wanted]);
        self.bytes += piece.len() as u64;
        self.sum.update(piece);
        self.file.write_all(piece)
    }

    /// How it begins.
    pub fn head(&self) -> &[u8] {
        &self.head
    }

    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// The file as it is, under a name of its own, until that is dropped.
    pub fn until_dropped(self) -> tempfile::TempPath {
        self.file.into_temp_path()
    }

    /// Where it lies until it is kept.
    pub fn path(&self) -> &Path {
        self.file.path()
    }

    /// All of it; blocks.
    pub fn contents(&self) -> std::io::Result<Vec<u8>> {
        fs::read(self.file.path())
    }

    /// Keeps it; blocks until it is on disk.
    pub fn keep(self, mime: &'static str) -> std::io::Result<Written> {
        let written = Written {
            sha: hex(&self.sum.finalize()),
            mime,
            bytes: self.bytes,
        };
        let path = self.media.path(&written.sha);
        if !path.exists() {
            self.file.as_file().sync_all()?;
            self.file.persist(&path).map_err(|e| e.error)?;
            fs::File::open(&*self.media.folder)?.sync_all()?;
        }
        Ok(written)
    }
}

impl Written {
    /// Enters the file in the database, if it is not there. What was handed out as a file of whatever kind, and is
    /// brought onto the stage now, is known for what it is from then on.
    pub fn enter(&self, conn: &Connection) -> store::Result<()> {
        conn.prepare_cached(
            "INSERT INTO media (sha, mime, bytes, created_at, sanitised) VALUES (?1, ?2, ?3, ?4, 1)
             ON CONFLICT (sha) DO UPDATE SET mime = excluded.mime WHERE mime = 'application/octet-stream'",
        )?
        .execute(params![
            self.sha,
            self.mime,
            self.bytes as i64,
            crate::now()
        ])?;
        Ok(())
    }
}

/// What kind of file it is, and whether it says nothing but what it shows: pictures of earlier
/// versions may say where they were taken.
pub fn mime(conn: &Connection, sha: &str) -> store::Result<Option<(String, bool)>> {
    let mut statement = conn.prepare_cached("SELECT mime, sanitised FROM media WHERE sha = ?1")?;
    let row = statement.query_row([sha], |row| Ok((row.get(0)?, row.get(1)?)));
    Ok(row.optional()?)
}

/// How long what was deleted can be brought back.
const MONTH: i64 = 30 * 24 * 3600 * 1000;

/// The names of the files that something refers to.
const USED: &str = "SELECT media FROM backdrop WHERE media IS NOT NULL
    UNION SELECT poster FROM backdrop WHERE poster IS NOT NULL
    UNION SELECT media FROM web_page_file
    UNION SELECT media FROM placed
    UNION SELECT media FROM worksheet
    UNION SELECT media FROM take_away WHERE media IS NOT NULL
    UNION SELECT poster FROM recording WHERE poster IS NOT NULL
    UNION SELECT media FROM capture UNION SELECT thumbnail FROM capture
    UNION SELECT media FROM capture_frame";

/// Removes those of these files that nothing refers to any more, at once: something in them is to be seen by nobody.
pub async fn remove_unused(app: &App, names: Vec<String>) -> store::Result<()> {
    let media = app.media.clone();
    let known = names.clone();
    let forget = move |conn: &Connection| {
        let mut statement = conn.prepare(&format!(
            "DELETE FROM media WHERE sha = ?1 AND sha NOT IN ({USED})"
        ))?;
        for name in &names {
            statement.execute([name])?;
        }
        Ok(())
    };
    app.store.write(forget).await?;
    // Only now, since a row always has its file; and where rows are written, since one may be by now.
    let remove = move |conn: &Connection| {
        let mut statement = conn.prepare("SELECT 1 FROM media WHERE sha = ?1")?;
        for name in &known {
            if !statement.exists([name])?
                && let Err(e) = fs::remove_file(media.path(name))
                && e.kind() != std::io::ErrorKind::NotFound
            {
                tracing::warn!("{name} is not removed: {e}");
            }
        }
        Ok(())
    };
    app.store.write(remove).await
}

/// How often a server that goes on looks for what was deleted more than a month ago.
const DAY: Duration = Duration::from_secs(24 * 3600);

/// Forgets what was deleted more than a month ago, once a day, for as long as the server goes on.
pub async fn forget_daily(app: App) {
    loop {
        tokio::time::sleep(DAY).await;
        let unused = |conn: &Connection| {
            delete_old(conn)?;
            let mut statement =
                conn.prepare(&format!("SELECT sha FROM media WHERE sha NOT IN ({USED})"))?;
            let names = statement.query_map([], |row| row.get(0))?;
            Ok(names.collect::<Result<Vec<String>, _>>()?)
        };
        let gone = match app.store.write(unused).await {
            Ok(names) => remove_unused(&app, names).await,
            Err(e) => Err(e),
        };
        if let Err(e) = gone {
            tracing::warn!("what was deleted long ago stays: {e}");
        }
        app.films.sweep_unused(&app.store).await;
    }
}

/// Forgets what was deleted more than a month ago, and the files that nothing refers to any more.
/// Gives the names of the files that stay.
pub fn forget_deleted(conn: &Connection) -> store::Result<HashSet<String>> {
    delete_old(conn)?;
    conn.execute(&format!("DELETE FROM media WHERE sha NOT IN ({USED})"), [])?;
    let mut statement = conn.prepare("SELECT sha FROM media")?;
    let names = statement
        .query_map([], |row| row.get(0))?
        .collect::<Result<_, _>>()?;
    Ok(names)
}

fn delete_old(conn: &Connection) -> store::Result<()> {
    crate::people::forget_old(conn)?;
    crate::recordings::forget_old(conn)?;
    let before = crate::now() - MONTH;
    for table in ["lesson", "capture", "backdrop", "worksheet", "take_away"] {
        conn.execute(
            &format!("DELETE FROM {table} WHERE deleted_at < ?1"),
            [before],
        )?;
    }
    conn.execute(
        "DELETE FROM web_page WHERE name NOT IN (
             SELECT json_extract(kind, '$.page.kept.name') FROM backdrop
             WHERE json_extract(kind, '$.page.kept.name') IS NOT NULL)",
        [],
    )?;
    Ok(())
}

pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
