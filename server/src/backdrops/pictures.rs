//! Which files the pictures of a display list are: those of backdrops, held ones, and placed ones.

use bozzetto_core::display::{self, DisplayList, Item};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView};
use bozzetto_press::picture;
use rusqlite::Connection;

use super::queries;
use crate::app::App;
use crate::error::{AppError, Result};
use crate::render::job::{File, Shows, Which};
use crate::stage::placed;

/// All that a display list shows of pictures, with `frames` for what is held at a frame that came
/// along.
pub async fn wanted(
    app: &App,
    backdrops: &[&BackdropView],
    list: &DisplayList,
    frames: &[(display::Source, File)],
) -> Result<Vec<(Which, Shows)>> {
    let mut pictures: Vec<(Which, Shows)> = Vec::new();
    for item in list.each() {
        let which = match item {
            Item::Picture { source, .. } => Which::Backdrop(*source),
            Item::Placed { placing, .. } => Which::Placed(placing.picture),
            Item::Fill { .. } | Item::Group(_) => continue,
        };
        if pictures.iter().any(|(known, _)| *known == which) {
            continue;
        }
        let shows = match which {
            Which::Backdrop(source) => match frames.iter().find(|(of, _)| *of == source) {
                Some((_, file)) => Some(Shows::Picture(file.clone())),
                None => of_backdrop(app, backdrops, source).await?,
            },
            // Marks from another server name pictures that this one does not have.
            Which::Placed(name) => placed_file(app, name).await?.map(Shows::Picture),
        };
        pictures.extend(shows.map(|shows| (which, shows)));
    }
    Ok(pictures)
}

/// The picture that is kept under this name.
pub async fn placed_file(app: &App, name: u64) -> Result<Option<File>> {
    let find = move |conn: &Connection| placed::media_of(conn, name);
    let sha = app.store.read(find).await?;
    Ok(sha.map(|sha| app.media.file(&sha)))
}

async fn of_backdrop(
    app: &App,
    backdrops: &[&BackdropView],
    source: display::Source,
) -> Result<Option<Shows>> {
    let id = match source {
        display::Source::Frozen(name) => {
            return Ok(placed_file(app, name).await?.map(Shows::Picture));
        }
        display::Source::Backdrop(id) => id,
        // Made of the picture itself, where it is printed.
        display::Source::Hidden(_) => return Ok(None),
    };
    let Some(view) = backdrops.iter().find(|b| b.id == id) else {
        return Ok(None);
    };
    let id = id.0 as i64;
    let look = app.store.read(move |conn| queries::look_of(conn, id));
    let (file, poster) = look.await?;
    let picture = |sha: String| Shows::Picture(app.media.file(&sha));
    Ok(match &view.kind {
        BackdropKind::Picture { .. } => Some(picture(file.ok_or(AppError::NotFound)?)),
        BackdropKind::Document { pages } => {
            let file = app.media.file(&file.ok_or(AppError::NotFound)?);
            let page = (view.seen.page as usize).min(pages.len().saturating_sub(1));
            let width = pages.get(page).map_or(1.0, |p| f64::from(p.0));
            Some(Shows::Page { file, page, width })
        }
        BackdropKind::Board(_) => None,
        // What it last looked like.
        BackdropKind::Video { .. }
        | BackdropKind::Page(_)
        | BackdropKind::Camera { .. }
        | BackdropKind::Share => poster.map(picture),
    })
}

/// How much memory the pictures take once they are read, in bytes.
pub fn memory(pictures: &[(Which, Shows)]) -> u64 {
    let files = pictures.iter().filter_map(|(_, shows)| match shows {
        Shows::Picture(file) => Some(&file.path),
        Shows::Page { .. } => None,
    });
    files.map(|path| memory_of(path)).sum::<u64>() + 64 * 1024 * 1024
}

/// How much memory a picture takes once it is read, in bytes: of vector pictures nobody knows.
pub fn memory_of(path: &std::path::Path) -> u64 {
    let pixels = |(w, h): (u32, u32)| u64::from(w) * u64::from(h);
    let bytes = std::fs::metadata(path).map_or(0, |m| m.len());
    picture::size(path).map_or(0, pixels) * 4 + bytes
}
