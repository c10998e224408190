//! Pictures with an instruction that participants mark: what they have marked, all together.

use crate::geometry::ids::AuthorId;

pub mod elsewhere;
pub mod shown;
pub mod spans;
pub mod together;
pub mod worksheet;

/// Whose the presenter's remarks on what somebody has made of a worksheet are, from whatever page.
pub const REMARKS: AuthorId = AuthorId(u64::MAX);
