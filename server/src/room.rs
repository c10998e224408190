//! How much room there is for files: a limit for the data folder, and what the disk has left.
//!
//! Marks are never held up by it. Uploads end first, captures have a little more, and both say so
//! before it bites.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::error::AppError;

const MB: u64 = 1024 * 1024;
/// What is kept free on the disk for marks, whatever comes.
const RESERVE: u64 = 64 * MB;
/// What uploads leave for captures.
const FOR_CAPTURES: u64 = 64 * MB;
/// From which part of the limit on it is said that it comes near.
const NEAR: f64 = 0.8;
/// And how much room on the disk is little.
const LITTLE: u64 = 1024 * MB;

/// The room in a data folder; cheap to clone.
#[derive(Clone)]
pub struct Room {
    folder: Arc<PathBuf>,
    limit: Option<u64>,
}

/// How full the folder is, in bytes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Filled {
    pub used: u64,
    pub limit: Option<u64>,
    /// On the disk.
    pub free: u64,
}

impl Room {
    /// `limit` is how many bytes the folder may have in all; without one, only the disk sets an end.
    pub fn new(folder: &Path, limit: Option<u64>) -> Self {
        Self {
            folder: Arc::new(folder.to_owned()),
            limit,
        }
    }

    /// How full it is now. Looks at every file's entry: some milliseconds for ten thousand.
    pub fn filled(&self) -> Filled {
        let sizes = |folder: &Path| -> u64 {
            let entries = std::fs::read_dir(folder).into_iter().flatten();
            let files = entries.filter_map(|e| e.ok()?.metadata().ok());
            files.filter(|m| m.is_file()).map(|m| m.len()).sum()
        };
        let free = rustix::fs::statvfs(&*self.folder)
            .map_or(u64::MAX, |s| s.f_bavail.saturating_mul(s.f_frsize));
        Filled {
            used: ["", "media", crate::recordings::FOLDER]
                .map(|part| sizes(&self.folder.join(part)))
                .iter()
                .sum(),
            limit: self.limit,
            free,
        }
    }

    /// Whether an upload may bring so many more bytes.
    ///
    /// # Errors
    /// When it may not; says why.
    pub fn for_an_upload(&self, bytes: u64) -> Result<(), AppError> {
        self.filled().holds(bytes.saturating_add(FOR_CAPTURES))
    }

    /// How many bytes more recordings may have: they leave as much to captures as uploads do.
    pub fn for_recordings(&self) -> u64 {
        let filled = self.filled();
        let of_limit = filled
            .limit
            .map_or(u64::MAX, |limit| limit.saturating_sub(filled.used));
        let of_disk = filled.free.saturating_sub(RESERVE);
        of_limit.min(of_disk).saturating_sub(FOR_CAPTURES)
    }

    /// Whether a capture may be kept that has so many bytes.
    ///
    /// # Errors
    /// When it may not; says why.
    pub fn for_a_capture(&self, bytes: u64) -> Result<(), AppError> {
        self.filled().holds(bytes)
    }
}

impl Filled {
    fn holds(&self, bytes: u64) -> Result<(), AppError> {
        if self
            .limit
            .is_some_and(|l| self.used.saturating_add(bytes) > l)
        {
            return Err(AppError::Full(
                "The data folder has reached its limit. Delete lessons or captures that are not \
                 needed any more, or start the server with a larger --quota. Marks are kept all the \
                 same."
                    .to_owned(),
            ));
        }
        if self.free < bytes.saturating_add(RESERVE) {
            return Err(AppError::Full(
                "The disk is full. What room is left is kept for marks.".to_owned(),
            ));
        }
        Ok(())
    }

    /// What to tell presenters before it bites.
    pub fn warning(&self) -> Option<String> {
        let gb = |bytes: u64| format!("{:.1} GB", bytes as f64 / 1e9);
        if let Some(limit) = self.limit
            && self.used as f64 > limit as f64 * NEAR
        {
            let (used, limit) = (gb(self.used), gb(limit));
            return Some(format!(
                "The data folder has {used} of {limit} in it. When it is full, files and captures \
                 are refused; marks are kept."
            ));
        }
        (self.free < LITTLE).then(|| {
            let free = gb(self.free);
            format!("The server's disk has {free} left. When it is full, files and captures are refused.")
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_said_before_it_bites() {
        let data = tempfile::tempdir().unwrap();
        std::fs::create_dir(data.path().join("media")).unwrap();
        let file = data.path().join("media/a");
        std::fs::write(&file, vec![0; 9_000_000]).unwrap();
        let filled = Room::new(data.path(), Some(10_000_000)).filled();
        assert_eq!(filled.used, 9_000_000);
        assert!(filled.warning().unwrap().contains("0.0 GB of 0.0 GB"));
        assert!(filled.holds(900_000).is_ok() || filled.free < 2 * RESERVE);
        let full = filled.holds(1_100_000).unwrap_err().to_string();
        assert!(full.contains("--quota"), "{full}");
        let roomy = Filled {
            limit: None,
            free: u64::MAX,
            ..filled
        };
        assert_eq!(
            (roomy.warning(), roomy.holds(1 << 40).is_ok()),
            (None, true)
        );
    }
}
