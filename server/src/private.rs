//! The data folder is its owner's alone: nobody else on the machine reads what is in it.

use std::fs::{self, Permissions};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

/// Lets only the owner into a folder.
///
/// # Errors
/// When it belongs to somebody else.
pub fn folder(path: &Path) -> std::io::Result<()> {
    fs::set_permissions(path, Permissions::from_mode(0o700))
}

/// Lets only the owner read and write a file; one that is not there is none to worry about.
///
/// # Errors
/// When it belongs to somebody else.
pub fn file(path: &Path) -> std::io::Result<()> {
    match fs::set_permissions(path, Permissions::from_mode(0o600)) {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(()),
        done => done,
    }
}
