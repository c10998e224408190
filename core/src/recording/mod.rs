//! Films of a lesson: what they take, how they are kept as they are made, how they are cut and named. And a lesson shown again
//! from its log.

pub mod budget;
pub mod captions;
pub mod chapters;
pub mod clock;
pub mod codecs;
pub mod cuts;
pub mod frame;
pub mod gaps;
pub mod level;
pub mod pieces;
pub mod pressed;
pub mod replay;
pub mod timeline;
