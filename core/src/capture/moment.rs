//! The moment of a capture: all that its picture is made from, so that another one can be made from it later.

use serde::{Deserialize, Serialize};

use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Rect, Size};
use crate::marks::mark::Mark;
use crate::paint;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::SheetId;
use crate::stage::backdrop::BackdropView;
use crate::stage::covered::{self, Eyes};
use crate::stage::laid::Laid;
use crate::stage::pane::{self, Beside, InView, Pane};
use crate::stage::sight::Sight;
use crate::stage::state::Stage;

use super::flat::{Flat, FlatFault};
use super::hide::{Hide, MOST_HIDDEN};
use super::marking::MOST_MARKS;
use super::plan::{Detail, OnStage, Plan, plan};
use super::way::Way;

/// What was to be seen when a capture was taken. Its marks are in the lesson's log.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Moment {
    /// The number of the last change in the log.
    pub seq: u64,
    /// In milliseconds since 1970, by the server's clock.
    pub at: u64,
    pub aspect: (f64, f64),
    /// In the first pane.
    pub current: Option<BackdropView>,
    /// In the second, and where the divider was.
    pub beside: Option<(BackdropView, f64)>,
    pub laid: Laid,
    /// Device pixels to a glass unit on the presenter's screen, and to a CSS pixel there.
    pub device: f64,
    pub ratio: f64,
    /// It is the whole of its first backdrop, whatever was in view: nothing that the glass holds is in it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub alone: bool,
}

/// What of a moment is in the picture.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Cut {
    pub way: Way,
    /// The box, or the one round the outline.
    pub area: Rect<Glass>,
    /// What is in the picture.
    pub parts: Parts,
    /// What there is, to be in it or not.
    pub there: Parts,
    #[serde(default)]
    pub bench: Bench,
}

/// What was done to it on the bench.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Bench {
    /// One over the other, the first one lowest.
    pub hidden: Vec<Hide>,
    /// The sheet that is made upright, instead of what was cut.
    pub flat: Option<Flat>,
    /// Turned by so many right angles, clockwise.
    pub turns: u8,
    /// Drawn on it afterwards, in glass units of the moment; from the bottom up.
    pub marks: Vec<Mark>,
}

/// Why a capture cannot be made anew like this, in words for the person.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
pub enum CutFault {
    #[error("The box is not on the picture.")]
    Area,
    #[error(
        "A capture has {MOST_HIDDEN} hidden parts at the most. Hide what lies side by side by one box."
    )]
    Hidden,
    #[error("A capture has {MOST_MARKS} marks of its own at the most. Erase some.")]
    Marks,
    #[error(transparent)]
    Flat(#[from] FlatFault),
}

impl Cut {
    /// As it has come from elsewhere: within the picture area. Hidden parts that are not in it are left out.
    ///
    /// # Errors
    /// For a box that is not on the picture, too many hidden parts, and corners that go round no sheet.
    pub fn settled(mut self, stage: Size<Glass>) -> Result<Self, CutFault> {
        let whole = Rect::of_size(stage);
        let is_there = |r: &Rect<Glass>| {
            let finite = [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite());
            let seen = r.intersection(&whole);
            finite && seen.width() > 0.0 && seen.height() > 0.0
        };
        if !is_there(&self.area) {
            return Err(CutFault::Area);
        }
        self.area = self.area.intersection(&whole);
        self.bench.hidden.retain(|part| is_there(&part.area));
        if self.bench.hidden.len() > MOST_HIDDEN {
            return Err(CutFault::Hidden);
        }
        if self.bench.marks.len() > MOST_MARKS {
            return Err(CutFault::Marks);
        }
        self.bench.flat = self.bench.flat.map(|f| f.checked(stage)).transpose()?;
        self.bench.turns %= 4;
        Ok(self)
    }

    /// The part of the picture area that has to be drawn.
    pub fn drawn(&self) -> Rect<Glass> {
        self.bench.flat.as_ref().map_or(self.area, Flat::bounds)
    }
}

