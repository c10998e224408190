//! What hides parts of a backdrop: a box is drawn over what only the presenter is to see, and moved and resized by
//! hand; its cross shows the part again.

use crate::geometry::frames::{Glass, Held, Point, Rect};
use crate::geometry::grip::{Grip, Side};
use crate::geometry::ids::BackdropId;
use crate::ink::pen::Device;
use crate::stage::backdrop::BackdropView;
use crate::stage::covered;
use crate::stage::pane::Pane;
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Overlay, Tool};

/// How near to an edge, a corner or the cross a hand has to be to take hold of it, in CSS pixels: by finger, and
/// otherwise.
const REACH: (f64, f64) = (22.0, 10.0);
/// What is pulled less than this, in CSS pixels, is tapped; nothing smaller is hidden.
const TAP: f64 = 6.0;

/// A part in the hand.
#[derive(Debug)]
struct Hiding {
    pointer: i32,
    backdrop: BackdropId,
    /// The page that was shown.
    page: u32,
    /// Which of the parts that are hidden there; `None` for another one.
    which: Option<usize>,
    on_cross: bool,
    grip: Grip,
    /// Where it lay when the hand came.
    lay: Rect<Glass>,
    from: Point<Glass>,
    at: Point<Glass>,
    went: bool,
}

pub fn begin(desk: &Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let place = at.at();
    let pane = desk.sight.panes.iter().find(|p| p.room.contains(place))?;
    let backdrop = pane.backdrop?;
    let reach = match at.device {
        Device::Finger => REACH.0,
        Device::Mouse | Device::Pen => REACH.1,
    };
    let reach = reach / desk.per_unit();
    let taken = taken(pane, backdrop, place, reach);
    let (which, on_cross, grip, lay) = taken.unwrap_or((
        None,
        false,
        Grip::Edges {
            x: Side::High,
            y: Side::High,
        },
        Rect::from_corners(place, place),
    ));
    Some(Box::new(Hiding {
        pointer: at.id,
        backdrop: backdrop.id,
        page: backdrop.seen.page,
        which,
        on_cross,
        grip,
        lay,
        from: place,
        at: place,
        went: false,
    }))
}

type Taken = (Option<usize>, bool, Grip, Rect<Glass>);

/// What a hand takes hold of at a place, the part that was hidden last first.
fn taken(pane: &Pane, backdrop: &BackdropView, at: Point<Glass>, reach: f64) -> Option<Taken> {
    let view = backdrop.view(&pane.room);
    let seen = covered::hidden(pane).into_iter().rev();
    let parts: Vec<_> = backdrop.seen.hidden().collect();
    let mut taken = seen.filter_map(|(n, seen)| {
        let lies = view.apply_rect(parts.get(n)?);
        let on_cross = covered::cross(&seen, &pane.room).distance(at) <= reach.max(covered::CROSS);
        if on_cross || lies.inflate(reach).contains(at) {
            return Some((Some(n), on_cross, grip(&lies, at, reach), lies));
        }
        None
    });
    taken.next()
}

/// Which edges of a part are at a place; where it is small, at least half of it is inside.
fn grip(lies: &Rect<Glass>, at: Point<Glass>, reach: f64) -> Grip {
    let side = |at: f64, low: f64, high: f64| {
        let reach = reach.min((high - low) / 4.0);
        match at {
            v if v <= low + reach => Side::Low,
            v if v >= high - reach => Side::High,
            _ => Side::Neither,
        }
    };
    match (side(at.x, lies.x0, lies.x1), side(at.y, lies.y0, lies.y1)) {
        (Side::Neither, Side::Neither) => Grip::Inside,
        (x, y) => Grip::Edges { x, y },
    }
}

impl Hiding {
    /// Where the part lies now. An edge that is pulled past its opposite becomes the opposite.
    fn lies(&self) -> Rect<Glass> {
        let r = &self.lay;
        let (dx, dy) = (self.at.x - self.from.x, self.at.y - self.from.y);
        let (x, y) = match self.grip {
            Grip::Inside => {
                return Rect::from_size(r.x0 + dx, r.y0 + dy, r.width(), r.height());
            }
            Grip::Edges { x, y } => (x, y),
        };
        let moved = |low: f64, high: f64, side: Side, by: f64| match side {
            Side::Low => (low + by, high),
            Side::High => (low, high + by),
            Side::Neither => (low, high),
        };
        let (x0, x1) = moved(r.x0, r.x1, x, dx);
        let (y0, y1) = moved(r.y0, r.y1, y, dy);
        Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1))
    }

    /// Has the parts changed, unless the page was turned meanwhile.
    fn change(&self, desk: &mut Desk, change: impl FnOnce(&mut Vec<Rect<Held>>, Rect<Held>)) {
        let panes = desk.sight.panes.iter();
        let found = panes.filter_map(|pane| Some((pane, pane.backdrop?)));
        let Some((pane, backdrop)) = found.into_iter().find(|(_, b)| b.id == self.backdrop) else {
            return;
        };
        let Some(back) = backdrop.view(&pane.room).inverse() else {
            return;
        };
        if backdrop.seen.page == self.page {
            let mut parts = backdrop.seen.hidden().collect();
            let to = self.lies().intersection(&pane.room.union(&self.lay));
            change(&mut parts, back.apply_rect(&to));
            desk.want(Effect::Hide(self.backdrop, parts));
        }
    }
}

impl Tool for Hiding {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        if motion.id == self.pointer {
            self.at = motion.at();
            self.went |= self.at.distance(self.from) * desk.per_unit() > TAP;
        }
    }

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        self.finished(desk)
    }

    fn cancelled(&mut self, _desk: &mut Desk, _pointer: i32) -> Next {
        Next::Ends
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        let least = TAP / desk.per_unit();
        let lies = self.lies();
        // Another page may have changed the parts meanwhile.
        match self.which {
            Some(n) if !self.went && self.on_cross => self.change(desk, |parts, _| {
                if n < parts.len() {
                    parts.remove(n);
                }
            }),
            _ if !self.went || lies.width() < least || lies.height() < least => {}
            Some(n) => self.change(desk, |parts, to| {
                if let Some(part) = parts.get_mut(n) {
                    *part = to;
                }
            }),
            None => self.change(desk, |parts, to| parts.push(to)),
        }
        Next::Ends
    }

    fn overlay(&self, _desk: &Desk) -> Option<Overlay> {
        let r = self.lies();
        let corners = [
            (r.x0, r.y0),
            (r.x1, r.y0),
            (r.x1, r.y1),
            (r.x0, r.y1),
            (r.x0, r.y0),
        ];
        let corners = corners.map(|(x, y)| Point::new(x, y));
        self.went.then(|| Overlay::Lasso(corners.to_vec()))
    }
}
