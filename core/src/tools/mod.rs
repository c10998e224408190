//! What pointers do.
//!
//! A host passes every event of every pointer to the [`Router`](router::Router), which has a session for
//! each pointer that is down and hands it to a [`Tool`](tool::Tool). A tool sees the stage through a
//! [`Desk`](desk::Desk), and leaves there what it wants done; the host does it. What a tool keeps, it keeps
//! per pointer: two pupils at one board share no timer, no modifier and no measure.
//!
//! A new tool is a file here, a line in [`router`]'s list, a [`Kind`](in_hand::Kind), a key and a word
//! on the rail.

pub mod desk;
pub mod dwell;
pub mod in_hand;
pub mod measure;
pub mod palm;
pub mod pointer;
pub mod router;
pub mod tool;
pub mod wheel;

mod cover;
mod eraser;
mod face;
mod figure;
mod hide;
mod instrument;
mod laser;
mod lasso;
mod light;
mod magnifier;
mod mover;
mod pen;
mod polyline;
mod pull;
mod stamp;
mod text;

pub use stamp::next_number;
