//! Ink as InkML. Source: W3C, Ink Markup Language (InkML), Recommendation of 20 September 2011;
//! sections 3 (traces), 4 (contexts), 5 (brushes), from memory.

mod read;
mod trace;
mod write;

pub use read::{InkFault, Read, read};
pub use write::write;

/// The namespace of InkML.
const INKML: &str = "http://www.w3.org/2003/InkML";
