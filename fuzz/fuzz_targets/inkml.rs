#![no_main]
//! A file of ink: what is read from it can be drawn.

use bozzetto_core::geometry::frames::Size;
use bozzetto_press::inkml;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Ok(read) = inkml::read(bytes, Size::glass(16.0, 9.0)) {
        for mark in read.marks {
            mark.check().expect("what is read is sound");
        }
    }
});
