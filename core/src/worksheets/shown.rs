//! What the server tells the wall.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::geometry::ids::AuthorId;
use crate::marks::mark::Mark;

/// What somebody has drawn on a worksheet, from the bottom up.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Drawn {
    /// The answer's number.
    pub answer: u64,
    /// Up to which place in its log.
    pub seq: u64,
    /// Whose it is: all other marks are remarks.
    pub by: AuthorId,
    pub marks: Vec<Arc<Mark>>,
}
