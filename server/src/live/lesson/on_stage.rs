//! What is on stage, for presenters and for participants.

use std::sync::Arc;

use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::marks::mark::{Body, Mark};
use bozzetto_core::marks::picture::Placed;
use bozzetto_core::sheets::change::SheetId;
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::MOST_PAGES;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::wire::{FromServer, LessonView, OnStage, Stage, TakeAway};
use rusqlite::params;
use tokio::time::Instant;

use super::{Held, Lesson, Look, MOMENT, Role, Shown};
use crate::backdrops::begin_if_bare;
use crate::backdrops::queries as backdrops;
use crate::live::log::{self, Outline};

impl Lesson {
    /// Has this on stage. What is not in the running order changes nothing.
    pub(super) async fn arrange(&mut self, current: BackdropId, beside: Option<Beside>) {
        let known = |id| self.outline.order.iter().any(|b| b.id == id);
        let beside = beside
            .filter(|b| b.backdrop != current && known(b.backdrop))
            .map(Beside::settled);
        if !known(current) || (self.outline.current, self.outline.beside) == (Some(current), beside)
        {
            return;
        }
        self.outline.current = Some(current);
        self.outline.beside = beside;
        let id = self.id;
        let kept = self.store.write(move |conn| {
            let (other, divider) =
                beside.map_or((None, 0.5), |b| (Some(b.backdrop.0 as i64), b.divider));
            conn.execute(
                "UPDATE lesson SET current = ?1, beside = ?2, divider = ?3 WHERE id = ?4",
                params![current.0 as i64, other, divider, id],
            )?;
            Ok(())
        });
        if let Err(e) = kept.await {
            tracing::error!("lesson {id}: what is on stage is not kept: {e}");
        }
        self.tell_stage();
    }

    /// The divider between the two panes is moved.
    pub(super) async fn divide(&mut self, divider: f64) {
        if let (Some(current), Some(beside)) = (self.outline.current, self.outline.beside) {
            self.arrange(current, Some(Beside { divider, ..beside }))
                .await;
        }
    }

    /// A presenter sees a backdrop otherwise: larger, another page, another moment, held.
    pub(super) fn see(&mut self, author: AuthorId, backdrop: BackdropId, seen: ViewState) {
        let room = self.room_of(backdrop);
        let Some(view) = self.outline.order.iter_mut().find(|b| b.id == backdrop) else {
            return;
        };
        let seen = seen.settled(view, &room);
        let other_page = view.seen.page != seen.page;
        view.seen = seen.clone();
        self.note_seen(backdrop, seen.clone());
        let on_stage = self.is_on_stage(backdrop);
        let message = FromServer::See {
            author,
            backdrop,
            seen: Box::new(seen),
        };
        self.tell_everybody(&message, !on_stage || other_page);
        if on_stage && other_page {
            // Participants have only the sheets that they see.
            self.tell_participants(&FromServer::OnStage(Box::new(self.on_stage())));
        }
    }

    /// The pane that a backdrop is in, or would be.
    fn room_of(&self, backdrop: BackdropId) -> Rect<Glass> {
        let area = Size::glass(self.outline.aspect.0, self.outline.aspect.1);
        let divider = self.outline.beside.map(|b| b.divider);
        let number = usize::from(self.outline.beside.is_some_and(|b| b.backdrop == backdrop));
        let rooms = bozzetto_core::stage::pane::rooms(area, divider);
        if self.is_on_stage(backdrop) {
            rooms[number.min(rooms.len() - 1)]
        } else {
            Rect::of_size(area)
        }
    }

    fn is_on_stage(&self, backdrop: BackdropId) -> bool {
        self.outline.current == Some(backdrop)
            || self.outline.beside.is_some_and(|b| b.backdrop == backdrop)
    }

    /// To be written down in a moment, together with what else comes until then.
    fn note_seen(&mut self, backdrop: BackdropId, seen: ViewState) {
        self.seen.insert(backdrop, seen);
        self.seen_due.get_or_insert(Instant::now() + MOMENT);
    }

    /// Writes down how backdrops are seen.
    pub(super) async fn keep_seen(&mut self) {
        self.seen_due = None;
        let seen: Vec<_> = std::mem::take(&mut self.seen).into_iter().collect();
        let kept = self
            .store
            .write(move |conn| log::keep_seen(conn, &seen))
            .await;
        if let Err(e) = kept {
            tracing::warn!("lesson {}: how things are seen is not kept: {e}", self.id);
        }
    }

