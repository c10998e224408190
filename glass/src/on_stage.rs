//! What is on stage on this page, and which sheets are in view.

use std::collections::HashMap;

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Map, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::backdrop::BackdropView;
use bozzetto_core::stage::pane::{self, InView, Pane};
use bozzetto_core::stage::sight::Sight;
use bozzetto_core::stage::state::Stage;

use crate::Glass;
use crate::moments::Moments;
use crate::zoom::Own;

/// See the module's description.
#[derive(Default)]
pub(crate) struct OnStage {
    /// The backdrops on stage as they are shown.
    pub(crate) shown: Stage,
    /// The pane that the hand was on last.
    pub(crate) active: usize,
    /// Until when, by the server's clock, clocks have been heard.
    pub(crate) heard_until: Option<u64>,
    /// What goes along with a hand, and is not remembered yet.
    pub(crate) moments: Moments,
    /// A participant's own view.
    pub(crate) own: Option<Own>,
    /// How it is seen concerns nobody else: a worksheet.
    pub(crate) alone: bool,
    /// How many pixels those that run in this tab have to a backdrop unit.
    pub(crate) fine: HashMap<BackdropId, f64>,
}

impl OnStage {
    /// The panes of a picture area.
    pub(crate) fn panes(&self, area: Size<GlassFrame>) -> Vec<Pane<'_>> {
        self.shown.panes(area)
    }
}

impl Glass {
    pub(crate) fn panes(&self) -> Vec<Pane<'_>> {
        self.stage.panes(self.picture.area)
    }

    /// Lets something see what lies over the picture as it is seen.
    pub(crate) fn seeing<R>(&self, doing: impl FnOnce(&Sight) -> R) -> R {
        let panes = self.panes();
        doing(&Sight {
            area: self.picture.area,
            panes: &panes,
        })
    }

    /// The room of the pane in use.
    pub(crate) fn room_in_use(&self) -> Rect<GlassFrame> {
        let room = self.panes().get(self.active_pane()).map(|pane| pane.room);
        room.unwrap_or(Rect::of_size(self.picture.area))
    }

    /// The sheets in view, from the bottom up.
    pub(crate) fn in_view(&self) -> Vec<InView> {
        pane::in_view(self.picture.area, &self.panes())
    }

    /// How a sheet is seen; `None` when it is not in view.
    pub(crate) fn view_of(&self, sheet: SheetId) -> Option<Map<Held, GlassFrame>> {
        let seen = self.in_view().into_iter().find(|v| v.sheet == sheet)?;
        Some(seen.view)
    }

    /// The sheet that new things go on which no hand has put anywhere.
    pub(crate) fn active_view(&self) -> Option<InView> {
        let room = self.panes().get(self.active_pane())?.room;
        let in_view = self.in_view();
        let here = pane::at(&in_view, room.middle()).or(in_view.first());
        here.copied()
    }

    pub(crate) fn active_pane(&self) -> usize {
        self.stage
            .active
            .min(usize::from(self.stage.shown.beside.is_some()))
    }

    /// The backdrop in the pane in use.
    pub(crate) fn active_backdrop(&self) -> Option<&BackdropView> {
        match (&self.stage.shown.beside, self.active_pane()) {
            (Some((backdrop, _)), 1) => Some(backdrop),
            _ => self.stage.shown.current.as_ref(),
        }
    }

    /// A backdrop on stage.
    pub(crate) fn backdrop(&self, id: &str) -> Option<&BackdropView> {
        let id = id.parse().ok().map(BackdropId)?;
        self.stage.shown.each().find(|b| b.id == id)
    }

    /// The room of the pane that a backdrop is in.
    pub(crate) fn room_of(&self, id: BackdropId) -> Option<Rect<GlassFrame>> {
        let panes = self.panes();
        let is_it = |p: &&Pane| p.backdrop.is_some_and(|b| b.id == id);
        panes.iter().find(is_it).map(|p| p.room)
    }
}
