//! Pictures with an instruction that participants mark: what they have marked, all together.

pub mod shown;
pub mod spans;
pub mod together;
pub mod worksheet;
