//! Backdrops' pictures, read and ready to be printed. The last few are kept, since one is captured
//! again and again.

use std::collections::VecDeque;
use std::sync::Mutex;

use bozzetto_core::wire::{BackdropKind, BackdropView};
use bozzetto_press::picture::Source;

use crate::app::App;
use crate::error::{AppError, Result};
use crate::lessons::queries;

/// How many are kept.
const KEPT: usize = 6;

#[derive(Default)]
pub struct Pictures {
    kept: Mutex<VecDeque<(String, Source)>>,
}

impl Pictures {
    /// The picture of a backdrop; `None` for a board.
    pub async fn of_backdrop(
        &self,
        app: &App,
        lesson: i64,
        backdrop: &BackdropView,
    ) -> Result<Option<Source>> {
        if !matches!(backdrop.kind, BackdropKind::Picture { .. }) {
            return Ok(None);
        }
        let id = backdrop.id.0 as i64;
        let sha = app
            .store
            .read(move |conn| queries::media_of(conn, lesson, id))
            .await?;
        let sha = sha.ok_or(AppError::NotFound)?;
        if let Some(source) = self.kept(&sha) {
            return Ok(Some(source));
        }
        let (media, name) = (app.media.clone(), sha.clone());
        let source = tokio::task::spawn_blocking(move || -> Result<Source> {
            let bytes = media.read(&name)?;
            Source::open(&bytes).map_err(|e| AppError::Internal(format!("{name}: {e}")))
        })
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
        let mut kept = self.kept.lock().expect("nothing panics with it");
        kept.push_front((sha, source.clone()));
        kept.truncate(KEPT);
        Ok(Some(source))
    }

    fn kept(&self, sha: &str) -> Option<Source> {
        let mut kept = self.kept.lock().expect("nothing panics with it");
        let at = kept.iter().position(|(s, _)| s == sha)?;
        let found = kept.remove(at)?;
        let source = found.1.clone();
        kept.push_front(found);
        Some(source)
    }
}
