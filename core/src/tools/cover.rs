//! A cover under a hand, whichever tool it holds: its nearest edge is pulled. Nobody draws on it, since nobody
//! would see that.

use crate::aids::cover::{Cover, Edge};
use crate::geometry::frames::{Glass, Point};
use crate::geometry::ids::BackdropId;
use crate::stage::covered;
use crate::stage::pane::Pane;
use crate::tools::desk::{Desk, Effect};
use crate::tools::in_hand::Kind;
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// A cover that is being pulled.
#[derive(Debug)]
struct Pulling {
    backdrop: BackdropId,
    /// As it was when the hand came.
    cover: Cover,
    edge: Edge,
    from: Point<Glass>,
}

/// A hand that holds what may not be pulled or drawn on.
#[derive(Debug)]
struct Resting;

fn covered_at<'a>(desk: &Desk<'a>, at: Point<Glass>) -> Option<&'a Pane<'a>> {
    let on = |pane: &&Pane| covered::on_glass(pane).is_some_and(|r| r.contains(at));
    desk.sight.panes.iter().find(on)
}

/// Whether there is a cover at a place.
pub fn is_on(desk: &Desk, at: Point<Glass>) -> bool {
    covered_at(desk, at).is_some()
}

/// What is begun on a cover; `None` beside it, and for what points.
pub fn begin(desk: &Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    if !desk.in_hand.touching
        && matches!(
            desk.in_hand.tool,
            Kind::Laser | Kind::Spotlight | Kind::Magnifier
        )
    {
        return None;
    }
    let place = at.at();
    let pane = covered_at(desk, place)?;
    let (backdrop, lies) = (pane.backdrop?, covered::on_glass(pane)?);
    if desk.in_hand.locked {
        // What is seen can be moved by who follows.
        let rests: Box<dyn Tool> = Box::new(Resting);
        return (!desk.moves(at)).then_some(rests);
    }
    Some(Box::new(Pulling {
        backdrop: backdrop.id,
        cover: backdrop.seen.cover()?.clone(),
        edge: Cover::edge(&lies, place),
        from: place,
    }))
}

impl Tool for Pulling {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        let panes = desk.sight.panes;
        let is_it = |pane: &&Pane| pane.backdrop.is_some_and(|b| b.id == self.backdrop);
        let pane = panes.iter().find(is_it);
        let Some((pane, backdrop)) = pane.and_then(|pane| Some((pane, pane.backdrop?))) else {
            return;
        };
        // The page was turned meanwhile.
        if backdrop.seen.page != self.cover.page {
            return;
        }
        let to = motion.at();
        let scale = backdrop.view(&pane.room).mean_scale();
        let by = match self.edge {
            Edge::Left | Edge::Right => to.x - self.from.x,
            Edge::Top | Edge::Bottom => to.y - self.from.y,
        };
        let whole = backdrop.whole_cover(&pane.room);
        let cover = self.cover.pulled(self.edge, by / scale, &whole);
        desk.want(Effect::Cover(self.backdrop, cover));
    }

    fn lifted(&mut self, _desk: &mut Desk, _at: &Pointer) -> Next {
        Next::Ends
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Cover(self.backdrop, self.cover.clone()));
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }
}

impl Tool for Resting {
    fn moved(&mut self, _desk: &mut Desk, _motion: &Motion) {}

    fn lifted(&mut self, _desk: &mut Desk, _at: &Pointer) -> Next {
        Next::Ends
    }

    fn cancelled(&mut self, _desk: &mut Desk, _pointer: i32) -> Next {
        Next::Ends
    }

    fn finished(&mut self, _desk: &mut Desk) -> Next {
        Next::Ends
    }
}
