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
//! * [`mark`], [`sheet`], [`change`], [`history`]: marks and the one way in which they change.
//! * [`replica`]: what a browser shows while its changes are under way to the server.
//! * [`wet`], [`paint`], [`board`], [`display`]: what is to be drawn.
//! * [`capture`], [`naming`]: pictures taken of the stage.
//! * [`wire`]: the messages between browser and server.

pub mod backdrop;
pub mod board;
pub mod capture;
pub mod change;
pub mod colour;
pub mod display;
pub mod erase;
pub mod frames;
pub mod history;
pub mod ids;
pub mod ink;
pub mod join_code;
pub mod mark;
pub mod naming;
pub mod paint;
pub mod replica;
pub mod sheet;
pub mod swatch;
pub mod wet;
pub mod wire;
