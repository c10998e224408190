//! All tests of core that go through its public face, in one program: each of its own would optimise the same code again.

mod agreement;
mod aids;
mod bench;
mod budget;
mod capturing;
mod clocks;
mod cover;
mod instruments;
mod laid;
mod pointers;
mod replay;
mod rights;
mod selecting;
mod sheets;
mod stage;
mod wire;
