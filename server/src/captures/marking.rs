//! A capture is marked on a stage of its own: a lesson that is in no list and that nobody can join, with the capture's
//! picture on it. When that is over, its marks are the capture's, and it is gone.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use axum::extract::{Path, State};
use axum::response::Redirect;
use bozzetto_core::capture::marking::OnBench;
use bozzetto_core::capture::moment::{Bench, Cut};
use bozzetto_core::capture::way::Way;
use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use rusqlite::{Connection, OptionalExtension};
use tokio::sync::OwnedMutexGuard;

use super::routes::find;
use super::{queries, take};
use crate::app::App;
use crate::backdrops;
use crate::backdrops::queries::Whither;
use crate::error::{AppError, Result};
use crate::lessons::queries as lessons;
use crate::live::lesson::Command;
use crate::live::log;
use crate::media;
use crate::store;

/// Lets one at a time end the marking of a capture.
#[derive(Clone, Default)]
pub struct Ending(Arc<Mutex<HashMap<i64, Arc<tokio::sync::Mutex<()>>>>>);

impl Ending {
    async fn lock(&self, capture: i64) -> OwnedMutexGuard<()> {
        let own = {
            let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            all.retain(|_, one| Arc::strong_count(one) > 1);
            all.entry(capture).or_default().clone()
        };
        own.lock_owned().await
    }
}

/// Goes on with what was begun, or begins.
pub async fn begin(
    State(app): State<App>,
    Path((lesson, id)): Path<(i64, i64)>,
) -> Result<Redirect> {
    let c = find(&app, lesson, id).await?;
    let begun = app.store.read(move |conn| stage_of(conn, id)).await?;
    let stage = match begun {
        Some(stage) => stage,
        None => prepare(&app, lesson, id, c.name).await?,
    };
    Ok(Redirect::to(&format!("/lessons/{stage}/stage")))
}

/// What was drawn there is the capture's from now on.
pub async fn end(State(app): State<App>, Path(stage): Path<i64>) -> Result<Redirect> {
    let of = app.store.read(move |conn| capture_of(conn, stage)).await?;
    let (lesson, id) = of.ok_or(AppError::NotFound)?;
    settle(&app, lesson, id).await?;
    Ok(Redirect::to(&format!(
        "/lessons/{lesson}/captures/{id}/bench"
    )))
}

/// How long whoever comes from the stage waits for it to say that nobody is there any more: so often, for so long.
const LEAVING: (u32, Duration) = (10, Duration::from_millis(50));

/// How often what was drawn meanwhile is taken up, at the end of the marking.
const TRIES: usize = 10;

/// Ends the marking of a capture, unless somebody is at it.
pub async fn settle_if_left(app: &App, lesson: i64, id: i64) -> Result<()> {
    let Some(stage) = app.store.read(move |conn| stage_of(conn, id)).await? else {
        return Ok(());
    };
    for _ in 0..LEAVING.0 {
        if !app.live.is_used(stage).await {
            return settle(app, lesson, id).await;
        }
        tokio::time::sleep(LEAVING.1).await;
    }
    Ok(())
}

/// Ends the marking of a capture, if it was begun: before something is hidden in it, for one.
///
/// # Errors
/// When somebody goes on drawing there.
pub async fn settle(app: &App, lesson: i64, id: i64) -> Result<()> {
    // Two at once could each leave out what the other has seen.
    let _alone = app.marking.lock(id).await;
    let Some(stage) = app.store.read(move |conn| stage_of(conn, id)).await? else {
        return Ok(());
    };
    // Somebody may be drawing there: again, until all of it is the capture's.
    for _ in 0..TRIES {
        let look = app.live.look(stage).await?;
        let area = take::made_from(app, lesson, id).await?.cut.drawn();
        if let Some(backdrop) = look.order.first() {
            let room = Rect::of_size(Size::glass(look.aspect.0, look.aspect.1));
            let on_bench = OnBench {
                backdrop,
                room,
                area,
            };
            let marks = on_bench.drawn(&look.sheets);
            let marked = |mut cut: Cut| {
                cut.bench.marks.clone_from(&marks);
                cut
            };
            take::make_anew(app, lesson, id, marked, false).await?;
        }
        let seq = look.seq;
        let removed = app.store.write(move |conn| remove(conn, stage, seq));
        if let Some(unused) = removed.await? {
            app.live.tell(stage, Command::Deleted).await;
            media::remove_unused(app, unused).await?;
            return Ok(());
        }
    }
    Err(AppError::Busy(
        "Somebody is drawing on this capture just now. Try again in a moment.".to_owned(),
    ))
}

