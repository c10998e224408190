//! All tests of the server that go through its public face, in one program: each of its own would be linked by itself, and the
//! slow ones would wait for each other.

mod common;

mod arranging;
mod backdrops;
mod bench;
mod floods;
mod forms;
mod glasses;
mod guessing;
mod home;
mod hostile;
mod lessons_live;
mod older;
mod participants;
mod people;
mod recordings;
mod replaying;
mod routes;
mod trust;
mod upkeep;