    /// Begins a further page of a board, and shows it.
    pub(super) async fn new_page(&mut self, backdrop: BackdropId) {
        let Some(view) = self.outline.order.iter_mut().find(|b| b.id == backdrop) else {
            return;
        };
        let BackdropKind::Board(board) = &mut view.kind else {
            return;
        };
        if board.pages >= MOST_PAGES {
            return;
        }
        board.pages += 1;
        view.seen.page = board.pages - 1;
        view.seen.zoom = Zoom::WHOLE;
        let (seen, kind) = (view.seen.clone(), view.kind.clone());
        self.note_seen(backdrop, seen);
        self.set_kind(backdrop, kind).await;
        self.tell_stage();
    }

    /// A camera or a shared screen has so many pixels.
    pub(super) async fn size(&mut self, backdrop: BackdropId, width: u32, height: u32) {
        let fits = |v: u32| (16..=16_384).contains(&v);
        let Some(view) = self.outline.order.iter_mut().find(|b| b.id == backdrop) else {
            return;
        };
        let (w, h) = (f64::from(width), f64::from(height));
        if !view.kind.streams()
            || !fits(width)
            || !fits(height)
            || (view.width, view.height) == (w, h)
        {
            return;
        }
        (view.width, view.height) = (w, h);
        let kept = self.store.write(move |conn| {
            conn.execute(
                "UPDATE backdrop SET width = ?1, height = ?2 WHERE id = ?3",
                params![w, h, backdrop.0 as i64],
            )?;
            Ok(())
        });
        if let Err(e) = kept.await {
            tracing::warn!("lesson {}: a size is not kept: {e}", self.id);
        }
        self.tell_stage();
    }

    async fn set_kind(&self, backdrop: BackdropId, kind: BackdropKind) {
        let kept = self.store.write(move |conn| {
            conn.execute(
                "UPDATE backdrop SET kind = ?1 WHERE id = ?2",
                params![backdrops::json(&kind)?, backdrop.0 as i64],
            )?;
            Ok(())
        });
        if let Err(e) = kept.await {
            tracing::error!("lesson {}: a board's page is not kept: {e}", self.id);
        }
    }

    pub(super) async fn pause(&mut self, paused: bool) {
        if paused == self.outline.paused {
            return;
        }
        if paused {
            let mut on_stage = self.on_stage();
            self.stop_films(&mut on_stage.backdrops);
            self.held = Some(Held {
                on_stage,
                take_aways: self.take_aways.clone(),
                name: self.outline.name.clone(),
            });
            self.tell_participants(&FromServer::Paused(true));
        }
        self.outline.paused = paused;
        self.set("paused", i64::from(paused)).await;
        if paused {
            self.set("paused_at", crate::now()).await;
        }
        self.tell_presenters(&FromServer::Lesson(self.view()));
        if !paused {
            self.held = None;
            self.tell_participants(&FromServer::Paused(false));
            self.tell_participants(&FromServer::OnStage(Box::new(self.on_stage())));
            self.tell_participants(&FromServer::TakeAways(self.take_aways.clone()));
            self.want_keys();
        }
    }

    /// What participants go on seeing stands still, while the presenter's own plays on.
    fn stop_films(&self, stage: &mut Stage) {
        let now = crate::now() as u64;
        for view in stage.each_mut().filter_map(|b| b.stop(now).then_some(b)) {
            self.tell_participants(&FromServer::See {
                // Nobody's doing.
                author: AuthorId(0),
                backdrop: view.id,
                seen: Box::new(view.seen.clone()),
            });
        }
    }

    pub(super) async fn set(&self, column: &'static str, value: i64) {
        let id = self.id;
        let kept = self
            .store
            .write(move |conn| {
                conn.execute(
                    &format!("UPDATE lesson SET {column} = ?1 WHERE id = ?2"),
                    params![value, id],
                )?;
                Ok(())
            })
            .await;
        if let Err(e) = kept {
            tracing::error!("lesson {id}: {column} is not kept: {e}");
        }
    }

    fn somebody_presents(&self) -> bool {
        let mut all = self.connections.values();
        all.any(|c| matches!(c.role, Role::Presenter))
    }