/// Makes the stage; gives its lesson.
async fn prepare(app: &App, lesson: i64, id: i64, name: String) -> Result<i64> {
    let mut from = take::made_from(app, lesson, id).await?;
    let bench = std::mem::take(&mut from.cut.bench);
    from.cut.area = Cut {
        bench: bench.clone(),
        ..from.cut.clone()
    }
    .drawn();
    let area = from.cut.area;
    from.cut = Cut {
        // Beyond an outline there is paper to draw on, too.
        way: Way::Box,
        bench: Bench {
            hidden: bench.hidden,
            ..Bench::default()
        },
        ..from.cut
    };
    let made = take::picture(app, lesson, &from).await?;
    let bytes = app.media.read(&made.picture.sha)?;
    let shown = name.clone();
    // Deleted until it is complete: then it is the capture's, and not before.
    let new = move |conn: &Connection| {
        let stage = lessons::create_empty(conn, &name, "class")?;
        // So long ago that it is gone when the server starts again before that.
        conn.execute("UPDATE lesson SET deleted_at = 0 WHERE id = ?1", [stage])?;
        Ok(stage)
    };
    let stage = app.store.write(new).await?;
    let file = format!("{shown}.png");
    let whither = Whither::Lesson(stage);
    let added = backdrops::add(app, whither, &file, &bytes, None, None).await?;
    let backdrop = added.map_err(AppError::Unusable)?;
    let before = drawn_before(app, BackdropId(backdrop as u64), area, &bench.marks).await?;
    let begin = move |conn: &Connection| {
        // Pressed twice, it is begun once.
        if let Some(begun) = stage_of(conn, id)? {
            // Nothing of this one stays: something in its picture may be hidden later.
            conn.execute("DELETE FROM lesson WHERE id = ?1", [stage])?;
            return Ok(begun);
        }
        // Nobody has been there: it is the first change.
        log::append(
            conn,
            stage,
            &before.map_or(Vec::new(), |change| vec![(1, change)]),
        )?;
        lessons::set_deleted(conn, stage, false)?;
        conn.execute(
            "UPDATE lesson SET marks_capture = ?2 WHERE id = ?1",
            [stage, id],
        )?;
        Ok(stage)
    };
    Ok(app.store.write(begin).await?)
}

/// The change with which what was drawn before is there again.
async fn drawn_before(
    app: &App,
    backdrop: BackdropId,
    area: Rect<Glass>,
    marks: &[Mark],
) -> Result<Option<Change>> {
    let shown = app
        .store
        .read(move |conn| backdrops::queries::one(conn, backdrop.0 as i64));
    let shown = shown.await?.ok_or(AppError::NotFound)?;
    let on_bench = OnBench {
        backdrop: &shown,
        room: Rect::of_size(Size::glass(16.0, 9.0)),
        area,
    };
    let steps: Vec<Step> = on_bench
        .to_draw_on(marks)
        .into_iter()
        .map(|mark| Step {
            sheet: SheetId::Backdrop(backdrop),
            op: Op::Add(mark),
        })
        .collect();
    Ok((!steps.is_empty()).then(|| Change {
        id: ChangeId(rand::random()),
        author: AuthorId(0),
        at: crate::now() as u64,
        what: What::Marks {
            deed: Deed::Do,
            steps,
        },
    }))
}

/// The lesson in which a capture is being marked.
fn stage_of(conn: &Connection, capture: i64) -> store::Result<Option<i64>> {
    let stage = conn
        .prepare_cached("SELECT id FROM lesson WHERE marks_capture = ?1")?
        .query_row([capture], |row| row.get(0));
    Ok(stage.optional()?)
}

/// The capture that is marked in a lesson, and its own lesson.
pub fn capture_of(conn: &Connection, stage: i64) -> store::Result<Option<(i64, i64)>> {
    let of = conn
        .prepare_cached(
            "SELECT c.lesson, c.id FROM capture c JOIN lesson l ON l.marks_capture = c.id WHERE l.id = ?1",
        )?
        .query_row([stage], |row| Ok((row.get(0)?, row.get(1)?)));
    Ok(of.optional()?)
}

/// Removes a stage, at once. Gives the names of the files that it had; `None`, and nothing is removed, when something
/// has come after change `seq`.
fn remove(conn: &Connection, stage: i64, seq: u64) -> store::Result<Option<Vec<String>>> {
    let more = conn
        .prepare_cached("SELECT 1 FROM change WHERE lesson = ?1 AND seq > ?2")?
        .exists([stage, seq as i64])?;
    if more {
        return Ok(None);
    }
    let mut files: Vec<String> = conn
        .prepare_cached(
            "SELECT media FROM backdrop WHERE lesson = ?1 AND media IS NOT NULL
             UNION SELECT poster FROM backdrop WHERE lesson = ?1 AND poster IS NOT NULL",
        )?
        .query_map([stage], |row| row.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    for c in queries::of_lesson(conn, stage)? {
        files.extend([c.media, c.thumbnail]);
    }
    conn.execute(
        "DELETE FROM lesson WHERE id = ?1 AND marks_capture IS NOT NULL",
        [stage],
    )?;
    Ok(Some(files))
}
