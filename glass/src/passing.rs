//! What is passed between presenter and participants.

use bozzetto_core::geometry::frames::{Held, Point};
use bozzetto_core::geometry::ids::{AuthorId, PersonId};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::swatch::ORIGINALS;
use bozzetto_core::people::pens;
use bozzetto_core::sheets::step::{Op, Step};
use bozzetto_core::wire::ToServer;
use serde::Serialize;
use tsify::Tsify;
use wasm_bindgen::prelude::*;

use crate::Glass;
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
