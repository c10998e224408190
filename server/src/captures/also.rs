//! Captures are written into another folder as well, which a program of the house takes elsewhere, if the server was
//! told so. If that fails, the capture is kept all the same.

use std::fs::{self, File, OpenOptions};
use std::io;
use std::path::{Path, PathBuf};

use bozzetto_core::capture::name::{file_name, stem};

use super::queries::{self, Capture, Saved};
use crate::app::App;
use crate::error::{AppError, Result};

/// Writes a capture's picture there, for the first time or in the place of what was written of it, and keeps what came of
/// that. Nothing where nothing is wanted.
pub async fn save(app: &App, lesson: i64, id: i64) -> Result<()> {
    let Some(folder) = app.options.also_save.clone() else {
        return Ok(());
    };
    let read = move |conn: &rusqlite::Connection| {
        let card = crate::lessons::queries::one(conn, lesson)?;
        Ok((queries::one(conn, lesson, id)?, card))
    };
    let (Some(capture), Some(card)) = app.store.read(read).await? else {
        return Ok(());
    };
    let from = app.media.path_of(&capture.media);
    let written = tokio::task::spawn_blocking(move || write(&folder, &card.name, &capture, &from));
    let written = written
        .await
        .map_err(|e| AppError::Internal(e.to_string()))?;
    if let Saved::Fault(fault) = &written {
        tracing::warn!("a capture is not saved elsewhere: {fault}");
    }
    app.store
        .write(move |conn| queries::set_saved(conn, id, &written))
        .await?;
    Ok(())
}

fn write(folder: &Path, lesson: &str, capture: &Capture, from: &Path) -> Saved {
    let written = match &capture.saved {
        Some(Saved::As(known)) => replace(&folder.join(known), from).map(|()| known.clone()),
        _ => add(folder, lesson, &capture.name, from),
    };
    match written {
        Ok(name) => Saved::As(name),
        Err(e) => Saved::Fault(format!("{}: {}", folder.display(), words(&e))),
    }
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
    // What is not there was a disk that is gone, or was never meant: nothing is made in its place.
    let _ = fs::read_dir(folder)?;
    let own = stem(lesson);
    fs::create_dir_all(folder.join(&own))?;
    for number in 1.. {
        let counted = match number {
            1 => file_name(name, "png"),
            n => file_name(&format!("{name} ({n})"), "png"),
        };
        let path = folder.join(&own).join(&counted);
        match OpenOptions::new().write(true).create_new(true).open(&path) {
            Ok(onto) => {
                return match fill(onto, from) {
                    Ok(()) => Ok(format!("{own}/{counted}")),
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

/// Puts another picture in the place of a file that was written before: at once, and not in part.
fn replace(path: &Path, from: &Path) -> io::Result<()> {
    let beside: PathBuf = path.with_extension("png.new");
    fill(File::create(&beside)?, from)?;
    fs::rename(&beside, path)
}