    /// Takes the running order and the name from the database again.
    pub(super) async fn reload(&mut self, goto: Option<BackdropId>) {
        let id = self.id;
        if self.somebody_presents()
            && let Err(e) = self.store.write(move |conn| begin_if_bare(conn, id)).await
        {
            tracing::warn!("lesson {id}: a board could not begin: {e}");
        }
        match self.store.read(move |conn| log::outline(conn, id)).await {
            Ok(Some(outline)) => {
                let before = (self.outline.current, self.outline.beside);
                // What is on stage is this task's to say.
                let current = self
                    .outline
                    .current
                    .filter(|c| outline.order.iter().any(|b| b.id == *c));
                let there = |b: &Beside| outline.order.iter().any(|o| o.id == b.backdrop);
                let current = current.or(outline.current);
                let beside = self.outline.beside.filter(there);
                let beside = beside.filter(|b| Some(b.backdrop) != current);
                self.outline = Outline {
                    current,
                    beside,
                    ..outline
                };
                // What has not been written down yet is still so.
                for (id, seen) in &self.seen {
                    if let Some(view) = self.outline.order.iter_mut().find(|b| b.id == *id) {
                        view.seen = seen.clone();
                    }
                }
                match goto {
                    Some(next) if !self.is_on_stage(next) => self.arrange(next, beside).await,
                    _ if before != (self.outline.current, self.outline.beside) => self.tell_stage(),
                    _ => self.tell_presenters(&FromServer::Lesson(self.view())),
                }
            }
            Ok(None) => {}
            Err(e) => tracing::error!("lesson {id} could not be read again: {e}"),
        }
    }

    pub(super) async fn captures_changed(&mut self) {
        let id = self.id;
        match self
            .store
            .read(move |conn| crate::captures::handed_out(conn, id, None))
            .await
        {
            Ok(take_aways) => self.take_aways = take_aways,
            Err(e) => tracing::error!("lesson {id}: captures could not be read: {e}"),
        }
        self.tell_presenters(&FromServer::Captures);
        if let Some(held) = &mut self.held {
            // Nothing new while it is paused; but what is taken back is gone.
            let there = |t: &TakeAway| self.take_aways.iter().any(|n| n.id == t.id);
            let before = held.take_aways.len();
            held.take_aways.retain(there);
            if held.take_aways.len() < before {
                let left = FromServer::TakeAways(held.take_aways.clone());
                self.tell_participants_even_paused(&left);
            }
        }
        self.tell_participants(&FromServer::TakeAways(self.take_aways.clone()));
    }

    pub(super) fn view(&self) -> LessonView {
        LessonView {
            name: self.outline.name.clone(),
            aspect: self.outline.aspect,
            order: self.outline.order.clone(),
            current: self.outline.current,
            beside: self.outline.beside,
            paused: self.outline.paused,
        }
    }

    /// The backdrops on stage.
    pub(super) fn stage(&self) -> Stage {
        let find = |id| self.outline.order.iter().find(|b| b.id == id).cloned();
        Stage {
            current: self.outline.current.and_then(find),
            beside: self
                .outline
                .beside
                .and_then(|b| Some((find(b.backdrop)?, b.divider))),
        }
    }

    pub(super) fn in_view(&self, sheet: SheetId) -> bool {
        let Some(id) = sheet.backdrop() else {
            return true;
        };
        let mut order = self.outline.order.iter();
        self.is_on_stage(id) && order.any(|b| b.id == id && b.sheets().any(|s| s == sheet))
    }

    /// What participants see: the backdrops on stage and the marks in view, and nothing of what
    /// comes later in the running order.
    pub(super) fn on_stage(&self) -> OnStage {
        let stage = self.stage().for_participants();
        let ids: Vec<SheetId> = stage
            .each()
            .flat_map(BackdropView::sheets)
            .chain([SheetId::Glass])
            .collect();
        OnStage {
            seq: self.seq,
            backdrops: stage,
            sheets: self.marks_of(&ids),
            wet: self.wet_so_far(Some(&ids)),
        }
    }

    pub(super) fn shown_to_participants(&self) -> Shown {
        let of_marks = |sheets: &[(SheetId, Vec<Arc<Mark>>)]| -> Vec<Placed> {
            let marks = sheets.iter().flat_map(|(_, marks)| marks);
            marks.filter_map(|mark| placed(mark)).collect()
        };
        if let Some(held) = &self.held {
            return Shown {
                stage: held.on_stage.backdrops.clone(),
                placed: of_marks(&held.on_stage.sheets),
                take_aways: held.take_aways.clone(),
            };
        }
        let stage = self.stage();
        let ids = stage.each().flat_map(BackdropView::sheets);
        let ids = ids.chain([SheetId::Glass]);
        let marks = ids.flat_map(|id| self.sheets.sheet(id).marks());
        Shown {
            placed: marks.filter_map(|mark| placed(mark)).collect(),
            take_aways: self.take_aways.clone(),
            stage,
        }
    }

    pub(super) fn look(&self) -> Look {
        Look {
            sheets: self.sheets.clone(),
            seq: self.seq,
            name: self.outline.name.clone(),
            aspect: self.outline.aspect,
            order: self.outline.order.clone(),
            stage: self.stage(),
        }
    }
}

/// The picture that a mark is, if it is one.
fn placed(mark: &Mark) -> Option<Placed> {
    match &mark.body {
        Body::Picture(placed) => Some(*placed),
        _ => None,
    }
}
