//! All tests of press that go through its public face, in one program: each of its own would be linked by itself.

mod documents;
mod groups;
mod hidden;
mod ink_files;
mod metadata;
mod outside;
mod sending;
mod wet_ink;
