//! What pointers do.

pub mod palm;
