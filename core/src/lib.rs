//! The rules of Bozzetto: what a mark is, what holds it, how sheets change, what ink looks like and
//! what a capture contains.
//!
//! The crate is compiled natively for the server and to WebAssembly for the browser, from the same
//! source, and gives the same answers in both. It knows nothing of files, sockets, the time of day
//! or pixels on a screen: whoever calls it says what time it is and prints the
//! [display list](display) it gets back.
//!
//! Where to find things:
//!
//! * [`frames`]: the frames of reference and the maps between them.
//! * [`ink`]: from pen samples to a stroke, and from a stroke to its outline.
//! * [`shape`], [`stamp`], [`fading`]: what else is drawn, and what fades.
//! * [`erase`], [`select`]: correcting.
//! * [`budget`]: how much there may be to work out for marks.
//! * [`rights`]: who may send what.
//! * [`mark`], [`sheet`], [`change`], [`history`]: marks and the one way in which they change.
//! * [`replica`]: what a browser shows while its changes are under way to the server.
//! * [`wet`], [`paint`], [`board`], [`display`]: what is to be drawn.
//! * [`backdrop`], [`pane`]: what lies beneath the marks, and which part of the stage it has.
//! * [`playback`], [`stream`]: videos, and moving backdrops as participants get them.
//! * [`zoom`]: how much larger than whole something is seen.
//! * [`capture`], [`naming`]: pictures taken of the stage.
//! * [`wire`]: the messages between browser and server.

pub mod backdrop;
pub mod board;
pub mod budget;
pub mod capture;
pub mod change;
pub mod colour;
pub mod display;
pub mod erase;
pub mod fading;
pub mod frames;
pub mod hands;
pub mod history;
pub mod ids;
pub mod ink;
pub mod join_code;
pub mod keys;
pub mod legibility;
pub mod mark;
pub mod mirror;
pub mod naming;
pub mod page_parts;
pub mod paint;
pub mod pane;
pub mod placed;
pub mod playback;
pub mod replica;
pub mod rights;
pub mod select;
pub mod settings;
pub mod shape;
pub mod sheet;
pub mod stamp;
pub mod straight;
pub mod stream;
pub mod swatch;
pub mod text;
pub mod tidy;
pub mod wet;
pub mod wire;
pub mod zoom;
