//! What is passed between presenter and participants.

use bozzetto_core::geometry::frames::{Held, Point};
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, PersonId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::swatch::ORIGINALS;
use bozzetto_core::people::pens;
use bozzetto_core::people::reach::{Does, Reach};
use bozzetto_core::sheets::step::{Op, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Page};
use bozzetto_core::stage::pane::Pane;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::ToServer;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::events::Heard;
use crate::script::{Given, given};

/// Somebody who is drawing just now: their number, and where their pen is, in CSS pixels of the picture area.
#[derive(Serialize, Tsify)]
pub struct Drawing {
    id: f64,
    x: f64,
    y: f64,
}

#[derive(Serialize, Tsify)]
pub struct AllDrawing(Vec<Drawing>);

/// A page that we serve, and that goes on: the others' browsers let nobody in.
fn kept_page<'a>(pane: &Pane<'a>) -> Option<&'a BackdropView> {
    let kept = |b: &&BackdropView| matches!(b.kind, BackdropKind::Page(Page::Kept { .. }));
    pane.backdrop
        .filter(kept)
        .filter(|b| b.seen.frozen.is_none())
}

impl Heard {
    /// See [`Heard::Reach`].
    pub(crate) fn reach(reach: Reach) -> Self {
        let nowhere = Point::new(0.0, 0.0);
        let (does, at, (dx, dy), key) = match reach.does {
            Does::Down(at) => ("down", at, (0.0, 0.0), String::new()),
            Does::Move(at) => ("move", at, (0.0, 0.0), String::new()),
            Does::Up(at) => ("up", at, (0.0, 0.0), String::new()),
            Does::Wheel { at, by } => ("wheel", at, by, String::new()),
            Does::Key(key) => ("key", nowhere, (0.0, 0.0), key),
        };
        Heard::Reach {
            id: reach.backdrop.0.to_string(),
            does,
            x: at.x,
            y: at.y,
            dx,
            dy,
            key,
        }
    }
}

#[wasm_bindgen]
impl Glass {
    /// Raises one's own hand, or takes it down.
    pub fn raise_hand(&mut self, raised: bool) {
        self.post.send(&ToServer::Raise(raised));
    }

    /// A participant's hand comes down.
    pub fn lower_hand(&mut self, id: f64) {
        self.post.send(&ToServer::Lower(PersonId(id as u64)));
    }

    /// A participant may draw on the stage, or not any more; without a number all of them.
    pub fn pass_pen(&mut self, id: Option<f64>, pen: bool) {
        let to = id.map(|id| PersonId(id as u64));
        self.post.send(&ToServer::PassPen { to, pen });
    }

    /// A participant may operate the page on stage; without a number nobody.
    pub fn pass_hand(&mut self, id: Option<f64>) {
        let to = id.map(|id| PersonId(id as u64));
        self.post.send(&ToServer::PassHand { to });
    }

    /// The hand that was passed to whoever has this page does something at a place, in CSS pixels of the picture area:
    /// `down`, `move`, `up`, or `wheel`, by so many CSS pixels. `false` where no page is that can be operated.
    pub fn reach(&mut self, x: f64, y: f64, does: &str, dx: f64, dy: f64) -> bool {
        let at = self.glass_point(x, y);
        let panes = self.panes();
        let page = panes.iter().find_map(|pane| {
            let page = kept_page(pane).filter(|_| pane.room.contains(at))?;
            let held = page.view(&pane.room).inverse()?.apply(at);
            Some((page.id, held, page.view(&pane.room).mean_scale()))
        });
        let Some((backdrop, at, scale)) = page else {
            return false;
        };
        // From CSS pixels here to those of the page.
        let fine = scale * self.picture.scale;
        let does = match does {
            "down" => Does::Down(at),
            "up" => Does::Up(at),
            "wheel" => Does::Wheel {
                at,
                by: (dx / fine, dy / fine),
            },
            _ => Does::Move(at),
        };
        self.post.send(&ToServer::Reach(Reach { backdrop, does }));
        true
    }

    /// The same for a key, which is for the first page on stage.
    pub fn reach_key(&mut self, key: String) -> bool {
        let panes = self.panes();
        let Some(backdrop) = panes.iter().find_map(|pane| Some(kept_page(pane)?.id)) else {
            return false;
        };
        let does = Does::Key(key);
        self.post.send(&ToServer::Reach(Reach { backdrop, does }));
        true
    }

    /// The participant's screen that is this backdrop has so many pixels now. Whoever follows has no state of the stage
    /// in which that could be shown beforehand, so it is said and then heard.
    pub fn screen_has_size(&mut self, id: &str, width: u32, height: u32) {
        let Some(known) = self.backdrop(id) else {
            return;
        };
        let (width, height) = known.kind.units_of(width, height);
        if (known.width, known.height) == (width, height) {
            return;
        }
        let size = StageStep::Size {
            backdrop: known.id,
            width,
            height,
        };
        let id = ChangeId(self.session.ids.next_id());
        let intent = Intent::Stage(vec![size]);
        self.post.send(&ToServer::Act { id, intent });
    }

    /// Whoever has this page has a pen of this colour now, and touches only what is their own.
    pub fn take_pen(&mut self, colour: u32) {
        self.be_guest();
        let pens = ORIGINALS.into_iter().filter(|swatch| swatch.stay.is_none());
        self.prefs.settings.swatches = pens
            .take(2)
            .map(|mut swatch| {
                swatch.colour = pens::colour(colour);
                swatch
            })
            .collect();
        self.stale.changed = true;
    }

    /// Wipes what a participant has drawn on the sheets in view; `false` when there is nothing.
    pub fn wipe_of(&mut self, id: f64) -> bool {
        let author = AuthorId(id as u64);
        let mut steps = Vec::new();
        for seen in self.in_view() {
            let marks = self.replica.sheets().sheet(seen.sheet).marks();
            for mark in marks.filter(|mark| mark.author == author) {
                let op = Op::Remove(mark.id);
                steps.push(Step {
                    sheet: seen.sheet,
                    op,
                });
            }
        }
        !steps.is_empty() && self.act(Intent::Do(steps))
    }

    /// Who else is drawing.
    pub fn drawing(&self) -> Given<AllDrawing> {
        let (own, views, scale) = (self.replica.author(), self.in_view(), self.picture.scale);
        let place = |author: AuthorId, sheet, at: Point<Held>| {
            let seen = views.iter().find(|v| v.sheet == sheet)?;
            let at = seen.view.apply(at);
            Some(Drawing {
                id: author.0 as f64,
                x: at.x * scale,
                y: at.y * scale,
            })
        };
        let strokes = self.picture.wet.iter().filter_map(|(_, stroke)| {
            let at = stroke.transform.apply(stroke.tip()?);
            place(stroke.author, stroke.sheet, at)
        });
        let shapes = self.picture.wet.shapes().filter_map(|shape| {
            let around = shape.mark.bounds();
            let at = Point::new(around.x1, around.y1);
            place(shape.mark.author, shape.sheet, at)
        });
        let all = strokes.chain(shapes).filter(|one| one.id != own.0 as f64);
        given(AllDrawing(all.collect()))
    }
}
