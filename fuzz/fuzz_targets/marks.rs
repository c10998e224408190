#![no_main]
//! A mark: what the budget lets through is drawn, within twice of what was counted.

use bozzetto_core::marks::mark::Mark;
use bozzetto_core::wire::decode;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let Some(mark) = decode::<Mark>(bytes) else {
        return;
    };
    let Ok(cost) = mark.check() else {
        return;
    };
    let fills = mark.fills(0.05);
    let points: usize = fills.iter().map(|(path, _)| path.coords.len() / 2).sum();
    assert!(points <= cost * 2 + 64, "{points} points were counted as {cost}");
});
