//! Instruments: what measures. They lie over everything, are moved as real ones are, and a pen draws along
//! them.

pub mod compasses;
pub mod guide;
pub mod instrument;
pub mod measure;
pub mod nearby;
pub mod placed;
pub mod plane;
pub mod protractor;
pub mod reading;
pub mod ruler;
pub mod scale;
pub mod units;
