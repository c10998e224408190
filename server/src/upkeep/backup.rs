//! `bozzetto backup`: a copy of a data folder that can be served as it is.
//!
//! The database is copied as it is at one moment, then every file that it names. Files are written
//! before the database refers to them and swept away only when a server starts, so none is missing.
//! The copy's own database is replaced last, by a rename: a backup that breaks off leaves the one
//! before it whole.

use std::collections::HashSet;
use std::fs::{self, File};
use std::path::Path;

use anyhow::{Context, ensure};

use super::{DATABASE, MEDIA, copy_database, is_name};
use crate::private;
use crate::recordings::FOLDER;

/// What a backup came to.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Kept {
    /// The files that belong to it, and how many of them were not there from the last time.
    pub files: usize,
    pub new: usize,
}

/// Copies the data folder `data` to the folder `to`, made if it is not there. What is there from an
/// earlier backup is brought up to date; files that nothing refers to any more are removed from it.
///
/// # Errors
/// When one of the folders cannot be used, or a file is missing; says which.
pub fn run(data: &Path, to: &Path) -> anyhow::Result<Kept> {
    let shown = to.display();
    fs::create_dir_all(to.join(MEDIA)).with_context(|| format!("{shown} could not be made"))?;
    ensure!(
        fs::canonicalize(data).ok() != fs::canonicalize(to).ok(),
        "a folder cannot be its own backup; choose another with --to"
    );
    private::folder(to)?;
    private::folder(&to.join(MEDIA))?;
    fs::create_dir_all(to.join(FOLDER))?;
    private::folder(&to.join(FOLDER))?;
    let copied = tempfile::Builder::new()
        .prefix(".writing-")
        .tempfile_in(to)?;
    let database = copy_database(data, copied.path())?;
    let names: HashSet<String> = database
        .prepare("SELECT sha FROM media")?
        .query_map([], |row| row.get(0))?
        .collect::<Result<_, _>>()?;
    // One that has just begun has no file yet.
    let films: HashSet<String> = database
        .prepare("SELECT file FROM recording WHERE bytes > 0")?
        .query_map([], |row| row.get(0))?
        .collect::<Result<_, _>>()?;
    database.close().map_err(|(_, e)| e)?;
    let mut new = 0;
    for name in &names {
        new += usize::from(copy(&data.join(MEDIA), &to.join(MEDIA), name)?);
    }
    File::open(to.join(MEDIA))?.sync_all()?;
    for film in &films {
        new += usize::from(copy(&data.join(FOLDER), &to.join(FOLDER), film)?);
    }
    File::open(to.join(FOLDER))?.sync_all()?;
    copied.as_file().sync_all()?;
    // What SQLite keeps beside a database belongs to the one that is replaced.
    for beside in ["-wal", "-shm"] {
        match fs::remove_file(to.join(format!("{DATABASE}{beside}"))) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => return Err(e.into()),
            _ => {}
        }
    }
    copied.persist(to.join(DATABASE))?;
    File::open(to)?.sync_all()?;
    sweep(&to.join(MEDIA), &names)?;
    sweep(&to.join(FOLDER), &films)?;
    Ok(Kept {
        files: names.len() + films.len(),
        new,
    })
}

/// Copies a file, unless it is there; whether it was not.
fn copy(from: &Path, to: &Path, name: &str) -> anyhow::Result<bool> {
    let (source, target) = (from.join(name), to.join(name));
    let missing =
        || format!("the file {name} belongs to something that is kept, and cannot be read");
    let bytes = source.metadata().with_context(missing)?.len();
    if target.metadata().is_ok_and(|m| m.len() == bytes) {
        return Ok(false);
    }
    let mut copied = tempfile::Builder::new()
        .prefix(".writing-")
        .tempfile_in(to)?;
    std::io::copy(&mut File::open(&source).with_context(missing)?, &mut copied)?;
    copied.as_file().sync_all()?;
    copied.persist(&target)?;
    Ok(true)
}

/// Removes files of ours that nothing refers to.
fn sweep(media: &Path, known: &HashSet<String>) -> std::io::Result<()> {
    for entry in fs::read_dir(media)? {
        let entry = entry?;
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if is_name(&name) && !known.contains(&*name) {
            fs::remove_file(entry.path())?;
        }
    }
    Ok(())
}
