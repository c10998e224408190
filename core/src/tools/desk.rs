//! The stage as a tool sees it, and what a tool wants done there.

use crate::aids::cover::Cover;
use crate::aids::pointing::Pointing;
use crate::display::colour::Rgb;
use crate::edit::select::Picked;
use crate::edit::selection::{Pulled, Selection};
use crate::geometry::frames::{Glass, Held, Ink, Map, Pixels, Point, Rect};
use crate::geometry::ids::{AuthorId, BackdropId, IdMaker, MarkId};
use crate::ink::InkPoint;
use crate::ink::pen::Device;
use crate::lesson::change::Intent;
use crate::marks::fading::Fading;
use crate::marks::mark::{Body, Mark, Style};
use crate::marks::swatch::{Hold, Swatch};
use crate::paint::wet::{WetInk, WetShape};
use crate::prefs::settings::{Finger, Settings};
use crate::sheets::sheet::Sheets;
use crate::sheets::step::{Op, SheetId, Step};
use crate::stage::backdrop::BackdropView;
use crate::stage::laid::{Laid, Lay};
use crate::stage::pane::{self, InView};
use crate::stage::sight::Sight;
use crate::tools::in_hand::InHand;
use crate::tools::pointer::Pointer;

/// What a tool wants done, in the order in which it wants it.
#[derive(Clone, PartialEq, Debug)]
pub enum Effect {
    /// A change of the sheets.
    Act(Intent),
    /// Ink of a stroke in progress, shown here with what is expected next, and told everybody.
    Ink { ink: WetInk, ahead: Vec<InkPoint> },
    /// A shape in the making, shown and told.
    Show(WetShape),
    /// What was in the making under this name was not meant; that is told.
    Forget(MarkId),
    /// What was in the making under this name becomes a mark; the change that makes it one comes next.
    Settle(MarkId),
    /// These marks are selected, and nothing else.
    Select(Picked),
    /// The selection is shown as it is being pulled; `None` shows it where it is.
    Pull(Option<Pulled>),
    /// What is seen moves by so many CSS pixels.
    Move { dx: f64, dy: f64 },
    /// What is seen grows by a factor, and stays where it is at a place, in CSS pixels of the picture area.
    Enlarge { by: f64, at: Point<Pixels> },
    /// This is pointed with, shown and told.
    Point(Pointing),
    /// A text is wanted here, or the one that lies here is to be opened, or typing is over.
    Text(Point<Glass>),
    /// Something lies over the picture like this from now on.
    Lay(Lay),
    /// The same for the moment: it goes along with a hand.
    Drag(Lay),
    /// This covers a page of a backdrop from now on.
    Cover(BackdropId, Cover),
    /// These parts of the page of a backdrop that is shown are hidden from now on, and no others.
    Hide(BackdropId, Vec<Rect<Held>>),
}

/// See the module's description.
#[derive(Debug)]
pub struct Desk<'a> {
    pub sheets: &'a Sheets,
    /// The sheets in view, from the bottom up.
    pub in_view: &'a [InView],
    /// The backdrops on stage.
    pub backdrops: &'a [&'a BackdropView],
    pub settings: &'a Settings,
    pub in_hand: &'a InHand,
    pub selection: &'a Selection,
    /// What lies over the picture.
    pub laid: &'a Laid,
    /// The panes of the picture area.
    pub sight: Sight<'a>,
    pub author: AuthorId,
    pub ids: &'a mut IdMaker,
    /// CSS pixels to a glass unit.
    pub scale: f64,
    /// From the hand to the glass: a stroke's own frame is the glass as it is while it is drawn, or as a lens
    /// shows it.
    pub through: Map<Ink, Glass>,
    /// What was wanted so far.
    pub effects: Vec<Effect>,
}

