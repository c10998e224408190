//! The rules of Bozzetto: what a mark is, what holds it, how sheets change, what ink looks like and
//! what a capture contains.
//!
//! The crate is compiled natively for the server and to WebAssembly for the browser, from the same
//! source, and gives the same answers in both. It knows nothing of files, sockets, the time of day
//! or pixels on a screen: whoever calls it says what time it is and prints the
//! [display list](display) it gets back.
//!
//! A folder for each thing that one can point at on the screen or in the work. Each uses only those
//! above it:
//!
//! * [`geometry`]: frames of reference and the maps between them, zoom.
//! * [`display`]: what is to be drawn, for any printer.
//! * [`ink`]: from pen samples to a stroke, and from a stroke to its outline.
//! * [`marks`]: what can be drawn: strokes, shapes, stamps, texts, pictures; how much there may be of it.
//! * [`aids`]: what steers attention and leaves no mark.
//! * [`clocks`]: countdowns and stopwatches.
//! * [`instruments`]: what measures, and leads a pen.
//! * [`sheets`]: all marks held by one thing, the steps that move them, undo.
//! * [`stage`]: backdrops, boards, panes, films; what of it is on stage, and the steps that change it.
//! * [`lesson`]: everything that a lesson remembers: changes in one order, and a browser's copy.
//! * [`stream`]: moving backdrops as participants get them.
//! * [`paint`]: from sheets and wet ink to display lists.
//! * [`edit`]: erasing and selecting.
//! * [`capture`]: pictures taken of the stage.
//! * [`asking`]: quick questions to all, and what the answers come to.
//! * [`worksheets`]: pictures that participants mark, and what they have marked all together.
//! * [`recording`]: films of a lesson, and a lesson shown again.
//! * [`prefs`]: settings, keys, and what the last seat can read.
//! * [`wire`]: the messages between browser and server.
//! * [`people`]: join codes, and who may send what.
//! * [`tools`]: what pointers do.

pub mod aids;
pub mod asking;
pub mod capture;
pub mod clocks;
pub mod display;
pub mod edit;
pub mod geometry;
pub mod ink;
pub mod instruments;
pub mod lesson;
pub mod marks;
pub mod paint;
pub mod people;
pub mod prefs;
pub mod recording;
pub mod sheets;
pub mod stage;
pub mod stream;
pub mod tools;
pub mod wire;
pub mod worksheets;
