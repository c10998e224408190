//! One server to a data folder: two would each hold the lessons as they know them, and write over
//! each other's changes.

use std::fs::{File, TryLockError};
use std::path::Path;

/// Takes a data folder, made if it is not there, until the file is dropped or the process ends,
/// however it ends.
///
/// # Errors
/// When another server has it, or the folder cannot be written to.
pub fn take(data: &Path) -> anyhow::Result<File> {
    std::fs::create_dir_all(data)?;
    let file = File::create(data.join("lock"))?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => anyhow::bail!(
            "another Bozzetto serves {} already; end that one first, or choose another folder with --data",
            data.display()
        ),
        // A file system without locks is still one that can be served from.
        Err(TryLockError::Error(e)) => {
            tracing::warn!("{} cannot be locked: {e}", data.display());
            Ok(file)
        }
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_folder_is_served_once_at_a_time() {
        let data = tempfile::tempdir().unwrap();
        let first = super::take(data.path()).unwrap();
        let said = super::take(data.path()).unwrap_err().to_string();
        assert!(said.contains("serves"), "{said}");
        drop(first);
        super::take(data.path()).unwrap();
    }
}
