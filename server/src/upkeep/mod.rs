//! Looking after a data folder from the command line: [`backup`], also while a server runs, and
//! [`verify`].

pub mod backup;
pub mod verify;

use std::path::Path;
use std::time::Duration;

use anyhow::Context;
use rusqlite::backup::Backup;
use rusqlite::{Connection, OpenFlags};

/// What the database is called in a data folder, and the folder of its files.
const DATABASE: &str = "bozzetto.db";
const MEDIA: &str = "media";

/// How long a copy waits before it is tried again, when somebody holds the database.
const PAUSE: Duration = Duration::from_millis(50);

/// Copies the database of a data folder as it is at one moment, also while a server writes to it.
/// Nothing of the folder is changed.
///
/// # Errors
/// When there is none, or it cannot be read to its end.
fn copy_database(data: &Path, to: &Path) -> anyhow::Result<Connection> {
    let path = data.join(DATABASE);
    let from = Connection::open_with_flags(&path, OpenFlags::SQLITE_OPEN_READ_ONLY).with_context(
        || {
            format!(
                "there is no database that can be read in {}",
                data.display()
            )
        },
    )?;
    let mut copy = Connection::open(to)?;
    // All pages at once: whoever writes meanwhile writes to the log beside them and waits for nobody.
    Backup::new(&from, &mut copy)?
        .run_to_completion(i32::MAX, PAUSE, None)
        .with_context(|| format!("{} cannot be read to its end", path.display()))?;
    Ok(copy)
}

/// Whether a file has the name of one of ours: the SHA-256 of what it contains.
fn is_name(name: &str) -> bool {
    name.len() == 64 && name.bytes().all(|b| b.is_ascii_hexdigit())
}
