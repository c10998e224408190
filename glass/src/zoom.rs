//! Seeing the picture larger: the presenter's backdrop, or a participant's own view of the stage.

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Pixels, Point, Rect, Size};
use bozzetto_core::geometry::zoom::{Zoom, whole_pixels};
use bozzetto_core::marks::swatch::ORIGINALS;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// A participant's own view: the room that the stage is seen in, and how.
pub struct Own {
    room: Size<Pixels>,
    zoom: Zoom,
}

#[wasm_bindgen]
impl Glass {
    /// Where the picture area lies in a room of so many CSS pixels: left, top, width, height.
    pub fn place(&self, width: f64, height: f64) -> Vec<f64> {
        let r = whole_pixels(self.aspect(), Size::<Pixels>::new(width, height));
        vec![r.x0, r.y0, r.width(), r.height()]
    }

    /// A participant's room, in CSS pixels. From now on zooming changes the participant's own view.
    pub fn set_room(&mut self, width: f64, height: f64) {
        let zoom = self.stage.own.as_ref().map_or(Zoom::WHOLE, |own| own.zoom);
        let room = Size::new(width.max(1.0), height.max(1.0));
        let zoom = zoom.settled(self.picture.area, room);
        self.stage.own = Some(Own { room, zoom });
    }

    /// The picture area has the shape of a room of so many CSS pixels, and how it is seen concerns this page alone: a
    /// worksheet, whose marks are held by its backdrop.
    pub fn fill_room(&mut self, width: f64, height: f64) {
        self.stage.alone = true;
        self.picture.area = Size::glass(width.max(1.0), height.max(1.0));
        // What is handed in stays.
        let stays = ORIGINALS.into_iter().filter(|swatch| swatch.stay.is_none());
        let each = stays.map(|swatch| swatch.for_screen(width));
        self.prefs.settings.swatches = each.collect();
        self.stale.view = true;
    }

    /// How a participant sees the stage: where its corner lies, how wide and how high it is, in CSS pixels of
    /// the room.
    pub fn own_view(&self) -> Vec<f64> {
        self.stage.own.as_ref().map_or_else(Vec::new, |own| {
            let map = own.zoom.map(self.picture.area, own.room);
            let corner = map.apply(Point::new(0.0, 0.0));
            vec![
                corner.x,
                corner.y,
                self.picture.area.width * map.mean_scale(),
                self.picture.area.height * map.mean_scale(),
            ]
        })
    }

    /// How much larger than whole: 1 for whole.
    pub fn zoomed(&self) -> f64 {
        match (&self.stage.own, self.active_backdrop()) {
            (Some(own), _) => own.zoom.by,
            (None, Some(backdrop)) => backdrop.seen.zoom.by,
            (None, None) => 1.0,
        }
    }

    /// Whether the picture is as it comes: nothing enlarged, and a board at its upper end.
    pub fn is_whole(&self) -> bool {
        match (&self.stage.own, self.active_backdrop()) {
            (Some(own), _) => own.zoom.by == 1.0,
            (None, Some(backdrop)) => self
                .room_of(backdrop.id)
                .is_none_or(|room| backdrop.is_whole(&room)),
            (None, None) => true,
        }
    }

    /// Enlarges by a factor; what is at (x, y) stays there. In CSS pixels, of the room for a
    /// participant and of the picture area for a presenter.
    pub fn zoom_by(&mut self, by: f64, x: f64, y: f64) {
        if let Some(own) = &mut self.stage.own {
            let zoom = own
                .zoom
                .enlarged(by, Point::new(x, y), self.picture.area, own.room);
            own.zoom = zoom.settled(self.picture.area, own.room);
            self.stale.view = true;
            return;
        }
        let at = self.glass_point(x, y);
        self.zoom_backdrop(|zoom, size, room| {
            let at = Point::new(at.x - room.x0, at.y - room.y0);
            zoom.enlarged(by, at, size, room.size())
        });
    }

    /// Moves what is seen by so many CSS pixels.
    pub fn move_by(&mut self, dx: f64, dy: f64) {
        if let Some(own) = &mut self.stage.own {
            let zoom = own.zoom.moved(dx, dy, self.picture.area, own.room);
            own.zoom = zoom.settled(self.picture.area, own.room);
            self.stale.view = true;
            return;
        }
        let (dx, dy) = (dx / self.picture.scale, dy / self.picture.scale);
        self.zoom_backdrop(|zoom, size, room| zoom.moved(dx, dy, size, room.size()));
    }

    /// Whole again.
    pub fn zoom_whole(&mut self) {
        if let Some(own) = &mut self.stage.own {
            own.zoom = Zoom::WHOLE;
            self.stale.view = true;
            return;
        }
        self.zoom_backdrop(|_, _, _| Zoom::WHOLE);
    }
}

impl Glass {
    /// Changes how large the backdrop in the pane in use is seen.
    pub(crate) fn zoom_backdrop(
        &mut self,
        change: impl FnOnce(Zoom, Size<Held>, &Rect<GlassFrame>) -> Zoom,
    ) {
        let Some(backdrop) = self.active_backdrop() else {
            return;
        };
        let Some(room) = self.room_of(backdrop.id) else {
            return;
        };
        let zoom = change(backdrop.seen.zoom, backdrop.size(&room), &room);
        let id = backdrop.id.0.to_string();
        self.see(&id, |seen| seen.zoom = zoom);
    }
}
