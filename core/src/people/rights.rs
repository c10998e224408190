//! Who may send what: the only gate, for every message.

use crate::wire::ToServer;

/// Who is at the other end of a connection.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Role {
    Presenter,
    Participant,
}

impl Role {
    /// The longest message that is taken from them, in bytes: what a participant may say fits into
    /// thirty.
    pub fn longest_message(self) -> usize {
        match self {
            Role::Presenter => crate::wire::MAX_MESSAGE,
            Role::Participant => 1024,
        }
    }
}

/// Whether somebody in this role may send this. Participants watch; whatever their page allows,
/// messages are judged here.
pub fn may(role: Role, message: &ToServer) -> bool {
    match (role, message) {
        (Role::Presenter, _) => true,
        (Role::Participant, ToServer::WantKey(_) | ToServer::WantStills) => true,
        (
            Role::Participant,
            ToServer::Wet(_)
            | ToServer::WetEnd(_)
            | ToServer::Act { .. }
            | ToServer::See { .. }
            | ToServer::WetShape(_)
            | ToServer::Chunk(_)
            | ToServer::Still(_)
            | ToServer::SendAway(_)
            | ToServer::Point(_)
            | ToServer::Lay(_),
        ) => false,
    }
}
