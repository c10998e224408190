#![no_main]
//! A file of marks: what is read from it can be drawn, and written again.

use bozzetto_core::geometry::frames::Size;
use bozzetto_press::sheet_svg;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Ok(marks) = sheet_svg::read(bytes) {
        let again = sheet_svg::write(&marks, Size::glass(16.0, 9.0), "", |_| None);
        assert_eq!(sheet_svg::read(again.as_bytes()).expect("our own file"), marks);
    }
});
