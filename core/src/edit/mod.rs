//! Correcting: what the eraser takes, what is selected and what becomes of it.

pub mod enclose;
pub mod erase;
pub mod select;
pub mod selection;
pub mod straight;
