//! Pictures of backdrops and placed ones, read and ready to be printed. The last few are kept, since
//! one is captured again and again.

use std::collections::VecDeque;
use std::sync::Mutex;

use bozzetto_core::backdrop::{BackdropKind, BackdropView};
use bozzetto_core::display::{self, DisplayList, Item};
use bozzetto_press::picture::{PageOf, Shown, Source};
use rusqlite::Connection;

use super::queries;
use crate::app::App;
use crate::error::{AppError, Result};
use crate::stage::placed;

/// How many are kept.
const KEPT: usize = 6;

#[derive(Default)]
pub struct Pictures {
    kept: Mutex<VecDeque<(String, Source)>>,
}

impl Pictures {
    /// All that a display list shows of pictures, as far as `shown` does not have it: those of
    /// backdrops, held ones, and those placed on them.
    pub async fn wanted(
        &self,
        app: &App,
        backdrops: &[&BackdropView],
        list: &DisplayList,
        mut shown: Shown,
    ) -> Result<Shown> {
        for item in &list.items {
            match item {
                Item::Picture { source, .. } if !shown.backdrops.contains_key(source) => {
                    if let Some(found) = self.of_backdrop(app, backdrops, *source).await? {
                        shown.backdrops.insert(*source, found);
                    }
                }
                Item::Placed { placing, .. } => {
                    // Marks from another server name pictures that this one does not have.
                    if let Some(source) = self.placed(app, placing.picture).await? {
                        shown.placed.insert(placing.picture, source);
                    }
                }
                _ => {}
            }
        }
        Ok(shown)
    }

    /// A picture that is kept under this name.
    pub async fn placed(&self, app: &App, name: u64) -> Result<Option<Source>> {
        let find = move |conn: &Connection| placed::media_of(conn, name);
        match app.store.read(find).await? {
            Some(sha) => Ok(Some(self.open(app, sha).await?)),
            None => Ok(None),
        }
    }

    async fn of_backdrop(
        &self,
        app: &App,
        backdrops: &[&BackdropView],
        source: display::Source,
    ) -> Result<Option<Source>> {
        let id = match source {
            display::Source::Frozen(name) => return self.placed(app, name).await,
            display::Source::Backdrop(id) => id,
        };
        let Some(view) = backdrops.iter().find(|b| b.id == id) else {
            return Ok(None);
        };
        let id = id.0 as i64;
        let (file, poster) = app
            .store
            .read(move |conn| queries::look_of(conn, id))
            .await?;
        match &view.kind {
            BackdropKind::Picture { .. } => {
                let sha = file.ok_or(AppError::NotFound)?;
                Ok(Some(self.open(app, sha).await?))
            }
            BackdropKind::Document { pages } => {
                let sha = file.ok_or(AppError::NotFound)?;
                let opens = app.clone();
                let opened =
                    tokio::task::spawn_blocking(move || opens.documents.open(&opens, &sha));
                let document = opened
                    .await
                    .map_err(|e| AppError::Internal(e.to_string()))??;
                let number = (view.seen.page as usize).min(pages.len().saturating_sub(1));
                let width = pages.get(number).map_or(1.0, |p| f64::from(p.0));
                Ok(Some(Source::Page(PageOf {
                    document,
                    number,
                    width,
                })))
            }
            BackdropKind::Board(_) => Ok(None),
            // What it last looked like.
            _ => match poster {
                Some(sha) => Ok(Some(self.open(app, sha).await?)),
                None => Ok(None),
            },
        }
    }

    async fn open(&self, app: &App, sha: String) -> Result<Source> {
        if let Some(source) = self.kept(&sha) {
            return Ok(source);
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
        Ok(source)
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
