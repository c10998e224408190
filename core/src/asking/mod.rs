//! A quick question to all: what can be answered, and what the answers come to.

pub mod question;
pub mod spot;
pub mod tally;