/// What lies over the backdrops: whether it is in the picture, or whether there is any.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct Parts {
    pub marks: bool,
    pub instruments: bool,
    pub clocks: bool,
}

impl Default for Parts {
    fn default() -> Self {
        Self {
            marks: true,
            instruments: true,
            clocks: true,
        }
    }
}

impl Moment {
    /// What was on stage.
    pub fn stage(&self) -> Stage {
        Stage {
            current: self.current.clone(),
            beside: self.beside.clone(),
            laid: self.laid.clone(),
        }
    }

    /// What was on stage, and how it was seen, to be shown again.
    pub fn on_stage(&self) -> OnStage {
        OnStage {
            current: self.current.as_ref().map(|b| b.id),
            beside: self.beside.as_ref().map(|(b, divider)| Beside {
                backdrop: b.id,
                divider: *divider,
            }),
            seen: self
                .stage()
                .each()
                .map(|b| (b.id, b.seen.clone()))
                .collect(),
        }
    }

    /// The picture area.
    pub fn area(&self) -> Size<Glass> {
        Size::glass(self.aspect.0, self.aspect.1)
    }

    /// The sheets whose marks are in it.
    fn in_view(&self, panes: &[Pane]) -> Vec<InView> {
        let mut seen = pane::in_view(self.area(), panes);
        seen.retain(|v| !self.alone || v.sheet != SheetId::Glass);
        seen
    }

    /// What there is in an area, to be left out or not. `sheets` are as the log gives them at this moment.
    pub fn parts(&self, sheets: &Sheets, area: &Rect<Glass>) -> Parts {
        let stage = self.stage();
        let panes = stage.panes(self.area());
        let sight = Sight {
            area: self.area(),
            panes: &panes,
        };
        let seen = self.in_view(&panes);
        let laid = self.laid.clone().for_participants();
        let there = |without: Parts| {
            let lies = laid.difference(&only(laid.clone(), without), &sight);
            lies.intersects(area)
        };
        let all = Parts::default();
        Parts {
            marks: !paint::everything(sheets, &seen, area, self.at)
                .items
                .is_empty(),
            instruments: there(Parts {
                instruments: false,
                ..all
            }),
            clocks: there(Parts {
                clocks: false,
                ..all
            }),
        }
    }

    /// What is to be drawn for a cut, and the pixels that it becomes. `details` are what there is to be seen of the
    /// backdrops: see [`Pane::detail`].
    pub fn compose(&self, sheets: &Sheets, cut: &Cut, details: &[Detail]) -> (DisplayList, Plan) {
        let plan = plan(&cut.drawn(), self.area(), details, self.device);
        let stage = self.stage();
        let panes = stage.panes(self.area());
        let mut list = DisplayList::default();
        pane::paint(self.area(), &panes, &mut list);
        let round = plan.area.inflate(4.0);
        self.paint_parts(sheets, &panes, &round, cut.parts, &mut list);
        paint::loose(cut.bench.marks.iter(), &round, &mut list);
        (list, plan)
    }

    fn paint_parts(
        &self,
        sheets: &Sheets,
        panes: &[Pane],
        within: &Rect<Glass>,
        parts: Parts,
        list: &mut DisplayList,
    ) {
        if parts.marks {
            let seen = self.in_view(panes);
            let marks = paint::everything(sheets, &seen, within, self.at);
            list.items.extend(marks.items);
        }
        // What is covered is so without marks, too.
        for pane in panes {
            covered::paint(pane, Eyes::Anybody, list);
        }
        let sight = Sight {
            area: self.area(),
            panes,
        };
        only(self.laid.clone(), parts).paint_kept(&sight, self.at, list);
    }
}

/// What lies over the picture, of these parts.
fn only(mut laid: Laid, parts: Parts) -> Laid {
    if !parts.instruments {
        laid.instruments.clear();
        laid.measuring = None;
    }
    if !parts.clocks {
        laid.clocks.clear();
    }
    laid
}
