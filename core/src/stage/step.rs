//! Steps of the stage: the only way in which what is on stage changes.
//!
//! They are kept in a lesson's log as JSON; fields that are added later have a default.

use serde::{Deserialize, Serialize};

use crate::geometry::ids::BackdropId;
use crate::stage::backdrop::{BackdropView, ViewState};
use crate::stage::laid::Lay;
use crate::stage::pane::Beside;

/// What is done with the stage, or with the running order that it is filled from.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum StageStep {
    /// Have this on stage, alone or with something beside it.
    Arrange {
        current: BackdropId,
        beside: Option<Beside>,
    },
    /// Where the divider between the two panes is to be, whichever backdrops are in them: see
    /// [`Beside::divider`].
    Divide(f64),
    /// See a backdrop like this.
    See {
        backdrop: BackdropId,
        seen: Box<ViewState>,
    },
    /// Participants see nothing new until it is taken back.
    Pause(bool),
    /// A board has so many pages.
    Pages { backdrop: BackdropId, pages: u32 },
    /// A shared screen or a camera has this size, in backdrop units.
    Size {
        backdrop: BackdropId,
        width: f64,
        height: f64,
    },
    /// In the running order this comes at this place, counted from 0, as it is from now on. The server
    /// says so and nobody else, as with all that follow.
    Bring {
        at: usize,
        backdrop: Box<BackdropView>,
    },
    /// It comes at another place in the running order.
    Move { backdrop: BackdropId, at: usize },
    /// It is taken out of the running order.
    Take(BackdropId),
    /// The lesson is called so.
    Name(String),
    /// Width to height of the picture area.
    Aspect(f64, f64),
    /// This lies over the picture like this.
    Lay(Box<Lay>),
}