impl Desk<'_> {
    /// Leaves word of something to be done.
    pub fn want(&mut self, effect: Effect) {
        self.effects.push(effect);
    }

    /// The same for a change of one step.
    pub(super) fn want_step(&mut self, sheet: SheetId, op: Op) {
        self.want(Effect::Act(Intent::Do(vec![Step { sheet, op }])));
    }

    /// A name for a mark.
    pub fn new_id(&mut self) -> MarkId {
        MarkId(self.ids.next_id())
    }

    /// A place of the glass in CSS pixels of the picture area.
    pub fn pixels(&self, at: Point<Glass>) -> Point<Pixels> {
        Point::new(at.x * self.scale, at.y * self.scale)
    }

    /// How many of the CSS pixels that a hand goes by there are to a glass unit.
    pub fn per_unit(&self) -> f64 {
        self.scale / self.through.mean_scale()
    }

    /// Where a hand has to be to be at a place.
    pub fn hand_at(&self, at: Point<Glass>) -> Point<Glass> {
        let hand = self.through.inverse().map(|back| back.apply(at));
        hand.map_or(at, |hand| Point::new(hand.x, hand.y))
    }

    /// Whether a pointer moves what is seen instead of marking it.
    pub fn moves(&self, at: &Pointer) -> bool {
        let by_finger = self.settings.finger == Finger::Moves && at.device == Device::Finger;
        self.in_hand.touching || (by_finger && !self.in_hand.locked)
    }

    /// The sheet of the pane, or the half of a board, that a place is in.
    pub fn ground(&self, at: Point<Glass>) -> Option<SheetId> {
        pane::at(self.in_view, at).map(|seen| seen.sheet)
    }

    /// How a sheet is seen; `None` when it is not in view.
    pub fn view(&self, sheet: SheetId) -> Option<Map<Held, Glass>> {
        let seen = self.in_view.iter().find(|v| v.sheet == sheet)?;
        Some(seen.view)
    }

    /// The sheet that is to hold a mark made at a place, the way from the glass as it is now to it,
    /// and the ink that hands take on there.
    pub fn holder(
        &self,
        hold: Hold,
        at: Point<Glass>,
    ) -> Option<(SheetId, Map<Ink, Held>, Option<Rgb>)> {
        let glass = self.in_view.iter().find(|v| v.sheet == SheetId::Glass);
        let seen = match hold {
            Hold::Backdrop => pane::at(self.in_view, at).or(glass)?,
            Hold::Glass => glass?,
        };
        let to_held = self.through.then(&seen.view.inverse()?);
        Some((seen.sheet, to_held, seen.colour))
    }

    /// A swatch as it draws at a place, and what holds what it draws there.
    pub fn dipped(
        &self,
        swatch: usize,
        at: Point<Glass>,
    ) -> Option<(Swatch, SheetId, Map<Ink, Held>)> {
        let hold = self.settings.swatches.get(swatch)?.hold;
        let (sheet, transform, ink) = self.holder(hold, at)?;
        let mut swatch = self.offered(swatch, sheet)?;
        if let (Some(ink), true) = (ink, swatch.tip.is_pen()) {
            swatch.colour = ink;
        }
        Some((swatch, sheet, transform))
    }

    /// A swatch as it is offered on a sheet.
    pub fn offered(&self, swatch: usize, sheet: SheetId) -> Option<Swatch> {
        let swatch = *self.settings.swatches.get(swatch)?;
        let on = self
            .backdrops
            .iter()
            .find(|b| Some(b.id) == sheet.backdrop());
        Some(on.map_or(swatch, |backdrop| backdrop.offered(swatch)))
    }

    /// A mark of this page's author, on top of the others of its sheet.
    pub fn new_mark(
        &mut self,
        sheet: SheetId,
        style: Style,
        body: Body,
        transform: Map<Ink, Held>,
        fades: Option<Fading>,
    ) -> Mark {
        let (id, z) = (self.new_id(), self.sheets.sheet(sheet).top());
        let mut mark = Mark::new(id, self.author, style, body, transform, z);
        mark.fades = fades;
        mark
    }

    /// A shape in the making becomes a mark, if it was meant and can be one.
    pub(super) fn settle(&mut self, sheet: SheetId, mark: Mark, meant: bool) {
        if meant && mark.check().is_ok() {
            self.want(Effect::Settle(mark.id));
            self.want_step(sheet, Op::Add(mark));
        } else {
            self.want(Effect::Forget(mark.id));
        }
    }
}

/// How a mark fades that is set at once with a swatch.
pub fn fading(swatch: &Swatch) -> Option<Fading> {
    let drawn_for = 0;
    swatch.stay.map(|stay| Fading { stay, drawn_for })
}
