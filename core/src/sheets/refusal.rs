//! Why something that was asked for is not done.

use serde::{Deserialize, Serialize};

use crate::marks::mark::MarkFault;

/// Why a change cannot be made, in words for the person who asked for it.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error, Serialize, Deserialize)]
pub enum Refusal {
    #[error("That mark is already gone.")]
    Gone,
    #[error("That mark is already there.")]
    AlreadyThere,
    #[error("What that was drawn on is not on stage any more.")]
    NoSuchSheet,
    #[error("This mark cannot be kept: {0}.")]
    Mark(#[from] MarkFault),
    #[error("There is nothing left to undo.")]
    NothingToUndo,
    #[error("There is nothing left to redo.")]
    NothingToRedo,
    #[error("That is too much for one change.")]
    TooLarge,
    #[error("You may watch this lesson, but not mark it.")]
    NotAllowed,
    #[error("The message could not be understood.")]
    Unreadable,
    #[error("That backdrop is not in the running order any more.")]
    NoSuchBackdrop,
    #[error("This board has as many pages as a board can have.")]
    NoMorePages,
    #[error("There are as many clocks as there can be at once. Take one away first.")]
    NoMoreClocks,
    #[error("That mark is somebody else's.")]
    NotOwn,
    #[error("The lesson is paused: draw when it goes on.")]
    Paused,
}
