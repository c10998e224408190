//! Who may send what: the only gate, for every message.

use crate::geometry::ids::BackdropId;
use crate::lesson::change::Intent;
use crate::stage::step::StageStep;
use crate::stream::{Chunk, Still};
use crate::wire::ToServer;

/// Who is at the other end of a connection.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Role {
    Presenter,
    /// With a pen they may draw on the stage, with the hand operate the page on it, and send the
    /// pictures of their screen if that is one of its backdrops.
    Participant {
        pen: bool,
        hand: bool,
        screen: Option<BackdropId>,
    },
    /// Of a worksheet that is their own.
    Author,
}

impl Role {
    /// Whether marks are touched only by whoever made them: see [`only_own`](crate::sheets::owned::only_own).
    pub fn is_guest(self) -> bool {
        match self {
            Role::Presenter => false,
            Role::Participant { .. } | Role::Author => true,
        }
    }

    /// The longest message that is taken from them, in bytes.
    pub fn longest_message(self) -> usize {
        match self {
            // Key frames, too.
            Role::Presenter
            | Role::Participant {
                screen: Some(_), ..
            } => crate::wire::MAX_MESSAGE,
            Role::Author | Role::Participant { pen: true, .. } => 256 * 1024,
            Role::Participant { pen: false, .. } => 1024,
        }
    }
}

/// Whether somebody in this role may send this. Participants watch; they draw, operate the page on stage and send the
/// pictures of their screen while that is passed to them. Whoever answers a worksheet marks that. Neither changes anything else. Whatever their page allows, messages are judged here.
pub fn may(role: Role, message: &ToServer) -> bool {
    use ToServer as To;
    match (role, message) {
        (Role::Presenter, _) => true,
        (Role::Participant { .. }, To::WantKey(_) | To::WantStills | To::Raise(_)) => true,
        // The pen may have been taken back meanwhile.
        (Role::Participant { .. } | Role::Author, To::WetEnd(_)) => true,
        (Role::Author | Role::Participant { pen: true, .. }, To::Wet(_) | To::WetShape(_)) => true,
        (Role::Participant { hand: true, .. }, To::Reach(_)) => true,
        (Role::Participant { screen, .. }, To::Chunk(Chunk { backdrop, .. })) => {
            screen == Some(*backdrop)
        }
        (Role::Participant { screen, .. }, To::Still(Still { backdrop, .. })) => {
            screen == Some(*backdrop)
        }
        // How many pixels their screen has now.
        (
            Role::Participant {
                screen: Some(screen),
                ..
            },
            To::Act {
                intent: Intent::Stage(steps),
                ..
            },
        ) => matches!(steps[..], [StageStep::Size { backdrop, .. }] if backdrop == screen),
        (Role::Author | Role::Participant { pen: true, .. }, To::Act { intent, .. }) => {
            !matches!(intent, Intent::Stage(_))
        }
        (
            Role::Participant { .. } | Role::Author,
            To::Wet(_)
            | To::Act { .. }
            | To::See { .. }
            | To::WetShape(_)
            | To::Chunk(_)
            | To::Still(_)
            | To::WantKey(_)
            | To::WantStills
            | To::SendAway(_)
            | To::Point(_)
            | To::Lay(_)
            | To::Raise(_)
            | To::Lower(_)
            | To::PassPen { .. }
            | To::PassHand { .. }
            | To::Reach(_),
        ) => false,
    }
}
