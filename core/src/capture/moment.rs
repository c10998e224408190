//! The moment of a capture: all that its picture is made from, so that another one can be made from it later.

use serde::{Deserialize, Serialize};

use crate::display::DisplayList;
use crate::geometry::frames::{Glass, Rect, Size};
use crate::paint;
use crate::sheets::sheet::Sheets;
use crate::stage::backdrop::BackdropView;
use crate::stage::covered;
use crate::stage::laid::Laid;
use crate::stage::pane::{self, Pane};
use crate::stage::sight::Sight;
use crate::stage::state::Stage;

use super::plan::{Detail, Plan, plan};
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

    /// The picture area.
    pub fn area(&self) -> Size<Glass> {
        Size::glass(self.aspect.0, self.aspect.1)
    }

    /// What there is in an area, to be left out or not. `sheets` are as the log gives them at this moment.
    pub fn parts(&self, sheets: &Sheets, area: &Rect<Glass>) -> Parts {
        let stage = self.stage();
        let panes = stage.panes(self.area());
        let sight = Sight {
            area: self.area(),
            panes: &panes,
        };
        let seen = pane::in_view(self.area(), &panes);
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
        let plan = plan(&cut.area, self.area(), details, self.device);
        let stage = self.stage();
        let panes = stage.panes(self.area());
        let mut list = DisplayList::default();
        pane::paint(self.area(), &panes, &mut list);
        let round = plan.area.inflate(4.0);
        self.paint_parts(sheets, &panes, &round, cut.parts, &mut list);
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
            let seen = pane::in_view(self.area(), panes);
            let marks = paint::everything(sheets, &seen, within, self.at);
            list.items.extend(marks.items);
        }
        // What is covered is so without marks, too.
        for pane in panes {
            covered::paint(pane, false, list);
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
