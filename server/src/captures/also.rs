//! Captures are written into another folder as well, which a program of the house takes elsewhere, if the server was
//! told so. If that fails, the capture is kept all the same.

use std::fs::{self, File, OpenOptions};
use std::io;
use std::path::{Path, PathBuf};

use bozzetto_core::capture::name::{counted, file_name, stem};

use super::queries::{self, Capture};
use crate::app::App;
use crate::store::Result;

/// Writes a capture's picture there, for the first time or in the place of what was written of it, and keeps what came of
/// that; then those that could not be written before. Nothing where nothing is wanted.
pub async fn save(app: &App, lesson: i64, id: i64) {
    // One after the other, so that what is written last of a capture is what it is last.
    let _alone = app.also_saving.lock().await;
    if one(app, lesson, id).await {
        rest(app).await;
    }
}

/// Writes what could not be written before, as far as it goes.
pub async fn catch_up(app: &App) {
    let _alone = app.also_saving.lock().await;
    rest(app).await;
}

async fn rest(app: &App) {
    if app.options.also_save.is_none() {
        return;
    }
    let behind = app.store.read(queries::not_saved).await;
    for (lesson, id) in behind.unwrap_or_default() {
        if !one(app, lesson, id).await {
            return;
        }
    }
}

/// Whether it is there now. What is wrong with the store hinders no capture, either.
async fn one(app: &App, lesson: i64, id: i64) -> bool {
    let saved = write_one(app, lesson, id).await;
    saved.unwrap_or_else(|e| {
        tracing::warn!("what came of saving a capture elsewhere is not kept: {e}");
        false
    })
}

async fn write_one(app: &App, lesson: i64, id: i64) -> Result<bool> {
    let Some(folder) = app.options.also_save.clone() else {
        return Ok(false);
    };
    let read = move |conn: &rusqlite::Connection| {
        let card = crate::lessons::queries::one(conn, lesson)?;
        Ok((queries::one(conn, lesson, id)?, card))
    };
    let (Some(capture), Some(card)) = app.store.read(read).await? else {
        return Ok(false);
    };
    let from = app.media.path_of(&capture.media);
    let written = tokio::task::spawn_blocking(move || write(&folder, &card.name, &capture, &from));
    let written = written.await.unwrap_or_else(|e| Err(e.to_string()));
    if let Err(fault) = &written {
        tracing::warn!("a capture is not saved elsewhere: {fault}");
    }
    let saved = written.is_ok();
    app.store
        .write(move |conn| queries::set_saved(conn, id, &written))
        .await?;
    Ok(saved)
}

/// Gives its name in `folder`, or why it is not there.
fn write(
    folder: &Path,
    lesson: &str,
    capture: &Capture,
    from: &Path,
) -> std::result::Result<String, String> {
    let there = || match &capture.saved_as {
        Some(known) => replace(folder, known, from).map(|()| known.clone()),
        None => add(folder, lesson, &capture.name, from),
    };
    // What is not there was a disk that is gone, or was never meant: nothing is made in its place.
    let written = fs::read_dir(folder).and_then(|_| there());
    written.map_err(|e| format!("{}: {}", folder.display(), words(&e)))
}

fn words(e: &io::Error) -> String {
    match e.kind() {
        io::ErrorKind::NotFound => "it is not there".to_owned(),
        io::ErrorKind::PermissionDenied => "it cannot be written to".to_owned(),
        io::ErrorKind::StorageFull => "it is full".to_owned(),
        _ => e.to_string(),
    }
}

/// Writes a new file, in a folder for the lesson; gives its name in `folder`. Others of that name are left as they are.
fn add(folder: &Path, lesson: &str, name: &str, from: &Path) -> io::Result<String> {
    let own = stem(lesson);
    fs::create_dir_all(folder.join(&own))?;
    for name in counted(name).map(|name| file_name(&name, "png")) {
        let path = folder.join(&own).join(&name);
        match OpenOptions::new().write(true).create_new(true).open(&path) {
            Ok(onto) => {
                return match fill(onto, from) {
                    Ok(()) => Ok(format!("{own}/{name}")),
                    Err(e) => {
                        // Nothing stays that is not whole.
                        let _ = fs::remove_file(&path);
                        Err(e)
                    }
                };
            }
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => {}
            Err(e) => return Err(e),
        }
    }
    Err(io::ErrorKind::AlreadyExists.into())
}

fn fill(mut onto: File, from: &Path) -> io::Result<()> {
    io::copy(&mut File::open(from)?, &mut onto)?;
    onto.sync_all()
}

/// Puts another picture in the place of a file that was written before: at once, and not in part. The lesson's folder
/// may have been taken elsewhere meanwhile.
fn replace(folder: &Path, known: &str, from: &Path) -> io::Result<()> {
    let path = folder.join(known);
    if let Some(own) = path.parent() {
        fs::create_dir_all(own)?;
    }
    let beside: PathBuf = path.with_extension("png.new");
    fill(File::create(&beside)?, from)?;
    fs::rename(&beside, path)
}
